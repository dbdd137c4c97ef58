"""What each school writes, and dry runs on what goes wrong."""

from __future__ import annotations

import numpy as np
import pytest

from tests.sheets import checked, heron, pomelo, satsuma, sheet
from zesty_cell.core.answer.forecast import forecast
from zesty_cell.core.answer.thresholds import on_step
from zesty_cell.core.asked.landing import LandingRule
from zesty_cell.core.asked.sheet import CurrentSensor, corrected
from zesty_cell.core.callouts.conditions import Condition, Guards, Switch
from zesty_cell.core.callouts.dry_run import ODDITIES, on_forecast, resting_switches, run_oddity
from zesty_cell.core.callouts.engine import Engine, frames
from zesty_cell.core.callouts.rules import Profile, Timer
from zesty_cell.core.callouts.schools import SCHOOLS, write_plan
from zesty_cell.core.callouts.writer import LAMP_UNDER_V, LANDING_UNDER_V, cell_words, knee_s
from zesty_cell.words.say import say


@pytest.fixture(scope="module")
def lighthouse():
    return forecast(checked(sheet()))


def _keys(result, school):
    return [r.key for r in write_plan(result, school=school).plan.rules]


def test_what_the_schools_differ_in(lighthouse):
    common = ["silence", "ask"]
    assert _keys(lighthouse, "loaded voltage") == ["pack_low", "land_now", "charge_used", *common]
    assert _keys(lighthouse, "charge used") == ["charge_used", "land_now", "guard", *common]
    assert _keys(lighthouse, "timer first") == ["land_now", *common]
    assert _keys(lighthouse, "two stages") == ["pack_low", "land_now", *common]
    assert _keys(lighthouse, "audible only") == ["pack_low", "land_now", *common]


@pytest.mark.parametrize("school", [s.school for s in SCHOOLS])
def test_every_rule_has_its_reason_and_its_value_from_the_forecast(lighthouse, school):
    written = write_plan(lighthouse, school=school)
    plan, callouts = written.plan, lighthouse.callouts
    for key in [r.key for r in plan.rules] + [t.key for t in plan.timers]:
        assert say(written.reasons[key]).endswith(".")
    assert plan.timers[0].at_s == callouts.timers.timer_s
    land = plan.rule("land_now").conditions[0]
    if land.sensor == "pack_v":
        assert land.value == callouts.land_now.threshold.pack_v
        assert plan.rule("land_now").hold_s == callouts.land_now.hold_s
    else:
        assert land.value == callouts.charge.land_ah
        at = lighthouse.flight.index_at(lighthouse.flight.landing_s)
        assert land.value == pytest.approx(lighthouse.flight.used_ah[at], rel=0.06)


def test_the_crafts_own_stages_lie_under_the_words(lighthouse):
    land_v = lighthouse.callouts.land_now.threshold.cell_v
    stages = write_plan(lighthouse, school="two stages").plan.stages
    assert stages.lamp_v == pytest.approx(land_v - LAMP_UNDER_V, abs=0.006)
    assert stages.landing_v == pytest.approx(land_v - LANDING_UNDER_V, abs=0.006)
    assert write_plan(lighthouse, school="loaded voltage").plan.stages.landing_v is None
    assert write_plan(lighthouse, school="audible only").plan.stages.lamp_v is None


def test_audible_calls_shake_and_are_insistent(lighthouse):
    plan = write_plan(lighthouse, school="audible only").plan
    assert plan.rule("land_now").vibrate == "long"
    assert plan.rule("land_now").every_s < plan.rule("pack_low").every_s


def test_a_knee_inside_the_reserve_is_said_and_the_landing_point_taken():
    careful = forecast(checked(sheet(landing=LandingRule(charge_kept=0.35, home_s=90.0))))
    written = write_plan(careful, school="knee")
    assert knee_s(careful) > careful.flight.landing_s
    assert "inside the reserve" in say(written.notes[0])
    assert written.plan.rule("pack_low") is None


def test_a_knee_before_landing_is_called_at_the_knee():
    one = sheet(pack=satsuma())
    late = forecast(one.model_copy(update={"landing": one.landing.model_copy(update={"charge_kept": 0.02})}))
    written = write_plan(late, school="knee")
    at_s = knee_s(late)
    assert at_s < late.flight.landing_s
    assert written.notes == ()
    wanted = late.flight.cruise_v[late.flight.index_at(at_s)] * 6
    assert written.plan.rule("pack_low").conditions[0].value == pytest.approx(wanted, abs=0.11)


def test_the_knee_lies_where_the_curve_is_farthest_from_its_chord(lighthouse):
    at = lighthouse.flight.index_at(knee_s(lighthouse))
    slope = np.gradient(lighthouse.flight.cruise_v)
    assert abs(slope[at : at + 600].mean()) > 1.5 * abs(slope[at - 3000 : at].mean())


def test_cell_counts_are_spoken():
    assert [cell_words(s) for s in (1, 6, 14)] == ["one cell", "six cells", "14 cells"]


def test_values_go_to_the_transmitters_step():
    assert on_step(value=19.97, step=0.1) == 20.0
    assert on_step(value=19.91, step=0.1, up=True) == 20.0
    assert on_step(value=19.99, step=0.1, up=False) == 19.9
    assert on_step(value=3.456, step=0.01) == 3.46


# Dry runs


def test_the_dry_run_hears_what_the_forecast_derived(lighthouse):
    plan = write_plan(lighthouse, school="loaded voltage").plan
    run = on_forecast(plan=plan, result=lighthouse)
    first = {}
    for event in run.ran.events:
        first.setdefault(event.key, event.time_s)
    land = lighthouse.callouts.land_now
    assert first["land_now"] == pytest.approx(land.threshold.wanted_s, abs=40.0)
    assert first["timer"] == 60.0
    assert run.false_calls == 0
    assert run.left_at_land_now == pytest.approx(0.2, abs=0.03)
    assert run.warning_s > 60.0
    assert run.ran.states.shape == (len(plan.rules), len(run.frames))


def test_a_hair_trigger_is_seen_to_be_false(lighthouse):
    plan = write_plan(lighthouse, school="loaded voltage").plan
    hair = plan.rule("pack_low").model_copy(
        update={"hold_s": 0.0, "conditions": (Condition(value=21.0),), "guards": Guards()}
    )
    assert on_forecast(plan=plan.with_rule(hair), result=lighthouse).false_calls > 5


def test_every_oddity_does_what_it_says(lighthouse):
    plan = write_plan(lighthouse, school="loaded voltage").plan
    runs = {o.key: run_oddity(o.key, plan=plan, result=lighthouse) for o in ODDITIES}
    says = {key: {e.say for e in run.ran.events} for key, run in runs.items()}
    assert "telemetry lost" in says["dropout"]
    assert "land now" not in says["dropout"]
    assert "time, land" in says["dropout"]
    assert "wrong pack" in says["wrong_pack"]
    assert "time, land" in says["sensor_high"]
    assert runs["bench"].false_calls == 0
    assert runs["bench"].landing_s is None
    cold, usual = runs["cold_pack"], on_forecast(plan=plan, result=lighthouse)
    assert min(cold.frames.cell_v[:600]) < min(usual.frames.cell_v[:600])
    assert run_oddity("nothing", plan=plan, result=lighthouse) is None


def test_a_rule_without_guard_speaks_on_the_bench(lighthouse):
    plan = write_plan(lighthouse, school="loaded voltage").plan
    loose = plan.rule("pack_low").model_copy(
        update={"guards": Guards(armed=False), "conditions": (Condition(value=23.5),)}
    )
    assert run_oddity("bench", plan=plan.with_rule(loose), result=lighthouse).false_calls >= 1


def test_switches_rest_where_nothing_is_asked_and_the_profile_is_right(lighthouse):
    plan = write_plan(lighthouse, school="loaded voltage").plan
    six = Profile(key="s6", name="6S", series=6, switch=Switch(name="C", position="down"), say="six")
    four = Profile(key="s4", name="4S", series=4, switch=Switch(name="C", position="middle"), say="four")
    timer = Timer(key="timer", at_s=60, reset=Switch(name="E", position="up"))
    plan = plan.model_copy(update={"profiles": (six, four), "choose": "switch", "timers": (timer,)})
    row = resting_switches(plan, series=4)
    assert row[2] == 0
    assert resting_switches(plan, series=6)[2] == 1
    assert row[3] != 1  # D down asks for the voltage
    assert row[4] != -1  # E up resets the timer
    n = 5
    said = (
        Engine(plan)
        .feed(frames(time_s=np.arange(n) * 0.1, pack_v=np.full(n, 16.0), switches=np.tile(row, (n, 1))))
        .events
    )
    assert [e.say for e in said] == ["four"]
    assert (pomelo().series, heron().kind) == (6, "multirotor")


@pytest.mark.parametrize(
    ("one", "why"),
    [
        (sheet(pack=satsuma()), "the current sensor is not known well enough"),
        (
            corrected(sheet(pack=satsuma()), None, sensor=CurrentSensor(error=0.055)),
            "what the pack holds is not known well enough",
        ),
    ],
    ids=["sensor", "capacity"],
)  # fmt: skip
def test_why_charge_used_is_left_out_is_said_once_and_by_what_is_least_known(one, why):
    notes = write_plan(forecast(one), school="charge used").notes
    said = [n for n in map(say, notes) if n.startswith("Charge used is left out")]
    assert len(said) == 1
    assert why in said[0]
