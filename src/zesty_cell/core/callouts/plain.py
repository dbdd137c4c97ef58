"""What of a plan a plain radio can do: one alarm without a hold, one timer, and its receiver's battery."""

from __future__ import annotations

from dataclasses import dataclass

from zesty_cell.core.answer.forecast import Forecast
from zesty_cell.core.callouts.conditions import Condition, Guards
from zesty_cell.core.callouts.dry_run import on_forecast
from zesty_cell.core.callouts.fit import PLAIN_RADIO, fit
from zesty_cell.core.callouts.rules import CalloutPlan, Rule
from zesty_cell.core.callouts.sensors import PACK_VOLTAGES
from zesty_cell.core.callouts.values import typed_value
from zesty_cell.core.fact import Fact, fact


@dataclass(frozen=True)
class PlainForm:
    """A plan reduced to what a plain radio takes.

    Attributes
    ----------
    plan : CalloutPlan
        One alarm and one timer.
    can, cannot : tuple of Fact
    expected : Fact or None
        What the alarm does on the flight expected; None where there is none.
    """

    plan: CalloutPlan
    can: tuple[Fact, ...]
    cannot: tuple[Fact, ...]
    expected: Fact | None


def _watched(rule: Rule) -> tuple[Condition, ...]:
    """The voltages a rule calls below: of all its conditions what one alarm can watch."""
    return tuple(c for c in rule.conditions if c.sensor in PACK_VOLTAGES and c.comparison == "below")


def _expected(plan: CalloutPlan, result: Forecast) -> Fact:
    run = on_forecast(plan=plan, result=result)
    first = next((e for e in run.ran.events if e.kind == "rule"), None)
    if first is None:
        return fact("plain.silent")
    if run.false_calls == 1:
        return fact("plain.once_false", at_s=first.time_s)
    if run.false_calls:
        return fact("plain.false", at_s=first.time_s, times=run.false_calls)
    return fact("plain.true", at_s=first.time_s)


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
    can, cannot = list[Fact](), list[Fact]()
    for rule in fitted.rules:
        value = typed_value(fitted, rule=rule, condition=rule.conditions[0])
        can.append(fact("plain.can.alarm", words=rule.say or rule.name, value=value))
    can += [fact("plain.can.timer", at_s=timer.at_s) for timer in fitted.timers]
    receiver = next((c for r in on for c in r.conditions if c.sensor == "receiver_v"), None)
    if receiver is not None:
        can.append(fact("plain.can.receiver", below_v=receiver.value))
    if not fitted.rules:
        cannot.append(fact("plain.cannot.voltage"))
    else:
        cannot += [fact("plain.cannot.wait"), fact("plain.cannot.bench")]
    kept = {f.key for f in fitted.rules}
    cannot += [fact("plain.cannot.rule", rule=r.name, why=_lack(r)) for r in on if r.key not in kept]
    if len(plan.profiles) > 1:
        cannot.append(fact("plain.cannot.packs"))
    return PlainForm(fitted, tuple(can), tuple(cannot), _expected(fitted, result) if fitted.rules else None)


def _lack(rule: Rule) -> Fact:
    sensors = {c.sensor for c in rule.conditions}
    if "telemetry" in sensors:
        return fact("plain.lack.silence")
    if "used_ah" in sensors:
        return fact("plain.lack.charge")
    if not sensors:
        return fact("plain.lack.reading")
    return fact("plain.lack.second_voltage") if _watched(rule) else fact("plain.lack.sensor")
