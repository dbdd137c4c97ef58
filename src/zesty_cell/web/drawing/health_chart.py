"""A pack's life, drawn: capacity and resistance against its own beginning, over equivalent full cycles."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from zesty_cell.core.learn.health import BASELINE, Reading
from zesty_cell.web.drawing.scale import Scale, Tick, nice_step, ticks


@dataclass(frozen=True)
class LifeDot:
    """A reading with its error bar."""

    x: float
    y: float
    high: float
    low: float
    title: str


@dataclass(frozen=True)
class LifeChart:
    """One figure over a pack's life; lines where it is watched and retired."""

    width: float
    height: float
    left: float
    right: float
    bottom: float
    dots: list[LifeDot]
    one_y: float
    watch_y: float
    retire_y: float
    cycles: list[Tick]
    shares: list[Tick]


def life_chart(readings: Sequence[Reading], *, watch: float, retire: float, unit: str) -> LifeChart | None:
    """Geometry of a figure against the mean of its first readings; None before there are any.

    Parameters
    ----------
    readings : sequence of Reading
        The oldest first [Ah or Ω].
    watch, retire : float
        Against the beginning [1].
    unit : str
        "mAh" or "mΩ", in which the readings are told.
    """
    if not readings:
        return None
    width, height, left, right, top, bottom = 560.0, 190.0, 52.0, 548.0, 12.0, 160.0
    first = readings[:BASELINE]
    base = sum(r.value for r in first) / len(first)
    shares = [r.value / base for r in readings]
    reach = [s * (1.0 + d * r.sigma) for s, r in zip(shares, readings, strict=True) for d in (-1.0, 1.0)]
    low, high = min(0.95, watch, *reach), max(1.05, watch if watch > 1.0 else 1.0, *reach)
    if (watch < 1.0 and low < retire * 1.1) or (watch > 1.0 and high > retire * 0.9):
        low, high = min(low, retire), max(high, retire)
    margin = 0.06 * (high - low)
    y = Scale(low - margin, high + margin, bottom, top)
    last = max(readings[-1].cycles, 1.0)
    x = Scale(0.0, 1.05 * last, left, right)
    step = nice_step(1.05 * last, 7, (1.0, 2.0, 5.0, 10.0, 20.0, 50.0, 100.0, 200.0))
    marks = nice_step(high - low, 5, (0.05, 0.1, 0.2, 0.5, 1.0))
    factor = 1000.0
    return LifeChart(
        width=width,
        height=height,
        left=left,
        right=right,
        bottom=bottom,
        dots=[
            LifeDot(
                x(r.cycles), y(s), y(s * (1.0 + r.sigma)), y(s * (1.0 - r.sigma)),
                f"{r.at:%-d %B %Y}: {factor * r.value:.{0 if unit == 'mAh' else 1}f} {unit}",
            )
            for r, s in zip(readings, shares, strict=True)
        ],
        one_y=y(1.0),
        watch_y=y(watch),
        retire_y=y(retire) if low - margin <= retire <= high + margin else -1.0,
        cycles=[Tick(x(c), f"{c:.0f}") for c in ticks(0.0, 1.05 * last, step)],
        shares=[Tick(y(s), f"{100 * s:.0f} %") for s in ticks(low - margin, high + margin, marks)],
    )  # fmt: skip
