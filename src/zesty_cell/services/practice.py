"""Practice: a drill made, flown on and kept; which one comes next, by what went wrong and how long ago."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Final

from fsrs import Card, Rating, Scheduler
from sqlalchemy.orm import Session

from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import fact
from zesty_cell.core.practice.asked import question
from zesty_cell.core.practice.attempt import Attempt
from zesty_cell.core.practice.course import Decision
from zesty_cell.core.practice.drills import DRILLS, drill, own_drill
from zesty_cell.core.practice.flown import play
from zesty_cell.core.practice.scenario import DrillKey, Scenario
from zesty_cell.core.practice.score import score
from zesty_cell.services.advice import advise
from zesty_cell.services.plans import plan_now
from zesty_cell.store import practice, sheets
from zesty_cell.store.tables import PracticeRow

#: Points from which a drill counts as remembered with effort, well, and easily [1].
_HARD, _GOOD, _EASY = 40, 70, 92
#: Intervals are the scheduler's own, in days; without chance, so that a list that is looked at twice is the same.
_SCHEDULER: Final = Scheduler(learning_steps=(), relearning_steps=(), enable_fuzzing=False)


@dataclass(frozen=True)
class Standing:
    """How one stands with a drill.

    Attributes
    ----------
    key : str
    scores : tuple of int
        The oldest first [1].
    due_at : datetime or None
        When it comes back; None where it was never flown.
    due : bool
        Whether that is now.
    """

    key: DrillKey
    scores: tuple[int, ...]
    due_at: datetime | None
    due: bool


def _rating(points: int) -> Rating:
    if points < _HARD:
        return Rating.Again
    return Rating.Hard if points < _GOOD else Rating.Good if points < _EASY else Rating.Easy


def standings(attempts: Sequence[Attempt], /, *, now: datetime) -> list[Standing]:
    """How one stands with each drill, in their order, one's own sheet last."""
    found = []
    drills: tuple[DrillKey, ...] = (*DRILLS, "own")
    for key in drills:
        own = [a for a in attempts if a.drill == key]
        card = Card()
        for attempt in own:
            card, _ = _SCHEDULER.review_card(card, _rating(attempt.score), review_datetime=attempt.at)
        due_at = card.due if own else None
        found.append(Standing(key, tuple(a.score for a in own), due_at, due_at is not None and due_at <= now))
    return found


def next_of(of: Sequence[Standing], /) -> DrillKey:
    """Which drill to fly next: what is due, the lowest score first; else the first that is new; else what is due
    soonest."""
    due = [s for s in of if s.due and s.key != "own"]
    if due:
        return min(due, key=lambda s: s.scores[-1]).key
    new = next((s for s in of if not s.scores and s.key != "own"), None)
    if new is not None:
        return new.key
    return min((s for s in of if s.due_at is not None and s.key != "own"), key=lambda s: s.due_at or _LATE).key


_LATE: Final = datetime.max.replace(tzinfo=UTC)


def kept(session: Session) -> list[Attempt]:
    """Every drill that was flown, the oldest first."""
    return [practice.attempt_of(row) for row in practice.newest(session)]


def scenario_of(session: Session, key: str, /, *, seed: int, sheet_id: int | None = None) -> Scenario:
    """A drill with its truth; of one's own sheet where that is asked.

    Raises
    ------
    OutOfRangeError
        For a drill that there is not.
    MissingRecordError
        For a sheet that there is not.
    """
    if key == "own" and sheet_id is not None:
        row = sheets.fetch(session, sheet_id)
        advice = advise(session, row)
        return own_drill(advice.result.setup.sheet, plan_now(session, row, advice).plan, seed=seed)
    known = next((k for k in DRILLS if k == key), None)
    if known is None:
        raise OutOfRangeError(fact("refused.practice.no_such_drill"), field="drill", value=0.0, limit=0.0)
    return drill(known, seed=seed)


def keep(
    session: Session,
    scenario: Scenario,
    decisions: Sequence[Decision],
    /,
    *,
    answer: int | None,
    sheet_id: int | None,
) -> PracticeRow:
    """Score a drill and keep it."""
    played = play(scenario, decisions)
    asked = question(played)
    right = None if asked is None or answer is None else answer == asked.right
    attempt = Attempt(
        drill=scenario.key, seed=scenario.seed, sheet=sheet_id, name=scenario.believed.name, at=datetime.now(UTC),
        decisions=tuple(decisions), answer=None if right is None else answer, right=right, score=score(played),
        flown_s=played.ending.at_s, left=min(played.ending.left, 1.0), fell=played.ending.fell,
    )  # fmt: skip
    return practice.add(session, attempt)
