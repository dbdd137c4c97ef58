"""Fair tests: their documents, what comes next, and the verdict once it is looked at."""

from __future__ import annotations

import math
from typing import Literal

from fastapi import APIRouter
from pydantic import BaseModel
from sqlalchemy.orm import Session

from zesty_cell.core.errors import UnknownNameError
from zesty_cell.core.fact import fact
from zesty_cell.core.trials.question import Side, Trial
from zesty_cell.core.trials.schedule import next_slot
from zesty_cell.services import trial_lessons
from zesty_cell.services.trials import TrialNow, bring_in, look, trial_now
from zesty_cell.store import trials as store
from zesty_cell.store.tables import TrialRow
from zesty_cell.web.api import given
from zesty_cell.web.http import Store
from zesty_cell.words.say import say

router = APIRouter(prefix="/api", tags=["tests"])


class NewTest(BaseModel):
    """A test, for the craft of the hangar that it names."""

    test: Trial


class ChangedTest(NewTest):
    """A changed test with the version it was read at."""

    version: given.Version


class NextRun(BaseModel):
    """What is to be flown next: its place in the order, from 0."""

    slot: int
    side: Side
    pack: str


class ListedTest(given.Listed):
    """A test in a list: whose it is, and what is to be flown next; null once the plan is."""

    craft: str
    runs: int
    next: NextRun | None


class Found(BaseModel):
    """What a test shows of B less A: shares of A, volts a cell or kelvins; null before three pairs.

    ``more_by`` and ``less_by`` are the chances that B has at least so much more, or less, as matters.
    """

    pairs: int
    call: Literal["more", "less", "none", "open", "goes on"]
    called_at: int
    difference: float | None
    low: float | None
    high: float | None
    more_by: float | None
    less_by: float | None
    said: list[str]


class StoredTest(ListedTest):
    """A test as stored, its flights with what they measured by now; the verdict where it was seen with them."""

    test: Trial
    spoiled: list[str]
    verdict: Found | None


def _next(now: TrialNow) -> NextRun | None:
    return None if now.next is None else NextRun(slot=now.next.number, side=now.next.side, pack=now.next.pack)


def _number(value: float) -> float | None:
    return value if math.isfinite(value) else None


def _found(now: TrialNow) -> Found:
    v = now.verdict
    return Found(
        pairs=v.pairs, call=v.call, called_at=v.called_at, difference=_number(v.difference), low=_number(v.low),
        high=_number(v.high), more_by=_number(v.more_by), less_by=_number(v.less_by),
        said=[say(fact) for fact in now.told],
    )  # fmt: skip


def _stored(session: Session, row: TrialRow) -> StoredTest:
    now = trial_now(session, row)
    return StoredTest(
        id=row.id, version=row.version, name=row.name, craft=now.trial.craft, runs=now.count, next=_next(now),
        test=now.trial, spoiled=[say(fact) for fact in now.spoiled], verdict=_found(now) if now.looked else None,
    )  # fmt: skip


def _listed(row: TrialRow) -> ListedTest:
    trial = store.trial_of(row)
    slot = next_slot(trial)
    following = None if slot is None else NextRun(slot=slot.number, side=slot.side, pack=slot.pack)
    runs = sum(run.set_aside is None for run in trial.runs)
    return ListedTest(id=row.id, version=row.version, name=row.name, craft=trial.craft, runs=runs, next=following)


@router.get("/tests")
def list_tests(session: Store) -> list[ListedTest]:
    """Every test, those that wait for runs first."""
    return [_listed(row) for row in store.all_trials(session)]


@router.post("/tests", status_code=201, responses=given.UNREADABLE)
def add_test(session: Store, new: NewTest) -> StoredTest:
    """Keep a test; runs that are flights of another log keep what they measured."""
    try:
        return _stored(session, bring_in(session, new.test))
    except UnknownNameError as error:
        raise given.refuse([("test.craft", error.why, "unknown")]) from error


@router.get("/tests/{trial_id}", responses=given.MISSING)
def get_test(session: Store, trial_id: given.RecordId) -> StoredTest:
    """One test."""
    return _stored(session, store.fetch(session, trial_id))


@router.put("/tests/{trial_id}", responses=given.MISSING | given.UNREADABLE | given.CONFLICT)
def put_test(session: Store, trial_id: given.RecordId, change: ChangedTest) -> StoredTest:
    """Store a changed test, provided it is still at the version given; it stays its craft's."""
    row = store.fetch(session, trial_id)
    was = store.trial_of(row)
    if change.test.craft != was.craft:
        raise given.refuse([("test.craft", fact("typed.trial.of", craft=was.craft), "unknown")])
    return _stored(session, trial_lessons.change(session, row, change.version, change.test))


@router.post("/tests/{trial_id}/look", responses=given.MISSING)
def look_at_test(session: Store, trial_id: given.RecordId) -> StoredTest:
    """Look at the verdict: what is set aside from now on was seen in it."""
    row = store.fetch(session, trial_id)
    look(session, row, row.version)
    return _stored(session, row)


@router.delete("/tests/{trial_id}", status_code=204, responses=given.MISSING)
def delete_test(session: Store, trial_id: given.RecordId) -> None:
    """Delete a test.  Undone by POST to /api/tests/{id}/undelete."""
    store.delete(session, trial_id)


@router.post("/tests/{trial_id}/undelete", responses=given.MISSING)
def undelete_test(session: Store, trial_id: given.RecordId) -> StoredTest:
    """Undo a delete."""
    return _stored(session, store.restore(session, trial_id))
