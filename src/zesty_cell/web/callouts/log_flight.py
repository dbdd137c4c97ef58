"""The flight that a log without one is of, proposed."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from sqlalchemy.orm import Session

from zesty_cell.core.callouts.telemetry import flight_seen
from zesty_cell.core.parts.ownership import type_of
from zesty_cell.formats.telemetry_csv import ReadLog
from zesty_cell.store import sheets as sheet_store
from zesty_cell.store.flights import is_there
from zesty_cell.store.hangar import PACKS
from zesty_cell.store.tables import LogRow
from zesty_cell.words.face import Face
from zesty_cell.words.units import CAPACITY, typed

#: A clock that counts from 1970 has come further than this; one that counts from switching on has not [s].
_A_DATE_S = 1e9


def flight_proposed(
    session: Session, row: LogRow, sheet_id: int, read: ReadLog | None, face: Face
) -> dict[str, Any] | None:
    """The flight that a log without one is of, as a form to put it into the log; None where it tells of none."""
    seen = None if read is None or is_there(session, row.flight_id) else flight_seen(read.telemetry)
    if seen is None:
        return None
    sheet_row = sheet_store.fetch(session, sheet_id)
    dated = seen.landed_s > _A_DATE_S
    landed_at = datetime.fromtimestamp(seen.landed_s, UTC) if dated else row.created_at
    own_type = type_of(sheet_row.pack.name)
    return {
        "texts": {
            "pack": str(sheet_row.pack_id),
            "duration_s": face.time(seen.duration_s),
            "shown_ah": "" if seen.shown_ah is None else typed(seen.shown_ah, CAPACITY, "metric"),
            "landed_local": f"{landed_at:%Y-%m-%dT%H:%M}",
        },
        "dated": dated,
        "packs": [r for r in PACKS.all(session) if type_of(r.name) == own_type],
        "pattern": sheet_store.as_sheet(sheet_row).flying.name,
        "errors": {},
        "sure": "",
    }
