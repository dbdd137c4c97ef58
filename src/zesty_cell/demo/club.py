"""Crafts, packs and sheets of the Saltmarsh flyers.  All of it is invented; birds fly, citrus powers."""

from __future__ import annotations

from sqlalchemy.orm import Session

from zesty_cell.core.asked.flying import PATTERNS
from zesty_cell.core.asked.landing import LandingRule
from zesty_cell.core.asked.sheet import Conditions, Sheet
from zesty_cell.core.parts.ownership import Ownership
from zesty_cell.demo.crafts import CRAFT_LIST
from zesty_cell.demo.packs import CELL_LIST, PACK_LIST
from zesty_cell.store import sheets
from zesty_cell.store.hangar import CELLS, CRAFTS, PACKS

#: Where a pack stands, by its name: flights, last rest voltage per cell, and whose it is.
_OWNED: dict[str, Ownership] = {
    "Kumquat 1": Ownership(flights=40, rest_v_per_cell=4.33),
    "Kumquat 2": Ownership(flights=44, rest_v_per_cell=3.79),
    "Kumquat 3": Ownership(flights=210, rest_v_per_cell=3.71),
    "Yuzu 1": Ownership(flights=22, rest_v_per_cell=4.18),
    "Yuzu 2": Ownership(flights=30, rest_v_per_cell=3.83),
    "Satsuma 1": Ownership(flights=35, rest_v_per_cell=4.19),
    "Satsuma 2": Ownership(flights=52, rest_v_per_cell=4.19),
    "Satsuma 3": Ownership(flights=48, rest_v_per_cell=3.74, standing="lent", lent_to="the youth group"),
    "Tangelo 1": Ownership(flights=60, rest_v_per_cell=3.82),
    "Tangelo 2": Ownership(flights=75, rest_v_per_cell=3.81),
    "Pomelo 1": Ownership(flights=31, rest_v_per_cell=4.17),
    "Pomelo 2": Ownership(flights=12, rest_v_per_cell=3.52),
    "Double Pomelo": Ownership(flights=9, rest_v_per_cell=3.66),
    "Bergamot": Ownership(flights=18, rest_v_per_cell=4.15),
    "Clementine 1": Ownership(flights=26, rest_v_per_cell=3.84),
    "Clementine 2": Ownership(flights=26, rest_v_per_cell=3.84),
    "Clementine pair": Ownership(flights=26, rest_v_per_cell=4.19),
    "Lime 1": Ownership(flights=20, rest_v_per_cell=4.18),
}

#: Sheets as (name, craft, pack, pattern, conditions, landing rule).
SHEET_LIST: tuple[tuple[str, str, str, str, Conditions, LandingRule], ...] = (
    ("Skua on Lime, jet day", "Skua", "Lime 1", "jet", Conditions(air_c=21), LandingRule(home_s=30)),
    (
        "Kestrel on Clementine pair",
        "Kestrel",
        "Clementine pair",
        "heli_sport",
        Conditions(air_c=17),
        LandingRule(home_s=20),
    ),
    (
        "Tern on Yuzu, Sunday aerobatics",
        "Tern",
        "Yuzu 1",
        "aerobatics",
        Conditions(air_c=18),
        LandingRule(home_s=20, loaded_v=3.4, loaded_hold_s=3),
    ),
    (
        "Plover on Bergamot, along the dyke",
        "Plover",
        "Bergamot",
        "long_range",
        Conditions(air_c=9),
        LandingRule(charge_kept=0.25, home_s=180, headwind_m_s=4),
    ),
    (
        "Wren on Kumquat, clubhouse",
        "Wren",
        "Kumquat 1",
        "gentle_hover",
        Conditions(air_c=19),
        LandingRule(charge_kept=0.2, home_s=10),
    ),
    (
        "Heron on Satsuma, frosty morning",
        "Heron",
        "Satsuma 1",
        "cruise",
        Conditions(air_c=1, pack_c=4),
        LandingRule(home_s=45),
    ),
    (
        "Swift on Satsuma, harbour wall",
        "Swift",
        "Satsuma 2",
        "freestyle",
        Conditions(air_c=16),
        LandingRule(home_s=15),
    ),
    (
        "Heron on Pomelo, lighthouse run",
        "Heron",
        "Pomelo 1",
        "cruise",
        Conditions(air_c=12),
        LandingRule(home_s=90),
    ),
)


def club_sheets() -> list[Sheet]:
    """The club's sheets, each with its craft and pack."""
    crafts = {craft.name: craft for craft in CRAFT_LIST}
    packs = {pack.name: pack for pack in PACK_LIST}
    return [
        Sheet(
            name=name, craft=crafts[craft], pack=packs[pack], flying=PATTERNS[pattern], conditions=conditions,
            landing=landing,
        )
        for name, craft, pack, pattern, conditions, landing in SHEET_LIST
    ]  # fmt: skip


def load_club(session: Session) -> int:
    """Put the club into an empty database; does nothing in one that holds anything.

    Returns
    -------
    int
        Number of sheets added.
    """
    if CRAFTS.all(session) or PACKS.all(session) or sheets.all_sheets(session):
        return 0
    crafts = {craft.name: CRAFTS.add(session, craft).id for craft in CRAFT_LIST}
    cells = {cell.name: CELLS.add(session, cell).id for cell in CELL_LIST}
    packs = {
        pack.name: PACKS.add(session, pack, ownership=_OWNED[pack.name], cell_id=cells.get(pack.cell_name or "")).id
        for pack in PACK_LIST
    }
    for sheet in club_sheets():
        sheets.add(session, sheet, craft_id=crafts[sheet.craft.name], pack_id=packs[sheet.pack.name])
    return len(SHEET_LIST)
