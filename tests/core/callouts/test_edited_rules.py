"""What was overruled, and what it changes on the flight expected."""

from __future__ import annotations

import pytest

from tests.sheets import sheet
from zesty_cell.core.answer.forecast import forecast
from zesty_cell.core.callouts.dry_run import on_forecast
from zesty_cell.core.callouts.edited_rules import edited_rules
from zesty_cell.core.callouts.schools import write_plan


@pytest.fixture(scope="module")
def lighthouse():
    return forecast(sheet())


@pytest.fixture(scope="module")
def written(lighthouse):
    return write_plan(lighthouse, school="loaded voltage").plan


def changed(plan, key, **changes):
    return plan.with_rule(plan.rule(key).model_copy(update=changes))


def test_an_unchanged_plan_overrules_nothing(lighthouse, written):
    assert edited_rules(plan=written, written=written, result=lighthouse) == {}


def test_a_lower_voltage_speaks_later_with_less_left(lighthouse, written):
    [condition] = written.rule("land_now").conditions
    plan = changed(written, "land_now", conditions=(condition.model_copy(update={"value": condition.value - 0.4}),))
    [(key, change)] = edited_rules(plan=plan, written=written, result=lighthouse).items()
    assert key == "land_now"
    first = next(e for e in on_forecast(plan=written, result=lighthouse).ran.events if e.key == "land_now")
    assert change.then.time_s == first.time_s
    assert change.then.left == pytest.approx(lighthouse.setup.sheet.landing.charge_kept, abs=0.03)
    assert change.moves
    assert change.now.time_s is None or (change.now.time_s > first.time_s and change.now.left < change.then.left)


def test_a_rule_switched_off_is_silent_and_a_word_changes_no_moment(lighthouse, written):
    plan = changed(changed(written, "pack_low", on=False), "land_now", say="come down")
    found = edited_rules(plan=plan, written=written, result=lighthouse)
    assert found["pack_low"].now.time_s is None
    assert found["pack_low"].moves
    assert not found["land_now"].moves


def test_a_timer_that_was_moved_speaks_at_its_new_time(lighthouse, written):
    timer = written.timers[0]
    plan = written.model_copy(update={"timers": (timer.model_copy(update={"at_s": timer.at_s - 120.0}),)})
    change = edited_rules(plan=plan, written=written, result=lighthouse)["timer"]
    assert change.then.time_s - change.now.time_s == pytest.approx(120.0, abs=0.11)
