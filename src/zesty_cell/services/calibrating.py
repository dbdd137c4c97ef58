"""Keeping a calibration, and correcting the measured points of a craft that it explains."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from pydantic import ValidationError
from sqlalchemy.orm import Session

from zesty_cell.core.learn.calibration import Calibration, CraftPoints, Moved
from zesty_cell.core.learn.measured_points import as_before, points_moved, with_points
from zesty_cell.store import calibrations
from zesty_cell.store.hangar import CRAFTS
from zesty_cell.store.tables import CalibrationRow, CraftRow

#: Kinds that are of a craft, and kinds that are of a pack; two are of both.
OF_A_CRAFT = frozenset({"voltage", "current", "line loss", "hover-down"})
OF_A_PACK = frozenset({"line loss", "hover-down", "cells"})


def keep_calibration(
    session: Session, made: Calibration, *, note: str, craft_id: int | None, pack_id: int | None
) -> CalibrationRow:
    """Keep a calibration with a note, of the craft, of the pack, or of both, as its kind is."""
    noted = type(made).model_validate(made.model_dump() | {"note": note})
    return calibrations.add(
        session,
        noted,
        craft_id=craft_id if made.kind in OF_A_CRAFT else None,
        pack_id=pack_id if made.kind in OF_A_PACK else None,
    )


@dataclass(frozen=True)
class Answered:
    """What became of the measured points that a calibration explains.

    Attributes
    ----------
    outcome : str
        What was done; "bounds" where a corrected point would be out of all bounds, or the craft was changed since.
    moved : tuple of Moved
        Points that were corrected.
    """

    outcome: Literal["corrected", "left", "before", "bounds"]
    moved: tuple[Moved, ...] = ()


def answer_points(session: Session, row: CalibrationRow, craft_row: CraftRow, *, correct: bool) -> Answered:
    """Correct a craft's measured points that a calibration explains, or leave them; once."""
    craft = CRAFTS.thing(craft_row)
    moved = points_moved(craft, calibrations.calibration_of(row))
    if not moved:
        return Answered("before")
    if not correct:
        calibrations.answer(session, row, CraftPoints(answer="left"))
        return Answered("left")
    try:
        corrected = with_points(craft, moved)
    except ValidationError:
        return Answered("bounds")
    CRAFTS.change(session, craft_row.id, craft_row.version, corrected)
    calibrations.answer(session, row, CraftPoints(answer="corrected", moved=moved))
    return Answered("corrected", moved)


def unanswer_points(session: Session, row: CalibrationRow, craft_row: CraftRow) -> bool:
    """Undo :func:`answer_points`; False where the craft was changed since and its points cannot go back."""
    said: CraftPoints | None = getattr(calibrations.calibration_of(row), "craft_points", None)
    if said is not None and said.moved:
        try:
            was = with_points(CRAFTS.thing(craft_row), as_before(said.moved))
        except ValidationError:
            return False
        CRAFTS.change(session, craft_row.id, craft_row.version, was)
    calibrations.answer(session, row, None)
    return True
