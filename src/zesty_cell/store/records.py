"""What crafts, packs and sheets have in common: fetch, check the version, delete, undo."""

from __future__ import annotations

from typing import TypeVar

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from zesty_cell.store.errors import EditConflictError, MissingRecordError
from zesty_cell.store.tables import (
    CalibrationRow,
    CalloutsRow,
    CaseRow,
    CellRow,
    CraftRow,
    DischargeRow,
    FlightRow,
    LogRow,
    PackRow,
    PatternRow,
    PracticeRow,
    SheetRow,
    TrialRow,
    now,
)

Row = TypeVar(
    "Row",
    CraftRow,
    PackRow,
    SheetRow,
    CellRow,
    CalloutsRow,
    LogRow,
    FlightRow,
    CalibrationRow,
    PatternRow,
    TrialRow,
    DischargeRow,
    CaseRow,
    PracticeRow,
)


def fetch(session: Session, table: type[Row], record_id: int) -> Row:
    """The record that is not deleted.

    Raises
    ------
    MissingRecordError
    """
    row = session.get(table, record_id)
    if row is None or row.deleted_at is not None:
        raise MissingRecordError(table.__tablename__, record_id)
    return row


def fetch_version(session: Session, table: type[Row], record_id: int, version: int) -> Row:
    """The record, provided it is still at the version that was read.

    Raises
    ------
    MissingRecordError, EditConflictError
    """
    row = fetch(session, table, record_id)
    if row.version != version:
        raise EditConflictError(table.__tablename__, row.name)
    return row


def all_of(session: Session, table: type[Row]) -> list[Row]:
    """Every record not deleted, by name."""
    query = select(table).where(table.deleted_at.is_(None)).order_by(func.lower(table.name), table.id)
    return list(session.scalars(query))


def delete(session: Session, row: Row) -> None:
    """Soft delete; :func:`restore` undoes it."""
    row.deleted_at = now()
    session.flush()


def restore(session: Session, table: type[Row], record_id: int) -> Row:
    """Undo a delete.

    Raises
    ------
    MissingRecordError
        When the record never was.
    """
    row = session.get(table, record_id)
    if row is None:
        raise MissingRecordError(table.__tablename__, record_id)
    row.deleted_at = None
    session.flush()
    return row
