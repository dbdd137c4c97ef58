"""What crafts, packs and sheets are called where nobody has named them yet."""

from __future__ import annotations

from typing import Final

from zesty_cell.core.parts.chemistries import chemistry_for
from zesty_cell.core.parts.pack import Pack
from zesty_cell.core.parts.starting import Carries, Kind, Manner, StartKey

#: A kind of starting craft: what it is called, and in a few words.
KIND_WORDS: Final[dict[StartKey, tuple[str, str]]] = {
    "micro": ("indoor micro", "65 mm, 1S"),
    "small_quad": ("small quad", "2 to 4 inch"),
    "freestyle": ("freestyle", "5 inch"),
    "long_range": ("long range", "6 to 9 inch"),
    "lifter": ("heavy lifter", "10 inch and up"),
    "plane": ("plane", "0.5 to 2.4 m"),
    "flying_wing": ("wing or jet", "0.5 to 1.8 m"),
    "jet": ("ducted fan", "a jet"),
    "helicopter": ("helicopter", "any rotor"),
}
#: The same where wings and jets stand apart.
LIKE_WORDS: Final[dict[StartKey, tuple[str, str]]] = {"flying_wing": ("flying wing", "0.5 to 1.8 m")}
_CRAFT_NAMES: Final[dict[StartKey, str]] = {
    "micro": "Indoor micro",
    "small_quad": "Small quad",
    "freestyle": "Freestyle quad",
    "long_range": "Long-range quad",
    "lifter": "Heavy lifter",
    "plane": "Plane",
    "flying_wing": "Flying wing",
    "jet": "Ducted-fan jet",
    "helicopter": "Helicopter",
}
MANNER_WORDS: Final[dict[Manner, str]] = {"gentle": "gently", "mixed": "mixed", "hard": "hard"}
CARRIES_WORDS: Final[dict[Carries, str]] = {
    "nothing": "no camera",
    "camera": "a small camera",
    "film": "a filming camera too",
}


def craft_name(kind: Kind, /, *, size_m: float | None) -> str:
    """A starting craft's name: what it is, and its size where that was said."""
    name = _CRAFT_NAMES[kind.key]
    if size_m is None:
        return name
    return f"{name}, {size_m:.2g} m" if kind.is_wing() or kind.rotors == 1 else f"{name}, {size_m / 0.0254:.2g} in"


def pack_name(pack: Pack, /, *, called: str = "") -> str:
    """A pack's name as pilots say it: what its maker calls it, cells, charge, chemistry."""
    cells = f"{pack.series}S{pack.parallel}P" if pack.parallel > 1 else f"{pack.series}S"
    charge = f"{1000.0 * pack.capacity_ah:.0f}"
    # The chemistry at the end: a number there would make it one of several of a type.
    return " ".join(part for part in (called, cells, charge, chemistry_for(pack.chemistry).short_name) if part)[:80]


def sheet_name(*, craft: str, pack: str) -> str:
    """A sheet's name, from its craft and its pack."""
    return f"{craft} on {pack}"[:80]
