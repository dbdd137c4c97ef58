"""The forecast of a sheet: the flight expected, its range, what to set, what to check."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cache
from statistics import NormalDist

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.answer.calls import DerivedCallouts
from zesty_cell.core.answer.check import Check
from zesty_cell.core.answer.checks import check_flight
from zesty_cell.core.answer.lead import LeadChoice
from zesty_cell.core.answer.thresholds import LATE_SHARE, timers
from zesty_cell.core.asked import learned_factors as learned_factors
from zesty_cell.core.asked.flying import STEP_S
from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.clock import clock
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import fact
from zesty_cell.core.flight import kernel
from zesty_cell.core.flight.honest_current import HonestCurrent, honest_current
from zesty_cell.core.flight.many import start_many
from zesty_cell.core.flight.one import Flight, fly, landing_times_s
from zesty_cell.core.flight.setup import Factors, Setup, set_up
from zesty_cell.core.flight.summary import TAKE_OFF_S, LandingSummary, fly_to_landing
from zesty_cell.core.parts.chemistry import colder_than_25
from zesty_cell.core.parts.craft import Craft
from zesty_cell.core.quantiles import quantiles

#: Flights in the range; deterministic, the same draws for every sheet (common random numbers), so
#: that a change of the sheet moves the range by the change alone.
SAMPLES = 200
_SEED = 20_260_401
#: Gusts within a flight: steady demand varies by so much, one standard deviation [1], and hangs together over so
#: long [s].  So many are drawn and then repeated.
GUST_SIGMA, GUST_TOGETHER_S, _GUSTS = 0.10, 30.0, 512
#: One standard deviation of what differs from flight to flight: pattern intensity [1], air [°C].
INTENSITY_SIGMA = 0.08
AIR_SIGMA_C = 1.5


#: The timer is aimed where this share of flights has reached its landing point already [1]: nineteen of twenty keep
#: the reserve, with something in hand for what no model knows (`make bench`, "Pilots by the timer").
GUARD_SHARE = 0.05
#: The same for a landing by loaded voltage while no log has told the pack's resistance: what is measured at rest is
#: out by two fifths now and then, and the voltage under load goes with it.
UNTOLD_GUARD_SHARE = 0.01


@dataclass(frozen=True, repr=False)
class Range:
    """Spread of the landing time over the sampled flights.

    Attributes
    ----------
    low_s, middle_s, high_s : float
        5th, 50th and 95th percentile [s].
    landing_s : float64 array, shape (SAMPLES,)
        Every sampled landing time [s].
    """

    low_s: float
    middle_s: float
    high_s: float
    landing_s: NDArray[np.float64]

    def __repr__(self) -> str:
        return f"<Range {clock(self.low_s)} to {clock(self.high_s)}, {self.landing_s.size} flights>"

    def early_s(self, share: float, /) -> float:
        """The moment by which a share of the flights has reached its landing point [s]."""
        return quantiles(self.landing_s, (share,))[0]


@dataclass(frozen=True, repr=False)
class Forecast:
    """All that a sheet answers.

    Attributes
    ----------
    setup : Setup
    flight : Flight
        The flight expected, to the end of the charge.
    range : Range
    callouts : DerivedCallouts
    honest : HonestCurrent
    checks : tuple of Check
        Worst first.
    at_landing : LandingSummary
        The flight in the few numbers that packs are compared by.
    used_wh, worst_s : float
        Delivered by the pack until landing [Wh]; moment of the worst sag [s].
    reserve_ah : float
        Charge left at landing [Ah].
    mean_a, cruise_a : float
        Mean until landing, and mean of the pattern's steady activity [A].
    mah_per_minute : float
    mah_per_km : float or None
        At the craft's cruise speed, where it is known.
    factors : Factors
        What was drawn for each flight of the range.
    """

    setup: Setup
    flight: Flight
    range: Range
    callouts: DerivedCallouts
    honest: HonestCurrent
    checks: tuple[Check, ...]
    at_landing: LandingSummary
    used_wh: float
    worst_s: float
    reserve_ah: float
    mean_a: float
    cruise_a: float
    mah_per_minute: float
    mah_per_km: float | None
    factors: Factors

    def __repr__(self) -> str:
        spread, worst = self.range, self.checks[0].status if self.checks else "ok"
        return (
            f"<Forecast of “{self.setup.sheet.name}”: lands at {clock(self.flight.landing_s)} by "
            f"{self.flight.landing_reason}, {clock(spread.low_s)} to {clock(spread.high_s)}; set the timer to "
            f"{clock(self.callouts.timers.timer_s)}; checks: {worst}>"
        )


@cache
def _normal_draws() -> NDArray[np.float64]:
    """Standard normal Latin hypercube, shape (SAMPLES, 6), seeded (McKay et al. 1979)."""
    rng = np.random.Generator(np.random.PCG64(_SEED))
    strata = np.stack([rng.permutation(SAMPLES) for _ in range(6)], axis=1)
    quantiles = np.array([NormalDist().inv_cdf((k + 0.5) / SAMPLES) for k in range(SAMPLES)])
    draws = quantiles[strata]
    draws.setflags(write=False)
    return draws


@cache
def _gusts() -> NDArray[np.float64]:
    """What steady demand is multiplied by in each sampled flight, shape (SAMPLES, _GUSTS), mean 1, seeded [1].

    A first-order autoregressive process (Gauss-Markov), log-normal, ``kernel.GUST_PARTS`` values each
    ``kernel.GUST_S``.
    """
    rng = np.random.Generator(np.random.PCG64(_SEED + 1))
    keeps = math.exp(-kernel.GUST_S / GUST_TOGETHER_S)
    normal = rng.standard_normal((SAMPLES, _GUSTS))
    for k in range(1, _GUSTS):
        normal[:, k] = keeps * normal[:, k - 1] + math.sqrt(1.0 - keeps * keeps) * normal[:, k]
    apart_s = kernel.GUST_S
    for _ in range(kernel.GUST_PARTS.bit_length() - 1):
        normal, apart_s = _halved(normal, apart_s, rng), apart_s / 2.0
    gusts = np.exp(GUST_SIGMA * normal - 0.5 * GUST_SIGMA**2)
    gusts.setflags(write=False)
    return gusts


def _halved(normal: NDArray[np.float64], apart_s: float, rng: np.random.Generator) -> NDArray[np.float64]:
    """The same process with values half as far apart, shape (k, 2·n): what lies between two given the two.

    Half a step Δ from both a value has the mean of the two over cosh(Δ/τ), and the variance tanh(Δ/τ).
    """
    near = 0.5 * apart_s / GUST_TOGETHER_S
    following = np.roll(normal, -1, axis=1)
    between = 0.5 * (normal + following) / math.cosh(near)
    between += math.sqrt(math.tanh(near)) * rng.standard_normal(normal.shape)
    return np.stack([normal, between], axis=2).reshape(len(normal), -1)


def gusts_in_mean(*, flown_s: float) -> float:
    """How the mean demand of a flight of so long [s] varies by gusts alone, one standard deviation [1]."""
    together = GUST_TOGETHER_S / max(flown_s, 1.0)
    share = 2.0 * together * (1.0 - together * -math.expm1(-1.0 / together))
    return GUST_SIGMA * math.sqrt(min(share, 1.0))


def sampled_factors(setup: Setup) -> Factors:
    """The departures of the range's flights; log-normal where they multiply.

    Widths come from how each figure is known: power by its source and by the pack's weight,
    capacity and resistance by measured or estimated; with logged flights by what they taught, in which
    a craft that takes more and a pilot who flies livelier exclude each other.
    """
    draws = _normal_draws()
    # In the order of the columns drawn: power, capacity, resistance, intensity.
    known = np.exp(draws[:, [0, 4, 1, 2]] @ spread_of_factors(setup).T)
    return Factors(
        power=known[:, learned_factors.POWER],
        capacity=known[:, learned_factors.CAPACITY],
        resistance=known[:, learned_factors.RESISTANCE],
        full_throttle=np.asarray(np.exp(setup.load.full_throttle_sigma * draws[:, 3]), dtype=np.float64),
        intensity=known[:, learned_factors.INTENSITY],
        air_c=AIR_SIGMA_C * draws[:, 5],
        gusts=_gusts(),
        slow=_slow(setup, known[:, learned_factors.CAPACITY], known[:, learned_factors.RESISTANCE]),
    )


#: No sampled pack polarises slowly less than this share of what is expected, or more than so many times it [1].
_LEAST_SLOW, _MOST_SLOW = 0.1, 4.0


@cache
def _slow_draws() -> NDArray[np.float64]:
    """Standard normal, shape (SAMPLES,), seeded."""
    return np.random.Generator(np.random.PCG64(_SEED + 2)).standard_normal(SAMPLES)


def _slow(
    setup: Setup, capacity: NDArray[np.float64], resistance: NDArray[np.float64]
) -> NDArray[np.float64] | None:
    """Slow polarisation of the sampled packs over what is expected [1]; None where no log told it.

    Logs tell the voltage at a flight's end: a pack that holds more, or resists less, than is believed has so much
    more of it that the end stays where it was seen.
    """
    learned = setup.sheet.learned_factors
    if learned is None or learned.slow_sigma == 0.0 or not learned.knows(setup.sheet.pack):
        return None
    slow = learned.slow + learned.slow_sigma * _slow_draws()
    slow += learned.slow_per_capacity * np.log(capacity) + learned.slow_per_resistance * np.log(resistance)
    return np.clip(slow / learned.slow, _LEAST_SLOW, _MOST_SLOW)


def power_by_weight_sigma(setup: Setup, /) -> float:
    """How far power is out because a pack's weight is only estimated, one sigma [1]: P ∝ m^a."""
    pack_share = setup.figures.mass_kg / setup.all_up_mass_kg
    return setup.load.weight_exponent * setup.figures.mass_sigma * pack_share


#: How surely a cell's Arrhenius constant is known, one standard deviation [K]: makers and ages differ by a fifth.
ARRHENIUS_SIGMA_K = 600.0


def resistance_by_cold_sigma(setup: Setup, /) -> float:
    """How far resistance is out because the pack takes off in another cold than that it is known in, one sigma [1].

    It is known at 25 °C, or where logs told it; above 25 °C it hardly changes.
    """
    learned = setup.sheet.learned_factors
    known_c = learned.resistance_c if learned is not None and learned.knows(setup.sheet.pack) else 25.0
    return ARRHENIUS_SIGMA_K * abs(colder_than_25(setup.start_c) - colder_than_25(known_c))


def spread_of_factors(setup: Setup, /) -> NDArray[np.float64]:
    """Lower triangle of the covariance of power, intensity, capacity and resistance, shape (4, 4) [1]."""
    weight_sigma, cold_sigma = power_by_weight_sigma(setup), resistance_by_cold_sigma(setup)
    learned, figures = setup.sheet.learned_factors, setup.figures
    if learned is None:
        power_sigma = math.hypot(setup.load.power_sigma, weight_sigma)
        resistance_sigma = math.hypot(figures.resistance_sigma, cold_sigma)
        return np.diag([power_sigma, INTENSITY_SIGMA, figures.capacity_sigma, resistance_sigma])
    covariance = learned_factors.covariance_of(learned)
    if not learned.knows(setup.sheet.pack):
        # Another kind of pack: the craft is known, its pack is not.
        covariance[2:, :] = covariance[:, 2:] = 0.0
        covariance[[2, 3], [2, 3]] = figures.capacity_sigma**2, figures.resistance_sigma**2
        covariance[learned_factors.POWER, learned_factors.POWER] += weight_sigma**2
    covariance[learned_factors.RESISTANCE, learned_factors.RESISTANCE] += cold_sigma**2
    return np.asarray(np.linalg.cholesky(covariance), dtype=np.float64)


def mean_current_a(at_landing: LandingSummary) -> float:
    """Mean current of the whole pack until landing [A]."""
    return (
        at_landing.used_ah * 3600.0 / max(at_landing.landing_s, STEP_S)
    )  # the sorriest pack lasts less than a step


def used_wh(flight: Flight) -> float:
    """Energy delivered by the whole pack until landing [Wh]: ∫V·I dt, by the trapezoid rule."""
    stop = flight.index_at(flight.landing_s) + 1
    watts = flight.loaded_v[:stop] * flight.series * flight.current_a[:stop]
    return float(np.trapezoid(watts, flight.time_s[:stop]) / 3600.0)


def mah_per_km(*, mean_a: float, craft: Craft) -> float | None:
    """Charge a kilometre of still air at cruise speed [mAh/km]; None where the speed is not known."""
    speed = craft.cruise_speed_m_s
    return None if speed is None else mean_a * 1000.0 / 3.6 / speed


def cruise_current_a(*, setup: Setup, flight: Flight) -> float:
    """Mean current at the pattern's steady load until landing [A]: I from P = V·I at the cruise voltage."""
    power_w = setup.cruise_w() + setup.load.avionics_w
    stop = flight.index_at(flight.landing_s) + 1
    return float(np.mean(power_w / (flight.cruise_v[:stop] * setup.sheet.pack.series)))


def _check_not_landed_at_once(setup: Setup, flight: Flight) -> None:
    """Refuse a loaded landing voltage that the fresh pack is already under."""
    rule = setup.sheet.landing
    if flight.landing_reason == "loaded voltage" and flight.landing_s <= rule.loaded_hold_s + TAKE_OFF_S:
        fresh_v = float(flight.loaded_v[0])
        limit_v = rule.loaded_v if rule.loaded_v is not None else fresh_v
        raise OutOfRangeError(
            fact("refused.landing.loaded_at_once", fresh_v=fresh_v, limit_v=limit_v),
            field="landing.loaded_v",
            value=limit_v,
            limit=fresh_v,
        )


def _guard_share(setup: Setup, flight: Flight) -> float:
    learned = setup.sheet.learned_factors
    by_logs = learned is not None and learned.logs > 0 and learned.knows(setup.sheet.pack)
    return GUARD_SHARE if by_logs or flight.landing_reason != "loaded voltage" else UNTOLD_GUARD_SHARE


def forecast(sheet: Sheet) -> Forecast:
    """Work out everything a sheet answers; the same sheet always gives the same forecast.

    Raises
    ------
    OutOfRangeError
        When the sheet contradicts itself: a headwind faster than the craft, a rule that lands at once.
    """
    setup = set_up(sheet)
    flight = fly(setup)
    _check_not_landed_at_once(setup, flight)
    factors = sampled_factors(setup)
    lead = LeadChoice(setup=setup, flight=flight, factors=factors)
    sampled = start_many(
        setup,
        factors=factors,
        longest_s=3.0 * flight.end_s + 60.0,
        beyond_landing=LATE_SHARE,
        visit=lead.visit,
    )
    # What needs no sampled flights is worked out while they fly.
    honest, at_landing = honest_current(setup.sheet.pack), fly_to_landing(setup)
    energy_wh, cruise_a, mean_a = (
        used_wh(flight),
        cruise_current_a(setup=setup, flight=flight),
        mean_current_a(at_landing),
    )
    landing_s, _ = landing_times_s(setup=setup, summary=sampled())
    low_s, middle_s, high_s = quantiles(landing_s)
    spread = Range(low_s=low_s, middle_s=middle_s, high_s=high_s, landing_s=landing_s)
    earliest_s = spread.early_s(_guard_share(setup, flight))
    plan = lead.derived(timers(setup=setup, flight=flight, earliest_landing_s=earliest_s))
    return Forecast(
        setup=setup,
        flight=flight,
        range=spread,
        callouts=plan,
        honest=honest,
        checks=check_flight(setup=setup, flight=flight, at_landing=at_landing, callouts=plan, honest=honest),
        at_landing=at_landing,
        used_wh=energy_wh,
        worst_s=float(flight.time_s[int(np.argmin(flight.loaded_v[: flight.index_at(flight.landing_s) + 1]))]),
        reserve_ah=sheet.conditions.start_charge * setup.figures.capacity_ah - at_landing.used_ah,
        mean_a=mean_a,
        cruise_a=cruise_a,
        mah_per_minute=mean_a * 1000.0 / 60.0,
        mah_per_km=mah_per_km(mean_a=mean_a, craft=setup.sheet.craft),
        factors=factors,
    )
