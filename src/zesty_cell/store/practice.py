"""Drills that were flown, each time."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from zesty_cell.core.practice.attempt import Attempt
from zesty_cell.store import records
from zesty_cell.store.documents import read, to_document
from zesty_cell.store.tables import PracticeRow

#: The newest are looked at: what was flown before them says little of today.
MOST = 1000


def attempt_of(row: PracticeRow) -> Attempt:
    """The core's attempt of a row."""
    return read(Attempt, row.document)


def add(session: Session, attempt: Attempt) -> PracticeRow:
    """Keep one."""
    row = PracticeRow(name=attempt.drill, score=attempt.score, document=to_document(attempt))
    session.add(row)
    session.flush()
    return row


def fetch(session: Session, attempt_id: int) -> PracticeRow:
    """One of them; MissingRecordError when there is none."""
    return records.fetch(session, PracticeRow, attempt_id)


def newest(session: Session) -> list[PracticeRow]:
    """The newest of them, the oldest first."""
    query = select(PracticeRow).where(PracticeRow.deleted_at.is_(None)).order_by(PracticeRow.id.desc()).limit(MOST)
    return list(session.scalars(query))[::-1]
