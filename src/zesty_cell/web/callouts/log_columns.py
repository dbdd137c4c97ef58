"""The columns of a telemetry log, proposed and confirmed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

import numpy as np
from fastapi import Request
from fastapi.responses import Response
from numpy.typing import NDArray
from sqlalchemy.orm import Session

from zesty_cell.core.answer.plausibility import Doubt
from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.callouts.telemetry import flight_seen
from zesty_cell.core.fact import Words
from zesty_cell.core.learn.log_plausibility import log_doubts
from zesty_cell.core.parts.ownership import type_of
from zesty_cell.formats.csv_table import Table, read_table
from zesty_cell.formats.errors import FileFormatError
from zesty_cell.formats.telemetry_columns import ROLES, ColumnChoice, Mapping, Role
from zesty_cell.formats.telemetry_csv import ReadLog, time_parts
from zesty_cell.services.log_fits import read_open
from zesty_cell.store import logs as store
from zesty_cell.store import sheets as sheet_store
from zesty_cell.store.flights import is_there
from zesty_cell.store.hangar import PACKS
from zesty_cell.store.tables import LogRow
from zesty_cell.web.field.entries import Taken
from zesty_cell.web.http import page, preferences_of
from zesty_cell.words.face import Face
from zesty_cell.words.units import CAPACITY, group, minutes, typed

_SEPARATOR_WORDS = {",": "commas", ";": "semicolons", "\t": "tabs", "|": "|"}
_SHOWN_ROWS = 6


@dataclass(frozen=True)
class _RoleLine:
    """A row of the page: a role, what was chosen for it, what its numbers become."""

    role: Role
    column: str
    unit: str
    becomes: str
    doubt: Words


def _range(values: NDArray[np.float64], unit: str, digits: int) -> str:
    known = values[~np.isnan(values)]
    if not known.size:
        return "empty throughout"
    low, high = float(known.min()), float(known.max())
    return f"{low:.{digits}f} to {high:.{digits}f} {unit}" if high > low else f"{low:.{digits}f} {unit} throughout"


_SHOWN_IN = {
    "current_a": ("A", 1), "temperature_c": ("°C", 0), "altitude_m": ("m", 0), "latitude_deg": ("°", 4),
    "longitude_deg": ("°", 4),
}  # fmt: skip


def _becomes(role: Role, values: NDArray[np.float64]) -> str:
    """What a column's numbers are once read, so that a wrong unit is seen at a glance."""
    if role.key == "time_s":
        rate = float(1.0 / np.median(np.diff(values)))
        often = f"{rate:.{0 if rate >= 9.5 else 1}f} a second" if rate >= 0.95 else f"every {1 / rate:.1f} s"
        return f"{minutes(float(values[-1] - values[0]))} min, {group(values.size)} lines, {often}"
    if role.key == "armed":
        return f"armed in {100 * float(np.nanmean(values)):.0f} % of the lines"
    if role.key == "lap_mark":
        return f"rises {int((np.diff(values[~np.isnan(values)]) > 0.0).sum())} times"
    if role.key == "used_ah":
        return _range(1000.0 * values, "mAh", 0)
    if role.key == "throttle":
        return _range(100.0 * values, "%", 0)
    unit, digits = _SHOWN_IN.get(role.key, ("V", 2))
    return _range(values, unit, digits)


def _lines(mapping: Mapping, read: ReadLog | None, said: Sequence[Doubt]) -> list[_RoleLine]:
    lines = []
    doubts = {d.field: d.why for d in said}
    for role in ROLES:
        choice = mapping.of(role.key)
        if choice is None:
            lines.append(_RoleLine(role, "", role.units[0].key, "", ""))
            continue
        becomes = "" if read is None else _becomes(role, getattr(read.telemetry, role.key))
        lines.append(_RoleLine(role, str(choice.column), choice.unit, becomes, doubts.get(role.key, "")))
    return lines


def posted_mapping(form: dict[str, str]) -> Mapping:
    """The columns as chosen on the page.

    Raises
    ------
    ValidationError
    """
    columns = []
    for role in ROLES:
        column = form.get(f"{role.key}.column", "")
        if column:
            unit = form.get(f"{role.key}.unit", role.units[0].key)
            columns.append(ColumnChoice.model_validate({"role": role.key, "column": column, "unit": unit}))
    part = form.get("part", "") or None
    return Mapping.model_validate({"columns": columns, "part": part, "lenient": bool(form.get("lenient"))})


#: A clock that counts from 1970 has come further than this; one that counts from switching on has not [s].
_A_DATE_S = 1e9


def _proposed(
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


def show_columns(
    request: Request,
    row: LogRow,
    sheet_id: int,
    sheet: Sheet,
    table: Table,
    mapping: Mapping,
    *,
    session: Session,
    asked: bool = False,
    flight: tuple[dict[str, str], Taken] | None = None,
) -> Response:
    """The page of a log's columns; with ``asked`` a mapping that cannot be read is an error, not a proposal."""
    read, error = None, None
    try:
        read = read_open(store.packed_of(row), table, mapping)
    except FileFormatError as problem:
        error = problem
    said = () if read is None else log_doubts(read.telemetry, pack=sheet.pack)
    refused = error is not None or any(d.impossible for d in said)
    face = Face(preferences_of(request))
    proposed = None if refused else _proposed(session, row, sheet_id, read, face)
    if proposed is not None and flight is not None:
        form, taken = flight
        proposed |= {"texts": form, "errors": taken.errors, "sure": " ".join(taken.asked)}
    context: dict[str, Any] = {
        "proposed": proposed,
        "row": row,
        "sheet": sheet,
        "address": f"/callouts/{sheet_id}",
        "table": table,
        "separator": _SEPARATOR_WORDS[table.separator],
        "lines": _lines(mapping, read, said),
        "mapping": mapping,
        "parts": time_parts(table, mapping),
        "notes": read.notes if read else table.notes,
        "error": error,
        "shown": list(zip(table.lines[:_SHOWN_ROWS], table.first[:_SHOWN_ROWS], strict=True)),
    }
    return page(request, "log.html", context, status=422 if (asked and refused) or flight is not None else 200)


def open_table(session: Session, sheet_id: int, log_id: int) -> tuple[LogRow, Sheet, Table]:
    row = store.fetch(session, log_id)
    sheet = sheet_store.as_sheet(sheet_store.fetch(session, sheet_id))
    return row, sheet, read_table(store.data_of(row))
