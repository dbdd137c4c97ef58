"""Pictures of the comparison: time bars, fading thrust, voltage small multiples and their overlay."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from zesty_cell.core.choose.compare import Compared
from zesty_cell.web.drawing.flight_chart import MINUTE_STEPS, VOLT_STEPS, time_label
from zesty_cell.web.drawing.scale import Scale, Tick, nice_step, path, sparse, ticks

BAR_WIDTH = 302.0
_SLOPE_WIDTH, _SLOPE_HEIGHT = 104.0, 34.0
_POINTS = 90


@dataclass(frozen=True)
class Bar:
    """Landing time as a bar, its range as a whisker; widths of :data:`BAR_WIDTH`."""

    end: float
    low: float
    high: float


@dataclass(frozen=True)
class Slope:
    """Full-throttle thrust fresh, at half and at landing, on one scale for all rows."""

    fresh: tuple[float, float]
    half: tuple[float, float]
    landing: tuple[float, float]


@dataclass(frozen=True)
class Multiple:
    """One pack's voltage picture among others on the same scale."""

    name: str
    rest: str
    cruise: str
    gap: str
    landing_x: float
    worst_v: float


@dataclass(frozen=True)
class Overlay:
    """Cruise voltage of all packs over each other, each named at its landing."""

    width: float
    height: float
    left: float
    right: float
    top: float
    bottom: float
    volts: list[Tick]
    times: list[Tick]
    lines: list[str]
    ends: list[tuple[float, float]]
    names: list[tuple[float, float, str]]


def bars(rows: Sequence[Compared]) -> list[Bar]:
    """Bars of the landing times; the longest whisker takes all of the width."""
    most_s = max((r.high_s for r in rows), default=1.0)
    x = Scale(0.0, most_s, 0.0, BAR_WIDTH)
    return [Bar(end=x(r.at_landing.landing_s), low=x(r.low_s), high=x(r.high_s)) for r in rows]


def slopes(rows: Sequence[Compared]) -> list[Slope]:
    """Thrust over weight (a wing: power over level flight) fading from take-off to landing."""
    halves = [half_way(r) for r in rows]
    most = max([1.0, *halves, *(max(r.at_landing.to_spare_fresh, r.at_landing.to_spare) for r in rows)])
    y = Scale(0.0, most, _SLOPE_HEIGHT - 4.0, 4.0)
    return [
        Slope(
            fresh=(6.0, y(r.at_landing.to_spare_fresh)),
            half=(_SLOPE_WIDTH / 2.0, y(half)),
            landing=(_SLOPE_WIDTH - 6.0, y(r.at_landing.to_spare)),
        )
        for r, half in zip(rows, halves, strict=True)
    ]


def half_way(row: Compared) -> float:
    """What is to spare half way: between both ends, or past them, as the full-throttle current is."""
    span = row.at_landing.full_fresh_a - row.at_landing.full_landing_a
    share = (row.full_half_a - row.at_landing.full_landing_a) / span if abs(span) > 1e-9 else 0.0
    return row.at_landing.to_spare + share * (row.at_landing.to_spare_fresh - row.at_landing.to_spare)


def _volts_range(rows: Sequence[Compared], as_pack: bool) -> tuple[float, float]:
    low = min(float(r.flight.cruise_v[: _stop(r)].min()) * _factor(r, as_pack) for r in rows)
    high = max(float(r.flight.rest_v[0]) * _factor(r, as_pack) for r in rows)
    margin = 0.06 * (high - low)
    return low - margin, high + margin


def _factor(row: Compared, as_pack: bool) -> int:
    return row.pack.series if as_pack else 1


def _stop(row: Compared) -> int:
    return row.flight.index_at(row.flight.landing_s) + 1


def multiples(
    rows: Sequence[Compared], *, names: Sequence[str], as_pack: bool, width: float = 148.0, height: float = 92.0
) -> list[Multiple]:
    """Voltage pictures until landing, small, on one scale of volts and time."""
    if not rows:
        return []
    low, high = _volts_range(rows, as_pack)
    y = Scale(low, high, height - 4.0, 4.0)
    x = Scale(0.0, max(r.flight.landing_s for r in rows), 2.0, width - 4.0)
    found = []
    for row, name in zip(rows, names, strict=True):
        keep = sparse(_stop(row), _POINTS)
        xs = x.many(row.flight.time_s[keep])
        factor = _factor(row, as_pack)
        rest, cruise = y.many(row.flight.rest_v[keep] * factor), y.many(row.flight.cruise_v[keep] * factor)
        back = path(xs[::-1], rest[::-1])
        found.append(
            Multiple(
                name=name,
                rest=path(xs, rest),
                cruise=path(xs, cruise),
                gap=f"{path(xs, cruise)}L{back[1:]}Z",
                landing_x=x(row.flight.landing_s),
                worst_v=row.at_landing.worst_v * factor,
            )
        )
    return found


def overlay(
    rows: Sequence[Compared], *, names: Sequence[str], as_pack: bool, width: float = 620.0, height: float = 400.0
) -> Overlay | None:
    """Cruise voltage of every pack until its landing, over each other."""
    if not rows:
        return None
    left, right, top, bottom = 40.0, width - 96.0, 10.0, height - 26.0
    low, high = _volts_range(rows, as_pack)
    y = Scale(low, high, bottom, top)
    x = Scale(0.0, max(r.flight.landing_s for r in rows), left, right)
    step = nice_step(high - low, 7, VOLT_STEPS)
    minute = nice_step(x.high, 8, MINUTE_STEPS)
    lines, ends = [], []
    for row in rows:
        keep = sparse(_stop(row), 220)
        factor = _factor(row, as_pack)
        ys = y.many(row.flight.cruise_v[keep] * factor)
        lines.append(path(x.many(row.flight.time_s[keep]), ys))
        ends.append((x(row.flight.landing_s), float(ys[-1])))
    return Overlay(
        width=width,
        height=height,
        left=left,
        right=right,
        top=top,
        bottom=bottom,
        volts=[Tick(y(v), f"{v:.{2 if step < 0.1 else 1}f}") for v in ticks(low, high, step)],
        times=[Tick(x(t), time_label(t)) for t in ticks(0.0, x.high, minute)],
        lines=lines,
        ends=ends,
        names=_apart(ends, names, top, bottom),
    )


def _apart(
    ends: Sequence[tuple[float, float]], names: Sequence[str], top: float, bottom: float
) -> list[tuple[float, float, str]]:
    """Names beside the ends of their lines, moved up and down until none covers another."""
    order = sorted(range(len(ends)), key=lambda k: ends[k][1])
    ys = np.array([ends[k][1] + 4.0 for k in order])
    for _ in range(40):
        for a in range(len(order)):
            for b in range(a + 1, len(order)):
                near = abs(ends[order[a]][0] - ends[order[b]][0]) < 110.0
                gap = ys[b] - ys[a]
                if near and gap < 14.0:
                    shift = (14.0 - gap) / 2.0
                    ys[a] -= shift
                    ys[b] += shift
    ys = np.clip(ys, top + 8.0, bottom - 2.0)
    return [(ends[k][0] + 9.0, float(ys[i]), names[k]) for i, k in enumerate(order)]
