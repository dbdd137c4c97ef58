"""Fair tests, each a document of a craft."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from zesty_cell.core.trials.question import Trial
from zesty_cell.core.trials.schedule import next_slot
from zesty_cell.store import records
from zesty_cell.store.documents import read, to_document
from zesty_cell.store.tables import TrialRow


def trial_of(row: TrialRow) -> Trial:
    """The core's test of a row."""
    return read(Trial, row.document)


def _fill(row: TrialRow, trial: Trial) -> None:
    row.name, row.document = trial.name, to_document(trial)
    row.open = next_slot(trial) is not None


def all_trials(session: Session) -> list[TrialRow]:
    """Every test not deleted, those that wait for runs first, the newest first."""
    query = select(TrialRow).where(TrialRow.deleted_at.is_(None))
    return list(
        session.scalars(query.order_by(TrialRow.open.desc(), TrialRow.updated_at.desc(), TrialRow.id.desc()))
    )


def open_of_craft(session: Session, craft_id: int) -> list[TrialRow]:
    """Tests of a craft that wait for runs, the one changed last first."""
    query = select(TrialRow).where(TrialRow.deleted_at.is_(None), TrialRow.open, TrialRow.craft_id == craft_id)
    return list(session.scalars(query.order_by(TrialRow.updated_at.desc(), TrialRow.id.desc())))


def fetch(session: Session, trial_id: int) -> TrialRow:
    """One test; MissingRecordError when there is none."""
    return records.fetch(session, TrialRow, trial_id)


def open_one(session: Session, trial_id: int) -> TrialRow | None:
    """A test that waits for runs, by its number; None where it does not, or is gone."""
    row = session.get(TrialRow, trial_id)
    return row if row is not None and row.deleted_at is None and row.open else None


def add(session: Session, trial: Trial, *, craft_id: int) -> TrialRow:
    """Keep a new one."""
    row = TrialRow(craft_id=craft_id)
    _fill(row, trial)
    session.add(row)
    session.flush()
    return row


def change(session: Session, trial_id: int, version: int, trial: Trial) -> TrialRow:
    """Store a change, provided nobody changed it meanwhile.

    Raises
    ------
    MissingRecordError, EditConflictError
    """
    row = records.fetch_version(session, TrialRow, trial_id, version)
    _fill(row, trial)
    session.flush()
    return row


def delete(session: Session, trial_id: int) -> TrialRow:
    """Delete one; :func:`restore` undoes it."""
    row = fetch(session, trial_id)
    records.delete(session, row)
    return row


def restore(session: Session, trial_id: int) -> TrialRow:
    """Undo a delete."""
    return records.restore(session, TrialRow, trial_id)
