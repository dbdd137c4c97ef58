"""What flights taught, drawn: the time before and after, each figure before and after, each flight's miss."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from zesty_cell.core.fact import Words
from zesty_cell.web.drawing.scale import Scale, Tick, nice_step, ticks
from zesty_cell.words.pictures import told_words
from zesty_cell.words.units import minutes

#: A figure known no better than this share of before was not told by the flights [1].
_TOLD = 0.92
_TIMES = (15.0, 30.0, 60.0, 120.0, 300.0, 600.0, 1200.0)


@dataclass(frozen=True)
class Bar:
    """A range with its middle, on the scale of its picture."""

    label: str
    low: float
    middle: float
    high: float
    text: str


@dataclass(frozen=True)
class BarChart:
    """Ranges over each other on one scale."""

    width: float
    height: float
    bars: list[Bar]
    ticks: list[Tick]


def time_bars(before: tuple[float, float, float], after: tuple[float, float, float]) -> BarChart:
    """Landing times (5 %, middle, 95 %) without and with the log [s]."""
    width, start, stop = 620.0, 112.0, 600.0
    low, high = min(before[0], after[0]), max(before[2], after[2])
    margin = 0.08 * (high - low)
    x = Scale(low - margin, high + margin, start, stop)

    def bar(label: str, of: tuple[float, float, float]) -> Bar:
        text = f"{minutes(of[1])}, {minutes(of[0])} to {minutes(of[2])}"
        return Bar(label, x(of[0]), x(of[1]), x(of[2]), text)

    step = nice_step(high - low + 2.0 * margin, 7, _TIMES)
    marks = [Tick(x(t), minutes(t)) for t in ticks(low - margin, high + margin, step)]
    return BarChart(width, 96.0, [bar("without the log", before), bar("with it", after)], marks)


@dataclass(frozen=True)
class FactorLine:
    """A figure before and after the flights, as factors on the sheet's own estimate."""

    label: str
    before: tuple[float, float]
    after: tuple[float, float]
    middle: float
    text: str


@dataclass(frozen=True)
class FactorChart:
    """The figures, one under the other; ``one`` is where the sheet's own estimate lies."""

    width: float
    lines: list[FactorLine]
    one: float
    ticks: list[Tick]


def factor_lines(figures: Sequence[tuple[str, float, float, float]]) -> FactorChart:
    """Factors with their 5 to 95 % before and after.

    Parameters
    ----------
    figures : sequence of (label, sigma before, factor, sigma after)
        [1].
    """
    width, start, stop = 620.0, 112.0, 600.0
    z = 1.645
    widest = max(max(z * s0, abs(math.log(f)) + z * s1) for _, s0, f, s1 in figures)
    x = Scale(-1.06 * widest, 1.06 * widest, start, stop)

    def line(label: str, s0: float, factor: float, s1: float) -> FactorLine:
        more = 100.0 * (factor - 1.0)
        centre = math.log(factor)
        return FactorLine(
            label, (x(-z * s0), x(z * s0)), (x(centre - z * s1), x(centre + z * s1)), x(centre),
            told_words(factor, before=s0, after=s1, told=s1 <= _TOLD * s0 or abs(more) >= 100.0 * s0),
        )  # fmt: skip

    shares = [s for s in (0.6, 0.7, 0.8, 0.9, 1.0, 1.1, 1.2, 1.4, 1.7) if abs(math.log(s)) <= 1.06 * widest]
    marks = [Tick(x(math.log(s)), "0" if s == 1.0 else f"{100 * (s - 1):+.0f} %") for s in shares]
    return FactorChart(width, [line(*f) for f in figures], x(0.0), marks)


@dataclass(frozen=True)
class Miss:
    """A flight's charge against what is now expected of it."""

    x: float
    y: float
    odd: bool
    title: Words


@dataclass(frozen=True)
class MissChart:
    """Misses of flights in their order, with the band in which nine of ten lie."""

    width: float
    height: float
    left: float
    right: float
    band: tuple[float, float]
    zero: float
    dots: list[Miss]
    ticks: list[Tick]


def miss_chart(misses: Sequence[tuple[float, bool, Words]], *, sigma: float) -> MissChart:
    """Misses as shares, in the order of the flights.

    Parameters
    ----------
    misses : sequence of (logarithm of charge over what is expected, whether it is odd, title)
        [1].
    sigma : float
        How flights vary, one standard deviation [1].
    """
    width, height, left, right, top, bottom = 620.0, 150.0, 52.0, 608.0, 10.0, 138.0
    reach = max(1.25 * 1.645 * sigma, 1.15 * max(abs(m) for m, _, _ in misses))
    y = Scale(-reach, reach, bottom, top)
    x = Scale(0.0, max(len(misses) - 1.0, 1.0), left + 14.0, right - 14.0)
    step = nice_step(200.0 * reach, 6, (2.0, 5.0, 10.0, 20.0, 50.0, 100.0))
    middle = 0.5 * (left + right)
    return MissChart(
        width=width,
        height=height,
        left=left,
        right=right,
        band=(y(1.645 * sigma), y(-1.645 * sigma)),
        zero=y(0.0),
        dots=[
            Miss(x(k) if len(misses) > 1 else middle, y(m), odd, title) for k, (m, odd, title) in enumerate(misses)
        ],
        ticks=[Tick(y(p / 100.0), f"{p:+.0f} %" if p else "0") for p in ticks(-100.0 * reach, 100.0 * reach, step)],
    )
