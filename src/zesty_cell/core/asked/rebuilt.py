"""Packs rebuilt with other values."""

from __future__ import annotations

from pydantic import ValidationError

from zesty_cell.core.parts.pack import HEAVIEST_PACK_KG, Pack
from zesty_cell.core.parts.pack_figures import pack_figures


def plain_pack(pack: Pack) -> Pack:
    """The pack with what its tests say written into its own figures [Ah, Ω, kg], ready to be scaled."""
    figures = pack_figures(pack)
    # What it cost is of this very pack.
    change: dict[str, object] = {
        "tests": {},
        "curve": None if pack.curve is None else pack.curve.alone(),
        "price": None,
        "lasts_flights": None,
        "cell_resistance_ohm": min(figures.cell_resistance_ohm, 2.0),
        # Age and label optimism are in these figures already.
        "resistance_known": "measured",
        "capacity_ah": max(figures.capacity_ah, 0.02),
        "capacity_known": "measured",
        # An estimated one may be more than anybody may enter.
        "mass_kg": min(figures.mass_kg, HEAVIEST_PACK_KG),
        "mass_known": figures.mass_known,
    }
    return Pack.model_validate(pack.model_dump() | change)


def rebuilt(pack: Pack, /, **change: object) -> Pack | None:
    """The pack with other values [V, Ah, Ω, kg]; None where that leads out of what the model allows."""
    try:
        return Pack.model_validate(pack.model_dump() | change)
    except ValidationError:
        return None
