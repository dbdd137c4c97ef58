"""What the first page says beside what it understood, and of how much of its answer is assumed."""

from __future__ import annotations

from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.flight.honest_current import honest_current
from zesty_cell.core.parts.pack import Pack
from zesty_cell.core.parts.starting import Kind
from zesty_cell.words.face import Face
from zesty_cell.words.units import LENGTH, System, is_imperial

#: Where steady power comes from while nothing of the craft was measured.
_ESTIMATED = ("rotor", "wing", "parts")


def how_sure(sheet: Sheet, /) -> str:
    """How much of the answer is assumed, in a few words."""
    learned = sheet.learned_factors
    if learned is not None:
        return f"corrected by {learned.flights} flight{'' if learned.flights == 1 else 's'} of this craft"
    if sheet.craft.steady.source in _ESTIMATED:
        return "almost all of it is assumed so far"
    return "what you measured narrows it; the rest is assumed"


def size_note(kind: Kind, size_m: float, units: System, /) -> str:
    """What is measured of a kind of craft, and the same in the other unit of lengths."""
    if kind.is_wing():
        return "from tip to tip"
    if kind.rotors == 1:
        return "the main rotor"
    other = LENGTH.metric if is_imperial(units, "lengths") else LENGTH.imperial
    return f"{'four' if kind.rotors == 4 else kind.rotors}, {other.show(size_m):.3g} {other.label}"


def usual_weight(low_kg: float, high_kg: float, face: Face, /) -> str:
    """What crafts of a kind usually weigh, ready to fly."""
    return f"usual {face.mass_about(low_kg)} to {face.mass_about(high_kg)}"


def carried_note(avionics_w: float, /) -> str:
    """What video and camera take."""
    return f"video and camera take {avionics_w:.2g} W"


def charge_note(watt_hours: float, *, of_whole_pack: bool) -> str:
    """What stands behind the charge of a label."""
    return f"mAh, {'of the whole pack, ' if of_whole_pack else ''}{watt_hours:.1f} Wh"


def rating_note(pack: Pack, /) -> str:
    """What stands behind the rate of a label, or in its place where amps are printed; empty where neither is."""
    if pack.label_c is None and pack.ratings is None:
        return ""
    honest = f"honest about {honest_current(pack).current_a:.0f} A"
    if pack.label_c is not None or pack.ratings is None:
        return f"C, {honest}"
    return f"rated {pack.ratings.continuous_a:.0f} A, {honest}"
