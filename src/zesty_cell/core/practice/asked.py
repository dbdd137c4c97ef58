"""The one question of a drill: when it is asked, what may be answered, and what is right."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from zesty_cell.core.fact import Fact, fact
from zesty_cell.core.practice.flown import Played
from zesty_cell.core.practice.scenario import Scenario
from zesty_cell.core.practice.score import first_word

#: A pack with so much beyond its reserve is not at its end yet [1].
_NOT_THE_END = 0.08
#: Steps between the voltages offered [V a cell], and how many there are.
_APART_V, _OFFERED = 0.10, 4
#: Where nothing is said before the timer, it is asked at this share of that [1].
_WITHOUT_A_WORD = 0.75
#: Telemetry is missed for so long before anybody asks [s].
_MISSED_S = 8.0


@dataclass(frozen=True)
class Question:
    """A question on the way.

    Attributes
    ----------
    at_s : float
        [s].
    words : Fact
    options : tuple of Fact
    right : int
        Place of the right one, from 0.
    truth : Fact
        What was true, said afterwards.
    """

    at_s: float
    words: Fact
    options: tuple[Fact, ...]
    right: int
    truth: Fact


def question(played: Played, /) -> Question | None:
    """What is asked of a drill that is flown so; None where nothing is, or it ends before."""
    scenario = played.scenario
    if scenario.ask == "none":
        return None
    at_s = _moment_s(played)
    if at_s >= played.ending.at_s - 1.0:
        return None
    k = played.flight.index_at(at_s)
    left, rest_v = float(played.flight.charge_left[k]), float(played.flight.rest_v[k])
    if scenario.ask == "stopped":
        options = tuple(fact(f"ask.stopped.{key}") for key in ("telemetry", "alarm", "timer"))
        return Question(at_s, fact("ask.stopped"), options, 0, fact("ask.stopped.truth"))
    if scenario.ask == "climb":
        ends = left < scenario.reserve + _NOT_THE_END
        options = (fact("ask.climb.climb"), fact("ask.climb.end"))
        return Question(at_s, fact("ask.climb"), options, int(ends), fact("ask.climb.truth", left_share=left))
    return _rest(scenario, at_s, rest_v, left)


def _rest(scenario: Scenario, at_s: float, rest_v: float, left: float) -> Question:
    """At which voltage it would rest: the right one among others a tenth apart, at a place of its own."""
    place = int(np.random.default_rng([scenario.seed, round(at_s)]).integers(_OFFERED))
    first_v = round(rest_v * 20.0) / 20.0 - place * _APART_V
    options = tuple(fact("ask.rest.option", cell_v=first_v + k * _APART_V) for k in range(_OFFERED))
    return Question(at_s, fact("ask.rest"), options, place, fact("ask.rest.truth", cell_v=rest_v, left_share=left))


def _moment_s(played: Played) -> float:
    if played.scenario.ask == "stopped":
        return played.scenario.lost_s + _MISSED_S
    said = first_word(played.events)
    late_s = _WITHOUT_A_WORD * played.scenario.turn_s
    # A decision after it does not move it: what was said before stays said.
    return late_s if said is None or said.kind == "end" else said.time_s
