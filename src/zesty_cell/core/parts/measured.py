"""Tests of a pack that replace its estimates: what was read, and what follows from it.

Readings are kept as they were taken; the figures follow from them here.  All resistances come out
as the one-second value of one cell at 25 °C, by taking off the polarisation that a longer pull has
already built up and the temperature of the test (PHYSICS 1).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal

import numpy as np
from pydantic import Field, model_validator

from zesty_cell.core.entity import Entity, refused
from zesty_cell.core.fact import fact
from zesty_cell.core.parts.chemistry import (
    Chemistry,
    charge_left_at_rest,
    diffusion_factor,
    pairs_built_up,
    temperature_factor,
)

PackVolts = Annotated[float, Field(ge=0.5, le=120)]
CellVolts = Annotated[float, Field(ge=0.5, le=4.5)]
TestAmps = Annotated[float, Field(ge=0, le=2000)]
TestCelsius = Annotated[float, Field(ge=-20, le=60)]
Seconds = Annotated[float, Field(ge=0.1, le=600)]

#: Below this share of the capacity, a charge put back says too little about the whole [1].
LEAST_SHARE_FOR_CAPACITY = 0.4
#: A reading must move the voltage by this much to tell a resistance from rounding [V, pack].
LEAST_DROP_V = 0.02
#: Leads and plug cannot take more than this share of what was read at the pack's plug [1].
_MOST_OUTSIDE_SHARE = 0.8
#: The one-second pull that resistances are stated for [s].
_STATED_S = 1.0


class CapacityTest(Entity):
    """Charge drawn in a discharge, or put back by the charger, from full to a known rest voltage.

    ``rest_v_per_cell`` is the rest voltage at the empty end (before charging, or half an hour after the
    discharge); ``None`` means the pack was emptied to its floor.
    """

    charge_ah: Annotated[float, Field(ge=0.0001, le=200)]
    rest_v_per_cell: CellVolts | None = None


class TwoCurrentTest(Entity):
    """Voltage of the whole pack at two currents, a second or two into each."""

    first_v: PackVolts
    first_a: TestAmps
    second_v: PackVolts
    second_a: TestAmps
    held_s: Seconds = 1.0
    pack_c: TestCelsius = 25.0

    @model_validator(mode="after")
    def _tells_something(self) -> TwoCurrentTest:
        low, high = sorted(((self.first_a, self.first_v), (self.second_a, self.second_v)))
        if high[0] - low[0] < 0.05 * high[0] or high[0] == 0.0:
            raise refused(fact("refused.measured.close"))
        _check_drop(low[1], high[1])
        return self


class FullThrottleTest(Entity):
    """A bench run at full throttle: pack voltage before, voltage and current under load."""

    before_v: PackVolts
    loaded_v: PackVolts
    current_a: Annotated[float, Field(ge=0.1, le=2000)]
    held_s: Seconds = 3.0
    pack_c: TestCelsius = 25.0

    @model_validator(mode="after")
    def _tells_something(self) -> FullThrottleTest:
        _check_drop(self.before_v, self.loaded_v)
        return self


class ChargerReading(Entity):
    """Resistance of each cell as a charger shows it, one figure a cell in series."""

    cells_ohm: Annotated[tuple[Annotated[float, Field(ge=1e-9, le=2)], ...], Field(min_length=1, max_length=24)]
    pack_c: TestCelsius = 25.0


class PackTests(Entity):
    """What was tested; each replaces an estimate or a label."""

    capacity: CapacityTest | None = None
    two_currents: TwoCurrentTest | None = None
    full_throttle: FullThrottleTest | None = None
    charger: ChargerReading | None = None


def _check_drop(before_v: float, loaded_v: float) -> None:
    if loaded_v >= before_v:
        raise refused(fact("refused.measured.rises"))
    if before_v - loaded_v < LEAST_DROP_V:
        raise refused(fact("refused.measured.hardly"))


ResistanceSource = Literal["two currents", "full throttle", "charger", "discharge runs"]


@dataclass(frozen=True)
class MeasuredResistance:
    """Resistance of one cell from a test.

    Attributes
    ----------
    cell_ohm : float
        At 25 °C, one second [Ω].
    sigma : float
        One standard deviation, relative [1].
    source : ResistanceSource
    spread : float
        Weakest cell over the mean, less one [1]; 0 where the cells were not read one by one.
    """

    cell_ohm: float
    sigma: float
    source: ResistanceSource
    spread: float


def stated_share(*, chemistry: Chemistry, held_s: float, pack_c: float = 25.0) -> float:
    """One-second resistance at 25 °C as a share of what is seen after ``held_s`` at ``pack_c`` [1].

    After t seconds of a steady current the voltage has fallen by I·R0·(f·(1 + s1) + g·s2), with s1 and s2 what
    the two pairs have built up by then, f and g the temperature's factors of R0 and of R2 (K3, K4).

    Parameters
    ----------
    held_s : float
        [s].
    pack_c : float
        [°C].
    """
    at = np.array(pack_c)
    warm = float(temperature_factor(chemistry=chemistry, temperature_c=at))
    slow = float(diffusion_factor(chemistry=chemistry, temperature_c=at))

    def seen(seconds: float, f: float, g: float) -> float:
        s1, s2 = pairs_built_up(chemistry=chemistry, held_s=seconds)
        return f * (1.0 + s1) + g * s2

    return seen(min(_STATED_S, held_s), 1.0, 1.0) / seen(held_s, warm, slow)


def _factor_at(chemistry: Chemistry, pack_c: float) -> float:
    return float(temperature_factor(chemistry=chemistry, temperature_c=np.array(pack_c)))


def measured_resistance(
    *, tests: PackTests, chemistry: Chemistry, series: int, parallel: int, outside_ohm: float
) -> MeasuredResistance | None:
    """The best of the tests that were made, or None; [Ω] a cell.

    Two currents beat a full-throttle run (no guess at the rest voltage's recovery), which beats a
    charger's reading (a small current, each maker its own method).

    Parameters
    ----------
    outside_ohm : float
        Links, leads and plugs [Ω], taken off what was read at the pack's plug.
    """
    if tests.two_currents is not None:
        two = tests.two_currents
        pack_ohm = (two.first_v - two.second_v) / (two.second_a - two.first_a)
        return _at_the_plug(pack_ohm, two.held_s, two.pack_c, chemistry, series, parallel, outside_ohm, 0.06, two)
    if tests.full_throttle is not None:
        run = tests.full_throttle
        pack_ohm = (run.before_v - run.loaded_v) / run.current_a
        return _at_the_plug(pack_ohm, run.held_s, run.pack_c, chemistry, series, parallel, outside_ohm, 0.10, run)
    if tests.charger is not None:
        cells = tests.charger.cells_ohm
        group_ohm = sum(cells) / len(cells)  # a charger sees the P cells of a group as one
        return MeasuredResistance(
            cell_ohm=group_ohm * parallel / _factor_at(chemistry, tests.charger.pack_c),
            sigma=0.15,
            source="charger",
            spread=max(cells) / group_ohm - 1.0,
        )
    return None


def _at_the_plug(
    pack_ohm: float,
    held_s: float,
    pack_c: float,
    chemistry: Chemistry,
    series: int,
    parallel: int,
    outside_ohm: float,
    sigma: float,
    test: TwoCurrentTest | FullThrottleTest,
) -> MeasuredResistance:
    """From what was read at the plug to one cell: less what is not cell, then to one second and 25 °C."""
    cells_ohm = pack_ohm - min(outside_ohm, _MOST_OUTSIDE_SHARE * pack_ohm)
    stated = cells_ohm * stated_share(chemistry=chemistry, held_s=held_s, pack_c=pack_c)
    return MeasuredResistance(
        cell_ohm=stated * parallel / series,
        sigma=sigma,
        source="two currents" if isinstance(test, TwoCurrentTest) else "full throttle",
        spread=0.0,
    )


def measured_capacity_ah(*, test: CapacityTest, chemistry: Chemistry) -> float:
    """Capacity of the whole pack from a capacity test [Ah]: charge over the share of the curve it covers."""
    return test.charge_ah / share_covered(test=test, chemistry=chemistry)


def share_covered(*, test: CapacityTest, chemistry: Chemistry) -> float:
    """Share of the capacity between full and the rest voltage of the test [1]."""
    if test.rest_v_per_cell is None:
        return 1.0
    return 1.0 - charge_left_at_rest(chemistry=chemistry, rest_v=test.rest_v_per_cell)
