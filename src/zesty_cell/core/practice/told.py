"""What is said of a drill: what it is about, and afterwards how it ended and what was hidden."""

from __future__ import annotations

from zesty_cell.core.asked.flying import STEP_S
from zesty_cell.core.fact import Fact, fact
from zesty_cell.core.practice.flown import Played
from zesty_cell.core.practice.scenario import DrillKey
from zesty_cell.core.practice.score import first_word, ideal


def told(played: Played, /) -> tuple[Fact, ...]:
    """What is said of a drill afterwards: how it ended, what each word and decision was worth, what was best."""
    return (_ended(played), *_at_words(played), _best(played))


def _state(played: Played, time_s: float) -> dict[str, object]:
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
    first = first_word(played.events)
    turned = next((d for d in played.decisions if d.action in ("home", "land")), None)
    if first is not None:
        found.append(
            fact("practice.first_word", at_s=first.time_s, words=first.say, **_state(played, first.time_s))
        )
        later_s = (played.ending.at_s if turned is None else turned.at_s) - first.time_s
        if later_s >= 1.0:
            key = "practice.never_turned" if turned is None else "practice.went_on"
            then = (
                {}
                if turned is None
                else _state(played, turned.at_s) | {"away": _away(_away_m(played, turned.at_s))}
            )
            found.append(fact(key, later_s=later_s, **then))
    elif turned is not None:
        found.append(fact("practice.turned", at_s=turned.at_s, **_state(played, turned.at_s)))
    return tuple(found)


def _away_m(played: Played, time_s: float) -> float:
    """How far away it was at a moment [m]."""
    away_m = played.course.track().away_m
    return float(away_m[min(round(time_s / STEP_S), away_m.size - 1)])


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
