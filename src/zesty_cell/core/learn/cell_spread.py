"""How far the cells of a pack are apart."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from zesty_cell.core.learn.verdict import Verdict, judge
from zesty_cell.core.parts.chemistry import Chemistry, charge_left_at_rest

#: Cells this far apart at rest and a pack is watched, and retired [V]; see docs/physics.md, "Pack health".
SPREAD_WATCH_V, SPREAD_RETIRE_V = 0.03, 0.10


@dataclass(frozen=True)
class CellSpread:
    """Readings of a resting pack's cells.

    Attributes
    ----------
    spread_v : float
        Highest less lowest [V].
    weakest : int
        The lowest, from 0.
    verdict : Verdict
    rest_v : float
        Their mean [V].
    charge_left : float
        Of the lowest [1].
    """

    spread_v: float
    weakest: int
    verdict: Verdict
    rest_v: float
    charge_left: float


def cell_spread(cells_v: Sequence[float], /, *, chemistry: Chemistry) -> CellSpread:
    """What the cells of a resting pack say [V]."""
    spread_v = max(cells_v) - min(cells_v)
    return CellSpread(
        spread_v=spread_v,
        weakest=int(np.argmin(cells_v)),
        # A millivolt display rounds: 30 mV is 30 mV.
        verdict=judge(spread_v + 1e-9, watch=SPREAD_WATCH_V, retire=SPREAD_RETIRE_V),
        rest_v=sum(cells_v) / len(cells_v),
        charge_left=charge_left_at_rest(chemistry=chemistry, rest_v=min(cells_v)),
    )
