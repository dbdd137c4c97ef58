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
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.answer.forecast import (
    ARRHENIUS_SIGMA_K,
    INTENSITY_SIGMA,
    power_by_weight_sigma,
)
from zesty_cell.core.asked.flying import FlyingPattern
from zesty_cell.core.asked.learned_factors import CAPACITY, RESISTANCE
from zesty_cell.core.asked.sheet import COLDEST_C, HOTTEST_C, Sheet
from zesty_cell.core.flight.setup import Setup, set_up
from zesty_cell.core.learn.learned import (
    INDIVIDUAL_CAPACITY,
    INDIVIDUAL_RESISTANCE,
    SHARED,
    Learned,
    known_at_c,
    predicted,
)
from zesty_cell.core.learn.observation import Observation, PackTold
from zesty_cell.core.parts.chemistry import colder_than_25

#: How the charge of a flight varies from one flight to the next before the flights tell, one sigma [1], and as of
#: how many flights that counts.
FLIGHT_SIGMA, _FLIGHT_SIGMA_COUNTS = 0.055, 5.0
#: What a sheet's power and capacity may be out by beside what is said of them, before any flight, one sigma [1]: a
#: pattern is not what is flown, a pack that flies is no longer new, and the first flights are to be believed.
BEFORE_POWER, BEFORE_CAPACITY = 0.18, 0.10
#: Among few flights a wrong entry cannot be told: their variance counts as (1 + so much/n) times what it is [1].
FEW = 0.25
#: No pilot's flights are more alike than that [1].
_LEAST_SCATTER = 0.02
#: Capacities have a long tail (labels lie by a fifth, packs tire): Student's t of so many degrees of freedom, so
#: that flights which say so are believed.
_TAIL = 2.0
#: What a pilot means by “hard”, and “gentle” the other way, and how differently pilots mean it, one sigma [1].
HOW_SHIFT, HOW_SIGMA = 0.06, 0.04
_HUBER = 2.0
#: Of a normal spread's variance, what is left where deviations are cut at _HUBER of them [1].
_CUT_SHARE = 0.9205
_MOST_ROUNDS, _STILL = 12, 1e-5
#: Air that differs by less is the same [K].
_SAME_AIR_K = 5.0


#: A flight is odd so many standard deviations from what is expected of it [1].
ODD = 3.0


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
            elsewhere = set_up(self._setup.sheet.model_copy(update=update))
            self._made[key] = elsewhere._replace(slow=self._setup.slow)
        return self._made[key]


def _prior(setup: Setup, packs: int, patterns: int, sensors: Sequence[float]) -> NDArray[np.float64]:
    """Standard deviations of θ before any flight."""
    shared = [
        math.hypot(setup.load.power_sigma, power_by_weight_sigma(setup), BEFORE_POWER),
        INTENSITY_SIGMA,
        math.hypot(max(setup.figures.capacity_sigma, 0.02), BEFORE_CAPACITY),
        max(setup.figures.resistance_sigma, 0.05),
    ]
    individual = (INDIVIDUAL_CAPACITY, INDIVIDUAL_RESISTANCE) * packs
    return np.array([*shared, *individual, *(INTENSITY_SIGMA,) * patterns, *sensors])


def learn(sheet: Sheet, observations: Sequence[Observation], /, *, told: Sequence[PackTold] = ()) -> Learned:
    """What flights of a craft, with packs of one type, teach about both: factors on the sheet's estimate [1].

    Power, capacity and resistance hold for craft and packs whatever the pattern; how lively it is flown belongs
    to each pattern, and a sensor's error to all that it showed.

    Parameters
    ----------
    sheet : Sheet
        Of the craft with a pack of that type, on the pattern that is asked about.
    observations : sequence of Observation
        None are needed: then only the priors speak.
    told : sequence of PackTold
        What fits of logs told of individuals.

    Returns
    -------
    Learned
        The priors themselves where there is nothing to learn from.

    Raises
    ------
    OutOfRangeError
        As :func:`~zesty_cell.core.flight.setup.set_up`, of the sheet.
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
    theta, normal, residuals, plain, scatter = _settle(observations, told, empty)
    if any(t.slow is not None for t in told):
        # What logs tell of the voltage under load is also more current for the same power: once more with it.
        setup = setup._replace(slow=replace(empty, theta=theta).slow_of_type())
        theta, normal, residuals, _, scatter = _settle(observations, told, replace(empty, theta=theta, setup=setup))
    covariance = np.asarray(np.linalg.inv(normal), dtype=np.float64)
    known = np.isfinite(residuals)
    own = np.array([math.hypot(scatter, o.used_sigma) for o in observations])
    odd = known & (np.abs(np.where(known, residuals, 0.0)) > ODD * own)
    count = float(np.count_nonzero(known))
    wide = scatter * _t_over_normal(_FLIGHT_SIGMA_COUNTS + max(count - 1.0, 0.0))
    return Learned(
        theta, covariance, packs, patterns, sensors, residuals, plain, sigma0, len(observations), mean_s, wide, odd,
        setup, told=tuple(told),
    )  # fmt: skip


def _settle(
    observations: Sequence[Observation], told: Sequence[PackTold], empty: Learned
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64], NDArray[np.float64], float]:
    """Rounds of least squares from the priors until nothing moves.

    Returns the parameters (n,) and their information matrix (n, n), each flight's miss (k,), the same before
    anything was learned, and the scatter of flights [1].
    """
    theta, sigma0, elsewhere = empty.theta, empty.prior, _Elsewhere(empty.setup)
    long_tailed = np.zeros(sigma0.size, dtype=bool)
    long_tailed[[CAPACITY, *range(SHARED, SHARED + 2 * len(empty.packs), 2)]] = True
    plain: NDArray[np.float64] | None = None
    residuals, scatter = empty.residuals, FLIGHT_SIGMA
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
    return theta, normal, residuals, residuals if plain is None else plain, scatter


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
        columns = of.columns(pack, name)
        durations_s = np.array([observations[k].duration_s for k in mine])
        used, left, used_slopes, left_slopes = predicted(
            elsewhere.at(pattern, warmer_c), logs=columns @ theta, durations_s=durations_s
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
                # What resists more recovers by more.  That tells of the charge, but nothing of the resistance.
                more = seen.recovered * math.expm1(float(columns[RESISTANCE] @ theta))
                misses.append((min(seen.left + more, 1.0) - left[j]) / sigma)
    known_c = known_at_c(told)
    logs = Counter(one.pack for one in told)
    for one in told:
        columns = of.columns(one.pack)
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
