"""Calibrations that were kept, read and written."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel
from sqlalchemy.orm import Session

from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import fact
from zesty_cell.core.learn.calibration import Calibration
from zesty_cell.core.learn.plausibility import calibration_doubts
from zesty_cell.services.calibrating import OF_A_CRAFT, OF_A_PACK, keep_calibration
from zesty_cell.store import calibrations as store
from zesty_cell.store.hangar import CRAFTS, PACKS
from zesty_cell.store.tables import CalibrationRow
from zesty_cell.web.api import given
from zesty_cell.web.http import Store

router = APIRouter(prefix="/api", tags=["calibrations"])


class NewCalibration(BaseModel):
    """A calibration of a craft's sensor, of a craft with a pack, or of a pack's cells."""

    craft_id: given.GivenId | None = None
    pack_id: given.GivenId | None = None
    calibration: Calibration


class StoredCalibration(given.Listed):
    """A calibration as kept."""

    craft_id: int | None
    pack_id: int | None
    calibration: Calibration


def _stored(row: CalibrationRow) -> StoredCalibration:
    return StoredCalibration(
        id=row.id, version=row.version, name=row.name, craft_id=row.craft_id, pack_id=row.pack_id,
        calibration=store.calibration_of(row),
    )  # fmt: skip


def _check(session: Session, new: NewCalibration, sure: str) -> None:
    """What it is of must be there, and its readings of that pack."""
    kind = new.calibration.kind
    if kind in OF_A_CRAFT and new.craft_id is None:
        raise given.refuse([("craft_id", fact("typed.calibration.of_craft", kind=kind), "missing")])
    if kind in OF_A_PACK and new.pack_id is None:
        raise given.refuse([("pack_id", fact("typed.calibration.of_pack", kind=kind), "missing")])
    if new.craft_id is not None:
        CRAFTS.fetch(session, new.craft_id)
    pack = None if new.pack_id is None else PACKS.thing(PACKS.fetch(session, new.pack_id))
    at = ("body", "calibration", kind)  # as any value of it is refused
    try:
        given.check_doubts(calibration_doubts(new.calibration, pack=pack), sure=sure, at=at)
    except OutOfRangeError as error:
        raise given.out_of_range(error, at=at) from error


@router.get("/calibrations")
def list_calibrations(
    session: Store, craft: given.OfRecord = 0, pack: given.OfRecord = 0
) -> list[StoredCalibration]:
    """The newest 200, of a craft or a pack where one is named."""
    rows = store.newest(session, most=200, craft_id=craft or None, pack_id=pack or None)
    return [_stored(row) for row in rows]


@router.post("/calibrations", status_code=201, responses=given.MISSING | given.UNREADABLE)
def add_calibration(session: Store, new: NewCalibration, sure: given.Sure = "") -> StoredCalibration:
    """Keep a calibration."""
    _check(session, new, sure)
    made = new.calibration
    row = keep_calibration(session, made, note=made.note, craft_id=new.craft_id, pack_id=new.pack_id)
    return _stored(row)


@router.get("/calibrations/{calibration_id}", responses=given.MISSING)
def get_calibration(session: Store, calibration_id: given.RecordId) -> StoredCalibration:
    """One calibration."""
    return _stored(store.fetch(session, calibration_id))


@router.delete("/calibrations/{calibration_id}", status_code=204, responses=given.MISSING)
def delete_calibration(session: Store, calibration_id: given.RecordId) -> None:
    """Take a calibration back; undone by POST to /api/calibrations/{id}/undelete."""
    store.delete(session, store.fetch(session, calibration_id))


@router.post("/calibrations/{calibration_id}/undelete", responses=given.MISSING)
def undelete_calibration(session: Store, calibration_id: given.RecordId) -> StoredCalibration:
    """Undo a delete."""
    return _stored(store.restore(session, calibration_id))
