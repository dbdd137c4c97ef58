"""Whether a craft could be flown with a pack at all: a first sieve by voltage and weight."""

from __future__ import annotations

from zesty_cell.core.parts.chemistry import amid_flight_v
from zesty_cell.core.parts.craft import Craft
from zesty_cell.core.parts.pack import Pack, cells_of
from zesty_cell.core.parts.pack_figures import pack_figures

#: A craft's full throttle was told at a voltage: packs within these shares of it suit its motors [1].
_LEAST_V, _MOST_V = 0.70, 1.25
#: No craft carries a pack heavier than this over its own weight without one [1].
_MOST_KG = 1.5


def could_fly(craft: Craft, pack: Pack, /) -> bool:
    """Whether motors and parts take its voltage, and the craft its weight [V, kg]."""
    figures = pack_figures(pack)
    if craft.limits.maximum_v is not None and figures.full_v > craft.limits.maximum_v:
        return False
    share = amid_flight_v(cells_of(pack), series=pack.series) / craft.full_throttle.voltage_v
    return _LEAST_V <= share <= _MOST_V and figures.mass_kg <= _MOST_KG * craft.dry_mass_kg
