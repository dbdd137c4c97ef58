"""Charging in the field from another pack: what it holds for that, and what a pack takes until it is full.

Energy between two charges is the charge moved times the rest voltage on the way, Q·∫OCV dz (PHYSICS 1).  What a
charger loses, and what both packs turn to heat, is taken on the careful side, so that a supply rather charges one
pack more than was said than one less.
"""

from __future__ import annotations

from typing import Final

import numpy as np

from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import fact
from zesty_cell.core.parts.chemistry import cell_table
from zesty_cell.core.parts.pack import Pack, cells_of
from zesty_cell.core.parts.pack_figures import pack_figures

#: What comes out of a charger of what goes in [1]: step-up and step-down converters, balancing, fan and display.
CHARGER_SHARE: Final = 0.80
#: Heat in the pack that is charged at about 1C, over the energy it keeps; and in the supply, of what it gives [1].
CHARGING_HEAT, GIVING_HEAT = 0.05, 0.03
#: A supply is left with so much charge [1]: it is discharged no further than a pack that flies.
SUPPLY_FLOOR: Final = 0.20


def energy_between_wh(pack: Pack, /, *, low: float, high: float) -> float:
    """Energy in a pack's charge between two states of it, at rest [Wh].

    Parameters
    ----------
    low, high : float
        States of charge [0 to 1]; nothing is between where ``high`` is the lower.

    Raises
    ------
    OutOfRangeError
        When one is no state of charge.
    """
    for name, value in (("low", low), ("high", high)):
        if not 0.0 <= value <= 1.0:
            raise OutOfRangeError(
                fact("refused.charge.none", charge_share=value), field=name, value=value, limit=1.0
            )
    if high <= low:
        return 0.0
    table = cell_table(cells_of(pack))[:, 0]
    grid = np.linspace(0.0, 1.0, table.size)
    at = np.concatenate(([low], grid[(grid > low) & (grid < high)], [high]))
    cell_vz = float(np.trapezoid(np.interp(at, grid, table), at))
    return pack_figures(pack).capacity_ah * pack.series * cell_vz


def supply_holds_wh(pack: Pack, /, *, charge: float) -> float:
    """What a pack gives a charger until it is down to its floor [Wh]; none where it is there already."""
    return energy_between_wh(pack, low=SUPPLY_FLOOR, high=charge) * (1.0 - GIVING_HEAT)


def filling_takes_wh(pack: Pack, /, *, charge: float) -> float:
    """What a charger takes from its supply until a pack is full [Wh]."""
    kept = energy_between_wh(pack, low=charge, high=1.0)
    return kept * (1.0 + CHARGING_HEAT) / CHARGER_SHARE
