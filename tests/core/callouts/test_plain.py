"""A plan on a plain radio: one alarm, one timer, and honest words about the rest."""

from __future__ import annotations

import pytest

from tests.sheets import satsuma, sheet
from zesty_cell.core.answer.forecast import forecast
from zesty_cell.core.callouts.conditions import Condition
from zesty_cell.core.callouts.plain import plain_form
from zesty_cell.core.callouts.schools import SCHOOLS, further_rule, write_plan
from zesty_cell.core.callouts.several import add_pack
from zesty_cell.words.say import say


@pytest.fixture(scope="module")
def lighthouse():
    return forecast(sheet())


@pytest.mark.parametrize("school", [s.school for s in SCHOOLS])
def test_land_now_and_the_timer_stay(lighthouse, school):
    plan = write_plan(lighthouse, school=school).plan
    plain = plain_form(plan=plan, result=lighthouse)
    [alarm] = plain.plan.rules
    [timer] = plain.plan.timers
    assert alarm.role == "land_now"
    assert alarm.hold_s <= 0.5
    assert timer.at_s == plan.timers[0].at_s
    left_out = {r.key for r in plan.rules if r.on} - {alarm.key}
    assert sum(say(c).startswith("“") for c in plain.cannot) == len(left_out)


def test_an_alarm_without_a_hold_cries_wolf_in_climbs_and_says_so(lighthouse):
    plan = write_plan(lighthouse, school="loaded voltage").plan
    assert "before it is true: a climb sags" in say(plain_form(plan=plan, result=lighthouse).expected)
    low = plan.rule("land_now").conditions[0].model_copy(update={"value": 10.0})
    silent = plan.with_rule(plan.rule("land_now").model_copy(update={"conditions": (low,)}))
    assert "stays silent" in say(plain_form(plan=silent, result=lighthouse).expected)


def test_without_a_voltage_only_the_timer_is_left(lighthouse):
    plan = write_plan(lighthouse, school="loaded voltage").plan
    rules = tuple(r for r in plan.rules if r.role not in ("land_now", "pack_low"))
    plain = plain_form(plan=plan.model_copy(update={"rules": rules}), result=lighthouse)
    assert plain.plan.rules == ()
    assert plain.expected is None
    assert any("The timer is all there is" in say(c) for c in plain.cannot)


def test_of_charge_and_volts_the_one_alarm_watches_the_volts(lighthouse):
    plan = write_plan(lighthouse, school="loaded voltage").plan
    rule = plan.rule("land_now")
    used = Condition(sensor="used_ah", comparison="above", value=2.5)
    plain = plain_form(
        plan=plan.with_rule(rule.model_copy(update={"conditions": (used, *rule.conditions)})), result=lighthouse
    )
    assert [c.sensor for r in plain.plan.rules for c in r.conditions] == ["pack_v"]


def test_the_receivers_battery_has_its_own_alarm(lighthouse):
    plan = write_plan(lighthouse, school="loaded voltage").plan
    rule = further_rule("receiver", key="own_1", result=lighthouse)
    plain = plain_form(plan=plan.model_copy(update={"rules": (*plan.rules, rule)}), result=lighthouse)
    assert any("Warn below 4.8 V of the receiver's battery" in say(c) for c in plain.can)


def test_its_one_value_is_for_the_pack_that_is_flown(lighthouse):
    plan = write_plan(lighthouse, school="loaded voltage").plan
    small = forecast(sheet(pack=satsuma(series=4, capacity_ah=3.0, mass_kg=0.29, name="Four")))
    both = add_pack(plan, small)
    values = []
    for result in (lighthouse, small):
        plain = plain_form(plan=both, result=result)
        values.append(plain.plan.rules[0].conditions[0].value)
        assert any("Tell packs apart" in say(c) for c in plain.cannot)
    assert values[0] > 18.0 > 15.0 > values[1]
