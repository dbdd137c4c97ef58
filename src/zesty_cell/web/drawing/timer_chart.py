"""The next timer as a picture: charge used against time, the landing rule, the step that comes next."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from zesty_cell.core.learn.timer import NextTimer
from zesty_cell.web.drawing.scale import Scale, Tick, nice_step, ticks
from zesty_cell.words.units import minutes

_TIMES = (30.0, 60.0, 120.0, 300.0, 600.0, 900.0, 1800.0)
_Z = 1.645


@dataclass(frozen=True)
class Dot:
    """A flight; the newest is marked."""

    x: float
    y: float
    newest: bool
    title: str


@dataclass(frozen=True)
class TimerChart:
    """Pixels of the picture."""

    width: float
    height: float
    left: float
    right: float
    top: float
    bottom: float
    times: list[Tick]
    shares: list[Tick]
    dots: list[Dot]
    band: str
    line: str
    rule_y: float
    next_x: float


def timer_chart(
    flights: Sequence[tuple[float, float]], timer: NextTimer, *, landing_used: float, rate: float, sigma: float
) -> TimerChart | None:
    """Geometry of the picture; None without flights.

    Parameters
    ----------
    flights : sequence of (duration, share used)
        The oldest first [s, 1].
    landing_used : float
        Share used at which the landing rule lands [1].
    rate, sigma : float
        Share the next flight is expected to use a second [1/s], and how surely, one standard deviation [1].
    """
    if not flights:
        return None
    width, height, left, right, top, bottom = 424.0, 190.0, 40.0, 414.0, 12.0, 160.0
    longest_s = 1.08 * max(timer.down_s, *(d for d, _ in flights))
    x = Scale(0.0, longest_s, left, right)
    y = Scale(0.0, 1.0, bottom, top)

    def clipped(share: float) -> float:
        return y(min(share, 1.0))

    end = rate * longest_s
    high, low = end * math.exp(_Z * sigma), end * math.exp(-_Z * sigma)
    # Where the upper edge leaves the picture it is cut at the top.
    cut_s = longest_s * min(1.0, 1.0 / high)
    band = f"M{x(0):.1f} {y(0):.1f}L{x(cut_s):.1f} {clipped(high * cut_s / longest_s):.1f}"
    band += f"L{x(longest_s):.1f} {clipped(high):.1f}L{x(longest_s):.1f} {clipped(low):.1f}Z"
    line_s = longest_s * min(1.0, 1.0 / end)
    return TimerChart(
        width=width,
        height=height,
        left=left,
        right=right,
        top=top,
        bottom=bottom,
        times=[Tick(x(t), minutes(t)) for t in ticks(0.0, longest_s, nice_step(longest_s, 6, _TIMES))],
        shares=[Tick(y(s), f"{100 * s:.0f} %") for s in (0.0, 0.5, 1.0)],
        dots=[
            Dot(x(d), clipped(u), k == len(flights) - 1, f"{minutes(d)} min, {100 * u:.0f} %")
            for k, (d, u) in enumerate(flights)
        ],
        band=band,
        line=f"M{x(0):.1f} {y(0):.1f}L{x(line_s):.1f} {clipped(rate * line_s):.1f}",
        rule_y=y(landing_used),
        next_x=x(timer.down_s),
    )
