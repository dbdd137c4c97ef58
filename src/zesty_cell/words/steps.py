"""A plan as numbered steps in plain words, for any programmable transmitter."""

from __future__ import annotations

from dataclasses import dataclass

from zesty_cell.core.callouts.conditions import Condition, Guards, Switch
from zesty_cell.core.callouts.rules import CalloutPlan, Rule, Timer
from zesty_cell.core.callouts.sounds import Sound, sounds_of
from zesty_cell.core.callouts.spoken import spoken_time
from zesty_cell.core.callouts.values import typed_value
from zesty_cell.core.clock import clock
from zesty_cell.words.english.sensors import the
from zesty_cell.words.say import say


@dataclass(frozen=True)
class Steps:
    """A plan to set by hand, in the order in which it is set.

    Attributes
    ----------
    profiles, conditions, sounds, timers, bench : tuple of str
        Sentences; ``bench`` is what to try with the propellers off.
    files : tuple of Sound
    """

    profiles: tuple[str, ...]
    conditions: tuple[str, ...]
    sounds: tuple[str, ...]
    timers: tuple[str, ...]
    bench: tuple[str, ...]
    files: tuple[Sound, ...]


def value_words(plan: CalloutPlan, /, *, rule: Rule, condition: Condition) -> str:
    """A condition's value as it is typed into a transmitter, in its unit [V, mAh, A, min]."""
    return say(typed_value(plan, rule=rule, condition=condition))


def _condition_words(plan: CalloutPlan, rule: Rule, condition: Condition) -> str:
    sensor = the(condition.sensor)
    if condition.sensor == "telemetry":
        return f"telemetry is {condition.comparison if condition.comparison == 'missing' else 'there'}"
    way = "is below" if condition.comparison == "below" else "is above"
    profile = plan.profile(condition.profile)
    where = f" (with {profile.name})" if profile else ""
    return f"{sensor} {way} {value_words(plan, rule=rule, condition=condition)}{where}"


def _switch_words(switch: Switch) -> str:
    return f"switch {switch.name} is {switch.position}"


def _guard_words(plan: CalloutPlan, guards: Guards) -> list[str]:
    words = []
    if guards.armed:
        words.append("armed")
    if guards.throttle_over is not None:
        words.append(f"throttle is over {100 * guards.throttle_over:.0f} %")
    if guards.throttle_under is not None:
        words.append(f"throttle is under {100 * guards.throttle_under:.0f} %")
    if guards.switch is not None:
        words.append(f"switch {guards.switch.name} is {' or '.join(guards.positions())}")
    profile = plan.profile(guards.profile)
    if profile is not None:
        words.append(f"{profile.name} is flown")
    return words


def condition_sentence(plan: CalloutPlan, /, *, rule: Rule) -> str:
    """What must be true for a rule: “Land now is true when … for 3 s, while armed.”"""
    joined = " and " if rule.join == "all" else " or "
    parts = joined.join(_condition_words(plan, rule, c) for c in rule.conditions)
    guards = _guard_words(plan, rule.guards)
    when = f"when {parts}" if parts else "always"
    hold = f" for {rule.hold_s:g} s" if parts and rule.hold_s else ""
    quiet = f"; not in the first {rule.quiet_s:g} s" if rule.quiet_s else ""
    return (
        f"“{rule.name}” is true {when}{hold}" + (f", while {' and '.join(guards)}" if guards else "") + f"{quiet}."
    )


def sound_sentence(rule: Rule, /, *, files: dict[str, str]) -> str:
    """What a rule does when it is true."""
    does = []
    if rule.say:
        does.append(f"say “{rule.say}” ({files[rule.say]})")
    if rule.read:
        does.append(f"read {the(rule.read)} out")
    if rule.vibrate:
        does.append(f"give a {rule.vibrate} shake")
    often = "once each time" if rule.every_s is None else f"every {rule.every_s:g} s while it lasts"
    return f"When “{rule.name}” becomes true, {' and '.join(does)}, {often}."


def _timer_sentence(plan: CalloutPlan, timer: Timer, files: dict[str, str]) -> str:
    runs = {
        "throttle": f"while throttle is over {100 * timer.throttle_over:.0f} %",
        "armed": "while armed",
        "always": "from switching on",
    }[timer.runs]
    way = "counts up" if timer.counts == "up" else f"counts down from {clock(timer.at_s)}"
    profile = plan.profile(timer.profile)
    text = f"“{timer.name}” {way} {runs}{f' and {profile.name} is flown' if profile else ''}"
    if timer.every_s is not None:
        text += f", speaks every {spoken_time(timer.every_s)}"
    if timer.last_s:
        text += f", counts the last {timer.last_s} s aloud"
    text += f", and at {clock(timer.at_s)} says “{timer.end}” ({files[timer.end]})"
    if timer.end_every_s is not None:
        text += f", again every {timer.end_every_s:g} s"
    back = []
    if timer.reset_disarmed_s is not None:
        back.append(f"disarmed for {timer.reset_disarmed_s:g} s")
    if timer.reset is not None:
        back.append(_switch_words(timer.reset))
    text += f". It goes back when {' or '.join(back)}" if back else ""
    return text + (", and is kept while switched off." if timer.kept else ".")


def setup_steps(plan: CalloutPlan, /) -> Steps:
    """A plan as sentences to set it by, and to try it by on the bench [V, s, mAh in words]."""
    sounds = sounds_of(plan)
    files = {s.words: s.file for s in sounds}
    rules = [r for r in plan.rules if r.on]
    profiles = []
    for profile in plan.profiles:
        low_v, high_v = profile.floor_v * profile.series, profile.full_v * profile.series
        how = {
            "one": "the only one",
            "switch": _switch_words(profile.switch) if profile.switch else "",
            "automatic": f"{low_v:.1f} to {high_v:.1f} V at arming",
        }[plan.choose]
        profiles.append(f"{profile.name}, {how}: at arming say “{profile.say}” ({files[profile.say]}).")
    if plan.profiles:
        profiles.append(
            f"When the voltage at arming cannot be that pack's, say “{plan.wrong_profile}” "
            f"({files[plan.wrong_profile]})."
        )
    return Steps(
        profiles=tuple(profiles),
        conditions=tuple(condition_sentence(plan, rule=r) for r in rules),
        sounds=tuple(sound_sentence(r, files=files) for r in rules),
        timers=tuple(_timer_sentence(plan, t, files) for t in plan.timers if t.on),
        bench=_bench(plan, rules),
        files=sounds,
    )


def _bench(plan: CalloutPlan, rules: list[Rule]) -> tuple[str, ...]:
    steps = ["Take the propellers off. Tie the craft down. Then plug in and arm."]
    for rule in rules:
        lows = [c for c in rule.conditions if c.sensor == "pack_v" and c.comparison == "below"]
        if lows and rule.role in ("pack_low", "land_now", "guard"):
            value = " or ".join(
                value_words(plan, rule=rule, condition=c) + (f" ({profile.name})" if profile else "")
                for c in lows
                for profile in (plan.profile(c.profile),)
            )
            steps.append(
                f"Raise “{rule.name}” above the pack's voltage, wait {rule.hold_s:g} s, hear it once, put it back "
                f"to {value}."
            )
        elif any(c.sensor == "telemetry" for c in rule.conditions):
            steps.append(
                f"Switch the craft off while the transmitter counts as armed: after {rule.hold_s:g} s hear it."
            )
        elif rule.role == "ask" and rule.guards.switch is not None:
            steps.append(
                f"Put {_switch_words(rule.guards.switch).replace(' is ', ' ')}: hear the value, and put it back."
            )
    if any(t.on for t in plan.timers):
        steps.append("Open the throttle a little: the timer runs. Close it and disarm: it goes back.")
    steps.append("Disarm: everything is quiet.")
    return tuple(steps)
