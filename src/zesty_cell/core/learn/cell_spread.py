"""How far the cells of a pack are apart."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from zesty_cell.core.answer.plausibility import OVER_FULL_V
from zesty_cell.core.fact import Fact, fact
from zesty_cell.core.learn.verdict import Verdict, judge
from zesty_cell.core.parts.chemistry import Chemistry, charge_left_at_rest
from zesty_cell.core.parts.pack import Pack, cells_of

#: Cells this far apart at rest and a pack is watched, and retired [V]; see docs/physics.md, "Pack health".
SPREAD_WATCH_V, SPREAD_RETIRE_V = 0.03, 0.10
#: So far over full no cell is: it is another chemistry's, or a slip [V].
_NO_CELL_V = 0.15


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


def cells_doubt(cells_v: Sequence[float], /, *, pack: Pack) -> Fact | None:
    """Why readings cannot be of a pack's cells [V]: another count, or a voltage that its cells never have."""
    chemistry = cells_of(pack)
    if len(cells_v) != pack.series:
        return fact("flight.other_count", readings=len(cells_v), pack=pack.name, series=pack.series)
    if max(cells_v, default=0.0) > chemistry.full_v + _NO_CELL_V:
        return fact("cells.none_such", volts=max(cells_v), chemistry=chemistry.name)
    return None


def over_full(cells_v: Sequence[float], /, *, chemistry: Chemistry) -> Fact | None:
    """What to do where a cell is over full [V]; None where none is."""
    over_v = max(cells_v) - chemistry.full_v
    return fact("cells.over_full", over_v=over_v) if over_v > OVER_FULL_V else None


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
