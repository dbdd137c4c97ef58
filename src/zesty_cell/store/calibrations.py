"""Calibrations that were kept: of a craft's sensors, of a craft with a pack, of a pack's cells."""

from __future__ import annotations

from sqlalchemy import or_, select
from sqlalchemy.orm import Session

from zesty_cell.core.learn.calibration import CALIBRATION, Calibration, CraftPoints
from zesty_cell.store import records
from zesty_cell.store.documents import read, to_document
from zesty_cell.store.tables import CalibrationRow


def calibration_of(row: CalibrationRow) -> Calibration:
    """The core's calibration of a row."""
    return read(CALIBRATION, row.document)


def add(session: Session, made: Calibration, *, craft_id: int | None, pack_id: int | None) -> CalibrationRow:
    """Keep a calibration."""
    row = CalibrationRow(
        name=made.kind,
        kind=made.kind,
        craft_id=craft_id,
        pack_id=pack_id,
        made_at=made.made_at.replace(tzinfo=None),
        document=to_document(made),
    )
    session.add(row)
    session.flush()
    session.refresh(row)
    return row


def fetch(session: Session, calibration_id: int) -> CalibrationRow:
    """One calibration; MissingRecordError where there is none."""
    return records.fetch(session, CalibrationRow, calibration_id)


def newest(
    session: Session, *, most: int = 200, craft_id: int | None = None, pack_id: int | None = None
) -> list[CalibrationRow]:
    """The newest of all, of a craft or of a pack."""
    query = select(CalibrationRow).where(CalibrationRow.deleted_at.is_(None))
    if craft_id is not None:
        query = query.where(CalibrationRow.craft_id == craft_id)
    if pack_id is not None:
        query = query.where(CalibrationRow.pack_id == pack_id)
    return list(
        session.scalars(query.order_by(CalibrationRow.made_at.desc(), CalibrationRow.id.desc()).limit(most))
    )


def of_craft(session: Session, craft_id: int) -> list[Calibration]:
    """Of a craft's sensors, the oldest first."""
    return [calibration_of(row) for row in rows_of_craft(session, craft_id)]


def of_pack(session: Session, pack_id: int) -> list[Calibration]:
    """Of a pack's cells, the oldest first."""
    return [calibration_of(row) for row in _find(session, pack_id=pack_id)]


def _find(session: Session, *, craft_id: int | None = None, pack_id: int | None = None) -> list[CalibrationRow]:
    wanted = [c for c in (
        None if craft_id is None else CalibrationRow.craft_id == craft_id,
        None if pack_id is None else CalibrationRow.pack_id == pack_id,
    ) if c is not None]  # fmt: skip
    query = select(CalibrationRow).where(or_(*wanted), CalibrationRow.deleted_at.is_(None))
    return list(session.scalars(query.order_by(CalibrationRow.made_at, CalibrationRow.id)))


def answer(session: Session, row: CalibrationRow, craft_points: CraftPoints | None) -> None:
    """Note what became of the craft's measured points that a calibration explains."""
    said = None if craft_points is None else craft_points.model_dump()
    made = read(CALIBRATION, row.document | {"craft_points": said})
    row.document = to_document(made)
    session.flush()


def rows_of_craft(session: Session, craft_id: int) -> list[CalibrationRow]:
    """The rows of a craft's calibrations, the oldest first."""
    return _find(session, craft_id=craft_id)


def delete(session: Session, row: CalibrationRow) -> None:
    """Take a calibration back; :func:`restore` undoes it."""
    records.delete(session, row)


def restore(session: Session, calibration_id: int) -> CalibrationRow:
    """Undo a delete."""
    return records.restore(session, CalibrationRow, calibration_id)
