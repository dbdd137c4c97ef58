"""Packs as the phone takes them along: charge, rest voltages, and what each holds as a supply."""

from __future__ import annotations

from functools import lru_cache
from typing import Any, Final

from zesty_cell.core.choose.supply import filling_takes_wh, supply_holds_wh
from zesty_cell.core.parts.chemistries import chemistry_for
from zesty_cell.core.parts.chemistry import charge_left_at_rest
from zesty_cell.core.parts.pack import Pack
from zesty_cell.services.to_fly import PackChoice
from zesty_cell.store.hangar import PACKS

#: Rest voltages are told apart by so much [V].
REST_STEP_V: Final = 0.01


@lru_cache(maxsize=16)
def rest_table(chemistry: str) -> tuple[float, tuple[float, ...]]:
    """Charge at rest by the voltage of a cell: the lowest voltage, and the share at each step from there [V, 1]."""
    found = chemistry_for(chemistry)
    low, high = found.hard_floor_v, found.full_v + 0.05
    count = round((high - low) / REST_STEP_V) + 1
    shares = [charge_left_at_rest(chemistry=found, rest_v=low + k * REST_STEP_V) for k in range(count)]
    return low, tuple(round(share, 3) for share in shares)


def pack_taken(choice: PackChoice) -> dict[str, Any]:
    row = choice.row
    return {
        "id": row.id,
        "name": row.name,
        "chemistry": row.chemistry,
        "series": row.series,
        "charge": None if choice.charge is None else round(choice.charge, 3),
        "flown": choice.flown,
        **_as_supply(PACKS.thing(row)),
    }


#: Charges at which a table tells what a supply holds and what filling takes [1].
SUPPLY_STEP: Final = 0.05


@lru_cache(maxsize=1000)
def _as_supply(pack: Pack) -> dict[str, Any]:
    """What it holds for a charger, and what filling it takes, from empty to full in equal steps [Wh]."""
    steps = [min(round(k * SUPPLY_STEP, 2), 1.0) for k in range(round(1.0 / SUPPLY_STEP) + 1)]
    return {
        "holds_wh": [round(supply_holds_wh(pack, charge=c), 1) for c in steps],
        "takes_wh": [round(filling_takes_wh(pack, charge=c), 1) for c in steps],
    }
