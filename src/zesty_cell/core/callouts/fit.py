"""What a transmitter can take, and a plan fitted to it: what is rounded or left out is said."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal

from pydantic import Field

from zesty_cell.core.answer.thresholds import on_step
from zesty_cell.core.callouts.conditions import Condition
from zesty_cell.core.callouts.rules import CalloutPlan, Role, Rule, Timer
from zesty_cell.core.callouts.sensors import SENSORS
from zesty_cell.core.entity import Entity, Name
from zesty_cell.core.fact import Fact, fact

#: Which rules are kept where not all fit, first to last.
_KEPT_FIRST: tuple[Role, ...] = ("land_now", "guard", "pack_low", "silence", "charge_used", "profile", "own", "ask")


class Capabilities(Entity):
    """Limits of a transmitter.

    Parameters
    ----------
    rules, timers, profiles : int
        How many it holds [1].
    conditions : int
        In one rule [1].
    voltage_step_v, current_step_a, charge_step_ah : float
        Steps of the values [V, A, Ah].
    hold_step_s, most_hold_s : float
        [s].
    repeat_step_s : float
        [s].
    words_length : int
        Of what is said [characters].
    """

    name: Name
    rules: Annotated[int, Field(ge=0, le=64)] = 12
    timers: Annotated[int, Field(ge=0, le=6)] = 3
    profiles: Annotated[int, Field(ge=0, le=6)] = 3
    conditions: Annotated[int, Field(ge=1, le=6)] = 3
    voltage_step_v: Annotated[float, Field(gt=0, le=1)] = 0.1
    current_step_a: Annotated[float, Field(gt=0, le=10)] = 1.0
    charge_step_ah: Annotated[float, Field(gt=0, le=1)] = 0.01
    hold_step_s: Annotated[float, Field(gt=0, le=5)] = 0.5
    most_hold_s: Annotated[float, Field(gt=0, le=60)] = 25.0
    repeat_step_s: Annotated[float, Field(gt=0, le=10)] = 1.0
    words_length: Annotated[int, Field(ge=4, le=60)] = 24


#: A plain radio's alarm: one voltage, a buzz or one word, no hold to speak of.
PLAIN_RADIO = Capabilities(
    name="A plain radio",
    rules=1,
    timers=1,
    profiles=0,
    conditions=1,
    hold_step_s=0.5,
    most_hold_s=0.5,
    words_length=12,
)


@dataclass(frozen=True)
class Fitted:
    """A plan as a transmitter takes it.

    Attributes
    ----------
    plan : CalloutPlan
    notes : tuple of Fact
        What was rounded, shortened or left out.
    """

    plan: CalloutPlan
    notes: tuple[Fact, ...]


class _Fitter:
    def __init__(self, plan: CalloutPlan, able: Capabilities) -> None:
        self.plan, self.able, self.notes = plan, able, list[Fact]()

    def words(self, who: str, text: str | None) -> str | None:
        if text is None or len(text) <= self.able.words_length:
            return text
        short = text[: self.able.words_length].rsplit(" ", 1)[0].rstrip(" ,;:") or text[: self.able.words_length]
        self.notes.append(fact("fit.words", rule=who, short=short, text=text, letters=self.able.words_length))
        return short

    def rounded(self, who: str, value: float, step: float, unit: str, factor: float = 1.0) -> float:
        new = max(on_step(value=value, step=step), step)
        if abs(new - value) > 1e-9:
            self.notes.append(fact("fit.step", rule=who, new=new * factor, value=value * factor, unit=unit))
        return new

    def condition(self, rule: Rule, condition: Condition) -> Condition:
        able, value = self.able, condition.value
        series = self.plan.series_of(rule, condition)
        kind = SENSORS[condition.sensor].kind
        if kind == "volts":
            fine = condition.per == "cell" or condition.sensor == "cell_v" or series == 1
            step = min(able.voltage_step_v, 0.01) if fine else able.voltage_step_v
            value = self.rounded(rule.name, value, step, "V")
        elif kind == "charge":
            value = self.rounded(rule.name, value, able.charge_step_ah, "mAh", 1000.0)
        elif kind == "current":
            value = self.rounded(rule.name, value, able.current_step_a, "A")
        return condition.model_copy(update={"value": value})

    def rule(self, rule: Rule) -> Rule:
        able = self.able
        hold_s = on_step(value=rule.hold_s, step=able.hold_step_s, up=True)
        if hold_s > able.most_hold_s:
            hold_s = on_step(value=able.most_hold_s, step=able.hold_step_s, up=False)
        if abs(hold_s - rule.hold_s) > 1e-9:
            self.notes.append(fact("fit.hold", rule=rule.name, new_s=hold_s, hold_s=rule.hold_s))
        conditions = tuple(self.condition(rule, c) for c in rule.conditions[: able.conditions])
        if len(rule.conditions) > able.conditions:
            self.notes.append(
                fact("fit.conditions", rule=rule.name, kept=able.conditions, conditions=len(rule.conditions))
            )
        every_s = None if rule.every_s is None else self.rounded(rule.name, rule.every_s, able.repeat_step_s, "s")
        return rule.model_copy(
            update={
                "hold_s": hold_s,
                "conditions": conditions,
                "every_s": every_s,
                "say": self.words(rule.name, rule.say),
            }
        )


def fit(*, plan: CalloutPlan, able: Capabilities) -> Fitted:
    """A plan rounded to what a transmitter takes; where not all rules fit, the vital ones stay [same units].

    Parameters
    ----------
    plan : CalloutPlan
    able : Capabilities
    """
    fitter = _Fitter(plan, able)
    rules = [r for r in plan.rules if r.on]
    ranked = sorted(range(len(rules)), key=lambda k: (_KEPT_FIRST.index(rules[k].role), k))
    kept = sorted(ranked[: able.rules])
    for k in sorted(ranked[able.rules :]):
        fitter.notes.append(_left_out(rules[k].name, able, able.rules, "rule"))
    profiles = plan.profiles[: able.profiles]
    for profile in plan.profiles[able.profiles :]:
        fitter.notes.append(_left_out(profile.name, able, able.profiles, "profile"))
    known = {p.key for p in profiles}
    fitted = [fitter.rule(_without_profiles(rules[k], known)) for k in kept]
    # The earliest first: where only some fit, they are the guard.
    timers = sorted((t for t in plan.timers if t.on), key=lambda t: t.at_s)
    for timer in timers[able.timers :]:
        fitter.notes.append(_left_out(timer.name, able, able.timers, "timer"))
    new = plan.model_copy(
        update={
            "rules": tuple(fitted),
            "timers": tuple(_timer(fitter, t, known) for t in timers[: able.timers]),
            "profiles": profiles,
            "choose": plan.choose if profiles else "one",
        }
    )
    return Fitted(plan=new, notes=tuple(fitter.notes))


def _timer(fitter: _Fitter, timer: Timer, profiles: set[str]) -> Timer:
    profile = timer.profile if timer.profile in profiles else None
    return timer.model_copy(update={"end": fitter.words(timer.name, timer.end), "profile": profile})


def _without_profiles(rule: Rule, known: set[str]) -> Rule:
    """The rule without guards for profiles that are not there; conditions of such go."""
    conditions = tuple(c for c in rule.conditions if c.profile is None or c.profile in known)
    guards = rule.guards
    if guards.profile is not None and guards.profile not in known:
        guards = guards.model_copy(update={"profile": None})
    return rule.model_copy(update={"conditions": conditions or rule.conditions[:0], "guards": guards})


def _left_out(name: str, able: Capabilities, holds: int, what: Literal["rule", "timer", "profile"]) -> Fact:
    """That something has no room, where a transmitter holds so many of them [1]."""
    which = "none" if holds == 0 else "one" if holds == 1 else "some"
    return fact(f"fit.{what}_left_out.{which}", name=name, transmitter=able.name, holds=holds)


@dataclass(frozen=True)
class Difference:
    """A field that a transmitter holds otherwise than it was sent: its dotted path, and both values as text."""

    path: str
    sent: str
    held: str


def differences(*, sent: CalloutPlan, held: CalloutPlan) -> tuple[Difference, ...]:
    """Field by field, what came back otherwise than it went."""
    found: list[Difference] = []

    def walk(path: str, a: object, b: object) -> None:
        if isinstance(a, dict) and isinstance(b, dict):
            for key in a.keys() | b.keys():
                walk(f"{path}.{key}" if path else str(key), a.get(key), b.get(key))
        elif isinstance(a, list | tuple) and isinstance(b, list | tuple) and len(a) == len(b):
            for k, (x, y) in enumerate(zip(a, b, strict=True)):
                name = x.get("key", k) if isinstance(x, dict) else k
                walk(f"{path}.{name}", x, y)
        elif a != b:
            found.append(Difference(path, _shown(a), _shown(b)))

    walk("", sent.model_dump(mode="json"), held.model_dump(mode="json"))
    return tuple(sorted(found, key=lambda d: d.path))


def _shown(value: object) -> str:
    if isinstance(value, list | tuple):
        return f"{len(value)} of them"
    return "nothing" if value is None else f"{value:g}" if isinstance(value, float) else str(value)
