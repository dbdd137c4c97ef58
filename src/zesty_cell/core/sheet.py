"""The sheet: one craft, one pack, a way of flying, the air, and a landing rule."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from zesty_cell.core.changes import ChangeKey
from zesty_cell.core.craft import Craft
from zesty_cell.core.entity import Entity, Name
from zesty_cell.core.flying import FlyingPattern
from zesty_cell.core.landing import LandingRule
from zesty_cell.core.pack import Pack
from zesty_cell.core.taught import Taught

Celsius = Annotated[float, Field(ge=-30, le=55)]


class Conditions(Entity):
    """Air and pack at take-off.  A pack temperature of ``None`` is the air's."""

    air_c: Celsius = 20.0
    altitude_m: Annotated[float, Field(ge=-450, le=6000)] = 0.0
    pack_c: Celsius | None = None
    start_charge: Annotated[float, Field(ge=0.3, le=1.0)] = 1.0


class Sheet(Entity):
    """Everything one forecast depends on.  ``trying`` are changes looked at without changing craft or pack."""

    name: Name
    craft: Craft
    pack: Pack
    flying: FlyingPattern
    conditions: Conditions = Conditions()
    landing: LandingRule = LandingRule()
    trying: Annotated[tuple[ChangeKey, ...], Field(max_length=12)] = ()

    @property
    def taught(self) -> Taught | None:
        """What logged flights taught; nothing, for a sheet by itself."""
        return None


class CorrectedSheet(Sheet):
    """A sheet with what its flights taught: all that flies it flies as they did."""

    by_log: Taught

    @property
    def taught(self) -> Taught | None:
        """What logged flights taught."""
        return self.by_log


def corrected(sheet: Sheet, taught: Taught | None, /) -> Sheet:
    """A sheet with what its flights taught [1]; the plain sheet without."""
    values = {name: getattr(sheet, name) for name in Sheet.model_fields}
    return Sheet(**values) if taught is None else CorrectedSheet(**values, by_log=taught)
