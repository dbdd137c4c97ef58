"""What a craft's sensors show of sampled flights: each flight with its own error."""

from __future__ import annotations

from functools import cache
from statistics import NormalDist

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.flight.setup import Setup

_SENSOR_SEED, _VOLTS_SEED = 20_261_127, 20_261_128


#: How far out what is shown for a voltage is in a flight, one standard deviation [1]: 15 mV a cell of a sensor that
#: nobody checked, and 10 mV of a curve that is its chemistry's and not this cell's.
VOLTS_OUT = 0.005


@cache
def sensor_draws(count: int, *, seed: int = _SENSOR_SEED) -> NDArray[np.float64]:
    """Standard normal errors of a sensor, one a flight, shape (count,), seeded and stratified [1]."""
    quantiles = np.array([NormalDist().inv_cdf((k + 0.5) / count) for k in range(count)])
    draws = np.random.Generator(np.random.PCG64(seed)).permutation(quantiles)
    draws.setflags(write=False)
    return np.asarray(draws)


def shown_over_true(setup: Setup, count: int, /) -> NDArray[np.float64]:
    """What the current sensor shows over the truth in each of so many flights, shape (count,) [1]."""
    sensor = setup.sheet.sensor
    return np.asarray(np.maximum(1.0 + sensor.out + sensor.error * sensor_draws(count), 0.02))


@cache
def volts_shown(count: int) -> NDArray[np.float64]:
    """What is shown for a voltage over the truth in each of so many flights, shape (count,) [1]."""
    shown = 1.0 + VOLTS_OUT * sensor_draws(count, seed=_VOLTS_SEED)
    shown.setflags(write=False)
    return np.asarray(shown)
