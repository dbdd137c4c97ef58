"""Thresholds out of order or as good as together, by owner."""

from __future__ import annotations

import pytest

from tests.sheets import heron, sheet
from zesty_cell.core.answer.forecast import forecast
from zesty_cell.core.callouts.collisions import ORDER, collisions, thresholds
from zesty_cell.core.callouts.rules import CraftStages
from zesty_cell.core.callouts.schools import SCHOOLS, write_plan
from zesty_cell.words.say import say


@pytest.fixture(scope="module")
def lighthouse():
    return forecast(sheet())


@pytest.fixture(scope="module")
def plan(lighthouse):
    return write_plan(lighthouse, school="two stages").plan


def at(plan, key, pack_v):
    [condition] = plan.rule(key).conditions
    return plan.with_rule(
        plan.rule(key).model_copy(update={"conditions": (condition.model_copy(update={"value": pack_v}),)})
    )


@pytest.mark.parametrize("school", [s.school for s in SCHOOLS])
def test_what_a_school_writes_collides_with_nothing(lighthouse, school):
    plan = write_plan(lighthouse, school=school).plan
    assert collisions(plan=plan, result=lighthouse) == ()


def test_every_owner_is_there_in_the_order_in_which_it_should_act(lighthouse, plan):
    found = thresholds(plan=plan, result=lighthouse)
    assert [t.acts for t in found] == list(ORDER)
    assert found[1].cell_v == pytest.approx(plan.rule("land_now").conditions[0].value / 6)


def test_the_last_word_before_the_first(lighthouse, plan):
    [one] = collisions(plan=at(plan, "land_now", 20.4), result=lighthouse)
    assert one.swapped
    low_v = plan.rule("pack_low").conditions[0].value / 6
    assert say(one.says).startswith("“Land now” at 3.40 V is not under “Pack low” at ")
    assert say(one.says).endswith(f"{low_v:.2f}: the first word is the last.")


@pytest.mark.parametrize(
    ("stages", "who", "words"),
    [
        (CraftStages(lamp_v=3.3, landing_v=2.9), "Craft's lamp", "taken for nothing"),
        (CraftStages(lamp_v=None, landing_v=3.3), "Craft lands itself", "wherever it is"),
        (CraftStages(lamp_v=3.15, landing_v=3.2), "Craft lands itself", "wherever it is"),
    ],
)
def test_the_craft_acts_too_early(lighthouse, plan, stages, who, words):
    found = collisions(plan=plan.model_copy(update={"stages": stages}), result=lighthouse)
    assert next(say(c.then.name) for c in found if c.swapped) == who
    assert words in say(found[0].says)


def test_an_esc_that_cuts_first(plan):
    limits = heron().limits.model_copy(update={"esc_cutoff_v_per_cell": 3.4})
    result = forecast(sheet(craft=heron(limits=limits.model_dump())))
    bare = plan.model_copy(update={"stages": CraftStages()})
    [one] = [c for c in collisions(plan=bare, result=result) if c.swapped]
    assert (one.first.name, say(one.then.name)) == ("Land now", "ESC cutoff")
    assert "cuts the power before you hear" in say(one.says)


def test_two_that_a_flight_passes_as_one(lighthouse, plan):
    low_v = plan.rule("pack_low").conditions[0].value
    found = collisions(plan=at(plan, "land_now", low_v - 0.01), result=lighthouse)
    one = next(c for c in found if c.first.acts == "pack_low")
    assert not one.swapped
    assert "they come as one" in say(one.says)


def test_a_rule_that_is_off_collides_with_nothing(lighthouse, plan):
    crossed = at(plan, "land_now", 20.4)
    off = crossed.with_rule(crossed.rule("pack_low").model_copy(update={"on": False}))
    assert collisions(plan=off, result=lighthouse) == ()
