"""What was learned of a craft, its packs and patterns, and what follows for the next flight."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.answer.forecast import (
    gusts_in_mean,
)
from zesty_cell.core.asked.learned_factors import CAPACITY, POWER, LearnedFactors, PackKind, spread_of
from zesty_cell.core.flight.many import charge_left_at
from zesty_cell.core.flight.setup import Factors, Setup
from zesty_cell.core.learn.observation import PackTold

#: What no number of flights tells away: days, habits and cells are not the model's, one sigma [1].
MODEL_SIGMA = 0.04
#: What no number of flights tells away counts so much more among few [1]: one flight's air, wind and mood are all
#: that is known.
FEW_WIDER = 2.5
#: How individuals of a type differ from each other: capacity and resistance, one sigma [1].
INDIVIDUAL_CAPACITY, INDIVIDUAL_RESISTANCE = 0.08, 0.18
_STEP = 1e-3
#: θ: power, intensity on the sheet's pattern, capacity and resistance of the type; then capacity and resistance
#: of each individual, intensity on each further pattern, and the scale of each sensor over each period between
#: calibrations.
SHARED = 4
FACTORS = ("power", "intensity", "capacity", "resistance")
#: How chemistries' slow polarisation differs from cell to cell, and how surely one log tells it, one sigma [1].
SLOW_SIGMA, SLOW_BY_LOG = 0.8, 0.2
#: No cell's is further from its chemistry's, times or parts of it [1].
MOST_SLOW = 5.0


def known_at_c(told: Sequence[PackTold]) -> float:
    """Temperature at which a resistance is known [°C]: the mean of the logs' that told it, by what they tell."""
    seen = [(t.at_c, t.resistance_sigma**-2.0) for t in told if t.resistance is not None]
    return sum(c * w for c, w in seen) / sum(w for _, w in seen) if seen else 25.0


class _SlowTold(NamedTuple):
    """Slow polarisation of an individual over its chemistry's [1], as :class:`LearnedFactors` keeps it."""

    slow: float = 1.0
    slow_sigma: float = 0.0
    slow_per_capacity: float = 0.0
    slow_per_resistance: float = 0.0


def _slow(
    told: Sequence[PackTold], pack: str, *, capacity_ah: float, resistance_ohm: float, used_ah: float
) -> _SlowTold:
    """What logs told of the slow polarisation of an individual, else of its type.

    Parameters
    ----------
    capacity_ah, resistance_ohm, used_ah : float
        What the pack is believed to hold, a cell to resist, and a flight to use [Ah, Ω, Ah]: the ends of logs are
        read there.
    """
    seen = [t.slow for t in told if t.slow is not None and t.pack == pack] or [t.slow for t in told if t.slow]
    if not seen:
        return _SlowTold()
    read = np.array([of.at(capacity_ah=capacity_ah, resistance_ohm=resistance_ohm, used_ah=used_ah) for of in seen])
    prior = (SLOW_BY_LOG / SLOW_SIGMA) ** 2
    mean = (float(read[:, 0].sum()) + prior) / (len(seen) + prior)
    slow = min(max(mean, 1.0 / MOST_SLOW), MOST_SLOW)
    # A log's end is out as its model is: many logs tell it no more surely than one.
    return _SlowTold(slow, SLOW_BY_LOG, float(read[:, 1].mean()), float(read[:, 2].mean()))


def predicted(
    setup: Setup, /, *, logs: NDArray[np.float64], durations_s: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """Charge used and left at some moments, and how the logarithm of one and the other go with the factors [Ah, 1].

    Past the end of the charge as at the end.

    Parameters
    ----------
    logs : float64 array, shape (4,)
        Of the factors [1].
    durations_s : float64 array, shape (n,)
        [s].

    Returns
    -------
    used_ah, left : float64 arrays, shape (n,)
        Whole pack [Ah]; state of charge [1].
    used_slopes, left_slopes : float64 arrays, shape (n, 4)
        d ln(used)/d logs and d left/d logs [1].
    """
    moved = np.tile(logs, (SHARED + 1, 1))
    moved[range(1, SHARED + 1), range(SHARED)] += _STEP
    factors = np.exp(moved)
    left = charge_left_at(
        setup,
        factors=Factors(
            power=factors[:, 0],
            intensity=factors[:, 1],
            capacity=factors[:, 2],
            resistance=factors[:, 3],
            full_throttle=np.ones(SHARED + 1),
            air_c=np.zeros(SHARED + 1),
        ),
        moments_s=durations_s,
    )
    start = setup.sheet.conditions.start_charge
    used = (start - left) * setup.figures.capacity_ah * factors[:, 2][:, None]
    logged = np.log(np.maximum(used, 1e-12))
    used_slopes = ((logged[1:] - logged[0]) / _STEP).T
    return used[0], left[0], used_slopes, ((left[1:] - left[0]) / _STEP).T


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
        return self.setup.figures.capacity_ah * math.exp(float((self.columns(pack) @ self.theta)[CAPACITY]))

    def factor(self, name: str, /) -> tuple[float, float]:
        """A factor of the craft or the type, and its standard deviation [1]: “power”, “intensity”, “capacity”, …"""
        k = FACTORS.index(name)
        return math.exp(self.theta[k]), math.sqrt(self.covariance[k, k])

    def before(self, name: str, /) -> float:
        """Standard deviation of a factor of one pack and its craft before any flight [1]."""
        k = FACTORS.index(name)
        individual = (0.0, 0.0, INDIVIDUAL_CAPACITY, INDIVIDUAL_RESISTANCE)[k]
        return math.hypot(float(self.prior[k]), individual)

    def columns(self, pack: str, pattern: str | None = None) -> NDArray[np.float64]:
        """How θ makes the four logarithms of a flight with a pack on a pattern, shape (4, θ) [1]."""
        chosen = np.zeros((SHARED, self.theta.size))
        chosen[range(SHARED), range(SHARED)] = 1.0
        if pack in self.packs:
            own = SHARED + 2 * self.packs.index(pack)
            chosen[2, own], chosen[3, own + 1] = 1.0, 1.0
        if pattern in self.patterns:
            chosen[1] = 0.0
            chosen[1, SHARED + 2 * len(self.packs) + self.patterns.index(pattern)] = 1.0
        return chosen

    def used(self, pack: str, duration_s: float) -> tuple[float, float]:
        """Charge that a flight will use [Ah], and the standard deviation of its logarithm [1].

        A pack that was never flown starts from its type.
        """
        columns = self.columns(pack)
        base = columns @ self.theta
        used_ah, _, slopes, _ = predicted(self.setup, logs=base, durations_s=np.array([duration_s]))
        gradient = slopes[0] @ columns
        spread = float(gradient @ self.covariance @ gradient)
        if pack not in self.packs:
            spread += (slopes[0, 2] * INDIVIDUAL_CAPACITY) ** 2 + (slopes[0, 3] * INDIVIDUAL_RESISTANCE) ** 2
        return float(used_ah[0]), math.sqrt(spread + self.scatter**2)

    def _slow(self, pack: str, *, capacity: float, resistance: float) -> _SlowTold:
        """What logs told of the slow polarisation at the landing of a pack with such factors [1]."""
        return _slow(
            self.told,
            pack,
            capacity_ah=self.setup.figures.capacity_ah * capacity,
            resistance_ohm=self.setup.figures.cell_resistance_ohm * resistance,
            used_ah=self.setup.landing_used_ah * capacity,
        )

    def slow_of_type(self) -> float:
        """Slow polarisation of its type over the chemistry's, as logs told it [1]."""
        _, _, capacity, resistance = (float(f) for f in np.exp(self.theta[:SHARED]))
        return self._slow("", capacity=capacity, resistance=resistance).slow

    def learned_factors(self, pack: str, /) -> LearnedFactors:
        """What a sheet flies with: factors of the craft and of one individual, with their covariance and the
        flights' own variation; a pack that was never flown starts from its type.

        Raises
        ------
        ValueError
            Without flights.
        """
        if not self.flights and not self.told:
            raise ValueError("Nothing was learned without flights.")
        columns = self.columns(pack)
        power, intensity, capacity, resistance = (float(f) for f in np.exp(columns @ self.theta))
        covariance = columns @ self.covariance @ columns.T
        if pack not in self.packs:
            covariance[[2, 3], [2, 3]] += INDIVIDUAL_CAPACITY**2, INDIVIDUAL_RESISTANCE**2
        # Gusts are drawn within each sampled flight: what they make of the flights' scatter is there already.
        gusts = gusts_in_mean(flown_s=self.mean_s)
        # Few flights may have been odd ones, all alike: what is not the model's is as much wider.
        model = MODEL_SIGMA**2 * (1.0 + FEW_WIDER / max(self.flights, 1))
        covariance[POWER, POWER] += max(self.scatter**2 - gusts**2, 0.25 * self.scatter**2) + model
        return LearnedFactors(
            flights=max(self.flights, len(self.told)),
            elsewhere=self.elsewhere,
            power=power,
            intensity=intensity,
            capacity=capacity,
            resistance=resistance,
            spread=spread_of(covariance),
            kind=PackKind.of(self.setup.sheet.pack),
            pattern=self.setup.sheet.flying.name,
            resistance_c=known_at_c(self.told),
            **self._slow(pack, capacity=capacity, resistance=resistance)._asdict(),
            logs=sum(t.resistance is not None for t in self.told),
        )
