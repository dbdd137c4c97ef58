"""What of a plan a plain radio can do: one alarm without a hold, one timer, and its receiver's battery."""

from __future__ import annotations

from dataclasses import dataclass

from zesty_cell.core.answer.forecast import Forecast
from zesty_cell.core.callouts.conditions import PACK_VOLTAGES, Condition, Guards
from zesty_cell.core.callouts.dry_run import on_forecast
from zesty_cell.core.callouts.fit import PLAIN_RADIO, fit
from zesty_cell.core.callouts.rules import CalloutPlan, Rule
from zesty_cell.core.callouts.steps import value_words
from zesty_cell.core.clock import clock


@dataclass(frozen=True)
class PlainForm:
    """A plan reduced to what a plain radio takes.

    Attributes
    ----------
    plan : CalloutPlan
        One alarm and one timer.
    can, cannot : tuple of str
        In sentences.
    expected : str
        What the alarm does on the flight expected; empty where there is none.
    """

    plan: CalloutPlan
    can: tuple[str, ...]
    cannot: tuple[str, ...]
    expected: str


def _watched(rule: Rule) -> tuple[Condition, ...]:
    """The voltages a rule calls below: of all its conditions what one alarm can watch."""
    return tuple(c for c in rule.conditions if c.sensor in PACK_VOLTAGES and c.comparison == "below")


def _expected(plan: CalloutPlan, result: Forecast) -> str:
    run = on_forecast(plan=plan, result=result)
    first = next((e for e in run.ran.events if e.kind == "rule"), None)
    if first is None:
        return "On the flight expected the alarm stays silent."
    if run.false_calls:
        times = "once" if run.false_calls == 1 else f"{run.false_calls} times"
        return (
            f"On the flight expected it sounds at {clock(first.time_s)}, and {times} before it is true: a climb "
            "sags, and there is no hold. Set it lower, trust the timer first, or fly gently."
        )
    return f"On the flight expected it sounds first at {clock(first.time_s)}, with no false alarm."


def plain_form(*, plan: CalloutPlan, result: Forecast) -> PlainForm:
    """A plan on a plain radio: transmitters and receivers with one simple alarm and a stopwatch [V, s].

    Parameters
    ----------
    plan : CalloutPlan
    result : Forecast
        Of the pack that is flown: a plain radio has no profiles, so its one value is for that.
    """
    flown = plan.flown_with(series=result.setup.sheet.pack.series)
    on = [r for r in flown.rules if r.on]
    alarms = [
        r.model_copy(update={"conditions": watched[:1], "guards": Guards(armed=False)})
        for r in on
        if (watched := _watched(r)) and r.role in ("land_now", "guard", "pack_low")
    ]
    simple = flown.model_copy(update={"rules": tuple(alarms), "profiles": (), "choose": "one"})
    fitted = fit(plan=simple, able=PLAIN_RADIO).plan
    can, cannot = [], []
    for rule in fitted.rules:
        words = value_words(fitted, rule=rule, condition=rule.conditions[0])
        can.append(f"Buzz, or say “{rule.say or rule.name}”, below {words}: one voltage, at once, armed or not.")
    for timer in fitted.timers:
        can.append(f"Count {clock(timer.at_s)} and beep: start it by the throttle if yours can, else by a switch.")
    receiver = next((c for r in on for c in r.conditions if c.sensor == "receiver_v"), None)
    if receiver is not None:
        can.append(f"Warn below {receiver.value:g} V of the receiver's battery, by the receiver's own alarm.")
    if not fitted.rules:
        cannot.append("Sound by voltage: no rule here watches the pack's voltage. The timer is all there is.")
    else:
        cannot.append("Wait until a climb is over: it has no hold, and sounds at every dip.")
        cannot.append("Stay quiet on the bench: plug in with the propellers off, and expect it.")
    cannot += [f"“{r.name}”: {_lack(r)}." for r in on if r.key not in {f.key for f in fitted.rules}]
    if len(plan.profiles) > 1:
        cannot.append("Tell packs apart: set its one value anew for another cell count.")
    return PlainForm(fitted, tuple(can), tuple(cannot), _expected(fitted, result) if fitted.rules else "")


def _lack(rule: Rule) -> str:
    sensors = {c.sensor for c in rule.conditions}
    if "telemetry" in sensors:
        return "it does not notice that nothing comes any more"
    if "used_ah" in sensors:
        return "it does not count charge"
    if not sensors:
        return "it reads nothing out; look at its display on the ground"
    if _watched(rule):
        return "it has one voltage, and the later call is the one to keep"
    return "it has no such sensor or no room for it"
