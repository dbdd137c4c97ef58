"""Which rows are set aside because they cannot be read; asked by every list, so it needs no model to tell."""

from __future__ import annotations

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from zesty_cell.store.tables import UnreadableRow


def count(session: Session) -> int:
    """How many rows are set aside by themselves, not because of another."""
    query = select(func.count()).select_from(UnreadableRow).where(UnreadableRow.needs.is_(False))
    return session.scalar(query) or 0


def is_set_aside(session: Session, table: str, row_id: int) -> bool:
    """Whether a row is set aside."""
    query = select(UnreadableRow.id).where(UnreadableRow.table_name == table, UnreadableRow.row_id == row_id)
    return session.scalars(query).first() is not None


def needing(session: Session) -> list[tuple[str, int]]:
    """How many rows of each table are set aside for want of others."""
    query = select(UnreadableRow.table_name, func.count()).where(UnreadableRow.needs)
    return [(table, many) for table, many in session.execute(query.group_by(UnreadableRow.table_name))]
