"""What makes a forecast unsure, cause by cause, and what one measurement would do about it.

The landing times of the range's own flights are laid over what was drawn for each (power, liveliness, capacity,
resistance, full throttle, air): a regression of their logarithms.  Its shares of variance are averaged over all
orders of the causes (Lindeman, Merenda and Gold 1980), so that they add up however the causes hang together; what
it leaves open are gusts.  A measurement changes the covariance of those causes (Kalman 1960, one linear
observation), and the same flights, drawn narrower, give the range it would leave.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from itertools import combinations
from typing import Final, Literal

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.answer.forecast import (
    AIR_SIGMA_C,
    Forecast,
    gusts_in_mean,
    power_by_weight_sigma,
    resistance_by_cold_sigma,
    spread_of_factors,
)
from zesty_cell.core.learn.correction import BEFORE_CAPACITY, BEFORE_POWER, FEW, FLIGHT_SIGMA
from zesty_cell.core.learn.learned import FEW_WIDER, INDIVIDUAL_CAPACITY, MODEL_SIGMA
from zesty_cell.core.learn.timer import FIRST_SHARE
from zesty_cell.core.parts.craft import EstimatedSteady, MeasuredFullThrottle, MeasuredPoint
from zesty_cell.core.parts.power_doubt import FULL_THROTTLE_SIGMA, POWER_SIGMA
from zesty_cell.core.quantiles import quantiles

#: The causes that are drawn, in the order of the columns.
_POWER, _FLYING, _CAPACITY, _RESISTANCE, _FULL, _AIR = range(6)
CauseKey = Literal[
    "efficiency", "weight", "size", "electronics", "sensor", "flights", "flying", "capacity", "resistance",
    "full_throttle", "day",
]  # fmt: skip
MeasureKey = Literal[
    "weigh", "hover_charge", "hover_amps", "flight", "three_flights", "full_amps", "charger_ohm", "rest_volts",
    "sensor",
]  # fmt: skip

#: How long each takes [min], packing out and writing down included.
MINUTES: Final[dict[MeasureKey, float]] = {
    "weigh": 1.0,
    "hover_charge": 15.0,
    "hover_amps": 3.0,
    "flight": 15.0,
    "three_flights": 60.0,
    "full_amps": 3.0,
    "charger_ohm": 5.0,
    "rest_volts": 15.0,
    "sensor": 20.0,
}
#: Nothing is done in less, whatever it takes [min]: what narrows most for the trouble is told first.
_ANY_TROUBLE_MIN = 5.0
#: A measurement that takes less than this share off the range is not worth a word [1].
_WORTH_A_WORD = 0.04
#: What a measurement leaves open, one standard deviation, relative: a kitchen scale, a charger's count, its
#: resistance, a current sensor that was checked, and a rest voltage's charge [1].
_SCALE, _CHARGER, _CHARGER_OHM, _CHECKED, _REST_CHARGE = 0.01, 0.02, 0.15, 0.02, 0.07


@dataclass(frozen=True)
class Cause:
    """A cause of the range's width, and its share of the variance [1]; all of them make 1."""

    key: CauseKey
    share: float


@dataclass(frozen=True)
class Measure:
    """One measurement, and what it would leave.

    Attributes
    ----------
    key : MeasureKey
    minutes : float
        It takes [min].
    low_s, high_s : float
        The range it would leave, 5th and 95th percentile of the landing time, around what is expected now [s].
    narrower : float
        Share of the range's width that goes [1].
    """

    key: MeasureKey
    minutes: float
    low_s: float
    high_s: float
    narrower: float


@dataclass(frozen=True)
class Surer:
    """Causes of the width, the largest first, and measurements, the best for their trouble first."""

    causes: tuple[Cause, ...]
    measures: tuple[Measure, ...]


@dataclass(frozen=True)
class _Spread:
    """The range's flights and what was drawn for them.

    Attributes
    ----------
    drawn : float64 array, shape (k, 6)
        Logarithms of the factors, and the air's departure [1, K], each about zero.
    covariance : float64 array, shape (6, 6)
        That they were drawn from.
    logs : float64 array, shape (k,)
        Of the landing times.
    slopes : float64 array, shape (6,)
        How these go with what was drawn.
    """

    drawn: NDArray[np.float64]
    covariance: NDArray[np.float64]
    logs: NDArray[np.float64]
    slopes: NDArray[np.float64]

    def narrowed_s(self, covariance: NDArray[np.float64]) -> NDArray[np.float64]:
        """Landing times of the same flights, drawn from another covariance [s]."""
        before, after = np.linalg.cholesky(self.covariance), np.linalg.cholesky(covariance)
        moved = self.drawn @ (after @ np.linalg.inv(before)).T
        return np.asarray(np.exp(self.logs + (moved - self.drawn) @ self.slopes))


#: Landing times that differ by less are one: a timer lands, and nothing is to be told [1].
_ONE_MOMENT = 1e-4


def _width(low_s: float, high_s: float) -> float:
    """How wide a range of times is, as a logarithm [1]."""
    return math.log(max(high_s, 1e-3) / max(low_s, 1e-3))


def _spread(result: Forecast) -> _Spread | None:
    """None where every flight lands at the same moment, or all but so few that the range is one."""
    factors = result.factors
    logs = np.log(np.maximum(result.range.landing_s, 1e-3))
    if float(logs.std()) < _ONE_MOMENT or _width(result.range.low_s, result.range.high_s) < _ONE_MOMENT:
        return None
    drawn = np.column_stack(
        (
            np.log(factors.power),
            np.log(factors.intensity),
            np.log(factors.capacity),
            np.log(factors.resistance),
            np.log(factors.full_throttle),
            factors.air_c,
        )
    )
    drawn -= drawn.mean(axis=0)
    covariance = np.zeros((6, 6))
    lower = spread_of_factors(result.setup)
    covariance[:4, :4] = lower @ lower.T
    covariance[_FULL, _FULL] = result.setup.load.full_throttle_sigma**2
    covariance[_AIR, _AIR] = AIR_SIGMA_C**2
    slopes = np.linalg.lstsq(drawn, logs - logs.mean(), rcond=None)[0]
    return _Spread(drawn, covariance, logs, np.asarray(slopes))


def _shares(spread: _Spread) -> NDArray[np.float64]:
    """Share of the variance that each cause has, averaged over all orders (LMG), shape (6,) [1]."""
    count = spread.drawn.shape[1]
    y = spread.logs - spread.logs.mean()
    gram, cross, whole = spread.drawn.T @ spread.drawn, spread.drawn.T @ y, float(y @ y)
    explained: dict[tuple[int, ...], float] = {(): 0.0}
    for size in range(1, count + 1):
        for some in combinations(range(count), size):
            at = list(some)
            b = np.linalg.lstsq(gram[np.ix_(at, at)], cross[at], rcond=None)[0]
            explained[some] = float(b @ cross[at]) / whole
    shares = np.zeros(count)
    for k in range(count):
        others = [j for j in range(count) if j != k]
        for size in range(count):
            weight = math.factorial(size) * math.factorial(count - size - 1) / math.factorial(count)
            for some in combinations(others, size):
                shares[k] += weight * (explained[tuple(sorted((*some, k)))] - explained[some])
    return np.maximum(shares, 0.0)


def _power_causes(result: Forecast) -> dict[CauseKey, float]:
    """Variance of power by what makes it unsure [1]."""
    setup = result.setup
    if setup.sheet.learned_factors is not None:
        return {"flights": 1.0}
    parts = setup.load.power_parts
    return {
        "efficiency": parts.source**2,
        "weight": parts.weight**2 + power_by_weight_sigma(setup) ** 2,
        "size": parts.size**2,
        "electronics": parts.electronics**2,
        "sensor": parts.sensor**2,
    }


def _causes(result: Forecast, spread: _Spread) -> tuple[Cause, ...]:
    shares = _shares(spread)
    by_power = _power_causes(result)
    whole = sum(by_power.values())
    found: dict[CauseKey, float] = {
        key: float(shares[_POWER]) * variance / whole for key, variance in by_power.items() if variance > 0.0
    }
    found |= {
        "flying": float(shares[_FLYING]),
        "capacity": float(shares[_CAPACITY]),
        "resistance": float(shares[_RESISTANCE]),
        "full_throttle": float(shares[_FULL]),
    }
    found["day"] = max(1.0 - sum(found.values()), 0.0)  # the air, gusts, and what does not add up
    total = sum(found.values())
    causes = (Cause(key, share / total) for key, share in found.items())
    return tuple(sorted(causes, key=lambda cause: -cause.share))


_Covariance = NDArray[np.float64]


def _told(covariance: _Covariance, row: NDArray[np.float64], noise: float) -> _Covariance:
    """Covariance after a reading of ``row`` · causes with a standard deviation of ``noise`` [1]."""
    toward = covariance @ row
    return np.asarray(covariance - np.outer(toward, toward) / (float(row @ toward) + noise**2))


def _known_to(covariance: _Covariance, cause: int, sigma: float) -> _Covariance:
    """Covariance when a cause alone is known to a standard deviation [1]; as it is where it is known better."""
    if covariance[cause, cause] <= sigma**2:
        return covariance
    after = covariance.copy()
    after[cause, :] = after[:, cause] = 0.0
    after[cause, cause] = sigma**2
    return after


def _flown(result: Forecast, spread: _Spread, *, flights: int, charge: bool, rest: bool) -> _Covariance:
    """Covariance after flights of which one knows the charge put back, or the charge left by a rest voltage.

    As learning goes: what is doubted before any flight is doubted here too, and what differs from flight to flight
    stays.
    """
    before, learned = spread.covariance.copy(), result.setup.sheet.learned_factors
    gusts = gusts_in_mean(flown_s=result.flight.landing_s)
    stays = max(FLIGHT_SIGMA**2 - gusts**2, 0.25 * FLIGHT_SIGMA**2)
    if learned is None:
        before[_POWER, _POWER] += BEFORE_POWER**2
        before[_CAPACITY, _CAPACITY] += BEFORE_CAPACITY**2 + INDIVIDUAL_CAPACITY**2
    else:
        unlearned = stays + MODEL_SIGMA**2 * (1.0 + FEW_WIDER / learned.flights)
        before[_POWER, _POWER] -= min(unlearned, 0.8 * before[_POWER, _POWER])
    known = flights + (0 if learned is None else learned.flights)
    current = -spread.slopes.copy()
    current[_CAPACITY] = 0.0
    scatter = FLIGHT_SIGMA * math.sqrt(1.0 + FEW / known) / math.sqrt(flights)
    after = before
    if charge:
        after = _told(after, current, math.hypot(scatter, _CHARGER / math.sqrt(flights)))
    if rest:
        used = FIRST_SHARE * result.at_landing.used_ah / result.setup.figures.capacity_ah
        after = _told(after, -spread.slopes, math.hypot(scatter, _REST_CHARGE / max(used, 0.05)))
    after[_POWER, _POWER] += stays + MODEL_SIGMA**2 * (1.0 + FEW_WIDER / known)
    return after


def _weighed(result: Forecast, spread: _Spread) -> _Covariance | None:
    """Craft and pack on a scale: what their weights do to power goes."""
    setup, parts = result.setup, result.setup.load.power_parts
    if setup.sheet.learned_factors is not None:
        return None
    unsure = parts.weight**2 + power_by_weight_sigma(setup) ** 2
    left = (setup.load.weight_exponent * _SCALE) ** 2
    if unsure <= left:
        return None
    after = spread.covariance.copy()
    after[_POWER, _POWER] -= unsure - left
    return after


def _power_known(result: Forecast, spread: _Spread, *, by_sensor: bool) -> _Covariance | None:
    """One point of steady power, by what was put back or by the craft's sensor."""
    estimated = isinstance(result.setup.sheet.craft.steady, EstimatedSteady)
    if result.setup.sheet.learned_factors is not None or not estimated:
        return None
    sensed = result.setup.sheet.sensor.error if by_sensor else 0.0
    source = POWER_SIGMA["measured" if by_sensor else "charge"]
    return _known_to(spread.covariance, _POWER, math.hypot(source, sensed, power_by_weight_sigma(result.setup)))


def _full_known(result: Forecast, spread: _Spread) -> _Covariance | None:
    """Amps of one climb at full throttle, by the craft's sensor."""
    if isinstance(result.setup.sheet.craft.full_throttle, MeasuredFullThrottle):
        return None
    sensed = result.setup.sheet.sensor.error
    return _known_to(spread.covariance, _FULL, math.hypot(FULL_THROTTLE_SIGMA["measured"], sensed))


def _resistance_known(result: Forecast, spread: _Spread) -> _Covariance | None:
    learned = result.setup.sheet.learned_factors
    if result.setup.figures.resistance_known == "measured" or (
        learned is not None and learned.knows(result.setup.sheet.pack)
    ):
        return None
    sigma = math.hypot(_CHARGER_OHM, resistance_by_cold_sigma(result.setup))
    return _known_to(spread.covariance, _RESISTANCE, sigma)


def _sensor_known(result: Forecast, spread: _Spread) -> _Covariance | None:
    """A current sensor that was checked: what was read by it is known as well as by a meter."""
    craft, error = result.setup.sheet.craft, result.setup.sheet.sensor.error
    if result.setup.sheet.learned_factors is not None or error <= _CHECKED:
        return None
    after = spread.covariance.copy()
    if isinstance(craft.steady, MeasuredPoint) and craft.steady.read_by == "craft's sensor":
        after[_POWER, _POWER] -= error**2 - _CHECKED**2
    full = craft.full_throttle
    if isinstance(full, MeasuredFullThrottle) and full.read_by == "craft's sensor":
        after[_FULL, _FULL] -= error**2 - _CHECKED**2
    return after


_MEASURES: Final[dict[MeasureKey, Callable[[Forecast, _Spread], _Covariance | None]]] = {
    "weigh": _weighed,
    "hover_charge": lambda result, spread: _power_known(result, spread, by_sensor=False),
    "hover_amps": lambda result, spread: _power_known(result, spread, by_sensor=True),
    "flight": lambda result, spread: _flown(result, spread, flights=1, charge=True, rest=False),
    "three_flights": lambda result, spread: _flown(result, spread, flights=3, charge=True, rest=True),
    "full_amps": _full_known,
    "charger_ohm": _resistance_known,
    "rest_volts": lambda result, spread: _flown(result, spread, flights=1, charge=False, rest=True),
    "sensor": _sensor_known,
}


def _measures(result: Forecast, spread: _Spread) -> tuple[Measure, ...]:
    now = _width(result.range.low_s, result.range.high_s)
    measures = []
    for key, known in _MEASURES.items():
        after = known(result, spread)
        if after is None:
            continue
        low_s, high_s = quantiles(spread.narrowed_s(after), (0.05, 0.95))
        narrower = 1.0 - _width(low_s, high_s) / now
        if narrower >= _WORTH_A_WORD:
            measures.append(Measure(key, MINUTES[key], low_s, high_s, narrower))
    measures.sort(key=lambda m: -m.narrower / (m.minutes + _ANY_TROUBLE_MIN))
    return tuple(measures)


def best_measure(result: Forecast, /) -> Measure | None:
    """The measurement that narrows a forecast most for its trouble, in [s]; None where none is worth a word."""
    spread = _spread(result)
    return None if spread is None else next(iter(_measures(result, spread)), None)


def surer(result: Forecast, /) -> Surer:
    """What makes a forecast unsure, and which measurement narrows it most for its trouble.

    Parameters
    ----------
    result : Forecast
        Of the sheet as it is flown.

    Returns
    -------
    Surer
        Empty where nothing is unsure: a timer lands every flight at the same moment.
    """
    spread = _spread(result)
    if spread is None:
        return Surer((), ())
    return Surer(_causes(result, spread), _measures(result, spread))
