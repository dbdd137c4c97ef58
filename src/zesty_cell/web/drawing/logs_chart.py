"""Telemetry logs over one another, from one moment on: volts a cell, amps and charge used."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.callouts.telemetry import Telemetry
from zesty_cell.services.logs_beside import Beside
from zesty_cell.web.drawing.flight_chart import MINUTE_STEPS, VOLT_STEPS, time_label
from zesty_cell.web.drawing.scale import Scale, Tick, nice_step, path, ticks, zigzag

_WIDTH: Final = 1180.0
_LEFT, _RIGHT, _GAP, _BOTTOM = 66.0, 12.0, 26.0, 26.0
#: Of each panel: what it shows, and its height.
_PANELS: Final = (("volts a cell", 190.0), ("amps", 130.0), ("mAh used", 110.0))
_STEPS: Final = tuple(m * 10.0**k for k in range(5) for m in (1.0, 2.0, 5.0))
#: A line is drawn by the ends of so many stretches.
_STRETCHES: Final = 420


@dataclass(frozen=True)
class Panel:
    """One panel: its lines, each with the number of its log."""

    title: str
    top: float
    bottom: float
    lines: tuple[tuple[int, str], ...]
    ticks: list[Tick]


@dataclass(frozen=True)
class LogsChart:
    """Pixels of the picture."""

    width: float
    height: float
    left: float
    right: float
    bottom: float
    panels: tuple[Panel, ...]
    times: list[Tick]
    zero_x: float
    climbs: tuple[tuple[int, float], ...]
    laps: tuple[tuple[int, float], ...]


def _of(log: Telemetry, panel: int, series: int) -> NDArray[np.float64] | None:
    if panel == 0:
        return log.cell_v if log.pack_v is None else log.pack_v / series
    if panel == 1:
        return log.current_a
    return None if log.used_ah is None else 1000.0 * log.used_ah


def logs_chart(beside: Sequence[Beside]) -> LogsChart | None:
    """Geometry of up to six logs; None for none, or for those that have nothing to draw."""
    if not beside:
        return None
    left, right = _LEFT, _WIDTH - _RIGHT
    starts = [float(b.log.time_s[0]) - b.from_s for b in beside]
    ends = [float(b.log.time_s[-1]) - b.from_s for b in beside]
    x = Scale(min(*starts, 0.0), max(*ends, 1.0), left, right)
    panels: list[Panel] = []
    top = 16.0
    for k in range(len(_PANELS)):
        panel = _panel(k, beside, x, top)
        if panel is not None:
            panels.append(panel)
            top = panel.bottom + _GAP
    if not panels:
        return None
    step_s = nice_step(x.high - x.low, 10, MINUTE_STEPS)
    climbs = [(n, x(c.at_s - b.from_s)) for n, b in enumerate(beside) for c in b.climbs]
    laps = [(n, x(at_s - b.from_s)) for n, b in enumerate(beside) if b.laps for at_s in b.laps.passed_s]
    return LogsChart(
        width=_WIDTH,
        height=panels[-1].bottom + _BOTTOM,
        left=left,
        right=right,
        bottom=panels[-1].bottom,
        panels=tuple(panels),
        times=[Tick(x(v), time_label(v)) for v in ticks(max(x.low, 0.0), x.high, step_s)],
        zero_x=x(0.0),
        climbs=tuple(climbs),
        laps=tuple(laps),
    )


def _panel(which: int, beside: Sequence[Beside], x: Scale, top: float) -> Panel | None:
    """One panel from its upper edge on; None where no log has such a column."""
    title, height = _PANELS[which]
    held = [(n, b.log.time_s - b.from_s, _of(b.log, which, b.series)) for n, b in enumerate(beside)]
    known = [(n, at, v) for n, at, v in held if v is not None and not np.isnan(v).all()]
    if not known:
        return None
    low = 0.0 if which else min(float(np.nanmin(v)) for _, _, v in known)
    high = max(float(np.nanmax(v)) for _, _, v in known)
    step = nice_step(max(high - low, 1.0 if which else 0.05), 4, _STEPS if which else VOLT_STEPS)
    low, high = float(np.floor(low / step) * step), float(np.ceil(high / step) * step)
    y = Scale(low, high, top + height, top)
    lines = tuple((n, _line(x, y, at, values)) for n, at, values in known)
    return Panel(title, top, top + height, lines, [Tick(y(v), f"{v:g}") for v in ticks(low, high, step)])


def _line(x: Scale, y: Scale, at: NDArray[np.float64], values: NDArray[np.float64]) -> str:
    known = ~np.isnan(values)
    at, values = at[known], values[known]
    xs, ys = zigzag(at, values, _STRETCHES)
    return path(x.many(xs), y.many(ys))
