"""A pack's rest voltage as its runs tell it, with its interval, beside its chemistry's table."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np

from zesty_cell.core.discharge.apart import Apart
from zesty_cell.core.parts.chemistry import Chemistry, open_circuit_v
from zesty_cell.core.parts.own_curve import POINTS, OwnCurve
from zesty_cell.web.drawing.flight_chart import VOLT_STEPS
from zesty_cell.web.drawing.scale import Scale, Tick, nice_step, path, ticks

_WIDTH: Final = 620.0
_HEIGHT: Final = 330.0


@dataclass(frozen=True)
class CurveChart:
    """Pixels of the picture: the table, what was found with its band, and the curve in use."""

    width: float
    height: float
    left: float
    right: float
    top: float
    bottom: float
    table: str
    found: str
    band: str
    assumed: tuple[tuple[float, float], ...]
    used: tuple[tuple[float, float, bool], ...]
    xs: list[Tick]
    ys: list[Tick]


def curve_chart(found: Apart | None, used: OwnCurve | None, usual: Chemistry) -> CurveChart:
    """Geometry of rest voltage over the charge left; full stands on the left, as a flight begins.

    Parameters
    ----------
    found : Apart or None
        What the runs say.
    used : OwnCurve or None
        The curve the pack is flown on.
    """
    left, right, top, bottom = 46.0, _WIDTH - 16.0, 12.0, _HEIGHT - 40.0
    z = np.linspace(0.0, 1.0, 101)
    table = open_circuit_v(chemistry=usual, charge_left=z)
    low, high = float(table[0]), float(table[-1])
    if found is not None:
        shown = (z >= found.from_share) & (z <= found.to_share)
        low = min(low, float(found.low_v[shown].min()))
        high = max(high, float(found.high_v[shown].max()))
    step = nice_step(high - low, 6, VOLT_STEPS)
    low, high = float(np.floor(low / step) * step), float(np.ceil((high - 0.004) / step) * step)
    x, y = Scale(1.0, 0.0, left, right), Scale(low, high, bottom, top)
    line = band = ""
    assumed: list[tuple[float, float]] = []
    if found is not None:
        line = path(x.many(z[found.told]), y.many(found.rest_v[found.told]))
        both = np.concatenate((z[shown], z[shown][::-1]))
        edge = np.concatenate((found.high_v[shown], found.low_v[shown][::-1]))
        band = f"{path(x.many(both), y.many(np.clip(edge, low, high)))}Z"
        edges = np.flatnonzero(np.diff(np.concatenate(([True], found.told, [True])).astype(np.int8)))
        assumed = [
            (x(float(z[min(b, 100)])), x(float(z[max(a - 1, 0)])))
            for a, b in zip(edges[::2], edges[1::2], strict=True)
        ]
    points = []
    if used is not None:
        points = [(x(k / (POINTS - 1)), y(v), used.measured(k)) for k, v in enumerate(used.rest_v)]
    return CurveChart(
        width=_WIDTH,
        height=_HEIGHT,
        left=left,
        right=right,
        top=top,
        bottom=bottom,
        table=path(x.many(z), y.many(table)),
        found=line,
        band=band,
        assumed=tuple(assumed),
        used=tuple(points),
        xs=[Tick(x(share), f"{100 * share:.0f}") for share in (1.0, 0.8, 0.6, 0.4, 0.2, 0.0)],
        ys=[Tick(y(v), f"{v:.1f}") for v in ticks(low, high, step)],
    )
