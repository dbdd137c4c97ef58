"""A dry run, and when its rules are first heard without the rest of it."""

from __future__ import annotations

import pytest

from tests.sheets import satsuma, sheet
from zesty_cell.core.answer.forecast import forecast
from zesty_cell.core.callouts.dry_run import first_heard_s, on_forecast
from zesty_cell.core.callouts.schools import SCHOOLS, write_plan

CRUISE, FREESTYLE = forecast(sheet()), forecast(sheet(pack=satsuma(), pattern="freestyle"))


@pytest.mark.parametrize("school", [s.school for s in SCHOOLS])
@pytest.mark.parametrize("result", [CRUISE, FREESTYLE], ids=["cruise", "freestyle"])
def test_a_rule_is_first_heard_where_the_whole_plan_speaks_it(school, result):
    plan = write_plan(result, school=school).plan
    keys = {r.key for r in plan.rules}
    spoken: dict[str, float] = {}
    for event in on_forecast(plan=plan, result=result).ran.events:
        if event.kind == "rule":
            spoken.setdefault(event.key, event.time_s)
    assert first_heard_s(plan=plan, result=result, keys=keys) == spoken
    some = sorted(keys)[:1]
    assert first_heard_s(plan=plan, result=result, keys=some) == {k: v for k, v in spoken.items() if k in some}
    assert first_heard_s(plan=plan, result=result, keys=()) == {}


def test_a_rule_that_is_off_is_not_heard():
    plan = write_plan(CRUISE, school="loaded voltage").plan
    off = plan.with_rule(plan.rule("land_now").model_copy(update={"on": False}))
    assert "land_now" in first_heard_s(plan=plan, result=CRUISE, keys=["land_now"])
    assert first_heard_s(plan=off, result=CRUISE, keys=["land_now"]) == {}
