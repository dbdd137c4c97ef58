"""The sheet: one craft, one pack, a way of flying, the air, and a landing rule."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from zesty_cell.core.asked.flying import FlyingPattern
from zesty_cell.core.asked.landing import LandingRule
from zesty_cell.core.asked.learned_factors import LearnedFactors
from zesty_cell.core.entity import Entity, Name
from zesty_cell.core.parts.craft import Craft
from zesty_cell.core.parts.pack import Pack

#: What may be tried on a sheet; :mod:`zesty_cell.core.asked.changes` holds what each does.
ChangeKey = Literal[
    "lighter", "warm_pack", "gentler", "better_plug", "lower_resistance", "more_capacity", "other_chemistry",
    "larger_propeller", "less_avionics", "well_tuned", "lower_down", "warmer_air",
]  # fmt: skip

#: Air and packs outside these are nobody's flying weather [°C].
COLDEST_C, HOTTEST_C = -30.0, 55.0
Celsius = Annotated[float, Field(ge=COLDEST_C, le=HOTTEST_C)]


class Conditions(Entity):
    """Air and pack at take-off.  A pack temperature of ``None`` is the air's."""

    air_c: Celsius = 20.0
    altitude_m: Annotated[float, Field(ge=-450, le=6000)] = 0.0
    pack_c: Celsius | None = None
    start_charge: Annotated[float, Field(ge=0.3, le=1.0)] = 1.0


#: A current sensor that nobody checked may be out by this, one standard deviation [1].
UNCHECKED_CURRENT = 0.10


class CurrentSensor(Entity):
    """How a craft's current sensor shows charge: ``out`` is shown over true, less one, known to ``error`` [1]."""

    out: Annotated[float, Field(ge=-0.95, le=20)] = 0.0
    error: Annotated[float, Field(ge=0, le=10)] = UNCHECKED_CURRENT


_UNCHECKED = CurrentSensor()


class Sheet(Entity):
    """Everything one forecast depends on.  ``trying`` are changes looked at without changing craft or pack."""

    name: Name
    craft: Craft
    pack: Pack
    flying: FlyingPattern
    conditions: Conditions = Conditions()
    landing: LandingRule = LandingRule()
    trying: Annotated[tuple[ChangeKey, ...], Field(max_length=12)] = ()

    def __repr__(self) -> str:
        return f"<{type(self).__name__} “{self.name}”: {self.craft!r} on {self.pack!r}, {self.flying.name}>"

    @property
    def learned_factors(self) -> LearnedFactors | None:
        """What logged flights taught; nothing, for a sheet by itself."""
        return None

    @property
    def sensor(self) -> CurrentSensor:
        """What is known of the craft's current sensor: nothing, for a sheet by itself."""
        return _UNCHECKED


class CorrectedSheet(Sheet):
    """A sheet with what its log knows: it is flown as its flights were, and reads what its sensor shows."""

    by_log: LearnedFactors | None = None
    by_checks: CurrentSensor = _UNCHECKED

    @property
    def learned_factors(self) -> LearnedFactors | None:
        """What logged flights taught."""
        return self.by_log

    @property
    def sensor(self) -> CurrentSensor:
        """What calibrations and flights tell of the current sensor."""
        return self.by_checks


def corrected(
    sheet: Sheet, learned_factors: LearnedFactors | None, /, *, sensor: CurrentSensor | None = None
) -> Sheet:
    """A sheet with what its flights taught and what is known of its current sensor [1]; plain without both."""
    values = {name: getattr(sheet, name) for name in Sheet.model_fields}
    if learned_factors is None and sensor is None:
        return Sheet(**values)
    return CorrectedSheet(**values, by_log=learned_factors, by_checks=sensor or _UNCHECKED)
