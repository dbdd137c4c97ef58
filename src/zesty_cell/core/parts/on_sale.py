"""Sizes that packs are sold in: what is offered in place of a pack is one that could be had.

Pouch packs come in usual steps of capacity; packs of round cells in whole cells of usual sizes.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final

from zesty_cell.core.parts.chemistries import chemistry_for
from zesty_cell.core.parts.chemistry import ChemistryKey
from zesty_cell.core.parts.pack import Pack

#: Usual steps of pouch packs [Ah].
POUCH_AH: Final = (
    0.25, 0.30, 0.38, 0.45, 0.55, 0.65, 0.75, 0.85, 1.0, 1.3, 1.55, 1.8, 2.2, 2.6, 3.0, 3.3, 3.7, 4.0, 4.5, 5.0,
    5.5, 6.0, 7.0, 8.0, 9.0, 10.0, 12.0, 14.0, 16.0, 18.0, 20.0, 22.0, 25.0, 27.0, 30.0, 33.0,
)  # fmt: skip


@dataclass(frozen=True)
class RoundCell:
    """A usual round cell: diameter and length in its name, charge [Ah], weight [kg]."""

    name: str
    capacity_ah: float
    mass_kg: float


#: Usual round cells by chemistry, the larger last.
ROUND: Final[dict[ChemistryKey, tuple[RoundCell, ...]]] = {
    "liion_power": (RoundCell("18650", 2.5, 0.046), RoundCell("21700", 4.0, 0.070)),
    "liion_energy": (RoundCell("18650", 3.4, 0.048), RoundCell("21700", 5.0, 0.070)),
    "lifepo4": (RoundCell("18650", 1.5, 0.041), RoundCell("26650", 3.3, 0.085)),
    "nimh": (RoundCell("14500", 2.0, 0.028), RoundCell("22430", 3.5, 0.057)),
}
#: The next size is at least so much more; what is near in weight is within so much, as a factor [1].
_NEXT, _NEAR_WEIGHT = 1.12, 1.6


def next_size(pack: Pack, /) -> tuple[float, int]:
    """Capacity [Ah] and cells in parallel of the next larger pack on sale.

    A pouch pack's next usual step; of round cells one more row in parallel, each as large as those it has.
    """
    if chemistry_for(pack.chemistry).cell_form == "pouch":
        larger = next((c for c in POUCH_AH if c * pack.parallel >= _NEXT * pack.capacity_ah), None)
        if larger is not None:
            return larger * pack.parallel, pack.parallel
    return pack.capacity_ah * (pack.parallel + 1) / pack.parallel, pack.parallel + 1


@dataclass(frozen=True)
class OnSale:
    """Cells of a chemistry near in weight: charge of the pack [Ah], cells in parallel, weight [kg]."""

    capacity_ah: float
    parallel: int
    cells_kg: float
    cell: str


def near_weight(chemistry: ChemistryKey, /, *, series: int, cells_kg: float) -> OnSale | None:
    """What is sold of a chemistry in so many cells in series nearest to this weight of its cells [kg].

    None where that is far heavier or lighter: six round cells do not replace a small polymer pack.
    """
    of = chemistry_for(chemistry)
    wh_per_ah = series * of.nominal_v
    if of.cell_form == "pouch":
        found = [OnSale(c, 1, c * wh_per_ah / of.energy_density_wh_kg, "") for c in POUCH_AH]
    else:
        found = [
            OnSale(cell.capacity_ah * p, p, cell.mass_kg * p * series, cell.name)
            for cell in ROUND[chemistry]
            for p in range(1, 13)
        ]
    nearest = min(found, key=lambda one: (abs(math.log(one.cells_kg / cells_kg)), one.parallel))
    return nearest if 1 / _NEAR_WEIGHT <= nearest.cells_kg / cells_kg <= _NEAR_WEIGHT else None
