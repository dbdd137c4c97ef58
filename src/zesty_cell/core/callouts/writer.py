"""Rules as the forecast asks for them: the pieces of which every school is made."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from zesty_cell.core.answer.calls import DerivedCallouts, Leads, VoltageCall
from zesty_cell.core.answer.forecast import Forecast
from zesty_cell.core.answer.thresholds import on_step, voltage_step_v
from zesty_cell.core.callouts.conditions import Condition, Guards, Switch
from zesty_cell.core.callouts.rules import CalloutPlan, CraftStages, Profile, Rule, Timer
from zesty_cell.core.fact import Fact, fact
from zesty_cell.core.parts.pack import Pack, cells_of

#: How long telemetry is missed before it is called lost [s], and how often it is said again [s].
SILENCE_S, SILENCE_EVERY_S = 3.0, 10.0
LAND_NOW_EVERY_S = 4.0
#: A craft's own lamp comes on this far under "land now", and it lands by itself this far under [V a cell].
LAMP_UNDER_V, LANDING_UNDER_V = 0.10, 0.20
CELL_WORDS = (
    "no",
    "one",
    "two",
    "three",
    "four",
    "five",
    "six",
    "seven",
    "eight",
    "nine",
    "ten",
    "eleven",
    "twelve",
)


@dataclass(frozen=True)
class SetTimer:
    """A timer to set now [s], and why it is that."""

    at_s: float
    why: Fact


@dataclass(frozen=True)
class Written:
    """A plan as a school writes it.

    Attributes
    ----------
    plan : CalloutPlan
    reasons : dict of str to Fact or str
        Why each rule and timer is as it is, by key.
    notes : tuple of str
        What the school could not do as it would like.
    """

    plan: CalloutPlan
    reasons: dict[str, Fact]
    notes: tuple[Fact, ...]


def cell_words(series: int, /) -> str:
    """A cell count as it is spoken: “six cells”."""
    number = CELL_WORDS[series] if series < len(CELL_WORDS) else str(series)
    return f"{number} cell{'' if series == 1 else 's'}"


def profile_of(pack: Pack, /) -> Profile:
    """The profile of a pack: from where its cells land at rest to where they are full [V a cell]."""
    chemistry = cells_of(pack)
    return Profile(
        key=f"s{pack.series}",
        name=f"{pack.series}S",
        series=pack.series,
        floor_v=chemistry.landing_rest_v,
        full_v=chemistry.full_v,
        say=cell_words(pack.series),
    )


def knee_s(result: Forecast, /) -> float:
    """Where the voltage in steady flight begins to fall fast [s].

    The point of the smoothed curve, after the first third, that lies farthest above the straight line from
    there to the end of the charge (the chord method of Satopää et al. 2011, "Kneedle").
    """
    flight = result.flight
    first = flight.index_at(flight.end_s / 3.0)
    time_s, volts = flight.time_s[first:], flight.cruise_v[first:]
    chord = np.interp(time_s, [time_s[0], time_s[-1]], [volts[0], volts[-1]])
    return float(time_s[int(np.argmax(volts - chord))])


class Writer:
    def __init__(self, result: Forecast, now: SetTimer | None) -> None:
        self.result, self.now = result, now
        self.craft = result.setup.sheet.craft
        self.derived: DerivedCallouts = result.callouts
        self.setup = result.setup
        self.pack = result.setup.sheet.pack
        self.step_v = voltage_step_v(series=self.pack.series)
        self.reasons: dict[str, Fact] = {}
        self.notes: list[Fact] = []

    def timer(self, *, repeat: bool = False) -> Timer:
        now = self.now
        early = fact("plan.timer", down_s=self.derived.timers.down_s)
        self.reasons["timer"] = early if now is None else now.why
        at_s = self.derived.timers.timer_s if now is None else now.at_s
        return Timer(key="timer", at_s=max(at_s, 5.0), end_every_s=10.0 if repeat else None)

    def voltage(
        self, key: Literal["pack_low", "land_now"], *, every_s: float | None, vibrate: bool = False
    ) -> Rule | None:
        """A voltage call as it passes its test, the last guard in its place, or nothing."""
        call: VoltageCall = self.derived.pack_low if key == "pack_low" else self.derived.land_now
        if call.stands == "off":
            return None
        if call.stands == "guard":
            return self.guard(every_s=every_s, vibrate=vibrate)
        before = self.result.flight.landing_s - call.threshold.wanted_s
        trial = call.trial
        right = trial.flights - trial.false_flights - trial.late_flights
        where = fact("plan.at_landing") if key == "land_now" else fact("plan.before_landing", before=before)
        self.reasons[key] = fact(
            "plan.voltage", where=where, right=right, flights=trial.flights, helped=_help(call)
        )
        low = key == "pack_low"
        return Rule(
            key=key,
            name="Pack low" if low else "Land now",
            role=key,
            conditions=self.conditions(call),
            guards=Guards(throttle_under=call.throttle_under),
            hold_s=call.hold_s,
            say="pack low" if low else "land now",
            every_s=every_s,
            vibrate="long" if vibrate else None,
        )

    def conditions(self, call: VoltageCall) -> tuple[Condition, ...]:
        if self.craft.can_show("volts"):
            volts = Condition(sensor="pack_v", comparison="below", value=call.threshold.pack_v)
        else:
            cell_v = on_step(value=call.threshold.cell_v, step=0.01)
            volts = Condition(sensor="cell_v", comparison="below", value=cell_v)
        if call.used_over_ah is None:
            return (volts,)
        return (volts, Condition(sensor="used_ah", comparison="above", value=call.used_over_ah))

    def guard(self, *, every_s: float | None = LAND_NOW_EVERY_S, vibrate: bool = False) -> Rule | None:
        """The voltage as the last guard: it may come late, and it does not cry wolf."""
        call = self.derived.land_now
        if call.stands == "off":
            return None
        plain = call.plain
        self.reasons["guard"] = (
            fact("plan.guard.quiet", false=plain.false_flights, late=plain.late_flights, flights=plain.flights)
            if call.stands == "guard"
            else fact("plan.guard.still")
        )
        return Rule(
            key="guard",
            name="Last guard",
            role="guard",
            conditions=self.conditions(call),
            guards=Guards(throttle_under=call.throttle_under),
            hold_s=call.hold_s,
            say="voltage low, land",
            every_s=every_s,
            vibrate="long" if vibrate else None,
        )

    def charge(self, key: Literal["charge_used", "land_now"], *, every_s: float | None = None) -> Rule | None:
        """The charge call to head home or to land, where it passes its test, in what the sensor shows."""
        call = self.derived.charge
        if call is None or not call.trial.passes:
            if call is not None:
                sensed = self.setup.sheet.sensor.error > self.setup.figures.capacity_sigma
                note = fact("plan.no_charge.sensor") if sensed else fact("plan.no_charge.pack")
                if note not in self.notes:
                    self.notes.append(note)
            return None
        lands = key == "land_now"
        value = call.land_ah if lands else call.home_ah
        if value < 0.005:
            return None
        out, share = self.setup.sheet.sensor.out, value / self.setup.figures.capacity_ah
        true_ah = value / (1.0 + out)
        truly = fact("plan.charge.truly", true_ah=true_ah)
        if abs(out) >= 0.005:
            way = "much" if out > 0 else "little"
            truly = fact(f"plan.charge.too_{way}", out_share=abs(out), true_ah=true_ah)
        where = fact("plan.charge.landing") if lands else fact("plan.charge.home")
        self.reasons[key] = fact("plan.charge", shown_share=share, where=where, truly=truly)
        return Rule(
            key=key,
            name="Land now" if lands else "Charge used",
            role="land_now" if lands else "charge_used",
            conditions=(Condition(sensor="used_ah", comparison="above", value=value),),
            hold_s=0.5,
            say="land now" if lands else "charge used, head home",
            every_s=every_s,
        )

    def lead(self) -> list[Rule | None]:
        """What leads here whatever the school would like: voltage, else charge used, else the timer alone."""
        land = self.voltage("land_now", every_s=LAND_NOW_EVERY_S)
        if self.derived.leads != "voltage":
            self.notes.append(self.given_up())
        if self.derived.leads == "charge used":
            return [self.charge("land_now", every_s=LAND_NOW_EVERY_S), land]
        return [land]

    def given_up(self) -> Fact:
        """Why the voltage does not lead."""
        if not (self.craft.can_show("volts") or self.craft.can_show("cells")):
            return fact("plan.no_voltage", craft=self.craft.name, leads=_LEADS[self.derived.leads])
        plain = self.derived.land_now.plain
        return fact(
            "plan.given_up",
            false=plain.false_flights,
            late=plain.late_flights,
            flights=plain.flights,
            leads=_LEADS[self.derived.leads],
        )

    def silence(self) -> Rule | None:
        if self.craft.shows == ():
            return None
        self.reasons["silence"] = fact("plan.silence")
        return Rule(
            key="silence",
            name="Silence",
            role="silence",
            conditions=(Condition(sensor="telemetry", comparison="missing"),),
            hold_s=SILENCE_S,
            say="telemetry lost",
            every_s=SILENCE_EVERY_S,
        )

    def ask(self) -> Rule | None:
        shown = self.craft.shows
        if shown == ():
            return None
        shown = shown or ("volts",)
        self.reasons["ask"] = fact("plan.ask")
        return Rule(
            key="ask",
            name="Ask for it",
            role="ask",
            guards=Guards(armed=False, switch=Switch(name="D", position="down")),
            read="pack_v" if self.craft.can_show("volts") else "cell_v" if "cells" in shown else "used_ah",
            every_s=5.0,
        )

    def stages(self, *, lands: bool) -> CraftStages:
        land_v = self.derived.land_now.threshold.cell_v
        hard_v = self.setup.chemistry.hard_floor_v
        lamp_v = max(round(land_v - LAMP_UNDER_V, 2), hard_v)
        landing_v = max(round(land_v - LANDING_UNDER_V, 2), hard_v)
        if lands and landing_v >= lamp_v:
            self.notes.append(fact("plan.no_room_for_stages", hard_v=hard_v))
        return CraftStages(lamp_v=lamp_v, landing_v=landing_v if lands and landing_v < lamp_v else None)


_LEADS: dict[Leads, Fact] = {
    "voltage": fact("plan.leads.voltage"),
    "charge used": fact("plan.leads.charge"),
    "timer": fact("plan.leads.timer"),
}


def _help(call: VoltageCall) -> Fact:
    wrong = {"false": call.plain.false_flights, "late": call.plain.late_flights}
    if call.means == "hold":
        return fact("plan.helped.hold")
    if call.means == "another voltage":
        return fact("plan.helped.voltage", **wrong)
    return (
        fact("plan.helped.throttle", **wrong) if call.means == "throttle" else fact("plan.helped.charge", **wrong)
    )
