"""A fitted log: its figures with their intervals, and what it tells of a pack."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Annotated, Literal, Self

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, model_validator

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
CAPACITY_OTHERWISE = 0.25
#: How near to a capacity the slope there is taken, as a logarithm [1].
_NEAR = 0.03
#: Where the end of a log was going is followed so much further, of the charge that was used by then [1].
_MOST_LATER = 1.0


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

    The same voltage is a fuller pack with more of it: one is read where the other is known to lie.

    Parameters
    ----------
    resistance_ohm : float
        What the log's fit says of a cell at 25 °C [Ω].
    capacity_ah : tuple of float
        What the pack may hold, ascending [Ah].
    factor, per_resistance : tuple of float
        Slow polarisation over the chemistry's in each, and how it goes with the logarithm of the resistance [1].
    used_ah : float
        Charge used where the end of the log lies [Ah].
    per_ah : tuple of float
        Where it was going: how the factor that fits grows with the charge used [1/Ah].
    """

    resistance_ohm: Annotated[float, Field(gt=0, le=20)]
    capacity_ah: tuple[Annotated[float, Field(gt=0, le=1000)], ...]
    factor: tuple[Annotated[float, Field(ge=0, le=50)], ...]
    per_resistance: tuple[Annotated[float, Field(ge=-1000, le=1000)], ...]
    used_ah: Annotated[float, Field(gt=0, le=1000)]
    per_ah: tuple[Annotated[float, Field(ge=-10000, le=10000)], ...]

    @model_validator(mode="after")
    def _of_one_length(self) -> Self:
        lengths = {len(self.capacity_ah), len(self.factor), len(self.per_resistance), len(self.per_ah)}
        if lengths != {len(self.capacity_ah)} or not self.capacity_ah:
            raise ValueError("One value of each for every capacity, and one capacity at least.")
        return self

    def at(self, *, capacity_ah: float, resistance_ohm: float, used_ah: float) -> tuple[float, float, float]:
        """In a pack that holds so much and resists so much [Ah, Ω]: what makes up the same voltage [1].

        With how it goes with the logarithm of the one and of the other [1].  As at the nearest capacity outside
        those that were looked at.
        """

        def read(of: tuple[float, ...], fuller: float = 0.0) -> float:
            return float(np.interp(capacity_ah * math.exp(fuller), self.capacity_ah, of))

        per_resistance = read(self.per_resistance)
        per_capacity = (read(self.factor, _NEAR) - read(self.factor, -_NEAR)) / (2.0 * _NEAR)
        moved = per_resistance * math.log(resistance_ohm / self.resistance_ohm)
        # Where a landing goes by no charge, it is as late as the log's end.
        later_ah = (
            min(max(used_ah - self.used_ah, 0.0), _MOST_LATER * self.used_ah) if math.isfinite(used_ah) else 0.0
        )
        return read(self.factor) + read(self.per_ah) * later_ah + moved, per_capacity, per_resistance


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
        slow=fit.slow,
        at_c=at_c,
    )
