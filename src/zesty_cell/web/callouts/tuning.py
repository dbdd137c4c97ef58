"""Tuning a rule from its form."""

from __future__ import annotations

from typing import Any

from zesty_cell.core.callouts.rules import CalloutPlan
from zesty_cell.core.callouts.tune import tunable, tune
from zesty_cell.services.turns import TURNS
from zesty_cell.web.callouts.desk import Desk
from zesty_cell.web.drawing.tune_chart import in_flights, tune_chart
from zesty_cell.words.units import read_number


def tuned_rule(desk: Desk, plan: CalloutPlan, key: str, form: dict[str, str]) -> dict[str, Any] | None:
    rule = plan.rule(key)
    if rule is None or tunable(plan, key, series=desk.series) is None:
        return None
    limits, error = [], ""
    for name, usual in (("most_false", 2.0), ("most_late", 5.0)):
        try:
            value = read_number(form[name]) if form.get(name) else usual
        except ValueError as problem:
            value, error = usual, str(problem)
        limits.append(min(max(value, 0.0), 100.0) / 100.0)
    most_false, most_late = limits
    with TURNS.heavy():
        tuned = tune(plan=plan, key=key, sheet=desk.sheet, most_false=most_false, most_late=most_late)
    return {
        "rule": rule,
        "tuned": tuned,
        "chart": tune_chart(tuned, most_false=most_false, most_late=most_late),
        "now": tuned.setting(tuned.now),
        "best": tuned.setting(tuned.best),
        "words": {
            name: [in_flights(float(share[place]), tuned.flights) for share in (tuned.early, tuned.late)]
            for name, place in (("now", tuned.now), ("best", tuned.best))
        },
        "most_false": f"{100 * most_false:g}",
        "most_late": f"{100 * most_late:g}",
        "error": error,
    }
