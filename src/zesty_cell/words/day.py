"""A day at the field in a few words: who waits for the charger, and which run of a test a flight would be."""

from __future__ import annotations

from collections.abc import Sequence

from zesty_cell.core.learn.flights import LoggedFlight
from zesty_cell.words.face import Face


def waiting_words(flights: Sequence[LoggedFlight], /, *, series: int, face: Face) -> str:
    """“flew 4:31, rested at 3.71 V a cell; before it 4:02”: flights since a pack was charged, the newest last."""
    newest = flights[-1]
    rested = "" if not newest.rest_v_per_cell else f", rested at {face.volts(newest.rest_v_per_cell, series)}"
    before = ", ".join(face.time(flight.duration_s) for flight in flights[:-1])
    return f"flew {face.time(newest.duration_s)}{rested}" + (f"; before it {before}" if before else "")


def air_words(coolest_c: float, warmest_c: float, face: Face, /) -> str:
    """“8 °C to 24 °C”: the air that a test is flown in."""
    return f"{face.temperature(coolest_c)} to {face.temperature(warmest_c)}"


def run_words(number: int, /, *, test: str, side: str, name: str, air: str) -> str:
    """“run 5 of Two blades or three: B, two blades, at 8 °C to 24 °C”; numbers from 0."""
    return f"run {number + 1} of {test}: {side}, {name}, at {air}"
