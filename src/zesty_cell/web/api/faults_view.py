"""What is off: cases of craft and pack with their ranking, and the table behind it."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Annotated

from fastapi import APIRouter
from pydantic import BaseModel, Field, ValidationError
from sqlalchemy.orm import Session

from zesty_cell.core.faults import named
from zesty_cell.core.faults.case import Case, CaseNote, Key, Stands
from zesty_cell.core.faults.reckoned import Likely
from zesty_cell.core.faults.table import Risk, Table, the_table
from zesty_cell.services.faults import answer, case_now, close
from zesty_cell.store import cases as store
from zesty_cell.store.hangar import CRAFTS, PACKS
from zesty_cell.store.tables import CaseRow
from zesty_cell.web.api import given
from zesty_cell.web.http import Store
from zesty_cell.words.say import say

router = APIRouter(prefix="/api", tags=["what is off"])


class NewCase(BaseModel):
    """Something that is off: with a craft, a pack or both of the hangar, by their numbers."""

    craft_id: given.GivenId | None = None
    pack_id: given.GivenId | None = None
    signs: Annotated[tuple[Key, ...], Field(min_length=1, max_length=60, examples=[["pack_hot"]])]
    note: CaseNote = ""


class NewAnswer(BaseModel):
    """What a check found; ``not told`` where it could not be made."""

    version: given.Version
    reading: Annotated[str, Field(max_length=40, examples=["cells"])]
    outcome: Annotated[str, Field(max_length=40, examples=["apart"])]


class NewClosing(BaseModel):
    """What it was: a cause of the table, ``nothing`` or ``something else``."""

    version: given.Version
    was: Annotated[str, Field(min_length=1, max_length=40, examples=["weak_cell"])]
    note: CaseNote = ""


class RankedCause(BaseModel):
    """A cause with its chance [1]."""

    cause: str
    chance: float
    words: Likely


class NextCheck(BaseModel):
    """A check worth making: what it is expected to tell [bit], and how long it takes [min]."""

    reading: str
    how: str
    outcomes: tuple[str, ...]
    bits: float
    minutes: float
    risk: Risk


class StoredCase(given.Listed):
    """A case as it stands: what is known of readings, causes the most probable first, checks the best first."""

    case: Case
    known: dict[str, str]
    nothing: float
    causes: list[RankedCause]
    next: list[NextCheck]
    stands: Stands
    said: list[str]


class ListedCase(given.Listed):
    """A case in a list, with what it was once it is closed."""

    signs: tuple[str, ...]
    was: str | None


def _stored(session: Session, row: CaseRow) -> StoredCase:
    now = case_now(session, row)
    look = now.look
    verdict, do = named.verdict(look)
    danger = named.in_danger() if now.case.dangerous else ()
    table = the_table()
    return StoredCase(
        id=row.id, version=row.version, name=row.name, case=now.case, known=dict(look.readings),
        nothing=look.now.nothing, stands=look.stands,
        causes=[RankedCause(cause=r.cause, chance=r.chance, words=r.words) for r in look.now.ranked],
        next=[
            NextCheck(
                reading=p.reading, how=say(named.how(p.reading)), outcomes=table.readings[p.reading].outcomes,
                bits=p.bits, minutes=p.minutes, risk=p.risk,
            )
            for p in look.next
        ],
        # Of a pack that may burn nothing is said before that.
        said=[say(f) for f in (*danger, *(() if danger else (verdict, do))) if f is not None],
    )  # fmt: skip


def _refused(error: ValidationError, field: str) -> Exception:
    problem = error.errors(include_url=False)[0]
    return given.refuse([(field, problem["msg"], "refused")])


@router.get("/off/table")
def get_table() -> Table:
    """The table of causes: every chance behind the ranking."""
    return the_table()


@router.get("/off")
def list_cases(session: Store) -> list[ListedCase]:
    """Every case, the open ones first."""
    return [
        ListedCase(id=r.id, version=r.version, name=r.name, signs=store.case_of(r).signs, was=r.was)
        for r in store.all_cases(session)
    ]


@router.post("/off", status_code=201, responses=given.MISSING | given.UNREADABLE)
def add_case(session: Store, new: NewCase) -> StoredCase:
    """Keep a case, and rank its causes."""
    craft = None if new.craft_id is None else CRAFTS.fetch(session, new.craft_id)
    pack = None if new.pack_id is None else PACKS.fetch(session, new.pack_id)
    names = [row.name for row in (craft, pack) if row is not None]
    try:
        case = Case(
            craft=None if craft is None else craft.name, pack=None if pack is None else pack.name,
            began_at=datetime.now(UTC), signs=new.signs, note=new.note,
        )  # fmt: skip
    except ValidationError as error:
        raise _refused(error, "signs" if names else "craft_id") from error
    row = store.add(session, case, name=" with ".join(names), craft_id=new.craft_id, pack_id=new.pack_id)
    return _stored(session, row)


@router.get("/off/{case_id}", responses=given.MISSING)
def get_case(session: Store, case_id: given.RecordId) -> StoredCase:
    """One case as it stands."""
    return _stored(session, store.fetch(session, case_id))


@router.post("/off/{case_id}/answers", responses=given.MISSING | given.UNREADABLE | given.CONFLICT)
def add_answer(session: Store, case_id: given.RecordId, new: NewAnswer) -> StoredCase:
    """What a check found; it takes the place of an answer to the same check."""
    row = store.fetch(session, case_id)
    try:
        return _stored(session, answer(session, row, new.version, reading=new.reading, outcome=new.outcome))
    except ValidationError as error:
        raise _refused(error, "outcome") from error


@router.post("/off/{case_id}/close", responses=given.MISSING | given.UNREADABLE | given.CONFLICT)
def close_case(session: Store, case_id: given.RecordId, new: NewClosing) -> StoredCase:
    """What it was, which moves a little how usual that is in this hangar."""
    row = store.fetch(session, case_id)
    try:
        return _stored(session, close(session, row, new.version, was=new.was, note=new.note))
    except ValidationError as error:
        raise _refused(error, "was") from error


@router.delete("/off/{case_id}", status_code=204, responses=given.MISSING)
def delete_case(session: Store, case_id: given.RecordId) -> None:
    """Delete a case.  Undone by POST to /api/off/{id}/undelete."""
    store.delete(session, case_id)


@router.post("/off/{case_id}/undelete", responses=given.MISSING)
def undelete_case(session: Store, case_id: given.RecordId) -> StoredCase:
    """Undo a delete."""
    return _stored(session, store.restore(session, case_id))
