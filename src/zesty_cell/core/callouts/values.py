"""A condition's value as it is typed into a transmitter."""

from __future__ import annotations

from zesty_cell.core.callouts.conditions import Condition
from zesty_cell.core.callouts.rules import CalloutPlan, Rule
from zesty_cell.core.callouts.sensors import SENSORS
from zesty_cell.core.fact import Fact, fact


def typed_value(plan: CalloutPlan, /, *, rule: Rule, condition: Condition) -> Fact:
    """A condition's value in the unit and to the step that a transmitter takes it in [V, mAh, A, min]."""
    # To the digit that is typed: two that look alike are alike.
    sensor = SENSORS[condition.sensor]
    if sensor.kind == "charge":
        return fact("typed.charge", used_ah=round(condition.value, 3))
    if sensor.kind == "current":
        return fact("typed.current", current_a=round(condition.value, 4))
    if sensor.kind == "time":
        return fact("typed.time", armed_s=condition.value)
    if sensor.fine:
        return fact("typed.volts.hundredths", set_v=round(condition.value, 2))
    series = plan.series_of(rule, condition)
    set_v = condition.threshold(series=series)
    if series == 1:
        return fact("typed.volts.hundredths", set_v=round(set_v, 2))
    return fact("typed.volts.tenths", set_v=round(set_v, 1))
