"""A drill as it was flown once, to be kept; and what is said of it afterwards."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated

from pydantic import Field, model_validator

from zesty_cell.core.entity import Entity, Name, refused
from zesty_cell.core.fact import Fact, fact
from zesty_cell.core.learn.moment import Moment
from zesty_cell.core.practice.course import MOST_S, Decision
from zesty_cell.core.practice.flown import Played
from zesty_cell.core.practice.scenario import DrillKey
from zesty_cell.core.practice.score import ideal

#: Nobody decides more often in a minute.
MOST_DECISIONS = 40


class Attempt(Entity):
    """One time that a drill was flown.

    Attributes
    ----------
    drill : str
    seed : int
        Of its truth.
    sheet : int, optional
        Number of one's own sheet, where it was flown with that.
    name : str
        What was flown.
    decisions : tuple of Decision
    answer : int, optional
        Of its question, from 0.
    right : bool, optional
        Whether that was right.
    score : int
        [1].
    flown_s : float
        [s].
    left : float
        Charge left at the end [1].
    fell : bool
    """

    drill: DrillKey
    seed: Annotated[int, Field(ge=0, le=2**31)]
    sheet: Annotated[int, Field(ge=1, le=2**53)] | None = None
    name: Name
    at: Moment
    decisions: Annotated[tuple[Decision, ...], Field(max_length=MOST_DECISIONS)] = ()
    answer: Annotated[int, Field(ge=0, le=9)] | None = None
    right: bool | None = None
    score: Annotated[int, Field(ge=0, le=100)]
    flown_s: Annotated[float, Field(ge=0, le=MOST_S)]
    left: Annotated[float, Field(ge=0, le=1)]
    fell: bool = False

    @model_validator(mode="after")
    def _own_has_its_sheet(self) -> Attempt:
        if (self.drill == "own") != (self.sheet is not None):
            raise refused(fact("refused.practice.own"), field="sheet")
        return self


def told(played: Played, /) -> tuple[Fact, ...]:
    """What is said of a drill afterwards: how it ended, what each word and decision was worth, what was best."""
    return (_ended(played), *_at_words(played), _best(played))


def _state(played: Played, time_s: float) -> dict[str, float]:
    k = played.flight.index_at(min(time_s, played.ending.at_s))
    return {"cell_v": float(played.flight.rest_v[k]), "left_share": played.flight.left_at(time_s)}


def _ended(played: Played) -> Fact:
    ending = played.ending
    if ending.fell:
        return fact("practice.fell", at_s=ending.at_s, away=_away(ending.away_m))
    if not ending.over_field:
        return fact("practice.landed_out", at_s=ending.at_s, left_share=ending.left, away=_away(ending.away_m))
    key = "practice.landed" if ending.kept else "practice.landed_low"
    return fact(key, at_s=ending.at_s, left_share=ending.left, reserve_share=played.scenario.reserve)


def _away(metres: float) -> Fact:
    return fact("practice.at_home") if metres < 50.0 else fact("practice.away", away_m=round(metres, -1))


def _at_words(played: Played) -> tuple[Fact, ...]:
    """What would have been true at the first word, and at each decision that changed something."""
    found = []
    first = next((e for e in played.events if e.kind in ("rule", "end") and e.say), None)
    turned = next((d for d in played.decisions if d.action in ("home", "land")), None)
    if first is not None:
        found.append(
            fact("practice.first_word", at_s=first.time_s, words=first.say, **_state(played, first.time_s))
        )
        later_s = (played.ending.at_s if turned is None else turned.at_s) - first.time_s
        if later_s >= 1.0:
            key = "practice.never_turned" if turned is None else "practice.went_on"
            found.append(fact(key, later_s=later_s, **({} if turned is None else _state(played, turned.at_s))))
    elif turned is not None:
        found.append(fact("practice.turned", at_s=turned.at_s, **_state(played, turned.at_s)))
    return tuple(found)


def _best(played: Played) -> Fact:
    best = ideal(played.scenario)
    return fact("practice.best", turn_s=best.turn_s, lands_s=best.ending.at_s, left_share=best.ending.left)


def hidden(played: Played, /) -> tuple[Fact, ...]:
    """What the sheet did not know, laid open."""
    truth, scenario = played.scenario.truth, played.scenario
    found = []
    if truth.sheet.pack.series != scenario.believed.pack.series:
        found.append(fact("hidden.cells", was=truth.sheet.pack.series, thought=scenario.believed.pack.series))
    found.append(fact("hidden.capacity", holds_share=truth.capacity))
    found.append(fact("hidden.resistance", times=truth.resistance))
    found.append(fact("hidden.power", times=truth.power))
    air_c = truth.sheet.conditions.air_c
    if abs(air_c - scenario.believed.conditions.air_c) >= 2.0:
        found.append(fact("hidden.air", air_c=air_c, thought_c=scenario.believed.conditions.air_c))
    if abs(scenario.mission.wind_m_s) >= 0.5:
        found.append(fact("hidden.wind", wind_m_s=scenario.mission.wind_m_s))
    if "charge" in scenario.shows:
        found.append(fact("hidden.charge_shown", shown_share=truth.charge_shown))
    if abs(truth.volts_shown - 1.0) >= 0.005:
        found.append(fact("hidden.volts_shown", times=truth.volts_shown))
    if scenario.lost_s < played.ending.at_s:
        found.append(fact("hidden.lost", lost_s=scenario.lost_s))
    return tuple(found)


def judgement(key: DrillKey, /) -> Fact:
    """What a drill is about."""
    return fact(f"drill.{key}")


def task(key: DrillKey, /) -> Fact:
    """What its pilot is told before."""
    return fact(f"drill.{key}.task")


def lesson(key: DrillKey, /) -> Fact:
    """What it is meant to teach, said afterwards."""
    return fact(f"drill.{key}.lesson")


def mean_score(attempts: Sequence[Attempt], /) -> float | None:
    """Mean of the last three scores [1]; None where there is none."""
    last = attempts[-3:]
    return sum(a.score for a in last) / len(last) if last else None
