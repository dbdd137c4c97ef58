"""One reading of a craft or of a pack, and what it puts in the place of a guess.

A scale, a charger, a look at telemetry: each replaces what was assumed or estimated, and nothing else.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

from zesty_cell.core.parts.chemistries import CHEMISTRIES
from zesty_cell.core.parts.craft import (
    Assumed,
    Craft,
    MeasuredCharge,
    MeasuredFullThrottle,
    MeasuredPoint,
)
from zesty_cell.core.parts.measured import ChargerReading
from zesty_cell.core.parts.pack import Pack, after_tests

#: However heavy a pack, at least this share of what was weighed is the craft [1].
_LEAST_DRY = 0.1


def usual_loaded_v(pack: Pack, /) -> float:
    """Voltage of a pack amid a flight, where nobody read it [V]: about its nominal one."""
    return CHEMISTRIES[pack.chemistry].nominal_v * pack.series


def _no_longer_assumed(craft: Craft, *figures: str) -> Assumed:
    return Assumed.model_validate(craft.assumed.model_dump() | dict.fromkeys(figures, 0.0))


def weighed(craft: Craft, /, *, ready_kg: float, pack_kg: float) -> Craft:
    """A craft after it stood on a scale with its pack [kg]."""
    dry_kg = max(ready_kg - pack_kg, _LEAST_DRY * ready_kg)
    return craft.model_copy(
        update={"dry_mass_kg": float(f"{dry_kg:.5g}"), "assumed": _no_longer_assumed(craft, "weight")}
    )


def hovered(craft: Craft, /, *, charge_ah: float, duration_s: float, pack: Pack, ready_kg: float) -> Craft:
    """A craft after a steady flight whose charge was put back [Ah, s]: hover, or level cruise on wings."""
    return craft.model_copy(
        update={
            "steady": MeasuredCharge(
                charge_ah=charge_ah, duration_s=duration_s, voltage_v=usual_loaded_v(pack), all_up_mass_kg=ready_kg
            ),
            "propellers_source": "",
        }
    )


def hover_current(
    craft: Craft, /, *, current_a: float, pack: Pack, ready_kg: float, voltage_v: float | None = None
) -> Craft:
    """A craft after a look at the current of a steady hover, or of level cruise on wings [A]."""
    volts = usual_loaded_v(pack) if voltage_v is None else voltage_v
    return craft.model_copy(
        update={
            "steady": MeasuredPoint(current_a=current_a, voltage_v=volts, all_up_mass_kg=ready_kg),
            "propellers_source": "",
        }
    )


def full_throttle_current(
    craft: Craft, /, *, current_a: float, pack: Pack, voltage_v: float | None = None
) -> Craft:
    """A craft after a look at the current of a short climb at full throttle, in flight [A]."""
    volts = usual_loaded_v(pack) if voltage_v is None else voltage_v
    return craft.model_copy(
        update={
            "full_throttle": MeasuredFullThrottle(current_a=current_a, voltage_v=volts, where="flight"),
            "assumed": _no_longer_assumed(craft, "full_throttle"),
        }
    )


def charger_read(pack: Pack, /, *, cells_ohm: Sequence[float]) -> Pack:
    """A pack after its charger showed its cells' resistance [Ω]; one figure stands for all of them.

    Raises
    ------
    ValueError
        (Pydantic's) when there are several figures, and not one a cell.
    """
    each = tuple(cells_ohm) * (pack.series if len(cells_ohm) == 1 else 1)
    tests = pack.tests.model_copy(update={"charger": ChargerReading(cells_ohm=each)})
    return after_tests(pack, tests)


#: A figure that was typed again from what a form showed is the same to so much [1].
_SAME = 1e-4


def _same(one: object, other: object) -> bool:
    if isinstance(one, dict) and isinstance(other, dict):
        return one.keys() == other.keys() and all(_same(one[key], other[key]) for key in one)
    if isinstance(one, float | int) and isinstance(other, float | int):
        return math.isclose(one, other, rel_tol=_SAME, abs_tol=1e-9)
    return one == other


def still_assumed(craft: Craft, /, *, before: Craft) -> Craft:
    """A craft that was edited: what was assumed of it stays assumed where its figure is still the same."""
    was, new, old = before.assumed, craft.model_dump(), before.model_dump()
    by_figure = {
        "weight": "dry_mass_kg",
        "size": "steady",
        "electronics": "avionics_w",
        "full_throttle": "full_throttle",
    }
    kept = {
        name: getattr(was, name) if _same(new[figure], old[figure]) else 0.0 for name, figure in by_figure.items()
    }
    return craft.model_copy(update={"assumed": Assumed.model_validate(kept)})
