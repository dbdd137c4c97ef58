"""Flying patterns of one's own, kept in the hangar; a sheet has the one it flies by value, and changes with it."""

from __future__ import annotations

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from zesty_cell.core.asked.flying import FlyingPattern
from zesty_cell.store import records
from zesty_cell.store.documents import read, to_document
from zesty_cell.store.tables import PatternRow, SheetRow


def pattern_of(row: PatternRow) -> FlyingPattern:
    """The core's pattern of a row."""
    return read(FlyingPattern, row.document)


def all_patterns(session: Session) -> list[PatternRow]:
    """Every pattern not deleted, by name."""
    return records.all_of(session, PatternRow)


def fetch(session: Session, pattern_id: int) -> PatternRow:
    """One pattern; MissingRecordError when there is none."""
    return records.fetch(session, PatternRow, pattern_id)


def taken(session: Session, name: str, *, but: int | None = None) -> bool:
    """Whether another one has that name, whatever the case of its letters."""
    query = select(PatternRow.id).where(
        func.lower(PatternRow.name) == name.lower(), PatternRow.deleted_at.is_(None)
    )
    return any(pattern_id != but for pattern_id in session.scalars(query))


def flown_by(session: Session, pattern: FlyingPattern) -> list[SheetRow]:
    """Sheets that fly exactly this pattern."""
    held = to_document(pattern)
    alive = session.scalars(select(SheetRow).where(SheetRow.deleted_at.is_(None)).order_by(SheetRow.id))
    return [row for row in alive if row.flying == held or _same(row, pattern)]


def _same(row: SheetRow, pattern: FlyingPattern) -> bool:
    return row.flying.get("name") == pattern.name and read(FlyingPattern, row.flying) == pattern


def add(session: Session, pattern: FlyingPattern) -> PatternRow:
    """Keep a new one."""
    row = PatternRow(name=pattern.name, document=to_document(pattern))
    session.add(row)
    session.flush()
    return row


def change(session: Session, pattern_id: int, version: int, pattern: FlyingPattern) -> int:
    """Store a change, provided nobody changed it meanwhile; how many sheets changed with it.

    Raises
    ------
    MissingRecordError, EditConflictError
    """
    row = records.fetch_version(session, PatternRow, pattern_id, version)
    sheets = flown_by(session, pattern_of(row))
    row.name, row.document = pattern.name, to_document(pattern)
    for sheet in sheets:
        sheet.flying = to_document(pattern)
    session.flush()
    return len(sheets)


def delete(session: Session, pattern_id: int) -> PatternRow:
    """Delete one; sheets that fly it keep their own copy.  :func:`restore` undoes it."""
    row = fetch(session, pattern_id)
    records.delete(session, row)
    return row


def restore(session: Session, pattern_id: int) -> PatternRow:
    """Undo a delete."""
    return records.restore(session, PatternRow, pattern_id)
