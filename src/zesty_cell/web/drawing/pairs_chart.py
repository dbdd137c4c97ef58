"""A test as a picture: each pair's difference, the interval of all, and the zone that does not matter."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

from zesty_cell.core.fact import Words
from zesty_cell.core.trials.verdict import Verdict
from zesty_cell.web.drawing.scale import Scale, Tick, ticks

_WIDTH: Final = 720.0
_ROW: Final = 26.0
_LEFT, _RIGHT, _TOP, _BOTTOM = 64.0, 16.0, 30.0, 34.0
#: Marks on the axis at most.
_MARKS: Final = 6


def _step(span: float) -> float:
    """One, two or five times a power of ten, whatever is measured: differences may be of any size."""
    least = span / _MARKS
    power = 10.0 ** math.floor(math.log10(least))
    return next(times * power for times in (1.0, 2.0, 5.0, 10.0) if times * power >= least * (1.0 - 1e-9))


@dataclass(frozen=True)
class PairDot:
    """A pair: where its difference stands, which row it is on, what is said of it."""

    x: float
    y: float
    label: str
    title: Words


@dataclass(frozen=True)
class PairsChart:
    """Pixels of the picture."""

    width: float
    height: float
    left: float
    right: float
    top: float
    bottom: float
    ticks: list[Tick]
    dots: list[PairDot]
    zero_x: float
    zone_left: float
    zone_right: float
    bar_y: float
    low_x: float | None
    high_x: float | None
    middle_x: float | None


def pairs_chart(
    verdict: Verdict, *, matters: float, said: Sequence[Words], unit: str, factor: float
) -> PairsChart | None:
    """Geometry of the picture; None without pairs.

    Parameters
    ----------
    matters : float
        The zone that does not matter reaches so far to both sides, in the verdict's own unit.
    said : sequence of str or Fact
        Of each pair.
    unit, factor : str, float
        How the axis is written: differences times the factor, the unit behind it.
    """
    if not verdict.pairs:
        return None
    known = [*verdict.differences, *(v for v in (verdict.low, verdict.high) if not math.isnan(v))]
    # Of few pairs the interval may be as wide as the world: the picture shows what the pairs do, and a little more.
    reach = 1.6 * max(abs(d) for d in verdict.differences) + matters
    most = min(max(*(abs(v) for v in known), 1.3 * matters), max(reach, 2.0 * matters)) * factor
    step = _step(2.0 * most)
    bottom = _TOP + _ROW * (verdict.pairs + 1)
    scale = Scale(-1.05 * most, 1.05 * most, _LEFT, _WIDTH - _RIGHT)

    def at(value: float) -> float:
        return min(max(scale(value * factor), _LEFT), _WIDTH - _RIGHT)

    def label(value: float) -> str:
        if abs(value) < 1e-9:
            return "no difference"
        return f"{'+' if value > 0 else '−'}{abs(value):g} {unit}"

    dots = [
        PairDot(at(d), _TOP + _ROW * (k + 0.5), f"pair {k + 1}", words)
        for k, (d, words) in enumerate(zip(verdict.differences, said, strict=True))
    ]
    interval = (verdict.low, verdict.difference, verdict.high)
    low_x, middle_x, high_x = (None if math.isnan(value) else at(value) for value in interval)
    return PairsChart(
        width=_WIDTH,
        height=bottom + _BOTTOM,
        left=_LEFT,
        right=_WIDTH - _RIGHT,
        top=_TOP,
        bottom=bottom,
        ticks=[Tick(scale(value), label(value)) for value in ticks(scale.low, scale.high, step)],
        dots=dots,
        zero_x=at(0.0),
        zone_left=at(-matters),
        zone_right=at(matters),
        bar_y=bottom - 0.5 * _ROW,
        low_x=low_x,
        high_x=high_x,
        middle_x=middle_x,
    )
