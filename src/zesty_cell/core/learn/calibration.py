"""Calibrations as they are kept: what was read, and what follows for the logs before and after (PHYSICS 6)."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Annotated, Literal, TypeVar

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, TypeAdapter, model_validator

from zesty_cell.core.callouts.telemetry import Telemetry
from zesty_cell.core.entity import Entity, refused
from zesty_cell.core.fact import Fact, fact
from zesty_cell.core.learn.hover_down import MOST_POINTS
from zesty_cell.core.learn.line_loss import LineLoss, line_loss
from zesty_cell.core.learn.moment import Moment
from zesty_cell.core.learn.scales import ONE_FLIGHT, CurrentScale, VoltageScale, current_scale, voltage_scale
from zesty_cell.core.parts.measured import CellVolts, PackVolts

#: How far a sensor that was never checked may be out, one standard deviation [1].
UNCHECKED_VOLTAGE, UNCHECKED_CURRENT = 0.02, 0.10
#: A charger's own count, and a hand-held meter's volts, one standard deviation [1].
CHARGER_ERROR, METER_ERROR = 0.01, 0.003

Volts = TypeVar("Volts", float, NDArray[np.float64])
Scale = Annotated[float, Field(gt=0, le=1e6)]
Step = Annotated[float, Field(ge=1e-6, le=1e4)]
Charge = Annotated[float, Field(ge=0, le=400)]
Note = Annotated[str, Field(max_length=300)]


class _Kept(Entity):
    made_at: Moment
    note: Note = ""


class Moved(Entity):
    """A figure of a craft's measured points as it was entered, and as the corrected sensor shows it [A or V]."""

    part: Literal["steady", "full throttle"]
    unit: Literal["A", "V"]
    was: Annotated[float, Field(gt=0, le=1e5)]
    now: Annotated[float, Field(gt=0, le=1e5)]


class CraftPoints(Entity):
    """What became of the craft's measured points that a calibration explains."""

    answer: Literal["corrected", "left"]
    moved: Annotated[tuple[Moved, ...], Field(max_length=4)] = ()


class VoltageCalibration(_Kept):
    """A voltage sensor beside a meter; ``entered`` is the scale that was entered then, in steps of ``step``."""

    kind: Literal["voltage"] = "voltage"
    old: Scale
    step: Step
    takes_offset: bool = False
    points: Annotated[tuple[tuple[PackVolts, PackVolts], ...], Field(min_length=1, max_length=4)]
    entered: Scale
    offset_v: Annotated[float, Field(ge=-10, le=10)] = 0.0
    craft_points: CraftPoints | None = None

    def scale(self) -> VoltageScale:
        """What follows from the readings [V]."""
        return voltage_scale(old=self.old, points=self.points, step=self.step, takes_offset=self.takes_offset)

    def corrected_v(self, shown_v: Volts, /) -> Volts:
        """What readings taken before would have been after [V], one or an array of shape (n,)."""
        return shown_v * (self.entered / self.old) + self.offset_v

    @property
    def error(self) -> float:
        """Share that the sensor may still be out at the points measured, the meter's own error with it [1]."""
        left = max(abs(self.corrected_v(shown) / metered - 1.0) for shown, metered in self.points)
        return math.hypot(left, METER_ERROR)


class CurrentCalibration(_Kept):
    """A current sensor beside the charger; ``entered`` is the scale that was entered then."""

    kind: Literal["current"] = "current"
    old: Scale
    step: Step
    reading_rises: bool
    flights: Annotated[tuple[tuple[Charge, Charge], ...], Field(min_length=1, max_length=12)]
    capacity_ah: Annotated[float, Field(gt=0, le=400)]
    second_look: bool = False
    entered: Scale
    craft_points: CraftPoints | None = None

    def scale(self) -> CurrentScale:
        """What follows from the readings [1]."""
        return current_scale(
            old=self.old,
            flights=self.flights,
            reading_rises=self.reading_rises,
            step=self.step,
            capacity_ah=self.capacity_ah,
            second_look=self.second_look,
        )

    @property
    def factor(self) -> float:
        """What charge and current shown before are to be multiplied by [1]."""
        return self.entered / self.old if self.reading_rises else self.old / self.entered

    @property
    def error(self) -> float:
        """Share that the sensor may still be out [1]."""
        shown, back = sum(s for s, _ in self.flights), sum(b for _, b in self.flights)
        left = abs(shown * self.factor / back - 1.0)
        return math.hypot(left, math.hypot(self.scale().error, CHARGER_ERROR))


class LineLossTest(_Kept):
    """A flight to the craft's lamp; ``landing_stage`` is what was chosen about its landing by itself."""

    kind: Literal["line loss"] = "line loss"
    alarm_v: PackVolts
    rest_v: PackVolts
    series: Annotated[int, Field(ge=1, le=24)]
    wanted_rest_v: CellVolts
    current_a: Annotated[float, Field(gt=0, le=2000)] | None = None
    landing_stage: Literal["keep", "off"] | None = None

    def loss(self) -> LineLoss:
        """What follows from the readings [V, Ω]."""
        return line_loss(
            alarm_v=self.alarm_v,
            rest_v=self.rest_v,
            series=self.series,
            wanted_rest_v=self.wanted_rest_v,
            current_a=self.current_a,
        )


class HoverDown(_Kept):
    """Voltages of a cell against time, down to the landing; under load, or each at rest after a stop."""

    kind: Literal["hover-down"] = "hover-down"
    loaded: bool
    series: Annotated[int, Field(ge=1, le=24)]
    points: Annotated[
        tuple[tuple[Annotated[float, Field(ge=0, le=14_400)], CellVolts], ...],
        Field(min_length=4, max_length=MOST_POINTS),
    ]


class CellCheck(_Kept):
    """The cells of a resting pack."""

    kind: Literal["cells"] = "cells"
    cells_v: Annotated[tuple[CellVolts, ...], Field(min_length=1, max_length=24)]
    resistance_ohm: Annotated[float, Field(gt=0, le=2)] | None = None

    @model_validator(mode="after")
    def _plausible(self) -> CellCheck:
        if max(self.cells_v) - min(self.cells_v) > 2.0:
            raise refused(fact("refused.cells.two_as_one"))
        return self


Calibration = Annotated[
    VoltageCalibration | CurrentCalibration | LineLossTest | HoverDown | CellCheck, Field(discriminator="kind")
]
Kind = Literal["voltage", "current", "line loss", "hover-down", "cells"]
CALIBRATION: TypeAdapter[Calibration] = TypeAdapter(Calibration)


def charge_factor(calibrations: Iterable[Calibration], /, *, at: datetime) -> float:
    """What charge shown at a moment is to be multiplied by [1]: every calibration made after it counts."""
    factor = 1.0
    for made in calibrations:
        if isinstance(made, CurrentCalibration) and made.made_at > at:
            factor *= made.factor
    return factor


def corrected_v(shown_v: float, /, *, calibrations: Iterable[Calibration], at: datetime) -> float:
    """What a voltage shown at a moment truly was [V]: every calibration made after it counts, in order."""
    after = [c for c in calibrations if isinstance(c, VoltageCalibration) and c.made_at > at]
    for made in sorted(after, key=lambda c: c.made_at):
        shown_v = made.corrected_v(shown_v)
    return shown_v


def corrected_log(
    log: Telemetry, /, *, calibrations: Sequence[Calibration], at: datetime
) -> tuple[Telemetry, tuple[Fact, ...]]:
    """A log as its sensors, corrected, would have written it [V, A, Ah]; with what was corrected."""
    notes: list[Fact] = []
    factor = charge_factor(calibrations, at=at)
    if factor != 1.0:
        notes.append(fact("log.corrected.current", factor=factor))
        log = replace(
            log,
            current_a=None if log.current_a is None else log.current_a * factor,
            used_ah=None if log.used_ah is None else log.used_ah * factor,
        )
    after = [c for c in calibrations if isinstance(c, VoltageCalibration) and c.made_at > at]
    if after and log.pack_v is not None:
        notes.append(fact("log.corrected.voltage"))
        volts = log.pack_v
        for made in sorted(after, key=lambda c: c.made_at):
            volts = made.corrected_v(volts)
        log = replace(log, pack_v=volts)
    return log, tuple(notes)


@dataclass(frozen=True)
class SensorNow:
    """How far out a sensor is now.

    Attributes
    ----------
    out : float
        Shown over true, less one [1]; 0 where nothing tells.
    error : float
        How surely that is known, one standard deviation [1].
    by : "nothing", "calibration" or "flights"
    since : datetime or None
        Of the last calibration.
    flights : int
        That tell.
    """

    out: float
    error: float
    by: Literal["nothing", "calibration", "flights"]
    since: datetime | None
    flights: int

    @property
    def worst(self) -> float:
        """What has to be reckoned with: how far it is out and how unsurely [1]."""
        return abs(self.out) + self.error


def _last(calibrations: Iterable[Calibration], kind: Kind) -> Calibration | None:
    of = [c for c in calibrations if c.kind == kind]
    return max(of, key=lambda c: c.made_at) if of else None


def current_now(
    *, calibrations: Sequence[Calibration], flights: Sequence[tuple[datetime, float, float]]
) -> SensorNow:
    """How far out the current sensor is now: by the flights since it was calibrated, else by the calibration.

    Parameters
    ----------
    calibrations : sequence of Calibration
        Of the craft.
    flights : sequence of (landed at, shown, put back)
        [Ah, Ah].
    """
    last = _last(calibrations, "current")
    since = None if last is None else last.made_at
    told = [(shown, back) for at, shown, back in flights if since is None or at > since]
    if told:
        # By their charge, so that short flights with their coarse readings weigh less.
        out = sum(s for s, _ in told) / sum(b for _, b in told) - 1.0
        scatter = ONE_FLIGHT
        if len(told) > 1:
            squares = sum((s / b / (1.0 + out) - 1.0) ** 2 for s, b in told)
            scatter = math.sqrt((ONE_FLIGHT**2 + squares) / len(told))
        return SensorNow(
            out, math.hypot(scatter / math.sqrt(len(told)), CHARGER_ERROR), "flights", since, len(told)
        )
    if isinstance(last, CurrentCalibration):
        return SensorNow(0.0, last.error, "calibration", since, len(last.flights))
    return SensorNow(0.0, UNCHECKED_CURRENT, "nothing", None, 0)


def voltage_now(calibrations: Sequence[Calibration], /) -> SensorNow:
    """How far out the voltage sensor is now, by its last calibration [1]."""
    last = _last(calibrations, "voltage")
    if isinstance(last, VoltageCalibration):
        return SensorNow(0.0, last.error, "calibration", last.made_at, len(last.points))
    return SensorNow(0.0, UNCHECKED_VOLTAGE, "nothing", None, 0)
