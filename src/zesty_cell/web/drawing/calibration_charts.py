"""Pictures of the calibrations: a scale before and after, the way to the lamp, the hover-down curve, the cells."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from zesty_cell.core.fact import fact
from zesty_cell.core.learn.calibration import LineLossTest
from zesty_cell.core.learn.hover_down import HoverCurve
from zesty_cell.core.learn.line_loss import LineLoss
from zesty_cell.core.parts.chemistry import Chemistry, charge_left_at_rest
from zesty_cell.web.drawing.scale import Scale, Tick, nice_step, path, ticks
from zesty_cell.words.units import minutes

_TIMES = (30.0, 60.0, 120.0, 300.0, 600.0, 900.0)


@dataclass(frozen=True)
class ScaleLine:
    """A reading: how far out it was, and is with the new scale."""

    label: str
    y: float
    before: float
    after: float
    text: str


@dataclass(frozen=True)
class ScaleChart:
    """Errors of readings before and after, around none."""

    width: float
    height: float
    zero: float
    lines: list[ScaleLine]
    ticks: list[Tick]


def scale_chart(readings: Sequence[tuple[str, float, float]]) -> ScaleChart:
    """Errors as shares of the truth.

    Parameters
    ----------
    readings : sequence of (label, share out before, share out after)
        [1].
    """
    width, start, stop = 520.0, 96.0, 500.0
    reach = max(0.01, 1.15 * max(max(abs(a), abs(b)) for _, a, b in readings))
    x = Scale(-reach, reach, start, stop)
    step = nice_step(200.0 * reach, 8, (0.2, 0.5, 1.0, 2.0, 5.0, 10.0, 20.0, 50.0, 100.0, 500.0))
    lines = [
        ScaleLine(label, 20.0 + 26.0 * k, x(a), x(b), f"{100 * a:+.1f} % → {100 * b:+.1f} %")
        for k, (label, a, b) in enumerate(readings)
    ]
    marks = [Tick(x(p / 100.0), f"{p:+g} %" if p else "right") for p in ticks(-100.0 * reach, 100.0 * reach, step)]
    return ScaleChart(width, 48.0 + 26.0 * len(readings), x(0.0), lines, marks)


@dataclass(frozen=True)
class LampChart:
    """The voltage of the guided test: down to the lamp, landed, back up to rest."""

    width: float
    height: float
    curve: str
    alarm_y: float
    rest_y: float
    wanted_y: float
    new_alarm_y: float
    loss_x: float
    lamp_x: float


def lamp_chart(test: LineLossTest, loss: LineLoss, *, full_v: float) -> LampChart:
    """Geometry of the test; voltages of the pack [V]."""
    width, height = 520.0, 190.0
    wanted_v = test.wanted_rest_v * test.series
    low = min(test.alarm_v, loss.alarm_v, wanted_v) - 0.12 * (full_v - test.alarm_v)
    y = Scale(low, full_v, height - 16.0, 14.0)
    # Take-off at full, sag at once, down to the lamp, landing, recovery.
    points = [(8, full_v), (40, full_v), (48, full_v - loss.loss_v), (250, test.alarm_v), (258, test.alarm_v),
              (268, test.alarm_v + 0.7 * loss.loss_v), (300, test.alarm_v + 0.92 * loss.loss_v), (380, test.rest_v),
              (512, test.rest_v)]  # fmt: skip
    curve = path(np.array([float(a) for a, _ in points]), np.array([y(v) for _, v in points]))
    return LampChart(
        width, height, curve, y(test.alarm_v), y(test.rest_v), y(wanted_v), y(loss.alarm_v), 400.0, 254.0
    )  # fmt: skip


@dataclass(frozen=True)
class HoverChart:
    """Readings, the curve through them, its knee, and the calls of the schools."""

    width: float
    height: float
    left: float
    right: float
    bottom: float
    curve: str
    dots: list[tuple[float, float]]
    knee: tuple[float, float] | None
    calls: list[tuple[float, str]]
    times: list[Tick]
    volts: list[Tick]


def hover_chart(
    points: Sequence[tuple[float, float]], curve: HoverCurve, others: Sequence[tuple[float, Sequence[str]]]
) -> HoverChart:
    """Geometry of the chart; the schools' calls that lie within it [s, V a cell]."""
    width, height, left, right, top, bottom = 620.0, 260.0, 44.0, 604.0, 12.0, 226.0
    volts = [v for _, v in points]
    low, high = min(volts) - 0.05, max(volts) + 0.05
    x = Scale(0.0, max(t for t, _ in points) * 1.02, left, right)
    y = Scale(low, high, bottom, top)
    step = nice_step(high - low, 6, (0.05, 0.1, 0.2, 0.5))
    seen = {
        value: titles[0] if len(titles) == 1 else fact("calibration.schools", count=len(titles))
        for value, titles in others
        if low < value < high
    }
    return HoverChart(
        width=width,
        height=height,
        left=left,
        right=right,
        bottom=bottom,
        curve=path(x.many(curve.time_s), y.many(curve.cell_v)),
        dots=[(x(t), y(v)) for t, v in points],
        knee=None if curve.knee_s is None or curve.knee_v is None else (x(curve.knee_s), y(curve.knee_v)),
        calls=[(y(value), f"{words} {value:.2f}") for value, words in seen.items()],
        times=[Tick(x(t), minutes(t)) for t in ticks(0.0, x.high, nice_step(x.high, 8, _TIMES))],
        volts=[Tick(y(v), f"{v:.2f}") for v in ticks(low, high, step)],
    )


@dataclass(frozen=True)
class CellBar:
    """A cell: its voltage as a height, and whether it lags."""

    x: float
    y: float
    height: float
    low: bool
    text: str
    charge: float


@dataclass(frozen=True)
class CellBars:
    """The cells side by side, on a scale that shows millivolts."""

    width: float
    height: float
    bars: list[CellBar]
    mean_y: float


def cell_bars(cells_v: Sequence[float], *, chemistry: Chemistry) -> CellBars:
    """Geometry of the cells [V]: the scale reaches at least 60 mV, so that a checker's rounding does not alarm."""
    width, height, floor = 46.0 * len(cells_v) + 24.0, 150.0, 118.0
    mean = sum(cells_v) / len(cells_v)
    reach = max(0.06, 1.3 * (max(cells_v) - min(cells_v)))
    y = Scale(mean - reach, mean + 0.5 * reach, floor, 18.0)
    bars = [
        CellBar(
            12.0 + 46.0 * k, y(v), floor - y(v), mean - v > 0.02, f"{v:.2f}",
            charge_left_at_rest(chemistry=chemistry, rest_v=v),
        )
        for k, v in enumerate(cells_v)
    ]  # fmt: skip
    return CellBars(width, height, bars, y(mean))
