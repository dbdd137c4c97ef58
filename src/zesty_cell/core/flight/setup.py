"""From a sheet to what the kernel takes: everything worked out as far as it goes without flying."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.asked.changes import with_changes
from zesty_cell.core.asked.flying import STEP_S, Activity, FlyingPattern, LoadProgram, load_program, regime_of
from zesty_cell.core.asked.landing import pack_low_lead_s, time_home_s
from zesty_cell.core.asked.learned_factors import corrected_figures, corrected_load, corrected_pattern
from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import fact
from zesty_cell.core.parts.air import air_density_kg_m3
from zesty_cell.core.parts.chemistry import (
    Chemistry,
    open_circuit_v,
)
from zesty_cell.core.parts.craft import Craft
from zesty_cell.core.parts.craft_load import CraftLoad, burst_seconds, burst_work_j_kg, craft_load
from zesty_cell.core.parts.estimates import Regime
from zesty_cell.core.parts.pack import cells_of
from zesty_cell.core.parts.pack_figures import PackFigures, pack_figures
from zesty_cell.core.remember import by_identity


class Setup(NamedTuple):
    """A sheet worked out as far as it goes without flying.

    Attributes
    ----------
    flying : FlyingPattern
        As it is flown: the sheet's, with the intensity that the log taught, heights as the seconds they take.
    steady_w : tuple of float
        Steady power at a share of one in each of its activities [W].
    work_j : tuple of float
        What each of its bursts does beyond flying level [J]; 0 for what is no burst of work.
    all_up_mass_kg : float
        Craft and pack [kg].
    density_kg_m3 : float
        Of the air flown in [kg/m³].
    home_s, lead_s : float
        Way home against the wind, and lead of "pack low" before landing [s].
    start_c : float
        Pack at take-off [°C].
    landing_used_ah : float
        Charge used at which the charge rule lands [Ah, whole pack]; infinity when it is off.
    slow : float
        Slow polarisation over the chemistry's, as logs tell it of this pack [1].
    """

    sheet: Sheet
    chemistry: Chemistry
    figures: PackFigures
    load: CraftLoad
    flying: FlyingPattern
    steady_w: tuple[float, ...]
    work_j: tuple[float, ...]
    all_up_mass_kg: float
    density_kg_m3: float
    home_s: float
    lead_s: float
    start_c: float
    landing_used_ah: float
    slow: float = 1.0

    def __repr__(self) -> str:
        return f"<Setup of {self.sheet!r}, {self.all_up_mass_kg:.4g} kg all up>"

    def cruise_w(self) -> float:
        """Propulsive power of the pattern's steady activity [W]; it stands for “cruise”."""
        activity = self.flying.steady_activity()
        return self.load.regime_w[regime_of(activity, craft=self.sheet.craft)] * activity.share


@dataclass(frozen=True)
class Factors:
    """Departures of a flight from the sheet's best estimate; arrays of shape (k,), 1 or 0 is "as expected".

    ``power``, ``capacity``, ``resistance``, ``full_throttle`` and ``intensity`` multiply;
    ``air_c`` adds [°C].  ``gusts``, shape (k, g), multiply steady demand, ``kernel.GUST_PARTS`` each
    ``kernel.GUST_S``, and the length of what is flown; none by default.  ``slow`` multiplies the slow
    polarisation; none by default.
    """

    power: NDArray[np.float64]
    capacity: NDArray[np.float64]
    resistance: NDArray[np.float64]
    full_throttle: NDArray[np.float64]
    intensity: NDArray[np.float64]
    air_c: NDArray[np.float64]
    gusts: NDArray[np.float64] | None = None
    slow: NDArray[np.float64] | None = None

    def __len__(self) -> int:
        return int(self.power.size)

    @staticmethod
    def expected(count: int = 1) -> Factors:
        """No departure at all, ``count`` times."""
        one, zero = np.ones(count), np.zeros(count)
        return Factors(power=one, capacity=one, resistance=one, full_throttle=one, intensity=one, air_c=zero)

    def part(self, rows: slice) -> Factors:
        """The flights of a slice."""
        return Factors(
            power=self.power[rows],
            capacity=self.capacity[rows],
            resistance=self.resistance[rows],
            full_throttle=self.full_throttle[rows],
            intensity=self.intensity[rows],
            air_c=self.air_c[rows],
            gusts=None if self.gusts is None else self.gusts[rows],
            slow=None if self.slow is None else self.slow[rows],
        )

    def gust_rows(self) -> NDArray[np.float64]:
        """Gusts as the kernel takes them, shape (k, g) [1]."""
        return np.empty((len(self), 0)) if self.gusts is None else self.gusts


def _check_take_off(sheet: Sheet, chemistry: Chemistry) -> None:
    """Refuse landing rules that land before the craft has left the ground."""
    start, rule = sheet.conditions.start_charge, sheet.landing
    if rule.charge_kept is not None and rule.charge_kept >= start:
        raise OutOfRangeError(
            fact("refused.landing.charge_at_once", start_share=start),
            field="landing.charge_kept",
            value=rule.charge_kept,
            limit=start,
        )
    if rule.rest_v is None:
        return
    rest_v = float(open_circuit_v(chemistry=chemistry, charge_left=np.array([start]))[0])
    if rule.rest_v >= rest_v - 0.005:
        raise OutOfRangeError(
            fact("refused.landing.rest_at_once", rest_v=rest_v, landing_v=rule.rest_v),
            field="landing.rest_v",
            value=rule.rest_v,
            limit=rest_v,
        )


def set_up(sheet: Sheet) -> Setup:
    """Work a sheet out as far as it goes without flying, with what is being tried on it applied.

    Raises
    ------
    OutOfRangeError
        When a headwind is faster than the craft or its speed is unknown, or when a landing rule would
        land before take-off.
    """
    sheet = with_changes(sheet)
    chemistry = cells_of(sheet.pack)
    figures, learned_factors = pack_figures(sheet.pack), sheet.learned_factors
    mass_kg = sheet.craft.dry_mass_kg + figures.mass_kg
    density = air_density_kg_m3(temperature_c=sheet.conditions.air_c, altitude_m=sheet.conditions.altitude_m)
    home_s = time_home_s(rule=sheet.landing, cruise_speed_m_s=sheet.craft.cruise_speed_m_s)
    kept = sheet.landing.charge_kept
    _check_take_off(sheet, chemistry)
    flying, regimes, work_j_kg, most = _as_asked(sheet.flying, sheet.craft)
    load = craft_load(
        craft=sheet.craft,
        mass_kg=mass_kg,
        density_kg_m3=density,
        regime=most,
        sensor_error=sheet.sensor.error,
    )
    if learned_factors is not None:
        figures = corrected_figures(figures, learned_factors=learned_factors, pack=sheet.pack)
        load = corrected_load(load, learned_factors=learned_factors)
        flying = corrected_pattern(flying, intensity=learned_factors.intensity)
    intensity = 1.0 if learned_factors is None else learned_factors.intensity
    return Setup(
        sheet=sheet,
        chemistry=chemistry,
        figures=figures,
        load=load,
        flying=flying,
        steady_w=tuple(load.regime_w[regime] for regime in regimes),
        work_j=tuple(intensity * mass_kg * work for work in work_j_kg),
        all_up_mass_kg=mass_kg,
        density_kg_m3=density,
        home_s=home_s,
        lead_s=pack_low_lead_s(rule=sheet.landing, home_s=home_s),
        start_c=sheet.conditions.air_c if sheet.conditions.pack_c is None else sheet.conditions.pack_c,
        landing_used_ah=(
            float("inf") if kept is None else (sheet.conditions.start_charge - kept) * figures.capacity_ah
        ),
        slow=learned_factors.slow if learned_factors is not None and learned_factors.knows(sheet.pack) else 1.0,
    )


@by_identity
def _as_asked(
    flying: FlyingPattern, craft: Craft
) -> tuple[FlyingPattern, tuple[Regime, ...], tuple[float, ...], Regime]:
    """A pattern on a craft, whatever the pack: timed, what carries each activity, what it does [J/kg], and what
    carries the craft most of the time."""
    timed = _timed(flying, craft)
    return (
        timed,
        tuple(regime_of(a, craft=craft) for a in timed.activities),
        tuple(_work_j_kg(a, craft) for a in flying.activities),
        regime_of(timed.steady_activity(), craft=craft),
    )


def _timed(flying: FlyingPattern, craft: Craft) -> FlyingPattern:
    """A pattern with the seconds that its heights take where the craft's full throttle is known."""
    if all(a.height_m is None for a in flying.activities):
        return flying

    def timed(a: Activity) -> Activity:
        if a.height_m is None:
            return a
        seconds = burst_seconds(craft=craft, share=a.share, height_m=a.height_m)
        return a.model_copy(update={"duration_s": max(seconds, STEP_S)})

    return flying.model_copy(update={"activities": tuple(timed(a) for a in flying.activities)})


def _work_j_kg(activity: Activity, craft: Craft) -> float:
    if activity.of != "full throttle" or activity.as_timed:
        return 0.0
    return burst_work_j_kg(
        craft=craft, share=activity.share, seconds=activity.duration_s, height_m=activity.height_m
    )


def program_of(*, setup: Setup, factors: Factors) -> LoadProgram:
    """The pattern of a sheet as the kernel takes it, one row per flight; powers and works per cell [W, J]."""
    cells, k = setup.sheet.pack.cell_count, len(factors)
    return load_program(
        pattern=setup.flying,
        steady_cell_w=factors.power[:, None] * (np.array(setup.steady_w) / cells),
        work_cell_j=np.tile(np.array(setup.work_j) / cells, (k, 1)),
        intensity=factors.intensity,
    )
