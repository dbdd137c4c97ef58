"""Propeller sets of a craft in the hangar: kept, put on, and the log's flights told apart by them."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy.orm import Session

from zesty_cell.core.asked.sheet import Sheet, corrected
from zesty_cell.core.parts.craft import Craft, PropellerSet
from zesty_cell.core.parts.propellers import sets_of, with_set, with_set_on, without_set
from zesty_cell.services.learning import lessons, sensor_of, taught_of, with_its_pack
from zesty_cell.store import flights
from zesty_cell.store.hangar import CRAFTS
from zesty_cell.store.tables import CraftRow, SheetRow


@dataclass(frozen=True)
class OnASet:
    """A sheet with one of its craft's sets on, as so many flights with that correct it."""

    of: PropellerSet
    sheet: Sheet
    flights: int


def sheet_by_set(session: Session, row: SheetRow, /) -> list[OnASet]:
    """A sheet with each of its craft's sets on, the one that is on first."""
    sheet = with_its_pack(row)
    sensor = sensor_of(session, row.craft_id)
    found = []
    for k, one in enumerate(sets_of(sheet.craft)):
        craft = sheet.craft if k == 0 else with_set_on(sheet.craft, name=one.name)
        so = sheet.model_copy(update={"craft": craft})
        taught = taught_of(session, so, craft_id=row.craft_id, pack=row.pack) if row.from_log else None
        known = lessons(session, so, craft_id=row.craft_id, pack=row.pack)
        flown = len(known.known) + len(known.elsewhere)
        found.append(OnASet(one, corrected(so, taught, sensor=sensor), flown))
    return found


def keep_set(
    session: Session, row: CraftRow, version: int, kept: PropellerSet, *, on: str, in_place_of: str = ""
) -> Craft:
    """Keep a new set, or a changed one; flights of the log follow its name.

    Parameters
    ----------
    on : str
        What the set that is on is called, where it has no name yet: flights without one were flown with it.
    in_place_of : str
        Name of the set that it takes the place of.

    Raises
    ------
    EditConflictError
        When the craft was changed since ``version``.
    ValidationError
        (Pydantic's) when two sets have one name, or there are too many.
    """
    before = CRAFTS.thing(row)
    craft = with_set(before, kept, on=on, in_place_of=in_place_of)
    CRAFTS.change(session, row.id, version, craft)
    if craft.propellers != before.propellers:
        flights.rename_propellers(session, row.id, was=before.propellers, now=craft.propellers)
    if in_place_of and in_place_of != kept.name:
        flights.rename_propellers(session, row.id, was=in_place_of, now=kept.name)
    return craft


def put_on(session: Session, row: CraftRow, version: int, *, name: str) -> Craft:
    """Put another set on: from now on every sheet of the craft flies it, and flights are logged with it.

    Raises
    ------
    EditConflictError, OutOfRangeError
    """
    craft = with_set_on(CRAFTS.thing(row), name=name)
    CRAFTS.change(session, row.id, version, craft)
    return craft


def take_away(session: Session, row: CraftRow, version: int, *, name: str) -> Craft:
    """Take a set that is not on away; its flights stay in the log, and teach nothing any more.

    Raises
    ------
    EditConflictError
    """
    craft = without_set(CRAFTS.thing(row), name=name)
    CRAFTS.change(session, row.id, version, craft)
    return craft
