"""A fitted log: its figures with their intervals, and what it tells of a pack."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from zesty_cell.core.entity import Entity
from zesty_cell.core.learn.flights import ERROR_SHOWN

#: Half the width of a 95 % interval, in standard deviations [1].
Z95 = 1.96
ParameterKey = Literal["resistance", "polarisation", "capacity", "start", "voltage scale", "diffusion"]
KEYS: tuple[ParameterKey, ...] = ("resistance", "polarisation", "capacity", "start", "voltage scale", "diffusion")
#: What is known before: one standard deviation of each logarithm, of the starting charge itself [1].
PRIOR = np.array([0.5, 0.6, 0.25, 0.04, 0.02, 0.6])
#: A log tells capacity by the curve of its voltage alone, which other cells bend otherwise: beside what charger and
#: rest voltage tell, it is as far out, one sigma [1].
CAPACITY_OTHERWISE = 0.10


@dataclass(frozen=True)
class Fitted:
    """One parameter of the pack.

    Attributes
    ----------
    key : ParameterKey
    value : float
        Resistance of a cell at 25 °C [Ω], polarisation over it [1], capacity of the pack [Ah], charge at the first
        line [1], shown over true volts [1], slow polarisation over the resistance [1].
    low, high : float
        95 % confidence interval, same unit.
    expected : float
        What was reckoned with before.
    told : bool
        Whether the log tells it.
    """

    key: ParameterKey
    value: float
    low: float
    high: float
    expected: float
    told: bool


class Slow(Entity):
    """Slow polarisation over its chemistry's, as a log's end shows it, the seconds' part being the chemistry's.

    The same voltage is a fuller pack with more of it: the two go together along a line of their logarithms.

    Parameters
    ----------
    log_factor : float
        Logarithm, where the pack holds ``capacity_ah`` [1].
    capacity_ah : float
        [Ah].
    per_capacity : float
        How it goes with the logarithm of the capacity [1].
    """

    log_factor: Annotated[float, Field(ge=-5, le=5)]
    capacity_ah: Annotated[float, Field(gt=0, le=1000)]
    per_capacity: Annotated[float, Field(ge=-100, le=100)]


@dataclass(frozen=True, repr=False)
class LogFit:
    """A fitted log.

    Attributes
    ----------
    parameters : tuple of Fitted
        In the order of :data:`KEYS`.
    rmse_v : float
        Root mean square error per cell [V].
    time_s, model_v : float64 (n,)
        The fitted pack voltage, as the sensor would show it, on the march's own steps [s, V].
    current_scale : float or None
        Shown over true current, by the charge put back [1].
    current_error : float
        One standard deviation of it [1].
    seconds : float
        Of flight that were fitted [s].
    noise_v : float
        Of the sensor, from one line to the next [V a cell].
    slow : Slow or None
        What the last third of the log says of the slow polarisation; None where it is too short to build it up.
    misfits : bool
        What is left over is several times that noise and more than a few millivolts: the pack is not as its
        chemistry.
    """

    parameters: tuple[Fitted, ...]
    rmse_v: float
    time_s: NDArray[np.float64]
    model_v: NDArray[np.float64]
    current_scale: float | None
    current_error: float
    seconds: float
    noise_v: float
    misfits: bool

    slow: Slow | None = None

    def __repr__(self) -> str:
        told = ", ".join(f"{p.key} {p.value:.4g} ({p.low:.4g} to {p.high:.4g})" for p in self.parameters if p.told)
        return f"<LogFit of {self.seconds:.0f} s: {told or 'tells nothing'}>"

    def of(self, key: ParameterKey, /) -> Fitted:
        """One parameter."""
        return self.parameters[KEYS.index(key)]


class LogTold(Entity):
    """What a log's fit told of one pack, to be learned from.

    Parameters
    ----------
    resistance_ohm : float, optional
        Of a cell at 25 °C by our law of temperature [Ω]; None where the log does not tell it.
    capacity_ah : float, optional
        Of the pack [Ah].
    resistance_sigma, capacity_sigma : float
        One standard deviation of their logarithms [1].
    slow : Slow, optional
        Slow polarisation, as the end of the flight shows it.
    at_c : float
        Temperature at which it was seen [°C].
    """

    resistance_ohm: Annotated[float, Field(gt=0, le=20)] | None = None
    resistance_sigma: Annotated[float, Field(gt=0, le=5)] = 1.0
    capacity_ah: Annotated[float, Field(gt=0, le=1000)] | None = None
    capacity_sigma: Annotated[float, Field(gt=0, le=5)] = 1.0
    slow: Slow | None = None
    at_c: Annotated[float, Field(ge=-40, le=90)] = 25.0


def told_by_log(fit: LogFit, /, *, at_c: float) -> LogTold | None:
    """What a fit tells that can be learned from; None where it tells nothing of the pack [Ω, Ah].

    A current sensor that nobody checked is as far out as such sensors are: resistance and capacity go with it.

    Parameters
    ----------
    at_c : float
        Temperature of the pack as it took off [°C].
    """
    resistance, capacity = fit.of("resistance"), fit.of("capacity")
    if not (resistance.told or capacity.told):
        return None
    scale_sigma = fit.current_error if fit.current_scale is not None else ERROR_SHOWN

    def sigma(of: Fitted) -> float:
        return math.hypot(math.log(of.high / of.value) / Z95, scale_sigma)

    return LogTold(
        resistance_ohm=resistance.value if resistance.told else None,
        resistance_sigma=sigma(resistance),
        capacity_ah=capacity.value if capacity.told else None,
        capacity_sigma=math.hypot(sigma(capacity), CAPACITY_OTHERWISE),
        slow=fit.slow if resistance.told else None,
        at_c=at_c,
    )
