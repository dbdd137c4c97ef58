"""A pack's own curve from what its runs told: measured where they went, the chemistry's beyond."""

from __future__ import annotations

from datetime import datetime

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.discharge.apart import Apart, Estimate
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import fact
from zesty_cell.core.parts.chemistries import chemistry_for
from zesty_cell.core.parts.chemistry import ChemistryKey
from zesty_cell.core.parts.own_curve import POINTS, OwnCurve, Told

#: A curve must have been measured over this much of the charge, in one stretch [1].
LEAST_SHARE = 0.5
#: Between two of a curve's points its voltage rises by this much at least [V].
_RISES_V = 0.0005


def own_curve(found: Apart, /, *, chemistry: ChemistryKey, runs: int, measured_at: datetime) -> OwnCurve:
    """The curve that a pack's sheets are flown on from now on.

    Beyond what was measured it is the chemistry's table, moved by what the last measured point was beside it,
    less and less towards the end.

    Raises
    ------
    OutOfRangeError
        Where too little of the charge was told.
    """
    told = _longest(found.told)
    grid = found.charge_left
    low, high = (float(grid[told.start]), float(grid[told.stop - 1])) if told.stop > told.start else (0.0, 0.0)
    if high - low < LEAST_SHARE:
        raise OutOfRangeError(
            fact("refused.curve.short", told=high - low, least=LEAST_SHARE),
            field="runs", value=high - low, limit=LEAST_SHARE,
        )  # fmt: skip
    points = np.linspace(0.0, 1.0, POINTS)
    table = np.array(chemistry_for(chemistry).ocv_v)
    own = np.interp(points, grid, found.rest_v)
    beside_low = float(np.interp(low, grid, found.rest_v) - np.interp(low, points, table))
    beside_high = float(np.interp(high, grid, found.rest_v) - np.interp(high, points, table))
    under, over = points < low, points > high
    own[under] = table[under] + beside_low * points[under] / max(low, 1e-9)
    own[over] = table[over] + beside_high * (1.0 - points[over]) / max(1.0 - high, 1e-9)
    for k in range(1, POINTS):
        own[k] = max(own[k], own[k - 1] + _RISES_V)
    reach = float((0.5 * (found.high_v - found.low_v))[told].max())
    return OwnCurve(
        chemistry=chemistry,
        rest_v=tuple(round(float(v), 4) for v in own),
        from_share=round(low, 4),
        to_share=round(high, 4),
        reach_v=round(reach, 4),
        capacity_ah=_told(found.capacity_ah),
        cell_ohm=_told(found.cell_ohm),
        runs=runs,
        measured_at=measured_at,
    )


def _told(figure: Estimate) -> Told | None:
    if not figure.told:
        return None
    return Told(value=round(figure.value, 6), reach=round((figure.high - figure.low) / 2.0 / figure.value, 4))


def _longest(told: NDArray[np.bool_]) -> slice:
    """The longest stretch of what was told."""
    edges = np.flatnonzero(np.diff(np.concatenate(([False], told, [False])).astype(np.int8)))
    if not edges.size:
        return slice(0, 0)
    firsts, lasts = edges[::2], edges[1::2]
    k = int((lasts - firsts).argmax())
    return slice(int(firsts[k]), int(lasts[k]))
