"""What a run on the thrust stand says of the craft of a sheet, and a run kept as one of its propeller sets."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

from sqlalchemy.orm import Session

from zesty_cell.core.answer.forecast import Forecast
from zesty_cell.core.parts.craft import PropellerSet
from zesty_cell.core.parts.estimates import IN_FLIGHT
from zesty_cell.core.parts.propellers import with_set, with_set_on
from zesty_cell.core.parts.thrust import Hover, ThrustStep, hover_on, set_of_run
from zesty_cell.services.forecasts import flown
from zesty_cell.services.propellers import keep_set
from zesty_cell.store import sheets
from zesty_cell.store.hangar import CRAFTS
from zesty_cell.store.tables import SheetRow

#: What the craft's own propellers are called where they have no name yet, and what a run's are while looked at.
_ON: Final = "as it is"
_THESE: Final = "these propellers"


@dataclass(frozen=True)
class Told:
    """What a run says of a craft: how full throttle unloads in flight [1], and where the craft lifts itself its
    hover on the stand, its flight now and with these propellers.
    """

    unloads: float
    hover: Hover | None = None
    now: Forecast | None = None
    so: Forecast | None = None


def unloads_in_flight(row: SheetRow, /) -> float:
    """What full throttle draws in flight over what it draws on the bench [1]."""
    return IN_FLIGHT[sheets.as_sheet(row).craft.kind]


def told_by_run(row: SheetRow, steps: tuple[ThrustStep, ...], /, *, on_bench: int) -> Told:
    """What a run says of the craft of a sheet.

    Raises
    ------
    OutOfRangeError
        When the steps do not reach its hover.
    ValidationError
        (Pydantic's) when what the run gives is no propeller set.
    """
    sheet = sheets.as_sheet(row)
    craft = sheet.craft
    if not craft.lifts_itself():
        return Told(IN_FLIGHT[craft.kind])
    now = flown(sheet)
    kept = _set_of(now, steps, on_bench=on_bench, name=_THESE)
    hover = hover_on(
        steps, craft=craft, all_up_kg=now.setup.all_up_mass_kg, motors=craft.limits.motor_count, on_bench=on_bench
    )
    other = with_set_on(with_set(craft, kept, on=_ON), name=_THESE)
    return Told(IN_FLIGHT[craft.kind], hover, now, flown(sheet.model_copy(update={"craft": other})))


def keep_run(
    session: Session, row: SheetRow, steps: tuple[ThrustStep, ...], /, *, on_bench: int, name: str
) -> None:
    """Keep a run as a set of the sheet's craft, in place of the one that has this name.

    Raises
    ------
    OutOfRangeError
        When the steps do not reach its hover.
    EditConflictError
        When the craft was changed meanwhile.
    ValidationError
        (Pydantic's) when what the run gives is no propeller set.
    """
    sheet = sheets.as_sheet(row)
    kept = _set_of(flown(sheet), steps, on_bench=on_bench, name=name)
    there = next((s.name for s in sheet.craft.other_sets if s.name.casefold() == name.casefold()), "")
    craft_row = CRAFTS.fetch(session, row.craft_id)
    keep_set(session, craft_row, craft_row.version, kept, on=_ON, in_place_of=there)


def _set_of(now: Forecast, steps: tuple[ThrustStep, ...], *, on_bench: int, name: str) -> PropellerSet:
    craft = now.setup.sheet.craft
    return set_of_run(
        steps, craft=craft, all_up_kg=now.setup.all_up_mass_kg, motors=craft.limits.motor_count, on_bench=on_bench,
        name=name,
    )  # fmt: skip
