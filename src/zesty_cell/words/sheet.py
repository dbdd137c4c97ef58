"""What the sheet says of itself in a few words: craft, pack, what was estimated, and the figures one step away."""

from __future__ import annotations

from zesty_cell.core.answer.forecast import Forecast
from zesty_cell.core.asked.flying import FlyingPattern
from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.parts.craft import MeasuredFullThrottle
from zesty_cell.core.parts.pack import cells_of
from zesty_cell.core.parts.pack_figures import pack_figures
from zesty_cell.words.face import Face
from zesty_cell.words.units import group

_SOURCE_WORDS = {
    "learned": "learned from flights",
    "measured": "measured",
    "charge": "from charge put back",
    "rotor": "estimated from its rotors",
    "wing": "estimated from its wing",
    "parts": "estimated from its motors and propellers",
}


REASON_WORDS = {
    "charge used": "by charge used",
    "rest voltage": "by rest voltage",
    "loaded voltage": "by loaded voltage",
    "timer": "by your timer",
    "ESC cutoff": "the ESC takes the power away",
    "floor": "the cells are at their floor",
    "empty": "the pack is empty",
    "longest": "we look no further than three hours",
}


def pattern_summary(pattern: FlyingPattern) -> str:
    """How long a round takes."""
    period = pattern.period_s
    return "1 minute, repeated" if abs(period - 60) < 0.05 else f"{period:g} s, repeated"


def craft_facts(sheet: Sheet, face: Face) -> list[tuple[str, str]]:
    """The craft in a few facts: label and value."""
    figures = pack_figures(sheet.pack)
    steady = sheet.craft.steady
    facts = [
        ("dry", face.mass(sheet.craft.dry_mass_kg)),
        ("ready to fly", face.mass(sheet.craft.dry_mass_kg + figures.mass_kg)),
    ]
    word = "hover" if sheet.craft.kind in ("multirotor", "helicopter") else "cruise"
    if steady.source == "measured":
        facts.append((word, f"{steady.current_a:.1f} A measured"))
    else:
        facts.append((word, _SOURCE_WORDS[steady.source]))
    return facts


def pack_facts(sheet: Sheet) -> list[tuple[str, str]]:
    """The pack in a few facts: value and unit or origin."""
    figures = pack_figures(sheet.pack)
    facts = [(group(sheet.pack.capacity_ah * 1000), "mAh"), (f"{figures.nominal_wh:.1f}", "Wh")]
    milliohm = figures.resistance_ohm * 1000.0
    facts.append((f"{milliohm:.{1 if milliohm < 20 else 0}f}", f"mΩ with leads, {figures.resistance_known}"))
    return facts


def doubts_of(result: Forecast, face: Face) -> list[str]:
    """What was estimated, in words: the reason for a wide range."""
    sheet, figures = result.setup.sheet, result.setup.figures
    doubts = []
    if sheet.learned_factors is None and sheet.craft.steady.source in ("rotor", "wing", "parts"):
        doubts.append(
            f"Steady power is {_SOURCE_WORDS[sheet.craft.steady.source]}: measure one point to narrow this."
        )
    if not isinstance(sheet.craft.full_throttle, MeasuredFullThrottle):
        doubts.append("Full-throttle current is estimated.")
    known = sheet.learned_factors is not None and sheet.learned_factors.knows(sheet.pack)
    if figures.resistance_known == "estimated" and not known:
        doubts.append("Pack resistance is estimated from its size and class.")
    if figures.capacity_known != "measured" and not known:
        doubts.append(
            f"Label {face.mah(sheet.pack.capacity_ah)}, counted as {face.mah(figures.capacity_ah)} until measured."
        )
    if figures.mass_known == "estimated":
        doubts.append("Pack weight is estimated.")
    return doubts


def more_of(result: Forecast, face: Face) -> list[tuple[str, str]]:
    """The figures one step away: name and value."""
    series, flight = result.setup.sheet.pack.series, result.flight
    per_km = [] if result.mah_per_km is None else [("Charge a kilometre", f"{result.mah_per_km:.0f} mAh")]
    return [
        ("Energy to landing", f"{result.used_wh:.1f} Wh"),
        ("Charge a minute", f"{result.mah_per_minute:.0f} mAh"),
        *per_km,
        ("Mean current", f"{result.mean_a:.1f} A"),
        ("Worst sag", f"{face.volts(result.at_landing.worst_v, series)} at {face.time(result.worst_s)}"),
        ("At rest on landing", face.volts(float(flight.rest_v[flight.index_at(flight.landing_s)]), series)),
        ("Left at landing", face.mah(result.reserve_ah)),
        ("Full-throttle thrust left", f"{100 * result.at_landing.thrust_share:.0f} %"),
        (
            "Honest current",
            f"{result.honest.current_a:.0f} A, by {'heat' if result.honest.limited_by == 'heat' else 'sag'}",
        ),
        ("Ready to fly", face.mass(result.setup.all_up_mass_kg)),
    ]


def pack_kind(sheet: Sheet) -> str:
    """Layout and chemistry in short."""
    chemistry = cells_of(sheet.pack)
    return f"{sheet.pack.series}S{sheet.pack.parallel}P, {chemistry.short_name}"
