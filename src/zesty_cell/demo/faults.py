"""What was off in the club: found out, still looked for, and a pack that is no longer flown."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any, Final

from sqlalchemy.orm import Session

from zesty_cell.core.faults.case import Case
from zesty_cell.store import cases
from zesty_cell.store.hangar import CRAFTS, PACKS

_STORIES: Final[tuple[tuple[str, str, dict[str, Any]], ...]] = (
    (
        "Heron", "Pomelo 1",
        {
            "began_at": datetime(2026, 9, 12, 16, 20, tzinfo=UTC),
            "signs": ("flights_shorter", "drifts"),
            "note": "three minutes short on the way back from the lighthouse",
            "answers": (("wind", "windy"), ("spin", "smooth")),
            "closed": ("wind", "a northerly in the strait, gone the next morning"),
        },
    ),
    (
        "Swift", "Satsuma 3",
        {
            "began_at": datetime(2026, 10, 3, 15, 5, tzinfo=UTC),
            "signs": ("flights_shorter", "weak_climb", "pack_hot"),
            "note": "",
            "answers": (("manner", "as usual"),),
            "closed": None,
        },
    ),
    (
        "Tern", "Yuzu 1",
        {
            "began_at": datetime(2026, 10, 11, 10, 40, tzinfo=UTC),
            "signs": ("weak_climb", "alarm_early", "volts_jump"),
            "note": "since the new transmitter case, or since the rain",
            "answers": (("threshold", "loaded voltage"),),
            "closed": None,
        },
    ),
)  # fmt: skip


def load_faults(session: Session) -> int:
    """Store the club's cases; returns how many."""
    crafts = {row.name: row.id for row in CRAFTS.all(session)}
    packs = {row.name: row.id for row in PACKS.all(session)}
    count = 0
    for craft, pack, story in _STORIES:
        if craft not in crafts or pack not in packs:
            continue
        at = story["began_at"]
        closed = story["closed"]
        case = Case.model_validate(
            {
                "craft": craft, "pack": pack, "began_at": at, "signs": story["signs"], "note": story["note"],
                "answers": [{"reading": key, "outcome": found, "at": at} for key, found in story["answers"]],
                "closed": None if closed is None else {"was": closed[0], "at": at, "note": closed[1]},
            }
        )  # fmt: skip
        row = cases.add(session, case, name=f"{craft} with {pack}", craft_id=crafts[craft], pack_id=packs[pack])
        row.created_at = at.replace(tzinfo=None)
        count += 1
    return count
