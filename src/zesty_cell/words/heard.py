"""Why something was said in a dry run, in a few words."""

from __future__ import annotations

from zesty_cell.core.callouts.engine import Event
from zesty_cell.core.callouts.rules import CalloutPlan
from zesty_cell.words.units import group, minutes


def why_heard(event: Event, plan: CalloutPlan, /) -> str:
    """What made it true: the timer, the profile, or what a sensor read and for how long."""
    if event.kind in ("time", "last", "end"):
        timer = next(t for t in plan.timers if t.key == event.key)
        return f"timer {minutes(timer.at_s)}" if event.kind == "end" else "timer"
    if event.kind in ("profile", "wrong profile"):
        volts = "" if event.value is None else f", {event.value:.1f} V"
        return f"armed{volts}" if event.kind == "profile" else f"not what was expected{volts}"
    rule = plan.rule(event.key)
    held = f" for {rule.hold_s:g} s" if rule and rule.hold_s else ""
    sensor = rule.conditions[0].sensor if rule and rule.conditions else None
    if sensor == "telemetry":
        return f"no telemetry{held}"
    if event.value is None:
        return "asked for"
    return {
        "used_ah": f"{group(1000 * event.value)} mAh",
        "current_a": f"{event.value:.0f} A{held}",
        "armed_s": f"armed {minutes(event.value)}",
    }.get(sensor or "", f"{event.value:.2f} V{held}")


def on_to(time_s: float, /) -> str:
    """A timer that went on counting aloud, until [s]."""
    return f"timer, and on to {minutes(time_s)}"
