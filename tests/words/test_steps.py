"""A plan as steps to set by hand: every value is in its sentence, every sound has a name of its own."""

from __future__ import annotations

import re

import pytest

from tests.sheets import sheet
from zesty_cell.core.answer.forecast import forecast
from zesty_cell.core.callouts.conditions import Condition, Guards, Switch
from zesty_cell.core.callouts.rules import CalloutPlan, Profile, Rule, Timer
from zesty_cell.core.callouts.schools import SCHOOLS, write_plan
from zesty_cell.core.callouts.sounds import SOUND_NAME_LENGTH, sound_name, sounds_of
from zesty_cell.core.clock import clock
from zesty_cell.words.steps import condition_sentence, setup_steps


@pytest.fixture(scope="module")
def result():
    return forecast(sheet())


@pytest.mark.parametrize("school", [s.school for s in SCHOOLS])
def test_every_value_of_a_plan_stands_in_a_sentence(result, school):
    plan = write_plan(result, school=school).plan
    steps = setup_steps(plan)
    conditions, sounds = " ".join(steps.conditions), " ".join(steps.sounds)
    assert len(steps.conditions) == len(steps.sounds) == len(plan.rules)
    for rule in plan.rules:
        assert f"“{rule.name}”" in conditions
        if rule.say:
            assert f"“{rule.say}”" in sounds
        for condition in rule.conditions:
            if condition.sensor == "pack_v":
                assert f"{condition.value:.1f} V" in conditions
            if condition.sensor == "used_ah":
                assert f"{1000 * condition.value:.0f} mAh" in conditions
    assert clock(plan.timers[0].at_s) in steps.timers[0]
    assert "propellers off" in steps.bench[0].lower()
    assert steps.bench[-1] == "Disarm: everything is quiet."


def test_a_rich_rule_in_one_sentence():
    six = Profile(key="six", name="6S", series=6, say="six")
    rule = Rule(
        key="r",
        name="Low",
        join="any",
        conditions=(
            Condition(value=3.3, per="cell", profile="six"),
            Condition(sensor="cell_v", value=3.0),
            Condition(sensor="armed_s", comparison="above", value=95.0),
        ),
        hold_s=2.5,
        quiet_s=10.0,
        guards=Guards(throttle_over=0.1, switch=Switch(name="B", position="middle"), profile="six"),
        say="low",
    )
    plan = CalloutPlan(name="p", series=6, rules=(rule,), profiles=(six,))
    assert condition_sentence(plan, rule=rule) == (
        "“Low” is true when the pack voltage is below 19.8 V (with 6S) or the lowest cell is below 3.00 V or the "
        "time since arming is above 1:35 for 2.5 s, while armed and throttle is over 10 % and switch B is middle "
        "and 6S is flown; not in the first 10 s."
    )


def test_timers_and_profiles_in_words():
    timer = Timer(
        key="t", at_s=95.0, counts="down", runs="armed", every_s=30.0, last_s=5, end="land", end_every_s=4.0,
        reset=Switch(name="E", position="up"), reset_disarmed_s=None, kept=True,
    )  # fmt: skip
    six = Profile(key="six", name="6S", series=6, floor_v=3.3, switch=Switch(name="C"), say="six")
    plan = CalloutPlan(name="p", series=6, timers=(timer,), profiles=(six,), choose="switch")
    steps = setup_steps(plan)
    assert steps.timers == (
        "“Timer” counts down from 1:35 while armed, speaks every 30 seconds, counts the last 5 s aloud, and at "
        "1:35 says “land” (land), again every 4 s. It goes back when switch E is up, and is kept while "
        "switched off.",
    )
    assert steps.profiles[0] == "6S, switch C is down: at arming say “six” (six)."
    automatic = plan.model_copy(update={"choose": "automatic"})
    assert "19.8 to 25.2 V at arming" in setup_steps(automatic).profiles[0]


@pytest.mark.parametrize(
    ("words", "name"),
    [
        ("pack low", "packlow"),
        ("telemetry lost", "telelost"),
        ("Land NOW!", "landnow"),
        ("…", "sound"),
        ("a" * 30, "a" * 8),
    ],
)
def test_sounds_have_short_lower_case_names(words, name):
    assert sound_name(words) == name


def test_no_two_sounds_share_a_name(result):
    plan = write_plan(result, school="loaded voltage").plan
    same = [
        Rule(key=f"r{k}", name="r", conditions=(Condition(value=20.0),), say=f"warning number {k} low")
        for k in range(12)
    ]
    names = [s.file for s in sounds_of(plan.model_copy(update={"rules": (*plan.rules, *same)}))]
    assert len(set(names)) == len(names)
    assert all(re.fullmatch(r"[a-z0-9]+", n) and len(n) <= SOUND_NAME_LENGTH for n in names)
