"""The schools of callouts: each writes a plan from the forecast, with a reason for every rule.

What is derived here comes from :mod:`derive` (thresholds, holds, charge, timer) and from the flight;
schools differ in which of it they use.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

from zesty_cell.core.answer.forecast import Forecast
from zesty_cell.core.answer.thresholds import on_step
from zesty_cell.core.callouts.conditions import Condition, Guards, Switch
from zesty_cell.core.callouts.rules import CalloutPlan, CraftStages, ReceiverPack, Rule, School
from zesty_cell.core.callouts.sensors import SENSORS
from zesty_cell.core.callouts.writer import LAND_NOW_EVERY_S, SetTimer, Writer, Written, knee_s, profile_of
from zesty_cell.core.fact import Fact, fact
from zesty_cell.core.parts.chemistries import chemistry_for


@dataclass(frozen=True)
class SchoolWords:
    """A school in the application's own words."""

    school: School
    title: Fact
    idea: Fact
    watch: Fact


SCHOOLS: tuple[SchoolWords, ...] = (
    SchoolWords(
        "loaded voltage",
        fact("school.loaded_voltage.title"),
        fact("school.loaded_voltage.idea"),
        fact("school.loaded_voltage.watch"),
    ),
    SchoolWords(
        "charge used",
        fact("school.charge_used.title"),
        fact("school.charge_used.idea"),
        fact("school.charge_used.watch"),
    ),
    SchoolWords(
        "timer first",
        fact("school.timer_first.title"),
        fact("school.timer_first.idea"),
        fact("school.timer_first.watch"),
    ),
    SchoolWords(
        "knee",
        fact("school.knee.title"),
        fact("school.knee.idea"),
        fact("school.knee.watch"),
    ),
    SchoolWords(
        "two stages",
        fact("school.two_stages.title"),
        fact("school.two_stages.idea"),
        fact("school.two_stages.watch"),
    ),
    SchoolWords(
        "audible only",
        fact("school.audible_only.title"),
        fact("school.audible_only.idea"),
        fact("school.audible_only.watch"),
    ),
)


#: What a sheet's callouts are first written by; the reason stands in its words.
FIRST_SCHOOL: School = "loaded voltage"


def _loaded(w: Writer) -> tuple[list[Rule | None], CraftStages]:
    home = w.charge("charge_used")
    return [w.voltage("pack_low", every_s=None), *w.lead(), home], w.stages(lands=False)


def _charge(w: Writer) -> tuple[list[Rule | None], CraftStages]:
    home, land = w.charge("charge_used"), w.charge("land_now", every_s=LAND_NOW_EVERY_S)
    return [home, land, w.guard() if land else w.voltage("land_now", every_s=LAND_NOW_EVERY_S)], w.stages(
        lands=False
    )


def _timer_first(w: Writer) -> tuple[list[Rule | None], CraftStages]:
    return [w.voltage("land_now", every_s=LAND_NOW_EVERY_S)], w.stages(lands=False)


def _knee(w: Writer) -> tuple[list[Rule | None], CraftStages]:
    at_s = knee_s(w.result)
    flight, floor_v = w.result.flight, w.setup.chemistry.loaded_floor_v
    knee_v = float(flight.cruise_v[flight.index_at(at_s)])
    low = w.voltage("pack_low", every_s=None)
    if at_s > flight.landing_s or knee_v < floor_v or low is None or low.conditions[0].sensor != "pack_v":
        w.notes.append(fact("plan.knee.inside_reserve", at_s=at_s))
        return w.lead(), w.stages(lands=False)
    value = on_step(value=knee_v * w.pack.series, step=w.step_v, up=True)
    w.reasons["pack_low"] = fact("plan.knee", at_s=at_s)
    return [low.model_copy(update={"conditions": (Condition(value=value),)}), *w.lead()], w.stages(lands=False)


def _two_stages(w: Writer) -> tuple[list[Rule | None], CraftStages]:
    return [w.voltage("pack_low", every_s=None), *w.lead()], w.stages(lands=True)


def _audible(w: Writer) -> tuple[list[Rule | None], CraftStages]:
    def insistent(rule: Rule | None) -> Rule | None:
        return None if rule is None else rule.model_copy(update={"every_s": 3.0, "vibrate": "long"})

    return [
        w.voltage("pack_low", every_s=15.0, vibrate=True),
        *(insistent(rule) for rule in w.lead()),
    ], CraftStages()


_RULES: dict[School, Callable[[Writer], tuple[list[Rule | None], CraftStages]]] = {
    "loaded voltage": _loaded,
    "charge used": _charge,
    "timer first": _timer_first,
    "knee": _knee,
    "two stages": _two_stages,
    "audible only": _audible,
}


def write_plan(
    result: Forecast, *, school: School, current_error: float | None = None, now: SetTimer | None = None
) -> Written:
    """The plan of a school for a forecast, rounded to what a transmitter can be set to.

    Parameters
    ----------
    result : Forecast
    school : School
    current_error : float, optional
        How far the current sensor was out at its last check [1].
    now : SetTimer, optional
        The timer to set now, where the log advises one; the sheet's own without [s].
    """
    writer = Writer(result, now)
    timer = writer.timer(repeat=school == "timer first")
    rules, stages = _RULES[school](writer)
    sheet = result.setup.sheet
    plan = CalloutPlan(
        name=f"{sheet.craft.name} on {sheet.pack.name}"[:80],
        school=school,
        series=sheet.pack.series,
        rules=tuple(r for r in (*rules, writer.silence(), writer.ask()) if r is not None),
        timers=(timer,),
        profiles=(profile_of(sheet.pack),),
        stages=stages,
        current_error=current_error,
    )
    return Written(plan=plan, reasons=writer.reasons, notes=tuple(writer.notes))


FurtherRule = Literal["voltage", "current", "receiver", "ask"]


def receiver_call_v(receiver: ReceiverPack, /) -> float:
    """Where a receiver's own pack is called [V]: half way between where its cells land at rest and under load, as
    servos load it now and then; up to the next tenth."""
    chemistry = chemistry_for(receiver.chemistry)
    cell_v = 0.5 * (chemistry.landing_rest_v + chemistry.landing_loaded_v)
    return on_step(value=receiver.series * cell_v, step=0.1, up=True)


def further_rule(kind: FurtherRule, /, *, key: str, result: Forecast, receiver: ReceiverPack | None = None) -> Rule:
    """A rule of the pilot's own to begin with, its values from the forecast [V, A, s].

    A receiver's battery is called by its own cells (:func:`receiver_call_v`); where there is none, at 4.8 V, where
    regulated supplies of 5 V have begun to give way.
    """
    low = result.callouts.pack_low
    low_bound, high_bound = SENSORS["current_a"].low, SENSORS["current_a"].high
    if kind == "voltage":
        condition = Condition(value=low.threshold.pack_v)
        return Rule(
            key=key, name="Another voltage", conditions=(condition,), hold_s=low.hold_s, say="check the pack"
        )
    if kind == "current":
        honest_a = min(max(round(result.honest.current_a, 1), low_bound), high_bound)
        condition = Condition(sensor="current_a", comparison="above", value=honest_a)
        return Rule(key=key, name="High current", conditions=(condition,), hold_s=3.0, say="current high")
    if kind == "receiver":
        call_v = 4.8 if receiver is None else receiver_call_v(receiver)
        condition = Condition(sensor="receiver_v", comparison="below", value=call_v)
        words = "receiver battery low"
        return Rule(key=key, name="Receiver battery", conditions=(condition,), hold_s=1.0, say=words, every_s=10.0)
    switch = Switch(name="D", position="up")
    return Rule(
        key=key,
        name="Ask for charge used",
        role="ask",
        guards=Guards(armed=False, switch=switch),
        read="used_ah",
        every_s=5.0,
    )
