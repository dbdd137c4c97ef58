"""What makes a forecast unsure, and what to measure next, in words: titles, how it is done, what is typed."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

from zesty_cell.core.learn.surer import CauseKey, MeasureKey
from zesty_cell.core.parts.craft import Craft

CAUSE_WORDS: Final[dict[CauseKey, str]] = {
    "efficiency": "how much power it takes",
    "weight": "what it weighs",
    "size": "its size",
    "electronics": "what video and camera take",
    "sensor": "what its current sensor shows",
    "flights": "what the flights so far leave open",
    "flying": "how hard it is flown",
    "capacity": "what the pack really holds",
    "resistance": "how far the pack sags",
    "full_throttle": "what full throttle takes",
    "day": "the day: wind, gusts, air",
}


@dataclass(frozen=True)
class MeasureWords:
    """How one measurement is spoken of.

    Attributes
    ----------
    title, effort : str
        What to measure, and what it takes.
    how : tuple of str
        How to do it safely, in two lines.
    """

    title: str
    effort: str
    how: tuple[str, str]


_STEADY_HOW = {
    True: (
        "Hover low over grass, well away from people, for three to five minutes; land while it still flies well.",
        "Charge the pack full again and read what the charger put back.",
    ),
    False: (
        "Fly level circles at an easy speed for three to five minutes, mostly at one throttle; land early.",
        "Charge the pack full again and read what the charger put back.",
    ),
}
_AMPS_HOW = {
    True: (
        "Hover still, at eye level and a few steps away, and let someone else read the current.",
        "Take the middle of what it shows over ten seconds.",
    ),
    False: (
        "Fly level at your usual speed and let someone else read the current, or look it up in the log.",
        "Take the middle of what it shows over ten seconds.",
    ),
}


def measure_words(key: MeasureKey, /, *, craft: Craft) -> MeasureWords:
    """A measurement in words, for what flies."""
    hovers = craft.lifts_itself()
    steady = "hover" if hovers else "cruise"
    if key == "hover_charge":
        return MeasureWords(
            f"One {steady}, and what the charger put back", "a pack and a charge", _STEADY_HOW[hovers]
        )
    if key == "hover_amps":
        return MeasureWords(f"Amps in a steady {steady}", "one look at telemetry", _AMPS_HOW[hovers])
    return _WORDS[key]


_WORDS: Final[dict[MeasureKey, MeasureWords]] = {
    "weigh": MeasureWords(
        "Its weight on a kitchen scale",
        "one minute",
        (
            "Craft with pack and camera, as it flies; propellers still, pack not plugged in.",
            "A gram is enough.",
        ),
    ),
    "flight": MeasureWords(
        "One flight, and what the charger put back",
        "a pack and a charge",
        (
            "Fly as you usually do, for half the time above at most, and land on the timer.",
            "Charge the pack full again; log how long it flew and what went back.",
        ),
    ),
    "three_flights": MeasureWords(
        "Three flights, logged",
        "an hour at the field",
        (
            "Each no more than a quarter longer than the one before.",
            "Log the minutes, a rest voltage ten minutes after landing, and what the charger put back.",
        ),
    ),
    "full_amps": MeasureWords(
        "Amps in one full-throttle climb",
        "two seconds, high and clear",
        (
            "Away from people, with a fresh pack: one straight climb of two seconds.",
            "Read the highest current in the log. Never hold a craft in your hand for this.",
        ),
    ),
    "charger_ohm": MeasureWords(
        "The cells’ resistance on the charger",
        "five minutes",
        (
            "Pack at room temperature and about half full; let the charger read its cells.",
            "Type what it shows: one figure, or one a cell.",
        ),
    ),
    "rest_volts": MeasureWords(
        "A rest voltage ten minutes after a flight",
        "a flight and a meter",
        (
            "Fly half the time above at most; unplug the pack and leave it alone for ten minutes.",
            "Read its volts on a checker and log them with the minutes flown.",
        ),
    ),
    "sensor": MeasureWords(
        "Check its current sensor against the charger",
        "two packs",
        (
            "What the transmitter shows as used, against what the charger puts back.",
            "The page for it says which scale to set.",
        ),
    ),
}
