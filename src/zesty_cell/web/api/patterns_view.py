"""Flying patterns: those that ship are read, those of the hangar are written too."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel
from sqlalchemy.orm import Session

from zesty_cell.core.asked.flying import PATTERNS, FlyingPattern
from zesty_cell.core.fact import fact
from zesty_cell.store import patterns as store
from zesty_cell.store.tables import PatternRow
from zesty_cell.web.api import given
from zesty_cell.web.http import Store

router = APIRouter(prefix="/api", tags=["hangar"])


class NewPattern(BaseModel):
    """A flying pattern."""

    pattern: FlyingPattern


class ChangedPattern(NewPattern):
    """A changed pattern with the version it was read at."""

    version: given.Version


class StoredPattern(given.Listed):
    """A pattern as stored."""

    pattern: FlyingPattern


class Patterns(BaseModel):
    """Patterns by where they are from."""

    shipped: dict[str, FlyingPattern]
    own: list[StoredPattern]


class KeptPattern(StoredPattern):
    """A pattern as stored, and how many sheets flew it and changed with it."""

    sheets_changed: int


def _stored(row: PatternRow) -> StoredPattern:
    return StoredPattern(id=row.id, version=row.version, name=row.name, pattern=store.pattern_of(row))


def _own_name(session: Session, name: str, *, but: int | None = None) -> None:
    shipped = {pattern.name.casefold() for pattern in PATTERNS.values()}
    if name.casefold() in shipped or store.taken(session, name, but=but):
        raise given.refuse([("pattern.name", fact("typed.name.taken_already"), "taken")])


@router.get("/patterns")
def list_patterns(session: Store) -> Patterns:
    """Every flying pattern: those that ship, by key, and those of the hangar."""
    return Patterns(shipped=dict(PATTERNS), own=[_stored(row) for row in store.all_patterns(session)])


@router.post("/patterns", status_code=201, responses=given.UNREADABLE)
def add_pattern(session: Store, new: NewPattern) -> StoredPattern:
    """Keep a flying pattern, under a name of its own."""
    _own_name(session, new.pattern.name)
    return _stored(store.add(session, new.pattern))


@router.get("/patterns/{pattern_id}", responses=given.MISSING)
def get_pattern(session: Store, pattern_id: given.RecordId) -> StoredPattern:
    """One pattern of the hangar."""
    return _stored(store.fetch(session, pattern_id))


@router.put("/patterns/{pattern_id}", responses=given.MISSING | given.UNREADABLE | given.CONFLICT)
def put_pattern(session: Store, pattern_id: given.RecordId, change: ChangedPattern) -> KeptPattern:
    """Store a changed pattern, provided it is still at the version given; sheets that fly it change with it."""
    store.fetch(session, pattern_id)
    _own_name(session, change.pattern.name, but=pattern_id)
    sheets = store.change(session, pattern_id, change.version, change.pattern)
    return KeptPattern(**_stored(store.fetch(session, pattern_id)).model_dump(), sheets_changed=sheets)


@router.delete("/patterns/{pattern_id}", status_code=204, responses=given.MISSING)
def delete_pattern(session: Store, pattern_id: given.RecordId) -> None:
    """Delete a pattern; sheets keep what they fly.  Undone by POST to /api/patterns/{id}/undelete."""
    store.delete(session, pattern_id)


@router.post("/patterns/{pattern_id}/undelete", responses=given.MISSING)
def undelete_pattern(session: Store, pattern_id: given.RecordId) -> StoredPattern:
    """Undo a delete."""
    return _stored(store.restore(session, pattern_id))
