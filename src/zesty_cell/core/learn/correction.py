"""A forecast that learns: what a craft and its packs truly take, from the flights they had.

Log-normal priors for the craft's power, the pilot's intensity, and the capacity and resistance of a type of pack
and of each individual of it are updated by Gauss-Newton through the kernel (PHYSICS 6): minimise

    Σ ((y − f(θ))/σ)² + Σ (θ/σ₀)²,   θₙ₊₁ = θₙ + (JᵀJ + Σ₀⁻¹)⁻¹ (Jᵀ r − Σ₀⁻¹ θₙ)

with θ the logarithms of the factors on the sheet's best estimate.  Flights far from the rest are held back as
Huber (1964) does.  The covariance is the inverse at the end (Laplace's approximation).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.chemistries import chemistry_for
from zesty_cell.core.chemistry import Chemistry, charge_left_at_rest
from zesty_cell.core.flight import Factors, Flight, Setup, fly, set_up
from zesty_cell.core.forecast import INTENSITY_SIGMA, gusts_in_mean, power_by_weight_sigma
from zesty_cell.core.learn.flights import How, LoggedFlight, Used
from zesty_cell.core.pack import Pack
from zesty_cell.core.sheet import COLDEST_C, HOTTEST_C, Sheet
from zesty_cell.core.taught import CAPACITY, POWER, PackKind, Taught, spread_of

#: How the charge of a flight varies from one flight to the next before the flights tell, one sigma [1], and as of
#: how many flights that counts.
FLIGHT_SIGMA, _FLIGHT_SIGMA_COUNTS = 0.04, 6.0
#: No pilot's flights are more alike than that [1].
_LEAST_SCATTER = 0.02
#: How individuals of a type differ from each other: capacity and resistance, one sigma [1].
INDIVIDUAL_CAPACITY, INDIVIDUAL_RESISTANCE = 0.08, 0.12
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
#: θ: power, intensity, capacity and resistance of the type; then capacity and resistance of each individual.
_SHARED = 4
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
    """

    pack: str
    duration_s: float
    used_ah: float | None
    used_sigma: float = 0.02
    left: float | None = None
    left_sigma: float = 0.06
    air_c: float | None = None
    effort: int = 0


#: A flight is odd so many standard deviations from what is expected of it [1].
ODD = 3.0
#: A rest voltage is read to so much [V]; and is out by so much, with its curve by so much of the charge, alike in
#: every flight, so that no number of them helps [V, 1].  One standard deviation each.
REST_READ_V, REST_OUT_V, REST_CURVE = 0.010, 0.006, 0.015
_EFFORT: dict[How, int] = {"gentle": -1, "as planned": 0, "hard": 1}


def observation(flight: LoggedFlight, used: Used, /, *, key: str, pack: Pack, flights: int) -> Observation:
    """A logged flight as it is learned from [s, Ah, 1].

    Parameters
    ----------
    key : str
        Which individual flew.
    pack : Pack
        Of the sheet that is learned on.
    flights : int
        Learned from together.
    """
    left, left_sigma = None, REST_CURVE
    if flight.rest_v_per_cell is not None and flight.began_full:
        left, per_volt = _left_at_rest(chemistry_for(pack.chemistry), flight.rest_v_per_cell)
        alike = math.hypot(REST_OUT_V * per_volt, REST_CURVE)
        left_sigma = math.hypot(REST_READ_V * per_volt, alike * math.sqrt(flights))
    return Observation(
        pack=key,
        duration_s=flight.duration_s,
        used_ah=used.share * pack.capacity_ah if used.by != "rest voltage" else None,
        used_sigma=used.error,
        left=left,
        left_sigma=left_sigma,
        air_c=flight.air_c,
        effort=_EFFORT[flight.how],
    )


def _left_at_rest(chemistry: Chemistry, rest_v: float) -> tuple[float, float]:
    """Charge left by a rest voltage [1], and how much a volt more or less would make of it there [1/V]."""
    low, middle, high = (charge_left_at_rest(chemistry=chemistry, rest_v=rest_v + d) for d in (-0.02, 0.0, 0.02))
    return middle, (high - low) / 0.04


@dataclass(frozen=True)
class Learned:
    """What the flights taught.

    Attributes
    ----------
    theta : float64 (4 + 2·packs,)
        Logarithms of the factors [1]: power, intensity, capacity and resistance of the type; then the latter two of
        each individual.
    covariance : float64, square
    packs : tuple of str
    residuals : float64 (flights,)
        Charge of each flight over what is now believed of one flown so, logarithm [1]; NaN where it is not known.
    plain : float64 (flights,)
        The same over what the sheet says by itself.
    prior : float64 (4 + 2·packs,)
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
    """

    theta: NDArray[np.float64]
    covariance: NDArray[np.float64]
    packs: tuple[str, ...]
    residuals: NDArray[np.float64]
    plain: NDArray[np.float64]
    prior: NDArray[np.float64]
    flights: int
    mean_s: float
    scatter: float
    odd: NDArray[np.bool_]
    setup: Setup

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

    def _columns(self, pack: str) -> NDArray[np.float64]:
        """How θ makes the four logarithms of a flight with a pack, shape (4, θ)."""
        chosen = np.zeros((_SHARED, self.theta.size))
        chosen[range(_SHARED), range(_SHARED)] = 1.0
        if pack in self.packs:
            own = _SHARED + 2 * self.packs.index(pack)
            chosen[2, own], chosen[3, own + 1] = 1.0, 1.0
        return chosen

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
        if not self.flights:
            raise ValueError("Nothing was learned without flights.")
        columns = self._columns(pack)
        power, intensity, capacity, resistance = (float(f) for f in np.exp(columns @ self.theta))
        covariance = columns @ self.covariance @ columns.T
        if pack not in self.packs:
            covariance[[2, 3], [2, 3]] += INDIVIDUAL_CAPACITY**2, INDIVIDUAL_RESISTANCE**2
        # Gusts are drawn within each sampled flight: what they make of the flights' scatter is there already.
        gusts = gusts_in_mean(flown_s=self.mean_s)
        covariance[POWER, POWER] += max(self.scatter**2 - gusts**2, 0.25 * self.scatter**2)
        return Taught(
            flights=self.flights,
            power=power,
            intensity=intensity,
            capacity=capacity,
            resistance=resistance,
            spread=spread_of(covariance),
            kind=PackKind.of(self.setup.sheet.pack),
            pattern=self.setup.sheet.flying.name,
        )


def _fly(setup: Setup, logs: NDArray[np.float64], warmer_c: float = 0.0) -> Flight:
    power, intensity, capacity, resistance = (np.array([float(np.exp(v))]) for v in logs)
    return fly(
        _in_air(setup, warmer_c) if warmer_c else setup,
        factors=Factors(
            power=power, capacity=capacity, resistance=resistance, full_throttle=np.ones(1), intensity=intensity,
            air_c=np.zeros(1),
        ),
    )  # fmt: skip


def _in_air(setup: Setup, warmer_c: float) -> Setup:
    """The same sheet in other air: the craft takes another power there, and the pack has another resistance."""
    conditions = setup.sheet.conditions
    air_c = min(max(conditions.air_c + warmer_c, COLDEST_C), HOTTEST_C)
    return set_up(setup.sheet.model_copy(update={"conditions": conditions.model_copy(update={"air_c": air_c})}))


def _at(flight: Flight, durations_s: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Charge used and charge left at some moments [Ah, 1]; past the end of the charge as at the end."""
    return (
        np.interp(durations_s, flight.time_s, flight.used_ah),
        np.interp(durations_s, flight.time_s, flight.charge_left),
    )


def _used_with_slopes(
    setup: Setup, logs: NDArray[np.float64], durations_s: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Charge used [Ah], and d ln(used)/d log-factor, shape (durations, 4)."""
    used, _, slopes, _ = _predict(setup, logs, durations_s)
    return used, slopes


def _predict(
    setup: Setup, logs: NDArray[np.float64], durations_s: NDArray[np.float64], warmer_c: float = 0.0
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    used, left = _at(_fly(setup, logs, warmer_c), durations_s)
    used_slopes, left_slopes = np.empty((used.size, _SHARED)), np.empty((used.size, _SHARED))
    for k in range(_SHARED):
        moved = logs.copy()
        moved[k] += _STEP
        used_k, left_k = _at(_fly(setup, moved, warmer_c), durations_s)
        used_slopes[:, k] = (np.log(used_k) - np.log(used)) / _STEP
        left_slopes[:, k] = (left_k - left) / _STEP
    return used, left, used_slopes, left_slopes


def _prior(setup: Setup, packs: int) -> NDArray[np.float64]:
    """Standard deviations of θ before any flight."""
    shared = [
        math.hypot(setup.load.power_sigma, power_by_weight_sigma(setup)),
        INTENSITY_SIGMA,
        max(setup.figures.capacity_sigma, 0.02),
        max(setup.figures.resistance_sigma, 0.05),
    ]
    return np.array([*shared, *(INDIVIDUAL_CAPACITY, INDIVIDUAL_RESISTANCE) * packs])


def learn(sheet: Sheet, observations: Sequence[Observation], /) -> Learned:
    """What flights of a craft on a pattern, with packs of one type, teach about both [Ah, s, 1].

    Parameters
    ----------
    sheet : Sheet
        Of the craft with a pack of that type, flown on that pattern.
    observations : sequence of Observation
        None are needed: then only the priors speak.
    """
    setup = set_up(sheet)
    packs = tuple(dict.fromkeys(o.pack for o in observations))
    sigma0 = _prior(setup, len(packs))
    theta = np.zeros(sigma0.size)
    unknown = np.full(len(observations), np.nan)
    none = np.zeros(len(observations), dtype=bool)
    mean_s = sum(o.duration_s for o in observations) / max(len(observations), 1)
    empty = Learned(
        theta, np.diag(sigma0**2), packs, unknown, unknown, sigma0, len(observations), mean_s, FLIGHT_SIGMA, none,
        setup,
    )  # fmt: skip
    if not observations:
        return empty
    columns = {name: empty._columns(name) for name in packs}
    long_tailed = np.zeros(sigma0.size, dtype=bool)
    long_tailed[[CAPACITY, *range(_SHARED, sigma0.size, 2)]] = True
    residuals, plain, scatter = unknown, None, FLIGHT_SIGMA
    normal = np.diag(sigma0**-2.0)
    for _ in range(_MOST_ROUNDS):
        rows, misses, residuals = _rows(setup, observations, packs, columns, theta, scatter)
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
    told = scatter * _t_over_normal(_FLIGHT_SIGMA_COUNTS + max(count - 1.0, 0.0))
    return Learned(theta, covariance, packs, residuals, plain, sigma0, len(observations), mean_s, told, odd, setup)


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
    setup: Setup, observations: Sequence[Observation], packs: tuple[str, ...]
) -> dict[tuple[str, float], list[int]]:
    """Flights of one pack in about the same air are one flight of the kernel: pack and how much warmer [K]."""
    groups: dict[tuple[int, int], list[tuple[float, int]]] = {}
    for k, o in enumerate(observations):
        warmer_c = 0.0 if o.air_c is None else o.air_c - setup.sheet.conditions.air_c
        groups.setdefault((packs.index(o.pack), round(warmer_c / _SAME_AIR_K)), []).append((warmer_c, k))
    return {
        (packs[pack], sum(w for w, _ in groups[pack, air]) / len(groups[pack, air])): [
            k for _, k in groups[pack, air]
        ]
        for pack, air in sorted(groups)
    }


def _rows(
    setup: Setup,
    observations: Sequence[Observation],
    packs: tuple[str, ...],
    columns: dict[str, NDArray[np.float64]],
    theta: NDArray[np.float64],
    scatter: float,
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """The Jacobian and the misses in standard deviations, one row a figure; and the charge's residual by flight."""
    rows: list[NDArray[np.float64]] = []
    misses: list[float] = []
    residuals = np.full(len(observations), np.nan)
    for (name, warmer_c), of in _alike(setup, observations, packs).items():
        durations_s = np.array([observations[k].duration_s for k in of])
        used, left, used_slopes, left_slopes = _predict(setup, columns[name] @ theta, durations_s, warmer_c)
        for j, k in enumerate(of):
            seen = observations[k]
            if seen.used_ah is not None:
                said = HOW_SHIFT * seen.effort
                sigma = math.hypot(scatter, seen.used_sigma, HOW_SIGMA * abs(seen.effort))
                residuals[k] = math.log(seen.used_ah / used[j]) - said
                rows.append(used_slopes[j] @ columns[name] / sigma)
                misses.append(residuals[k] / sigma)
            if seen.left is not None:
                # The flight's own variation moves what is left as well.
                sigma = math.hypot(seen.left_sigma, scatter * (1.0 - left[j]))
                rows.append(left_slopes[j] @ columns[name] / sigma)
                misses.append((seen.left - left[j]) / sigma)
    if not rows:
        return np.zeros((0, theta.size)), np.zeros(0), residuals
    return np.array(rows), np.array(misses), residuals
