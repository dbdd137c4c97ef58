"""A forecast that learns: what a craft and its packs truly take, from the flights they had.

Log-normal priors for the craft's power, the pilot's intensity, and the capacity and resistance of a type of pack
and of each individual of it are updated by Gauss-Newton through the kernel (PHYSICS 6): minimise

    Σ ((y − f(θ))/σ)² + Σ (θ/σ₀)²,   θₙ₊₁ = θₙ + (JᵀJ + Σ₀⁻¹)⁻¹ (Jᵀ r − Σ₀⁻¹ θₙ)

with θ the logarithms of the factors on the sheet's best estimate.  Flights far from the rest are held back as
Huber (1964) does.  The covariance is the inverse at the end (Laplace's approximation).
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.answer.forecast import (
    ARRHENIUS_SIGMA_K,
    INTENSITY_SIGMA,
    gusts_in_mean,
    power_by_weight_sigma,
)
from zesty_cell.core.asked.flying import FlyingPattern
from zesty_cell.core.asked.learned_factors import CAPACITY, POWER, RESISTANCE, PackKind, Taught, spread_of
from zesty_cell.core.asked.sheet import COLDEST_C, HOTTEST_C, Sheet
from zesty_cell.core.flight.many import charge_left_at
from zesty_cell.core.flight.setup import Factors, Setup, set_up
from zesty_cell.core.learn.flights import How, LoggedFlight, Used, left_by_rest
from zesty_cell.core.learn.log_fit import LogTold, Slow
from zesty_cell.core.parts.chemistry import colder_than_25
from zesty_cell.core.parts.pack import Pack
from zesty_cell.core.parts.pack_figures import pack_figures

#: How the charge of a flight varies from one flight to the next before the flights tell, one sigma [1], and as of
#: how many flights that counts.
FLIGHT_SIGMA, _FLIGHT_SIGMA_COUNTS = 0.055, 5.0
#: What no number of flights tells away: days, habits and cells are not the model's, one sigma [1].
MODEL_SIGMA = 0.04
#: Among few flights a wrong entry cannot be told: their variance counts as (1 + so much/n) times what it is [1].
FEW = 1.5
#: What no number of flights tells away counts so much more among few [1]: one flight's air, wind and mood are all
#: that is known.
FEW_WIDER = 2.5
#: No pilot's flights are more alike than that [1].
_LEAST_SCATTER = 0.02
#: How individuals of a type differ from each other: capacity and resistance, one sigma [1].
INDIVIDUAL_CAPACITY, INDIVIDUAL_RESISTANCE = 0.08, 0.18
#: Capacities have a long tail (labels lie by a fifth, packs tire): Student's t of so many degrees of freedom, so
#: that flights which say so are believed.
_TAIL = 2.0
#: What a pilot means by “hard”, and “gentle” the other way, and how differently pilots mean it, one sigma [1].
HOW_SHIFT, HOW_SIGMA = 0.06, 0.04
_HUBER = 2.0
#: Of a normal spread's variance, what is left where deviations are cut at _HUBER of them [1].
_CUT_SHARE = 0.9205
_STEP = 1e-3
_MOST_ROUNDS, _STILL = 12, 1e-5
#: Air that differs by less is the same [K].
_SAME_AIR_K = 5.0
#: θ: power, intensity on the sheet's pattern, capacity and resistance of the type; then capacity and resistance
#: of each individual, intensity on each further pattern, and the scale of each sensor over each period between
#: calibrations.
_SHARED = 4
#: A sensor shows every flight with one error, and each a little differently: one sigma of the latter [1].
SENSOR_OWN = 0.02
FACTORS = ("power", "intensity", "capacity", "resistance")


@dataclass(frozen=True)
class Observation:
    """A flight that taught something.

    Attributes
    ----------
    pack : str
        Which individual flew.
    duration_s : float
        [s].
    used_ah : float or None
        Charge put back, or as shown [Ah].
    used_sigma : float
        How far that may be out, of itself [1].
    left : float or None
        Charge left by the rest voltage [1].
    left_sigma : float
        [1].
    air_c : float or None
        [°C]; None: as on the sheet.
    effort : int
        As the pilot says it was flown: −1 gentle, 0 as planned, 1 hard.
    pattern : FlyingPattern or None
        That it was flown on; None: the sheet's.
    sensor : str or None
        Which sensor in which period showed the charge; None where the charger told it.
    sensor_sigma : float
        How far all that it showed may be out together, one sigma [1].
    """

    pack: str
    duration_s: float
    used_ah: float | None
    used_sigma: float = 0.02
    left: float | None = None
    left_sigma: float = 0.06
    air_c: float | None = None
    effort: int = 0
    pattern: FlyingPattern | None = None
    sensor: str | None = None
    sensor_sigma: float = 0.0


@dataclass(frozen=True)
class PackTold:
    """What a log's fit or a test told of one individual.

    Attributes
    ----------
    pack : str
        Which one.
    resistance, capacity : float or None
        Over what its sheet says, as logarithms [1].
    resistance_sigma, capacity_sigma : float
        One standard deviation [1].
    slow : Slow or None
        Slow polarisation, as the end of the log shows it.
    at_c : float
        Temperature at which the resistance was seen [°C].
    """

    pack: str
    resistance: float | None = None
    resistance_sigma: float = 1.0
    capacity: float | None = None
    capacity_sigma: float = 1.0
    slow: Slow | None = None
    at_c: float = 25.0


def pack_told(told: LogTold, /, *, pack: str, of: Pack) -> PackTold:
    """What a log told of an individual, over what a sheet's pack says of its type [1]."""
    figures = pack_figures(of)
    return PackTold(
        pack=pack,
        resistance=told.resistance_ohm and math.log(told.resistance_ohm / figures.cell_resistance_ohm),
        resistance_sigma=told.resistance_sigma,
        capacity=told.capacity_ah and math.log(told.capacity_ah / figures.capacity_ah),
        capacity_sigma=told.capacity_sigma,
        slow=told.slow,
        at_c=told.at_c,
    )


#: A flight is odd so many standard deviations from what is expected of it [1].
ODD = 3.0
#: A rest voltage is read to so much [V]; and is out by so much, with its curve by so much of the charge, alike in
#: every flight, so that no number of them helps [V, 1].  One standard deviation each.
REST_READ_V, REST_OUT_V, REST_CURVE = 0.010, 0.006, 0.015
_EFFORT: dict[How, int] = {"gentle": -1, "as planned": 0, "hard": 1}


def observation(
    flight: LoggedFlight,
    used: Used,
    /,
    *,
    key: str,
    pack: Pack,
    flights: int,
    pattern: FlyingPattern | None = None,
) -> Observation:
    """A logged flight as it is learned from [s, Ah, 1].

    Parameters
    ----------
    key : str
        Which individual flew.
    pack : Pack
        Of the sheet that is learned on.
    flights : int
        Learned from together.
    pattern : FlyingPattern, optional
        That it was flown on, where that is not the sheet's.
    """
    left, left_sigma = None, REST_CURVE
    used_ah = used.share * pack.capacity_ah if used.by != "rest voltage" else None
    if flight.rest_v_per_cell is not None and flight.began_full:
        left, per_volt, recovery_v = left_by_rest(flight, pack=pack, used_ah=used_ah)
        # The curve, the checker's zero and what is not known of the recovery are alike in every flight.
        alike = math.hypot(REST_OUT_V * per_volt, recovery_v * per_volt, REST_CURVE)
        left_sigma = math.hypot(REST_READ_V * per_volt, alike * math.sqrt(flights))
    shown = used.by == "shown"
    return Observation(
        pack=key,
        duration_s=flight.duration_s,
        used_ah=used_ah,
        used_sigma=SENSOR_OWN if shown else used.error,
        sensor=f"period {used.period}" if shown else None,
        sensor_sigma=used.error if shown else 0.0,
        pattern=pattern,
        left=left,
        left_sigma=left_sigma,
        air_c=flight.air_c,
        effort=_EFFORT[flight.how],
    )


@dataclass(frozen=True)
class Learned:
    """What the flights taught.

    Attributes
    ----------
    theta : float64 (4 + 2·packs + patterns + sensors,)
        Logarithms of the factors [1]: power, intensity, capacity and resistance of the type; then the latter two of
        each individual; then intensities on further patterns and scales of sensors.
    covariance : float64, square
    packs, patterns, sensors : tuple of str
        Individuals, further patterns by name, and sensors' periods, in the order of theta.
    residuals : float64 (flights,)
        Charge of each flight over what is now believed of one flown so, logarithm [1]; NaN where it is not known.
    plain : float64 (flights,)
        The same over what the sheet says by itself.
    prior : float64, as theta
        Standard deviations of θ before any flight [1].
    flights : int
    mean_s : float
        Of the flights [s].
    scatter : float
        How the charge varies from flight to flight, as the flights tell it: one sigma, widened as Student's t is at
        19 in 20 [1].
    odd : bool (flights,)
        Which flights are far from all that the others say.
    setup : Setup
    elsewhere : int
        Of the flights, those on other patterns: without any on its own, how lively that is flown is not known.
    told : tuple of PackTold
        What fits of logs told.
    """

    theta: NDArray[np.float64]
    covariance: NDArray[np.float64]
    packs: tuple[str, ...]
    patterns: tuple[str, ...]
    sensors: tuple[str, ...]
    residuals: NDArray[np.float64]
    plain: NDArray[np.float64]
    prior: NDArray[np.float64]
    flights: int
    mean_s: float
    scatter: float
    odd: NDArray[np.bool_]
    setup: Setup
    elsewhere: int = 0
    told: tuple[PackTold, ...] = ()

    def capacity_ah(self, pack: str, /) -> float:
        """Capacity of an individual as it is believed now, whole pack [Ah]; of its type where it never flew."""
        return self.setup.figures.capacity_ah * math.exp(float((self._columns(pack) @ self.theta)[CAPACITY]))

    def factor(self, name: str, /) -> tuple[float, float]:
        """A factor of the craft or the type, and its standard deviation [1]: “power”, “intensity”, “capacity”, …"""
        k = FACTORS.index(name)
        return math.exp(self.theta[k]), math.sqrt(self.covariance[k, k])

    def before(self, name: str, /) -> float:
        """Standard deviation of a factor of one pack and its craft before any flight [1]."""
        k = FACTORS.index(name)
        individual = (0.0, 0.0, INDIVIDUAL_CAPACITY, INDIVIDUAL_RESISTANCE)[k]
        return math.hypot(float(self.prior[k]), individual)

    def _columns(self, pack: str, pattern: str | None = None) -> NDArray[np.float64]:
        """How θ makes the four logarithms of a flight with a pack on a pattern, shape (4, θ)."""
        return _columns(self.theta.size, self.packs, self.patterns, pack, pattern)

    def used(self, pack: str, duration_s: float) -> tuple[float, float]:
        """Charge that a flight will use [Ah], and the standard deviation of its logarithm [1].

        A pack that was never flown starts from its type.
        """
        columns = self._columns(pack)
        base = columns @ self.theta
        used_ah, slopes = _used_with_slopes(self.setup, base, np.array([duration_s]))
        gradient = slopes[0] @ columns
        spread = float(gradient @ self.covariance @ gradient)
        if pack not in self.packs:
            spread += (slopes[0, 2] * INDIVIDUAL_CAPACITY) ** 2 + (slopes[0, 3] * INDIVIDUAL_RESISTANCE) ** 2
        return float(used_ah[0]), math.sqrt(spread + self.scatter**2)

    def taught(self, pack: str, /) -> Taught:
        """What a sheet flies with: factors of the craft and of one individual, with their covariance and the
        flights' own variation; a pack that was never flown starts from its type.

        Raises
        ------
        ValueError
            Without flights.
        """
        if not self.flights and not self.told:
            raise ValueError("Nothing was learned without flights.")
        columns = self._columns(pack)
        power, intensity, capacity, resistance = (float(f) for f in np.exp(columns @ self.theta))
        covariance = columns @ self.covariance @ columns.T
        if pack not in self.packs:
            covariance[[2, 3], [2, 3]] += INDIVIDUAL_CAPACITY**2, INDIVIDUAL_RESISTANCE**2
        # Gusts are drawn within each sampled flight: what they make of the flights' scatter is there already.
        gusts = gusts_in_mean(flown_s=self.mean_s)
        # Few flights may have been odd ones, all alike: what is not the model's is as much wider.
        model = MODEL_SIGMA**2 * (1.0 + FEW_WIDER / max(self.flights, 1))
        covariance[POWER, POWER] += max(self.scatter**2 - gusts**2, 0.25 * self.scatter**2) + model
        return Taught(
            flights=max(self.flights, len(self.told)),
            elsewhere=self.elsewhere,
            power=power,
            intensity=intensity,
            capacity=capacity,
            resistance=resistance,
            spread=spread_of(covariance),
            kind=PackKind.of(self.setup.sheet.pack),
            pattern=self.setup.sheet.flying.name,
            resistance_c=_known_at_c(self.told),
            slow=_slow(self.told, pack, self.setup.figures.capacity_ah * capacity),
            logs=sum(t.resistance is not None for t in self.told),
        )


def _known_at_c(told: Sequence[PackTold]) -> float:
    """Temperature at which a resistance is known [°C]: the mean of the logs' that told it, by what they tell."""
    seen = [(t.at_c, t.resistance_sigma**-2.0) for t in told if t.resistance is not None]
    return sum(c * w for c, w in seen) / sum(w for _, w in seen) if seen else 25.0


#: How chemistries' slow polarisation differs from cell to cell, and how surely one log tells it, one sigma [1].
SLOW_SIGMA, SLOW_BY_LOG = 0.4, 0.2
#: No cell's is further from its chemistry's, as a logarithm [1].
MOST_SLOW = 1.2


def _slow(told: Sequence[PackTold], pack: str, capacity_ah: float) -> float:
    """Slow polarisation of an individual over its chemistry's by what logs told of it, else of its type [1].

    Parameters
    ----------
    capacity_ah : float
        That the pack is believed to hold [Ah]: the ends of logs are read with it.
    """
    seen = [t for t in told if t.slow is not None and t.pack == pack] or [t for t in told if t.slow is not None]
    logs = [
        t.slow.log_factor + t.slow.per_capacity * math.log(capacity_ah / t.slow.capacity_ah)
        for t in seen
        if t.slow is not None
    ]
    mean = sum(logs) / (len(logs) + (SLOW_BY_LOG / SLOW_SIGMA) ** 2)
    return math.exp(min(max(mean, -MOST_SLOW), MOST_SLOW))


def _columns(
    size: int, packs: tuple[str, ...], patterns: tuple[str, ...], pack: str, pattern: str | None
) -> NDArray[np.float64]:
    chosen = np.zeros((_SHARED, size))
    chosen[range(_SHARED), range(_SHARED)] = 1.0
    if pack in packs:
        own = _SHARED + 2 * packs.index(pack)
        chosen[2, own], chosen[3, own + 1] = 1.0, 1.0
    if pattern in patterns:
        chosen[1] = 0.0
        chosen[1, _SHARED + 2 * len(packs) + patterns.index(pattern)] = 1.0
    return chosen


class _Elsewhere:
    """A sheet in other air and on other patterns, each worked out once."""

    def __init__(self, setup: Setup) -> None:
        self._setup = setup
        self._made: dict[tuple[str | None, float], Setup] = {(None, 0.0): setup}

    def at(self, pattern: FlyingPattern | None, warmer_c: float) -> Setup:
        """In air so much warmer [K]: the craft takes another power there, and the pack has another resistance."""
        key = (None if pattern is None else pattern.name, warmer_c)
        if key not in self._made:
            conditions = self._setup.sheet.conditions
            air_c = min(max(conditions.air_c + warmer_c, COLDEST_C), HOTTEST_C)
            update: dict[str, object] = {"conditions": conditions.model_copy(update={"air_c": air_c})}
            if pattern is not None:
                update["flying"] = pattern
            self._made[key] = set_up(self._setup.sheet.model_copy(update=update))
        return self._made[key]


def _used_with_slopes(
    setup: Setup, logs: NDArray[np.float64], durations_s: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Charge used [Ah], and d ln(used)/d log-factor, shape (durations, 4)."""
    used, _, slopes, _ = _predict(setup, logs, durations_s)
    return used, slopes


def _predict(
    setup: Setup, logs: NDArray[np.float64], durations_s: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """Charge used and left at some moments [Ah, 1], and how the logarithm of one and the other go with the factors.

    Past the end of the charge as at the end.
    """
    moved = np.tile(logs, (_SHARED + 1, 1))
    moved[range(1, _SHARED + 1), range(_SHARED)] += _STEP
    factors = np.exp(moved)
    left = charge_left_at(
        setup,
        factors=Factors(
            power=factors[:, 0],
            intensity=factors[:, 1],
            capacity=factors[:, 2],
            resistance=factors[:, 3],
            full_throttle=np.ones(_SHARED + 1),
            air_c=np.zeros(_SHARED + 1),
        ),
        moments_s=durations_s,
    )
    start = setup.sheet.conditions.start_charge
    used = (start - left) * setup.figures.capacity_ah * factors[:, 2][:, None]
    logged = np.log(np.maximum(used, 1e-12))
    used_slopes = ((logged[1:] - logged[0]) / _STEP).T
    return used[0], left[0], used_slopes, ((left[1:] - left[0]) / _STEP).T


def _prior(setup: Setup, packs: int, patterns: int, sensors: Sequence[float]) -> NDArray[np.float64]:
    """Standard deviations of θ before any flight."""
    shared = [
        math.hypot(setup.load.power_sigma, power_by_weight_sigma(setup)),
        INTENSITY_SIGMA,
        max(setup.figures.capacity_sigma, 0.02),
        max(setup.figures.resistance_sigma, 0.05),
    ]
    individual = (INDIVIDUAL_CAPACITY, INDIVIDUAL_RESISTANCE) * packs
    return np.array([*shared, *individual, *(INTENSITY_SIGMA,) * patterns, *sensors])


def learn(sheet: Sheet, observations: Sequence[Observation], /, *, told: Sequence[PackTold] = ()) -> Learned:
    """What flights of a craft, with packs of one type, teach about both [Ah, s, 1].

    Power, capacity and resistance hold for craft and packs whatever the pattern; how lively it is flown belongs
    to each pattern, and a sensor's error to all that it showed.

    Parameters
    ----------
    sheet : Sheet
        Of the craft with a pack of that type, on the pattern that is asked about.
    observations : sequence of Observation
        None are needed: then only the priors speak.
    told : sequence of PackTold
        What fits of logs told of individuals [1].
    """
    setup = set_up(sheet)
    packs = tuple(dict.fromkeys([*(o.pack for o in observations), *(t.pack for t in told)]))
    patterns = tuple(dict.fromkeys(o.pattern.name for o in observations if o.pattern is not None))
    by_sensor = {o.sensor: o.sensor_sigma for o in observations if o.sensor is not None}
    sensors = tuple(by_sensor)
    sigma0 = _prior(setup, len(packs), len(patterns), [max(by_sensor[name], 1e-3) for name in sensors])
    theta = np.zeros(sigma0.size)
    unknown = np.full(len(observations), np.nan)
    none = np.zeros(len(observations), dtype=bool)
    mean_s = sum(o.duration_s for o in observations) / max(len(observations), 1)
    empty = Learned(
        theta, np.diag(sigma0**2), packs, patterns, sensors, unknown, unknown, sigma0, len(observations), mean_s,
        FLIGHT_SIGMA, none, setup, told=tuple(told),
    )  # fmt: skip
    if not observations and not told:
        return empty
    elsewhere = _Elsewhere(setup)
    long_tailed = np.zeros(sigma0.size, dtype=bool)
    long_tailed[[CAPACITY, *range(_SHARED, _SHARED + 2 * len(packs), 2)]] = True
    residuals, plain, scatter = unknown, None, FLIGHT_SIGMA
    normal = np.diag(sigma0**-2.0)
    for _ in range(_MOST_ROUNDS):
        rows, misses, residuals = _rows(elsewhere, observations, told, empty, theta, scatter)
        plain = residuals if plain is None else plain
        weights = np.minimum(1.0, _HUBER / np.maximum(np.abs(misses), 1e-12))
        # Student's t as a normal prior whose width goes with how far it is from its middle (Lange et al. 1989).
        tail = np.where(long_tailed, (_TAIL + 1.0) / (_TAIL + (theta / sigma0) ** 2), 1.0)
        information = np.diag(tail * sigma0**-2.0)
        normal = information + rows.T @ (weights[:, None] * rows)
        step = np.linalg.solve(normal, rows.T @ (weights * misses) - information @ theta)
        theta = theta + np.clip(step, -0.5, 0.5)
        before, scatter = scatter, _scatter(residuals, observations)
        if float(np.abs(step).max()) < _STILL and abs(scatter - before) < _STILL:
            break
    covariance = np.asarray(np.linalg.inv(normal), dtype=np.float64)
    plain = unknown if plain is None else plain
    known = np.isfinite(residuals)
    own = np.array([math.hypot(scatter, o.used_sigma) for o in observations])
    odd = known & (np.abs(np.where(known, residuals, 0.0)) > ODD * own)
    count = float(np.count_nonzero(known))
    wide = scatter * _t_over_normal(_FLIGHT_SIGMA_COUNTS + max(count - 1.0, 0.0))
    return Learned(
        theta, covariance, packs, patterns, sensors, residuals, plain, sigma0, len(observations), mean_s, wide, odd,
        setup, told=tuple(told),
    )  # fmt: skip


def _scatter(residuals: NDArray[np.float64], observations: Sequence[Observation]) -> float:
    """How flights vary [1]: what was expected before any, joined with what they show, the odd ones held back.

    Huber's proposal 2 (1964): the mean of the squares cut at k standard deviations, over what that is of a normal
    spread; the readings' own errors are taken out.
    """
    known = np.isfinite(residuals)
    misses = residuals[known]
    if misses.size < 2:
        return FLIGHT_SIGMA
    readings = float(np.mean([o.used_sigma**2 for o, k in zip(observations, known, strict=True) if k]))
    # The mean level was taken from the same flights: one degree of freedom less.
    free = misses.size - 1.0
    scatter = FLIGHT_SIGMA
    for _ in range(20):
        cut = _HUBER**2 * (scatter**2 + readings)
        seen = float(np.minimum(misses**2, cut).sum()) / _CUT_SHARE - free * readings
        squares = (_FLIGHT_SIGMA_COUNTS * FLIGHT_SIGMA**2 + max(seen, 0.0)) / (_FLIGHT_SIGMA_COUNTS + free)
        new = max(math.sqrt(squares), _LEAST_SCATTER)
        if abs(new - scatter) < 1e-9:
            break
        scatter = new
    return scatter


def _t_over_normal(freedom: float) -> float:
    """Student's t at 0.95 over the normal quantile [1], by Cornish and Fisher's series in 1/ν (1938)."""
    z = 1.6448536
    first, second = (z**3 + z) / 4.0, (5.0 * z**5 + 16.0 * z**3 + 3.0 * z) / 96.0
    return (z + first / freedom + second / freedom**2) / z


def _alike(
    setup: Setup, observations: Sequence[Observation]
) -> dict[tuple[str, str | None, float], tuple[FlyingPattern | None, list[int]]]:
    """Flights of one pack on one pattern in about the same air are one flight of the kernel."""
    groups: dict[tuple[str, str | None, int], list[tuple[float, int]]] = {}
    for k, o in enumerate(observations):
        warmer_c = 0.0 if o.air_c is None else o.air_c - setup.sheet.conditions.air_c
        name = None if o.pattern is None else o.pattern.name
        groups.setdefault((o.pack, name, round(warmer_c / _SAME_AIR_K)), []).append((warmer_c, k))
    return {
        (pack, name, sum(w for w, _ in of) / len(of)): (observations[of[0][1]].pattern, [k for _, k in of])
        for (pack, name, _), of in groups.items()
    }


def _rows(
    elsewhere: _Elsewhere,
    observations: Sequence[Observation],
    told: Sequence[PackTold],
    of: Learned,
    theta: NDArray[np.float64],
    scatter: float,
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """The Jacobian and the misses in standard deviations, one row a figure; and the charge's residual by flight."""
    rows: list[NDArray[np.float64]] = []
    misses: list[float] = []
    residuals = np.full(len(observations), np.nan)
    few = math.sqrt(1.0 + FEW / max(len(observations), 1))
    first_sensor = theta.size - len(of.sensors)
    for (pack, name, warmer_c), (pattern, mine) in _alike(of.setup, observations).items():
        columns = of._columns(pack, name)
        durations_s = np.array([observations[k].duration_s for k in mine])
        used, left, used_slopes, left_slopes = _predict(
            elsewhere.at(pattern, warmer_c), columns @ theta, durations_s
        )
        for j, k in enumerate(mine):
            seen = observations[k]
            if seen.used_ah is not None:
                said = HOW_SHIFT * seen.effort
                sigma = few * math.hypot(scatter, seen.used_sigma, HOW_SIGMA * abs(seen.effort))
                row = used_slopes[j] @ columns
                shown = 0.0
                if seen.sensor is not None:
                    place = first_sensor + of.sensors.index(seen.sensor)
                    row[place], shown = 1.0, float(theta[place])
                residuals[k] = math.log(seen.used_ah / used[j]) - said - shown
                rows.append(row / sigma)
                misses.append(residuals[k] / sigma)
            if seen.left is not None:
                # The flight's own variation moves what is left as well.
                sigma = few * math.hypot(seen.left_sigma, scatter * (1.0 - left[j]))
                rows.append(left_slopes[j] @ columns / sigma)
                misses.append((seen.left - left[j]) / sigma)
    known_c = _known_at_c(told)
    logs = Counter(one.pack for one in told)
    for one in told:
        columns = of._columns(one.pack)
        for k, value, sigma in (
            (CAPACITY, one.capacity, one.capacity_sigma),
            (RESISTANCE, one.resistance, one.resistance_sigma),
        ):
            if value is not None:
                # What a fit is out by is the model's, and alike in every log of a pack.
                sigma *= math.sqrt(logs[one.pack])
                if k == RESISTANCE:  # seen in another cold than the others
                    apart = colder_than_25(one.at_c) - colder_than_25(known_c)
                    sigma = math.hypot(sigma, ARRHENIUS_SIGMA_K * apart)
                rows.append(columns[k] / sigma)
                misses.append((value - float(columns[k] @ theta)) / sigma)
    if not rows:
        return np.zeros((0, theta.size)), np.zeros(0), residuals
    return np.array(rows), np.array(misses), residuals
