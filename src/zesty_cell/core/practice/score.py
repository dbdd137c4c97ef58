"""What a drill was worth: time flown with the reserve kept, against the best that was to be had."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Final

from zesty_cell.core.asked.flying import STEP_S
from zesty_cell.core.callouts.engine import Event
from zesty_cell.core.practice.course import Decision
from zesty_cell.core.practice.flown import Ending, Played, play, true_flight
from zesty_cell.core.practice.scenario import Scenario

#: Landing where it is costs so much, and so much more a kilometre, up to a most [1, 1/km, 1].
_WALK, _WALK_KM, _WALK_MOST = 0.10, 0.15, 0.35
#: A turn is found to within so much [s].
_FOUND_S: Final = 0.5


@dataclass(frozen=True)
class Ideal:
    """The best turn home: the last moment from which it lands with the reserve [s], and what that gives."""

    turn_s: float
    ending: Ending


@lru_cache(maxsize=256)
def ideal(scenario: Scenario, /) -> Ideal:
    """The last moment to turn home and land with the reserve; at once where no moment is early enough [s]."""
    _, _, never = true_flight(scenario, ())
    low_s, high_s = 0.0, never.at_s
    best = true_flight(scenario, (Decision(at_s=0.0, action="home"),))[2]
    while high_s - low_s > _FOUND_S:
        turn_s = round(0.5 * (low_s + high_s) / STEP_S) * STEP_S
        ending = true_flight(scenario, (Decision(at_s=turn_s, action="home"),))[2]
        if not ending.fell and ending.left >= scenario.reserve:
            low_s, best = turn_s, ending
        else:
            high_s = turn_s
    return Ideal(low_s, best)


def points(ending: Ending, /, *, best: Ideal, reserve: float) -> int:
    """Points of an ending, 0 to 100 [1]: time flown over the best, less for a reserve not kept and for a walk.

    A pack that gives no more in the air costs all.

    Parameters
    ----------
    reserve : float
        [1].
    """
    if ending.fell:
        return 0
    time = min(ending.at_s / best.ending.at_s, 1.0)
    kept = 1.0 if ending.kept else max(ending.left / reserve, 0.0)
    walk = 0.0 if ending.over_field else min(_WALK + _WALK_KM * ending.away_m / 1000.0, _WALK_MOST)
    return round(100.0 * time * kept * (1.0 - walk))


def score(played: Played, /) -> int:
    """Points of a drill, 0 to 100 [1]."""
    best = ideal(played.scenario)
    return points(played.ending, best=best, reserve=played.scenario.reserve)


def first_word(events: Sequence[Event], /) -> Event | None:
    """The first thing said that asks for a landing: a rule of the pack, or a timer's end."""
    return next((e for e in events if e.kind in ("rule", "end") and e.say), None)


def scripted(scenario: Scenario, pilot: str, /) -> Played:
    """A drill by a pilot who follows one rule: "first word", "never", "timer only" or "ideal".

    Raises
    ------
    ValueError
    """
    if pilot == "never":
        return play(scenario, ())
    if pilot == "ideal":
        return play(scenario, (Decision(at_s=ideal(scenario).turn_s, action="home"),))
    if pilot == "timer only":
        return play(scenario, (Decision(at_s=scenario.turn_s, action="home"),))
    if pilot != "first word":
        raise ValueError(f"There is no pilot “{pilot}”.")
    said = first_word(play(scenario, ()).events)
    return play(scenario, () if said is None else (Decision(at_s=said.time_s, action="home"),))
