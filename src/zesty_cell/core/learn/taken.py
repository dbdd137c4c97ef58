"""What the result of a measurement changes: craft and pack with what was read in the place of a guess."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Final

from zesty_cell.core.learn.surer import MeasureKey
from zesty_cell.core.parts import readings
from zesty_cell.core.parts.craft import Craft
from zesty_cell.core.parts.pack import Pack
from zesty_cell.core.parts.pack_figures import pack_figures

_Both = tuple[Craft, Pack]
_Take = Callable[[Craft, Pack, float, Sequence[float]], _Both]


def _weighed(craft: Craft, pack: Pack, ready_kg: float, values: Sequence[float]) -> _Both:
    # The craft's own weight is known and the pack's is not: what is left on the scale is the pack.
    if craft.assumed.weight == 0.0 and pack.mass_kg is None and values[0] > craft.dry_mass_kg:
        mass_kg = float(f"{values[0] - craft.dry_mass_kg:.5g}")
        return craft, pack.model_copy(update={"mass_kg": mass_kg, "mass_known": "measured"})
    return readings.weighed(craft, ready_kg=values[0], pack_kg=pack_figures(pack).mass_kg), pack


def _hovered(craft: Craft, pack: Pack, ready_kg: float, values: Sequence[float]) -> _Both:
    charge_ah, duration_s = values[0], values[1]
    return (
        readings.hovered(craft, charge_ah=charge_ah, duration_s=duration_s, pack=pack, ready_kg=ready_kg),
        pack,
    )


def _hover_amps(craft: Craft, pack: Pack, ready_kg: float, values: Sequence[float]) -> _Both:
    return readings.hover_current(craft, current_a=values[0], pack=pack, ready_kg=ready_kg), pack


def _full_amps(craft: Craft, pack: Pack, ready_kg: float, values: Sequence[float]) -> _Both:
    return readings.full_throttle_current(craft, current_a=values[0], pack=pack), pack


def _charger_read(craft: Craft, pack: Pack, ready_kg: float, values: Sequence[float]) -> _Both:
    return craft, readings.charger_read(pack, cells_ohm=values)


#: Measurements whose result goes into craft or pack, in the order in which they are taken: a weight first, because
#: what was read is at that weight.  The others are flights, which the log keeps, or a check with a page of its own.
TAKEN: Final[dict[MeasureKey, _Take]] = {
    "weigh": _weighed,
    "charger_ohm": _charger_read,
    "hover_charge": _hovered,
    "hover_amps": _hover_amps,
    "full_amps": _full_amps,
}


def take(key: MeasureKey, values: Sequence[float], /, *, craft: Craft, pack: Pack) -> _Both:
    """Craft and pack after a measurement.

    Parameters
    ----------
    values : sequence of float
        In SI: ready to fly with this pack [kg]; charge put back and time [Ah, s]; current [A]; one resistance, or
        one a cell [Ω].

    Raises
    ------
    KeyError
        For a measurement that changes neither.
    ValueError
        (Pydantic's) for a figure that cannot be.
    """
    ready_kg = craft.dry_mass_kg + pack_figures(pack).mass_kg
    new_craft, new_pack = TAKEN[key](craft, pack, ready_kg, values)
    # Validated again: a copy is not.
    return Craft.model_validate(new_craft.model_dump()), Pack.model_validate(new_pack.model_dump())
