"""Decisions of a drill in a few words, with what each means there."""

from __future__ import annotations

from typing import Final

from zesty_cell.core.clock import clock
from zesty_cell.core.practice.scenario import Scenario

#: What is decided, and why one would.
ACTIONS: Final = {
    "go on": ("Go on", "it was a climb, it comes back", "space"),
    "gentler": ("Fly gentler", "less sag, more minutes", "G"),
    "home": ("Turn home", "", "H"),
    "land": ("Land where it is", "", "L"),
}
#: What is said of a decision afterwards.
DECIDED: Final = {"go on": "on", "gentler": "gentler", "home": "home", "land": "landed"}


def actions_of(scenario: Scenario, /) -> list[tuple[str, str, str, str]]:
    """The four decisions, each with its words, what it means here, and its key; nothing that is hidden."""
    mission = scenario.mission
    home = f"{clock(mission.home_s(mission.out_m))} from out there"
    if mission.wind_m_s > 0.5:
        home += ", against the wind"
    out = "over the field it costs nothing, out there a walk"
    told = {"home": home, "land": out}
    return [(action, words, told.get(action, why), key) for action, (words, why, key) in ACTIONS.items()]
