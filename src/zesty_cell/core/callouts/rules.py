"""The callout plan: rules, timers and profiles, as a pilot would say them.

A rule is a sentence.  *When* a sensor is below or above a value (several may be joined), *for* a hold,
*while* its guards are met, *say* some words.  Nothing here knows how a transmitter stores it.
"""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, StringConstraints, model_validator

from zesty_cell.core.callouts.conditions import (
    MOST_CONDITIONS,
    Condition,
    Guards,
    Key,
    Switch,
)
from zesty_cell.core.callouts.sensors import PACK_VOLTAGES, SensorKey
from zesty_cell.core.entity import Entity, Name, refused
from zesty_cell.core.fact import fact
from zesty_cell.core.parts.chemistry import ChemistryKey

Vibration = Literal["short", "medium", "long"]
#: What is spoken: a short sentence, without control characters.
Words = Annotated[
    str,
    StringConstraints(strip_whitespace=True, min_length=1, max_length=60, pattern=r"^[^\x00-\x1f\x7f]*$"),
]
Role = Literal["pack_low", "land_now", "guard", "charge_used", "silence", "profile", "ask", "own"]

#: The rules whose values follow from the forecast; all others are the pilot's own.
DERIVED_ROLES: tuple[Role, ...] = ("pack_low", "land_now", "guard", "charge_used")

#: Longest hold the engine keeps [s].
MOST_HOLD_S = 60.0
MOST_RULES = 32
MOST_PROFILES = 6
MOST_TIMERS = 6


class ReceiverPack(Entity):
    """The receiver's own pack, where it has one."""

    series: Annotated[int, Field(ge=1, le=8)]
    chemistry: ChemistryKey


class Rule(Entity):
    """One callout.

    Without conditions it speaks whenever its guards are met: that is how a switch asks for a value.

    Parameters
    ----------
    hold_s : float
        How long all of it must stay true first [s].
    say : str, optional
        Words; with ``read`` the live value of that sensor follows.
    vibrate : optional
    every_s : float, optional
        Again every so many seconds while it stays true [s]; once where ``None``.
    quiet_s : float
        Not within so many seconds after arming (without the armed guard: after switching on) [s].
    """

    key: Key
    name: Name
    role: Role = "own"
    conditions: Annotated[tuple[Condition, ...], Field(max_length=MOST_CONDITIONS)] = ()
    join: Literal["all", "any"] = "all"
    hold_s: Annotated[float, Field(ge=0, le=MOST_HOLD_S)] = 0.0
    guards: Guards = Guards()
    say: Words | None = None
    read: SensorKey | None = None
    vibrate: Vibration | None = None
    every_s: Annotated[float, Field(ge=0.5, le=600)] | None = None
    quiet_s: Annotated[float, Field(ge=0, le=60)] = 0.0
    on: bool = True

    @model_validator(mode="after")
    def _does_something(self) -> Rule:
        if self.say is None and self.read is None and self.vibrate is None:
            raise refused(fact("refused.rule.unnoticed"), field="say")
        if self.read in ("telemetry", "lowest_v"):
            raise refused(fact("refused.rule.not_live"), field="read")
        if not self.conditions and self.guards.switch is None and not self.guards.armed:
            raise refused(fact("refused.rule.never_quiet"), field="conditions")
        return self


class Timer(Entity):
    """A clock that speaks.

    Parameters
    ----------
    counts : "up" or "down"
        How it is shown; it speaks the same.
    at_s : float
        The time it is for [s].
    runs : "throttle", "armed" or "always"
        While throttle is over ``throttle_over``, while armed, or since switching on.
    every_s : float, optional
        Speaks the time every so many seconds, 60 for minutes [s].
    last_s : int
        Counts the last seconds aloud, from this one down [s]; 0 for none.
    end : str
        Words at the end; repeated every ``end_every_s`` seconds where given [s].
    reset : Switch, optional
        A switch sets it back.
    reset_disarmed_s : float, optional
        So does being disarmed this long [s].
    kept : bool
        Kept while the transmitter is off.
    profile : str, optional
        It runs with that pack only, and while it is not known which pack is flown.
    """

    key: Key
    name: Name = "Timer"
    counts: Literal["up", "down"] = "up"
    at_s: Annotated[float, Field(ge=5, le=10_800)]
    runs: Literal["throttle", "armed", "always"] = "throttle"
    throttle_over: Annotated[float, Field(ge=0.01, le=0.95)] = 0.05
    every_s: Annotated[float, Field(ge=5, le=3600)] | None = 60.0
    last_s: Annotated[int, Field(ge=0, le=30)] = 0
    end: Words = "time, land"
    end_every_s: Annotated[float, Field(ge=2, le=600)] | None = None
    reset: Switch | None = None
    reset_disarmed_s: Annotated[float, Field(ge=0, le=600)] | None = 10.0
    kept: bool = False
    profile: Key | None = None
    on: bool = True


class Profile(Entity):
    """The settings for one cell count, for a model that flies several.

    ``full_v`` and ``floor_v`` are per cell: a pack of ``series`` cells measures between them at arming.
    """

    key: Key
    name: Name
    series: Annotated[int, Field(ge=1, le=24)]
    floor_v: Annotated[float, Field(ge=0.8, le=4.0)] = 3.0
    full_v: Annotated[float, Field(ge=1.2, le=4.5)] = 4.2
    switch: Switch | None = None
    say: Words

    @model_validator(mode="after")
    def _in_order(self) -> Profile:
        if self.floor_v >= self.full_v:
            raise refused(fact("refused.plan.empty_over_full"), field="floor_v")
        return self

    def can_be(self, *, pack_v: float) -> bool:
        """Whether a pack of this profile can measure ``pack_v`` [V] when it is armed."""
        return self.floor_v * self.series - 1e-9 <= pack_v <= (self.full_v + FULL_TOLERANCE_V) * self.series


#: A fresh pack and its sensor together may read this much over full, per cell [V].
FULL_TOLERANCE_V = 0.05

School = Literal["loaded voltage", "charge used", "timer first", "knee", "two stages", "audible only"]


class CraftStages(Entity):
    """What the craft does by itself, per cell; ``None`` is switched off.

    Parameters
    ----------
    lamp_v : float, optional
        Its controller shows a lamp from here [V].
    landing_v : float, optional
        Its controller lands from here, wherever it is [V].
    """

    lamp_v: Annotated[float, Field(ge=0.8, le=4.35)] | None = None
    landing_v: Annotated[float, Field(ge=0.8, le=4.35)] | None = None


class CalloutPlan(Entity):
    """Everything the transmitter says for a model.

    Parameters
    ----------
    series : int
        Cells of the pack it was written for [1]; used where no profile is chosen.
    choose : "one", "switch" or "automatic"
        How the profile is chosen: only one, by switches, or by the voltage measured at arming.
    wrong_profile : str
        Words when the profile cannot be true for the voltage measured at arming.
    lost_after_s : float
        A sensor that has not been heard for longer is not known any more [s].
    stages : CraftStages
    receiver : ReceiverPack, optional
        What feeds the receiver and its servos; ``None`` for a regulated supply from the flight pack.
    current_error : float, optional
        How far the current sensor's charge was from what was put back, at the last check [1]; ``None``: it
        was never checked.
    """

    name: Name
    school: School | None = None
    series: Annotated[int, Field(ge=1, le=24)]
    rules: Annotated[tuple[Rule, ...], Field(max_length=MOST_RULES)] = ()
    timers: Annotated[tuple[Timer, ...], Field(max_length=MOST_TIMERS)] = ()
    profiles: Annotated[tuple[Profile, ...], Field(max_length=MOST_PROFILES)] = ()
    choose: Literal["one", "switch", "automatic"] = "one"
    wrong_profile: Words = "wrong pack"
    lost_after_s: Annotated[float, Field(ge=0.2, le=10)] = 1.5
    stages: CraftStages = CraftStages()
    receiver: ReceiverPack | None = None
    current_error: Annotated[float, Field(ge=0, le=10)] | None = None

    @model_validator(mode="after")
    def _whole(self) -> CalloutPlan:
        keys = [*(r.key for r in self.rules), *(t.key for t in self.timers)]
        double = next((k for k in keys if keys.count(k) > 1), None)
        if double is not None:
            raise refused(fact("refused.plan.rule_twice", rule=double), field="rules")
        known = {p.key for p in self.profiles}
        if len(known) < len(self.profiles):
            raise refused(fact("refused.plan.profile_twice"), field="profiles")
        for k, rule in enumerate(self.rules):
            asked = {rule.guards.profile, *(c.profile for c in rule.conditions)} - {None}
            if asked - known:
                raise refused(
                    fact("refused.plan.no_profile", profile=(asked - known).pop()),
                    field=f"rules.{k}.guards.profile",
                )
        for k, timer in enumerate(self.timers):
            if timer.profile not in (None, *known):
                raise refused(fact("refused.plan.no_profile", profile=timer.profile), field=f"timers.{k}.profile")
        if self.choose == "switch" and any(p.switch is None for p in self.profiles):
            raise refused(fact("refused.plan.no_position"), field="choose")
        return self

    def profile(self, key: str | None) -> Profile | None:
        """The profile of a key; None for none."""
        return next((p for p in self.profiles if p.key == key), None)

    def series_of(self, rule: Rule, condition: Condition | None = None) -> int:
        """Cells of the pack a rule is for [1]: of its profile where it has one."""
        key = (condition.profile if condition else None) or rule.guards.profile
        profile = self.profile(key) if key else (self.profiles[0] if len(self.profiles) == 1 else None)
        return profile.series if profile else self.series

    def profile_for(self, *, series: int) -> Profile | None:
        """The profile that a pack of ``series`` cells [1] is flown with: of several with as many the first."""
        return next((p for p in self.profiles if p.series == series), None)

    def concerns(self, rule: Rule, condition: Condition, *, series: int) -> bool:
        """Whether a condition is watched with a pack of ``series`` cells [1], and not for another one alone."""
        profile = self.profile(condition.profile or rule.guards.profile)
        return profile is None or profile == self.profile_for(series=series)

    def flown_with(self, *, series: int) -> CalloutPlan:
        """What of the plan counts with a pack of ``series`` cells [1]: its own profile, conditions, rules, timers.

        Nothing in it is bound to the profile any more, as there is only the one.  Of several with as many cells,
        told apart by a switch, the first is taken: :func:`~zesty_cell.core.callouts.profiles.facing` puts the pack
        in hand there.
        """
        flown = self.profile_for(series=series)
        if flown is None or len(self.profiles) == 1:
            return self
        rules = []
        for rule in self.rules:
            kept = tuple(
                c.model_copy(update={"profile": None}) for c in rule.conditions if c.profile in (None, flown.key)
            )
            if rule.guards.profile in (None, flown.key) and (kept or not rule.conditions):
                guards = rule.guards.model_copy(update={"profile": None})
                rules.append(rule.model_copy(update={"conditions": kept, "guards": guards}))
        timers = [t for t in self.timers if t.profile in (None, flown.key)]
        changed = {
            "rules": tuple(rules),
            "timers": tuple(t.model_copy(update={"profile": None}) for t in timers),
            "profiles": (flown,),
            "series": series,
        }
        return self.model_copy(update=changed)

    def calls_below_v(self, rule: Rule, *, series: int) -> float | None:
        """The voltage a rule calls below with a pack of ``series`` cells [V a cell]; None where there is none."""
        flown = self.profile_for(series=series) or (self.profiles[0] if self.profiles else None)
        if rule.guards.profile not in (None, flown.key if flown else None):
            return None
        for condition in rule.conditions:
            if condition.comparison != "below" or condition.profile not in (None, flown.key if flown else None):
                continue
            if condition.sensor == "cell_v":
                return condition.value
            if condition.sensor in PACK_VOLTAGES:
                return condition.threshold(series=flown.series if flown else self.series) / series
        return None

    def watches(self, sensor: SensorKey) -> bool:
        """Whether any rule that is on looks at a sensor."""
        return any(c.sensor == sensor for rule in self.rules if rule.on for c in rule.conditions)

    def rule(self, key: str) -> Rule | None:
        """The rule of a key; None for none."""
        return next((r for r in self.rules if r.key == key), None)

    def with_rule(self, rule: Rule) -> CalloutPlan:
        """The same plan with the rule of that key replaced."""
        return self.model_copy(update={"rules": tuple(rule if r.key == rule.key else r for r in self.rules)})


def switches_asking(plan: CalloutPlan, /) -> set[str]:
    """The switches by which something is asked for or set back: none of them can tell packs apart."""
    asking = {r.guards.switch.name for r in plan.rules if r.guards.switch is not None}
    return asking | {t.reset.name for t in plan.timers if t.reset is not None}
