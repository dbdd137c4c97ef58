"""From a sheet to a flight: kernel parameters, and one flight in detail."""

from __future__ import annotations

import math
import threading
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core import kernel
from zesty_cell.core.air import air_density_kg_m3
from zesty_cell.core.changes import as_flown
from zesty_cell.core.chemistries import chemistry_for
from zesty_cell.core.chemistry import Chemistry, cell_table, charge_left_at_rest, open_circuit_v, temperature_table
from zesty_cell.core.craft import Craft, CraftLoad, burst_seconds, burst_work_j_kg, craft_load
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.estimates import Regime
from zesty_cell.core.flying import STEP_S, Activity, FlyingPattern, LoadProgram, load_program, regime_of
from zesty_cell.core.landing import LandingReason, LandingRule, pack_low_lead_s, time_home_s
from zesty_cell.core.pack import PackFigures, cell_cooling_w_k, pack_figures
from zesty_cell.core.remember import by_identity
from zesty_cell.core.sheet import Conditions, Sheet
from zesty_cell.core.taught import corrected_figures, corrected_load, corrected_pattern

#: Longest flight looked at [s].
MAX_FLIGHT_S = 3 * 3600.0
#: The march ends when the loaded voltage has stayed under the hard floor this long [s]: longer than
#: a climb, even one that takes its longest, so that one dip (a check of its own) does not end the picture.
FLOOR_HOLD_S = 8.0
#: An ESC's cutoff takes the power away once the voltage has stayed under it this long in steady flight, and
#: whatever the load this much longer [s]: no burst lasts so long.
ESC_STEADY_HOLD_S, ESC_ANY_HOLD_S = 1.0, 10.0
#: Longest step of the kernel [s]; against steps of one second it costs some hundredths of a second in 18 minutes.
LONGEST_STEP_S = 2.0


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

    def cruise_w(self) -> float:
        """Propulsive power of the pattern's steady activity [W]; it stands for “cruise”."""
        activity = self.flying.steady_activity()
        return self.load.regime_w[regime_of(activity, craft=self.sheet.craft)] * activity.share


@dataclass(frozen=True)
class Factors:
    """Departures of a flight from the sheet's best estimate; arrays of shape (k,), 1 or 0 is "as expected".

    ``power``, ``capacity``, ``resistance``, ``full_throttle`` and ``intensity`` multiply;
    ``air_c`` adds [°C].  ``gusts``, shape (k, g), multiply steady demand, one each ``kernel.GUST_S``, and the
    length of what is flown; none by default.
    """

    power: NDArray[np.float64]
    capacity: NDArray[np.float64]
    resistance: NDArray[np.float64]
    full_throttle: NDArray[np.float64]
    intensity: NDArray[np.float64]
    air_c: NDArray[np.float64]
    gusts: NDArray[np.float64] | None = None

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
        )

    def gust_rows(self) -> NDArray[np.float64]:
        """Gusts as the kernel takes them, shape (k, g) [1]."""
        return np.empty((len(self), 0)) if self.gusts is None else self.gusts


def index_of(*, time_s: float, count: int) -> int:
    """Index of the sample at or just before a time [s], of ``count`` samples a step apart."""
    return min(max(int(time_s / STEP_S + 1e-9), 0), count - 1)


@dataclass(frozen=True)
class Flight:
    """One flight in detail; arrays of shape (n,), one sample a step, taken with that step's load on.

    Attributes
    ----------
    series : int
        Cells in series [1], for voltages of the pack.
    holds_ah : float
        Charge of a full pack in this flight [Ah].
    time_s : array
        [s], every :data:`~zesty_cell.core.flying.STEP_S`.
    loaded_v, cruise_v, rest_v : array
        Per cell [V]: under the present load; as it would be at the pattern's steady load with the
        polarisation of the last round; at rest, OCV(z).
    current_a : array
        Whole pack [A].
    used_ah : array
        Whole pack [Ah].
    charge_left : array
        State of charge [0 to 1].
    temperature_c : array
        Cell [°C].
    full_throttle_a : array
        What full throttle would draw at that moment, whole pack [A].
    weakest_v : array
        The weakest cell, at its own terminals [V].
    end_charge_left, end_c : float
        At the end of the march [1, °C].
    end_s, end_reason
        Where the march ended [s] and the kernel's reason.
    landing_s, landing_reason
        The earliest landing rule, or the end where none was reached [s].
    first_clipped_s, floor_touched_s : float
        First moment at which steady power was not to be had, and at which the loaded voltage was
        under the hard floor [s]; infinity for never.
    cutoff_s, cutoff_touched_s : float
        When the ESC's cutoff takes the power away for good, and when the loaded voltage is under it first
        [s]; infinity for never.
    delivered_wh, heat_wh, hottest_c : float
        Over the whole march: energy out of the pack, heat within it [Wh], hottest cell [°C].
    """

    series: int
    holds_ah: float
    time_s: NDArray[np.float64]
    loaded_v: NDArray[np.float64]
    cruise_v: NDArray[np.float64]
    rest_v: NDArray[np.float64]
    current_a: NDArray[np.float64]
    used_ah: NDArray[np.float64]
    charge_left: NDArray[np.float64]
    temperature_c: NDArray[np.float64]
    full_throttle_a: NDArray[np.float64]
    weakest_v: NDArray[np.float64]
    end_charge_left: float
    end_c: float
    end_s: float
    end_reason: int
    landing_s: float
    landing_reason: LandingReason
    first_clipped_s: float
    floor_touched_s: float
    cutoff_s: float
    cutoff_touched_s: float
    delivered_wh: float
    heat_wh: float
    hottest_c: float

    def index_at(self, time_s: float) -> int:
        """Index of the sample at or just before a time."""
        return index_of(time_s=time_s, count=self.time_s.size)

    def left_at(self, time_s: float) -> float:
        """Charge left at a time, between samples [1]."""
        return float(np.interp(time_s, self._times, np.append(self.charge_left, self.end_charge_left)))

    def used_at(self, time_s: float) -> float:
        """Charge used at a time, between samples, whole pack [Ah]."""
        end_ah = self.used_ah[0] + (self.charge_left[0] - self.end_charge_left) * self.holds_ah
        return float(np.interp(time_s, self._times, np.append(self.used_ah, end_ah)))

    def temperature_at(self, time_s: float) -> float:
        """Cell temperature at a time, between samples [°C]."""
        return float(np.interp(time_s, self._times, np.append(self.temperature_c, self.end_c)))

    @property
    def _times(self) -> NDArray[np.float64]:
        return np.append(self.time_s, max(self.end_s, float(self.time_s[-1])))

    def low_from(self, cell_v: float) -> int:
        """Index from which the steady voltage stays under a value [V a cell]; past the end for never."""
        over = np.flatnonzero(self.cruise_v >= cell_v)
        return int(over[-1]) + 1 if over.size else 0


def _check_take_off(sheet: Sheet, chemistry: Chemistry) -> None:
    """Refuse landing rules that land before the craft has left the ground."""
    start, rule = sheet.conditions.start_charge, sheet.landing
    if rule.charge_kept is not None and rule.charge_kept >= start:
        raise OutOfRangeError(
            f"You take off with {100 * start:.0f} %: keep less than that, or charge the pack.",
            field="landing.charge_kept",
            value=rule.charge_kept,
            limit=start,
        )
    if rule.rest_v is None:
        return
    rest_v = float(open_circuit_v(chemistry=chemistry, charge_left=np.array([start]))[0])
    if rule.rest_v >= rest_v - 0.005:
        raise OutOfRangeError(
            f"This pack takes off resting at {rest_v:.2f} V a cell: landing at {rule.rest_v:.2f} V is at once.",
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
    sheet = as_flown(sheet)
    chemistry = chemistry_for(sheet.pack.chemistry)
    figures, taught = pack_figures(sheet.pack), sheet.taught
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
    if taught is not None:
        figures = corrected_figures(figures, taught=taught, pack=sheet.pack)
        load = corrected_load(load, taught=taught)
        flying = corrected_pattern(flying, intensity=taught.intensity)
    intensity = 1.0 if taught is None else taught.intensity
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
        slow=taught.slow if taught is not None and taught.knows(sheet.pack) else 1.0,
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


def expected_parameters(setup: Setup, /, *, beyond_landing: float = np.inf) -> list[float]:
    """The kernel's parameters of the flight expected, all per cell, in the order of its columns [V, A, Ω, Ah, s].

    Parameters
    ----------
    setup : Setup
    beyond_landing : float
        How far past the landing to follow a flight, as a share of its time; to the end by default.
    """
    sheet, figures, load = setup.sheet, setup.figures, setup.load
    s, p, cells = sheet.pack.series, sheet.pack.parallel, sheet.pack.cell_count
    of = _whatever_the_pack(setup.chemistry, sheet.craft, sheet.landing, sheet.conditions).copy()
    of[kernel.CAPACITY_AH] = figures.capacity_ah / p
    of[kernel.R0_OHM] = figures.cell_resistance_ohm
    of[kernel.R_EXT_OHM] = figures.external_ohm() * p / s
    of[kernel.DIFFUSION_RATIO] *= setup.slow
    # I = c·V² at the pack is i·P = c·(S·v)² at the cell.
    of[kernel.FULL_THROTTLE_A_V2] = load.full_throttle_a_v2 * s * s / p
    of[kernel.R_MOTOR_OHM] = load.motor_resistance_ohm * p / s
    of[kernel.HEAT_CAPACITY_J_K] = figures.cell_mass_kg * setup.chemistry.specific_heat_j_kg_k
    of[kernel.COOLING_W_K] = cell_cooling_w_k(
        mass_kg=figures.cell_mass_kg * cells,
        chemistry=setup.chemistry,
        cell_count=cells,
        cooling=sheet.craft.pack_cooling,
    )
    of[kernel.START_C] = setup.start_c
    of[kernel.AVIONICS_W] = load.avionics_w / cells
    of[kernel.CRUISE_W] = setup.cruise_w() / cells
    of[kernel.LEVEL_W] = load.steady_w / cells
    of[kernel.WEAK_CAPACITY] = figures.weak_capacity
    of[kernel.WEAK_RESISTANCE] = figures.weak_resistance
    of[kernel.LAND_USED_AH] = setup.landing_used_ah / p
    of[kernel.BEYOND_LANDING] = beyond_landing
    return of


@by_identity
def _whatever_the_pack(
    chemistry: Chemistry, craft: Craft, rule: LandingRule, conditions: Conditions
) -> list[float]:
    """The kernel's parameters that any pack of a chemistry shares on one sheet; nothing at those of the pack."""
    of = [math.nan] * kernel.PARAMETER_COUNT
    of[kernel.POLARISATION_RATIO] = chemistry.polarisation_ratio
    of[kernel.POLARISATION_TAU_S] = chemistry.polarisation_tau_s
    of[kernel.DIFFUSION_RATIO] = chemistry.diffusion_ratio
    of[kernel.DIFFUSION_TAU_S] = chemistry.diffusion_tau_s
    of[kernel.AIR_C] = conditions.air_c
    of[kernel.START_CHARGE] = conditions.start_charge
    of[kernel.LONGEST_STEP_S] = LONGEST_STEP_S
    of[kernel.FLOOR_V] = chemistry.hard_floor_v
    of[kernel.FLOOR_HOLD_S] = FLOOR_HOLD_S
    of[kernel.LAND_CHARGE_LEFT] = (
        -1.0 if rule.rest_v is None else charge_left_at_rest(chemistry=chemistry, rest_v=rule.rest_v)
    )
    of[kernel.LAND_LOADED_V] = -1.0 if rule.loaded_v is None else rule.loaded_v
    of[kernel.LAND_LOADED_HOLD_S] = rule.loaded_hold_s
    of[kernel.ESC_CUTOFF_V] = craft.limits.esc_cutoff_v_per_cell or 0.0
    of[kernel.ESC_STEADY_HOLD_S] = ESC_STEADY_HOLD_S
    of[kernel.ESC_ANY_HOLD_S] = ESC_ANY_HOLD_S
    of[kernel.LAND_TIMER_S] = math.inf if rule.timer_s is None else rule.timer_s
    of[kernel.MAX_TIME_S] = MAX_FLIGHT_S
    return of


def kernel_parameters(*, setup: Setup, factors: Factors, beyond_landing: float = np.inf) -> NDArray[np.float64]:
    """The kernel's parameters, one row per flight, all per cell.

    Parameters
    ----------
    setup : Setup
    factors : Factors, k flights
    beyond_landing : float
        As for :func:`expected_parameters`.

    Returns
    -------
    float64 array, shape (k, kernel.PARAMETER_COUNT)
    """
    out = np.tile(expected_parameters(setup, beyond_landing=beyond_landing), (len(factors), 1))
    out[:, kernel.CAPACITY_AH] *= factors.capacity
    # The reserve is a share of what is in that flight's pack, not of what was expected of it.
    out[:, kernel.LAND_USED_AH] *= factors.capacity
    out[:, kernel.R0_OHM] *= factors.resistance
    out[:, kernel.FULL_THROTTLE_A_V2] *= factors.full_throttle
    share = setup.flying.steady_activity().share
    # Where steady flight is itself lively, it is what that flight flies: as in the load program.
    lively = 1.0 if share <= 1.0 else (1.0 + (share - 1.0) * factors.intensity) / share
    out[:, kernel.CRUISE_W] *= factors.power * lively
    out[:, kernel.LEVEL_W] *= factors.power
    out[:, kernel.AIR_C] += factors.air_c
    if setup.sheet.conditions.pack_c is None:  # a pack that was warmed is as warm in any air
        out[:, kernel.START_C] += factors.air_c
    return out


def program_of(*, setup: Setup, factors: Factors) -> LoadProgram:
    """The pattern of a sheet as the kernel takes it, one row per flight; powers and works per cell [W, J]."""
    cells, k = setup.sheet.pack.cell_count, len(factors)
    return load_program(
        pattern=setup.flying,
        steady_cell_w=factors.power[:, None] * (np.array(setup.steady_w) / cells),
        work_cell_j=np.tile(np.array(setup.work_j) / cells, (k, 1)),
        intensity=factors.intensity,
    )


def landing_times_s(*, setup: Setup, summary: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
    """Landing time of each flight, the earliest rule that is on or the end of the march.

    Parameters
    ----------
    summary : float64 array, shape (k, kernel.SUMMARY_COUNT)

    Returns
    -------
    times_s : float64 array, shape (k,) [s]
    which : int64 array, shape (k,)
        0 charge used, 1 rest voltage, 2 loaded voltage, 3 timer, 4 the ESC's cutoff, 5 the march's own end.
    """
    timer_s = setup.sheet.landing.timer_s
    candidates = np.column_stack(
        (
            summary[:, kernel.LAND_BY_USED_S],
            summary[:, kernel.LAND_BY_REST_S],
            summary[:, kernel.LAND_BY_LOADED_S],
            np.full(summary.shape[0], np.inf if timer_s is None else timer_s),
            summary[:, kernel.CUTOFF_S],
            summary[:, kernel.END_S],
        )
    )
    which = np.argmin(candidates, axis=1)
    return candidates[np.arange(candidates.shape[0]), which], which


_END_REASONS: dict[int, LandingReason] = {
    kernel.OUT_OF_TIME: "longest",
    kernel.EMPTY: "empty",
    kernel.AT_FLOOR: "floor",
}
_REASONS: tuple[LandingReason, ...] = ("charge used", "rest voltage", "loaded voltage", "timer", "ESC cutoff")


def landing_reason(*, which: int, end_reason: int) -> LandingReason:
    """What ended a flight, in words: an index of :func:`landing_times_s` [1] and the kernel's reason."""
    return _REASONS[which] if which < len(_REASONS) else _END_REASONS[end_reason]


def _moving_mean(values: NDArray[np.float64], window: int) -> NDArray[np.float64]:
    """Mean over the last ``window`` samples; over what there is at the beginning."""
    window = max(1, min(window, values.size))
    mean = np.cumsum(values)
    mean[window:] = (mean[window:] - mean[:-window]) / window
    mean[:window] /= np.arange(1, window + 1)
    return np.asarray(mean)


_local = threading.local()


def _trace_room() -> NDArray[np.float64]:
    """Room for the longest flight's trace, shape (TRACE_COUNT, samples).

    One per thread and used again, since fresh pages cost more than flying; copy what is to be kept.
    """
    if not hasattr(_local, "room"):
        _local.room = np.empty((kernel.TRACE_COUNT, int(MAX_FLIGHT_S / STEP_S)))
    room: NDArray[np.float64] = _local.room
    return room


#: For a march that keeps neither trace nor knots.
NOTHING_KEPT = np.empty((0, 0))


def fly(setup: Setup, *, factors: Factors | None = None) -> Flight:
    """One flight in detail.

    Parameters
    ----------
    setup : Setup
    factors : Factors, optional
        One departure; none by default.
    """
    factors = Factors.expected() if factors is None else factors
    params = kernel_parameters(setup=setup, factors=factors)[0]
    program = program_of(setup=setup, factors=factors)
    trace = _trace_room()
    summary = np.empty(kernel.SUMMARY_COUNT)
    n = kernel.march(
        params,
        program.kind,
        program.value[0],
        program.seconds[0],
        program.work_j[0],
        factors.gust_rows()[0],
        cell_table(setup.chemistry),
        temperature_table(setup.chemistry),
        STEP_S,
        trace.shape[1],
        trace,
        NOTHING_KEPT,
        summary,
    )
    landing_s, which = landing_times_s(setup=setup, summary=summary[None])
    trace = trace[:, :n]
    end_reason = int(summary[kernel.END_REASON])
    p = setup.sheet.pack.parallel
    charge_left = trace[kernel.T_CHARGE_LEFT].copy()
    polarisation = trace[kernel.T_POLARISATION_V]
    smooth = _moving_mean(polarisation, round(setup.flying.period_s / STEP_S))
    return Flight(
        series=setup.sheet.pack.series,
        holds_ah=float(params[kernel.CAPACITY_AH]) * p,
        time_s=np.arange(n) * STEP_S,
        loaded_v=trace[kernel.T_LOADED_V].copy(),
        cruise_v=trace[kernel.T_CRUISE_V] + polarisation - smooth,
        rest_v=trace[kernel.T_REST_V].copy(),
        current_a=trace[kernel.T_CURRENT_A] * p,
        used_ah=(setup.sheet.conditions.start_charge - charge_left) * float(params[kernel.CAPACITY_AH]) * p,
        charge_left=charge_left,
        temperature_c=trace[kernel.T_TEMPERATURE_C].copy(),
        full_throttle_a=trace[kernel.T_FULL_THROTTLE_A] * p,
        weakest_v=trace[kernel.T_WEAKEST_V].copy(),
        end_charge_left=float(summary[kernel.END_CHARGE_LEFT]),
        end_c=float(summary[kernel.END_C]),
        end_s=float(summary[kernel.END_S]),
        end_reason=end_reason,
        landing_s=float(landing_s[0]),
        landing_reason=landing_reason(which=int(which[0]), end_reason=end_reason),
        first_clipped_s=float(summary[kernel.FIRST_CLIPPED_S]),
        floor_touched_s=float(summary[kernel.FLOOR_TOUCHED_S]),
        cutoff_s=float(summary[kernel.CUTOFF_S]),
        cutoff_touched_s=float(summary[kernel.CUTOFF_TOUCHED_S]),
        delivered_wh=float(summary[kernel.DELIVERED_WH]) * setup.sheet.pack.cell_count,
        heat_wh=float(summary[kernel.HEAT_WH]) * setup.sheet.pack.cell_count,
        hottest_c=float(summary[kernel.HOTTEST_C]),
    )
