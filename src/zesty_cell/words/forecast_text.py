"""The forecast as plain text, for the command line."""

from __future__ import annotations

from zesty_cell.core.answer.check import Check
from zesty_cell.core.answer.forecast import Forecast
from zesty_cell.core.clock import clock
from zesty_cell.words.say import say

_MARKS = {"ok": "ok  ", "look": "LOOK", "stop": "STOP"}


def _check(check: Check) -> str:
    numbers = ""
    if check.value is not None and check.limit is not None and check.unit != "flights":
        unit = "" if check.unit in ("ratio", "share") else f" {check.unit}"
        numbers = f" ({check.value:.3g}{unit} against {check.limit:.3g}{unit})"
    mend = f"\n        {say(check.mend)}" if check.mend else ""
    return f"  {_MARKS[check.status]}  {say(check.title)}{numbers}{mend}\n"


def forecast_text(forecast: Forecast) -> str:
    """The answer, what to set, and the checks, in about twenty lines."""
    sheet, plan, series = forecast.setup.sheet, forecast.callouts, forecast.setup.sheet.pack.series
    lines = [
        f"{sheet.name}",
        f"  {sheet.craft.name} on {sheet.pack.name}, {sheet.pack.series}S{sheet.pack.parallel}P, "
        f"{forecast.setup.all_up_mass_kg * 1000:.0f} g ready to fly, {sheet.flying.name}",
        "",
        *(() if forecast.at_landing.flies else ("THIS DOES NOT FLY: the pack cannot hold the craft up.",)),
        f"Be on the ground at {clock(forecast.flight.landing_s)} ({forecast.flight.landing_reason}); "
        f"9 flights in 10 between {clock(forecast.range.low_s)} and {clock(forecast.range.high_s)}",
        f"  used {forecast.at_landing.used_ah * 1000:.0f} mAh, {forecast.used_wh:.1f} Wh; "
        f"left {forecast.reserve_ah * 1000:.0f} mAh; worst {forecast.at_landing.worst_v:.2f} V a cell at "
        f"{clock(forecast.worst_s)}; cells {forecast.at_landing.landing_c:.0f} °C",
        "",
        "Set on the transmitter",
        f"  timer        {clock(plan.timers.timer_s)}",
    ]
    for name, callout in (("pack low", plan.pack_low), ("land now", plan.land_now)):
        if callout.stands == "off":
            continue
        decimals = 2 if series == 1 else 1
        title = name if callout.stands == "calls" else "last guard"
        with_it = "" if callout.throttle_under is None else f", throttle under {100 * callout.throttle_under:.0f} %"
        if callout.used_over_ah is not None:
            with_it = f", once {callout.used_over_ah * 1000:.0f} mAh are used"
        lines.append(
            f"  {title:<12} {callout.threshold.pack_v:.{decimals}f} V ({callout.threshold.cell_v:.2f} a cell), "
            f"held {callout.hold_s:g} s{with_it}"
        )
    if plan.charge is not None and plan.charge_counts:
        home, land = 1000 * plan.charge.home_ah, 1000 * plan.charge.land_ah
        lines.append(f"  charge used  head home at {home:.0f} mAh, land at {land:.0f} mAh")
    lines.append(f"  what leads   {plan.leads}")
    return "\n".join(lines) + "\n\nChecks\n" + "".join(_check(c) for c in forecast.checks)
