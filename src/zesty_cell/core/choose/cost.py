"""What a flight costs of its pack, where somebody said what the pack cost: in their money, never looked up."""

from __future__ import annotations

from typing import Final

from zesty_cell.core.parts.chemistry import ChemistryKey
from zesty_cell.core.parts.pack import Pack

#: Flights until a pack has lost a fifth of its charge, flown and kept as pilots do [1]; rules of thumb, within a
#: factor of two (docs/physics.md, "Choosing a pack").
USUAL_FLIGHTS: Final[dict[ChemistryKey, int]] = {
    "lipo": 200,
    "lihv": 120,
    "liion_power": 300,
    "liion_energy": 300,
    "lifepo4": 1000,
    "nimh": 300,
}


def flights_it_lasts(pack: Pack, /) -> int:
    """How many flights a pack is counted for [1]: as its pilot said, else as is usual for its chemistry."""
    return pack.lasts_flights or USUAL_FLIGHTS[pack.chemistry]


def cost_per_flight(pack: Pack, /) -> float | None:
    """What one flight costs of a pack, in its price's own unit of money; None without a price."""
    return None if pack.price is None else pack.price / flights_it_lasts(pack)
