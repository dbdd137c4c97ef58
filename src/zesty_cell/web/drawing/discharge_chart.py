"""Discharge curves over one another: volts of a mean cell against charge, energy, share or time."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.discharge.run import DischargeRun, along, knee_of
from zesty_cell.web.drawing.flight_chart import MINUTE_STEPS, VOLT_STEPS, time_label
from zesty_cell.web.drawing.scale import Scale, Tick, nice_step, path, sparse, ticks, zigzag

_WIDTH, _HEIGHT = 760.0, 390.0
_LEFT, _RIGHT, _TOP, _BOTTOM = 46.0, 22.0, 14.0, 40.0
#: Points of a curve that are drawn; of one that jumps, the ends of so many stretches.
_POINTS, _STRETCHES = 320, 220
_STEPS: Final = tuple(m * 10.0**k for k in range(-3, 6) for m in (1.0, 2.0, 5.0))
_UNITS: Final = {
    "charge": (1000.0, "mAh"),
    "energy": (1.0, "Wh"),
    "share": (100.0, "% of the label"),
    "time": (1.0, "min"),
}


@dataclass(frozen=True)
class OneRun:
    """A run as it is drawn: what it was of, cells in series, what the label says [Ah]."""

    run: DischargeRun
    series: int
    capacity_ah: float


@dataclass(frozen=True)
class Curve:
    """One run's path, where its number stands, and its knee where it has one."""

    path: str
    name_x: float
    name_y: float
    knee: tuple[float, float] | None


@dataclass(frozen=True)
class DischargeChart:
    """Pixels of the picture; ``low_v`` and ``high_v`` are what the cutoff may be dragged between [V a cell]."""

    width: float
    height: float
    left: float
    right: float
    top: float
    bottom: float
    curves: tuple[Curve, ...]
    xs: list[Tick]
    ys: list[Tick]
    unit: str
    low_v: float
    high_v: float
    cutoff_y: float


def discharge_chart(runs: Sequence[OneRun], *, axis: str, cutoff_v: float) -> DischargeChart | None:
    """Geometry of up to a dozen curves; None for none.

    Parameters
    ----------
    axis : str
        ``charge``, ``energy``, ``share`` or ``time``.
    cutoff_v : float
        A cell's, where the line stands [V].
    """
    if not runs:
        return None
    drawn = [_thinned(one, axis) for one in runs]
    factor, unit = _UNITS[axis]
    furthest = max(float(xs[-1]) for xs, _ in drawn)
    low = min(*(float(ys.min()) for _, ys in drawn), cutoff_v)
    high = max(*(float(ys.max()) for _, ys in drawn), cutoff_v)
    step_v = nice_step(max(high - low, 0.05), 6, VOLT_STEPS)
    low, high = np.floor(low / step_v) * step_v, np.ceil(high / step_v) * step_v
    left, right, top, bottom = _LEFT, _WIDTH - _RIGHT, _TOP, _HEIGHT - _BOTTOM
    x, y = Scale(0.0, max(furthest, 1e-9), left, right), Scale(float(low), float(high), bottom, top)
    steps = MINUTE_STEPS if axis == "time" else _STEPS
    step = nice_step(furthest * factor, 8, steps)
    marks = [v for v in ticks(0.0, furthest * factor, step) if x(v / factor) < right - 56.0]
    names = _names([(x(float(xs[-1])), y(float(ys[-1]))) for xs, ys in drawn])
    curves = []
    for one, (xs, ys), name in zip(runs, drawn, names, strict=True):
        knee = knee_of(one.run)
        place = None
        if knee is not None:
            line = along(one.run, axis, capacity_ah=one.capacity_ah)
            by_charge = along(one.run, "charge", capacity_ah=one.capacity_ah)
            place = (x(float(np.interp(knee.drawn_ah, by_charge, line))), y(knee.pack_v / one.series))
        curves.append(Curve(path(x.many(xs), y.many(ys)), *name, place))
    return DischargeChart(
        width=_WIDTH,
        height=_HEIGHT,
        left=left,
        right=right,
        top=top,
        bottom=bottom,
        curves=tuple(curves),
        xs=[Tick(x(v / factor), time_label(v) if axis == "time" else f"{v:g}") for v in marks],
        ys=[Tick(y(v), f"{v:.2f}".rstrip("0").rstrip(".")) for v in ticks(float(low), float(high), step_v)],
        unit=unit,
        low_v=float(low),
        high_v=float(high),
        cutoff_y=y(cutoff_v),
    )


def _names(ends: Sequence[tuple[float, float]]) -> list[tuple[float, float]]:
    """Where the numbers of curves stand: at their ends, one over the other where those meet."""
    places: dict[int, tuple[float, float]] = {}
    for k in sorted(range(len(ends)), key=lambda k: ends[k]):
        at = (ends[k][0] + 4.0, ends[k][1] + 4.0)
        while any(abs(at[0] - px) < 13.0 and abs(at[1] - py) < 13.0 for px, py in places.values()):
            at = (at[0], at[1] - 13.0)
        places[k] = at
    return [places[k] for k in range(len(ends))]


def _thinned(one: OneRun, axis: str) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """A curve's points as many as can be seen; of a load that jumps, both ends of each stretch."""
    xs = along(one.run, axis, capacity_ah=one.capacity_ah)
    ys = one.run.pack_v[one.run.loaded] / one.series
    if one.run.steady == "pattern":
        return zigzag(xs, ys, _STRETCHES)
    of = sparse(xs.size, _POINTS)
    return xs[of], ys[of]
