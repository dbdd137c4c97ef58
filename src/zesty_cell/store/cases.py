"""What was off: cases of crafts and packs."""

from __future__ import annotations

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from zesty_cell.core.faults.case import Case
from zesty_cell.store import records
from zesty_cell.store.documents import read, to_document
from zesty_cell.store.tables import CaseRow


def case_of(row: CaseRow) -> Case:
    """The core's case of a row."""
    return read(Case, row.document)


def _fill(row: CaseRow, case: Case, name: str) -> None:
    row.name, row.document = name[:80], to_document(case)
    row.was = None if case.closed is None else case.closed.was


def all_cases(session: Session, *, craft_id: int | None = None, pack_id: int | None = None) -> list[CaseRow]:
    """Every case not deleted, of a craft or of a pack where that is asked; open ones first, the newest first."""
    query = select(CaseRow).where(CaseRow.deleted_at.is_(None))
    if craft_id is not None:
        query = query.where(CaseRow.craft_id == craft_id)
    if pack_id is not None:
        query = query.where(CaseRow.pack_id == pack_id)
    return list(
        session.scalars(query.order_by(CaseRow.was.is_not(None), CaseRow.created_at.desc(), CaseRow.id.desc()))
    )


def turned_out(session: Session) -> dict[str, int]:
    """How often it was what, of all closed cases."""
    query = select(CaseRow.was, func.count()).where(CaseRow.deleted_at.is_(None), CaseRow.was.is_not(None))
    return {str(row[0]): int(row[1]) for row in session.execute(query.group_by(CaseRow.was))}


def fetch(session: Session, case_id: int) -> CaseRow:
    """One case; MissingRecordError when there is none."""
    return records.fetch(session, CaseRow, case_id)


def add(session: Session, case: Case, *, name: str, craft_id: int | None, pack_id: int | None) -> CaseRow:
    """Keep a new one."""
    row = CaseRow(craft_id=craft_id, pack_id=pack_id)
    _fill(row, case, name)
    session.add(row)
    session.flush()
    return row


def change(session: Session, case_id: int, version: int, case: Case) -> CaseRow:
    """Store a change, provided nobody changed it meanwhile.

    Raises
    ------
    MissingRecordError, EditConflictError
    """
    row = records.fetch_version(session, CaseRow, case_id, version)
    _fill(row, case, row.name)
    session.flush()
    return row


def delete(session: Session, case_id: int) -> CaseRow:
    """Delete one; :func:`restore` undoes it."""
    row = fetch(session, case_id)
    records.delete(session, row)
    return row


def restore(session: Session, case_id: int) -> CaseRow:
    """Undo a delete."""
    return records.restore(session, CaseRow, case_id)
