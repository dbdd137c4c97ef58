"""What the club has practised: some of it went well."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Final

from sqlalchemy.orm import Session

from zesty_cell.core.practice.attempt import Attempt
from zesty_cell.core.practice.drills import drill
from zesty_cell.core.practice.scenario import DrillKey
from zesty_cell.core.practice.score import score, scripted
from zesty_cell.store import practice

#: Drill, seed, who flew it, and when.
_FLOWN: Final[tuple[tuple[DrillKey, int, str, datetime], ...]] = (
    ("climb_or_empty", 11, "first word", datetime(2026, 10, 4, 19, 0, tzinfo=UTC)),
    ("climb_or_empty", 12, "timer only", datetime(2026, 10, 6, 19, 5, tzinfo=UTC)),
    ("tired_pack", 5, "timer only", datetime(2026, 10, 6, 19, 8, tzinfo=UTC)),
    ("tired_pack", 6, "first word", datetime(2026, 10, 8, 18, 40, tzinfo=UTC)),
    ("chatter", 3, "timer only", datetime(2026, 10, 8, 18, 43, tzinfo=UTC)),
)


def load_practice(session: Session) -> int:
    """Store the club's drills; returns how many."""
    for key, seed, pilot, at in _FLOWN:
        played = scripted(drill(key, seed=seed), pilot)
        attempt = Attempt(
            drill=key, seed=seed, name=played.scenario.believed.name, at=at, decisions=played.decisions,
            score=score(played), flown_s=played.ending.at_s, left=min(played.ending.left, 1.0),
            fell=played.ending.fell,
        )  # fmt: skip
        practice.add(session, attempt)
    return len(_FLOWN)
