"""The drills: every one can be won and lost, the past stays as it was, nothing hidden is shown."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from zesty_cell.core.asked.flying import STEP_S
from zesty_cell.core.callouts.conditions import Condition
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.flight.one import fly
from zesty_cell.core.flight.setup import set_up
from zesty_cell.core.practice.asked import question
from zesty_cell.core.practice.course import (
    GENTLE_POWER,
    LANDS_AT,
    LANDS_HERE_S,
    LANDS_S,
    LEGS,
    MOST_S,
    Decision,
    Mission,
    course,
)
from zesty_cell.core.practice.drills import DRILLS, drill, own_drill
from zesty_cell.core.practice.flown import Ending, play, true_flight
from zesty_cell.core.practice.score import Ideal, first_word, ideal, points, score, scripted
from zesty_cell.core.practice.shown import seconds, times_life
from zesty_cell.core.practice.told import hidden, told
from zesty_cell.words.say import say

HOME = "home"


def decided(at_s, action=HOME):
    return Decision(at_s=at_s, action=action)


@pytest.mark.parametrize("key", DRILLS)
@pytest.mark.parametrize("seed", [1, 20, 300])
def test_every_drill_can_be_won_and_lost(key, seed):
    scenario = drill(key, seed=seed)
    scores = {p: score(scripted(scenario, p)) for p in ("first word", "never", "timer only", "ideal")}
    assert scores["ideal"] >= 90
    assert scores["never"] < 20
    assert scores["never"] <= min(scores["first word"], scores["timer only"])
    assert scores["ideal"] >= max(scores["first word"], scores["timer only"])


#: Who of the two is deceived by a drill.
DECEIVED = {
    "climb_or_empty": "first word", "chatter": "first word", "cold_first_minute": "first word",
    "ion_cliff": "first word", "telemetry_lost": "first word", "flat_middle": "timer only",
    "headwind_home": "timer only",
    "sensor_low": "timer only", "tired_pack": "timer only", "twice_the_pack": "timer only",
}  # fmt: skip


@pytest.mark.parametrize("key", DECEIVED)
def test_a_drill_deceives_who_it_is_about(key):
    means = {
        pilot: np.mean([score(scripted(drill(key, seed=s), pilot)) for s in range(8)])
        for pilot in ("first word", "timer only")
    }
    deceived = DECEIVED[key]
    other = "timer only" if deceived == "first word" else "first word"
    assert means[deceived] < means[other] - 8.0


@pytest.mark.parametrize("key", DRILLS)
def test_a_decision_leaves_what_was_before_as_it_was(key):
    scenario = drill(key, seed=7)
    never, turned = play(scenario, ()), play(scenario, (decided(120.0),))
    n = int(120.0 / STEP_S) - 1
    for name in ("pack_v", "used_ah", "throttle"):
        # The kernel's steps end where a stretch does: some microvolts, which nobody sees.
        np.testing.assert_allclose(getattr(never.frames, name)[:n], getattr(turned.frames, name)[:n], atol=1e-4)
    assert [e for e in never.events if e.time_s < 119.0] == [e for e in turned.events if e.time_s < 119.0]
    np.testing.assert_allclose(never.course.track().away_m[:n], turned.course.track().away_m[:n], atol=1e-9)


@pytest.mark.parametrize("key", ["chatter", "climb_or_empty", "cold_first_minute"])
def test_a_word_that_is_answered_at_once_stays_said(key):
    scenario = drill(key, seed=3)
    said = first_word(play(scenario, ()).events)
    for action in ("gentler", "home", "land"):
        again = play(scenario, (decided(round(said.time_s, 1), action),))
        assert first_word(again.events).time_s == said.time_s
        assert question(again).at_s == said.time_s


def test_the_same_seed_is_the_same_drill_and_another_is_another():
    drill.cache_clear()
    one = drill("tired_pack", seed=5)
    drill.cache_clear()
    assert drill("tired_pack", seed=5) == one
    assert drill("tired_pack", seed=6).truth != one.truth


def test_the_way_home_is_flown_against_the_wind():
    mission = Mission(air_m_s=20.0, out_m=3000.0, wind_m_s=8.0)
    assert mission.home_s(2400.0) == pytest.approx(2400.0 / 12.0)
    assert mission.home_s(2400.0, gentle=True) == pytest.approx(2400.0 / (0.9 * 20.0 - 8.0))
    # A wind that all but holds it: slow, and never backwards.
    assert Mission(air_m_s=10.0, out_m=500.0, wind_m_s=12.0).home_s(150.0) == pytest.approx(150.0 / 1.5)


def _long_range():
    scenario = drill("climb_or_empty", seed=1)
    return set_up(scenario.truth.sheet), scenario


def test_a_course_goes_out_about_and_home():
    setup, _ = _long_range()
    mission = Mission(air_m_s=15.0, out_m=600.0)
    of = course(setup, mission, (decided(100.0),))
    track = of.track()
    assert track.away_m[int(20.0 / STEP_S)] == pytest.approx(15.0 * 20.0, abs=2.0)
    assert track.away_m[int(100.0 / STEP_S) - 1] == pytest.approx(600.0)
    assert of.lands_s == pytest.approx(100.0 + STEP_S + 600.0 / 15.0 + LANDS_S)
    assert of.away_m == 0.0
    assert track.away_m[-1] == 0.0
    assert track.height_m[-1] == 0.0
    assert LEGS[track.leg[-1]] == "landing"
    assert LEGS[track.leg[int(120.0 / STEP_S)]] == "on the way home"
    assert track.leg.size == round(of.lands_s / STEP_S)
    here = course(setup, mission, (decided(100.0, "land"),))
    assert here.lands_s == pytest.approx(100.0 + STEP_S + LANDS_HERE_S)
    assert here.away_m == pytest.approx(600.0)
    assert course(setup, mission, ()).lands_s == MOST_S


def test_going_on_changes_nothing_and_after_home_nothing_is_decided():
    setup, _ = _long_range()
    mission = Mission(air_m_s=15.0, out_m=600.0)
    plain = course(setup, mission, (decided(100.0),))
    more = course(setup, mission, (decided(40.0, "go on"), decided(100.0), decided(101.0, "gentler")))
    np.testing.assert_array_equal(plain.program.value, more.program.value)
    np.testing.assert_array_equal(plain.program.seconds, more.program.seconds)


def test_gently_flown_takes_less_without_bursts():
    setup, scenario = _long_range()
    plain, gentle = (true_flight(scenario, d)[1] for d in ((), (decided(60.0, "gentler"),)))
    at = int(300.0 / STEP_S)
    rate = lambda f: f.used_ah[at] - f.used_ah[int(60.0 / STEP_S)]  # noqa: E731
    assert rate(gentle) < 0.92 * rate(plain)
    of = course(setup, scenario.mission, (decided(0.0, "gentler"),))
    assert set(of.program.kind[1:].tolist()) == {0}
    assert of.program.value[0, 1:].max() <= setup.cruise_w() / setup.sheet.pack.cell_count * GENTLE_POWER + 1e-9


def test_coming_down_takes_a_share_of_steady_power():
    setup, scenario = _long_range()
    of = course(setup, scenario.mission, (decided(100.0),), power=1.1)
    assert of.program.value[0, -1] == pytest.approx(1.1 * LANDS_AT * setup.cruise_w() / setup.sheet.pack.cell_count)


def test_the_kernel_flies_the_course_as_energy_says():
    """By hand: power over the voltage it is drawn at, added up, is the charge; the same to a hundredth."""
    scenario = drill("plain_radio", seed=2)
    setup = set_up(scenario.truth.sheet)
    of = course(setup, scenario.mission, (decided(200.0),), power=scenario.truth.power)
    flight = fly(setup, factors=scenario.truth.factors(), program=of.program)
    watts = np.concatenate([
        np.full(round(s / STEP_S), v)
        for kind, v, s in zip(of.program.kind, of.program.value[0], of.program.seconds[0], strict=True)
    ])  # fmt: skip
    bursts = np.concatenate([
        np.full(round(s / STEP_S), kind == 1)
        for kind, s in zip(of.program.kind, of.program.seconds[0], strict=True)
    ])  # fmt: skip
    n = min(watts.size, flight.current_a.size, round(of.lands_s / STEP_S))
    steady = ~bursts[:n]
    pack_w = flight.loaded_v[:n] * setup.sheet.pack.series * flight.current_a[:n]
    expected = watts[:n] * setup.sheet.pack.cell_count + setup.load.avionics_w
    np.testing.assert_allclose(pack_w[steady], expected[steady], rtol=0.01)
    used_ah = np.cumsum(flight.current_a[:n]) * STEP_S / 3600.0
    assert flight.used_at(of.lands_s) == pytest.approx(used_ah[-1], rel=0.01)


@pytest.mark.parametrize(
    ("ending", "expected"),
    [
        (Ending(900.0, fell=True, left=0.0, away_m=500.0, kept=False), 0),
        (Ending(900.0, fell=False, left=0.20, away_m=0.0, kept=True), 100),
        (Ending(450.0, fell=False, left=0.6, away_m=0.0, kept=True), 50),
        (Ending(950.0, fell=False, left=0.25, away_m=0.0, kept=True), 100),
        (Ending(920.0, fell=False, left=0.10, away_m=0.0, kept=False), 50),
        (Ending(900.0, fell=False, left=0.2, away_m=1000.0, kept=True), 75),
        (Ending(900.0, fell=False, left=0.2, away_m=9000.0, kept=True), 65),
        (Ending(900.0, fell=False, left=0.2, away_m=50.0, kept=True), 100),
        (Ending(900.0, fell=False, left=0.2, away_m=51.0, kept=True), 89),
    ],
)
def test_points_by_hand(ending, expected):
    best = Ideal(800.0, Ending(900.0, fell=False, left=0.2, away_m=0.0, kept=True))
    assert points(ending, best=best, reserve=0.20) == expected


def test_the_ideal_turn_is_the_last_that_keeps_the_reserve():
    scenario = drill("headwind_home", seed=4)
    best = ideal(scenario)
    assert best.ending.left >= scenario.reserve
    later = true_flight(scenario, (decided(best.turn_s + 3.0),))[2]
    assert later.left < scenario.reserve
    assert best.ending.left < scenario.reserve + 0.01


def test_a_landing_just_under_the_reserve_counts_as_kept():
    scenario = drill("plain_radio", seed=3)
    turn_s = ideal(scenario).turn_s
    low = [true_flight(scenario, (decided(turn_s + k),))[2] for k in range(0, 60, 2)]
    assert any(e.kept and e.left < scenario.reserve for e in low)
    assert all(e.kept == (e.left >= scenario.reserve - 0.01) for e in low if not e.fell)


# What reaches the pilot


def test_a_plain_radio_shows_nothing_and_says_the_time():
    played = play(drill("plain_radio", seed=1), ())
    assert np.isnan(played.frames.pack_v).all()
    assert np.isnan(played.frames.used_ah).all()
    assert {e.kind for e in played.events} <= {"time", "end", "last"}
    assert first_word(played.events).say == "turn home"


def test_lost_telemetry_shows_nothing_any_more_and_says_so_once_it_is_sure():
    scenario = drill("telemetry_lost", seed=2)
    played = play(scenario, ())
    gone = played.frames.time_s >= scenario.lost_s
    assert np.isnan(played.frames.pack_v[gone]).all()
    assert not np.isnan(played.frames.pack_v[~gone]).any()
    lost = next(e for e in played.events if e.say == "telemetry lost")
    assert scenario.lost_s + 2.0 < lost.time_s < scenario.lost_s + 8.0


def test_a_sensor_that_reads_low_shows_less_than_was_used():
    scenario = drill("sensor_low", seed=2)
    played = play(scenario, ())
    k = len(played.frames) - 50
    assert played.frames.used_ah[k] == pytest.approx(
        scenario.truth.charge_shown * played.flight.used_ah[k], rel=0.02
    )
    assert scenario.truth.charge_shown < 0.8


def test_a_value_stands_until_the_link_brings_the_next():
    played = play(drill("climb_or_empty", seed=2), ())
    volts = played.frames.pack_v[:200].reshape(-1, 10)
    assert (volts == volts[:, :1]).all()


def test_another_cell_count_speaks_at_once_or_never():
    for seed in range(12):
        scenario = drill("other_count", seed=seed)
        said = [e for e in play(scenario, ()).events if e.kind == "rule" and e.say in ("pack low", "land now")]
        if scenario.truth.sheet.pack.series < scenario.believed.pack.series:
            assert said[0].time_s < 30.0
        else:
            assert not said or said[0].time_s > 0.9 * ideal(scenario).turn_s


def test_seconds_are_what_a_pilot_sees_from_a_moment_on():
    played = play(drill("chatter", seed=1), (decided(60.0),))
    every, rest = seconds(played), seconds(played, from_s=60.0)
    assert every.time_s[0] == 0.0
    assert rest.time_s[0] == pytest.approx(60.0)
    assert rest.time_s[-1] == pytest.approx(played.ending.at_s, abs=0.2)
    np.testing.assert_array_equal(every.pack_v[-rest.pack_v.size :], rest.pack_v)
    assert every.away_m[0] < 5.0


@pytest.mark.parametrize(("turn_s", "times"), [(60.0, 10), (540.0, 10), (800.0, 15), (5000.0, 20)])
def test_a_drill_takes_about_a_minute(turn_s, times):
    assert times_life(turn_s) == times


# The question, and what is said


def test_the_question_is_right_at_one_place_only():
    places = set()
    for seed in range(12):
        played = play(drill("tired_pack", seed=seed), ())
        asked = question(played)
        rest_v = float(played.flight.rest_v[played.flight.index_at(asked.at_s)])
        offered = [o.figures["cell_v"] for o in asked.options]
        assert int(np.argmin(np.abs(np.array(offered) - rest_v))) == asked.right
        assert abs(offered[asked.right] - rest_v) <= 0.0251
        places.add(asked.right)
    assert len(places) > 2


def test_climb_or_end_is_asked_at_the_first_word_and_told_by_what_is_left():
    for seed in range(6):
        played = play(drill("climb_or_empty", seed=seed), ())
        asked = question(played)
        assert asked.at_s == first_word(played.events).time_s
        left = played.flight.left_at(asked.at_s)
        assert asked.right == int(left < played.scenario.reserve + 0.08)


def test_a_word_is_the_end_from_eight_hundredths_over_the_reserve():
    """The same drill with its alarm set lower and lower: until 28 % are left it was a climb, from there the end."""
    scenario = drill("climb_or_empty", seed=3)
    found = []
    for lower_v in np.arange(0.0, 1.3, 0.1):
        rules = tuple(
            r.model_copy(update={"conditions": (Condition(value=round(r.conditions[0].value - lower_v, 1)),)})
            if r.role == "land_now" else r
            for r in scenario.plan.rules
        )  # fmt: skip
        plan = scenario.plan.model_copy(update={"rules": rules, "timers": ()})
        played = play(replace(scenario, plan=plan), ())
        asked = question(played)
        if asked is not None and first_word(played.events) is not None:
            found.append((played.flight.left_at(asked.at_s), asked.right))
    assert all(right == int(left < 0.28) for left, right in found)
    assert max(left for left, right in found if right == 1) > 0.2
    assert min(left for left, right in found if right == 0) < 0.36


def test_nothing_is_asked_after_the_end_nor_where_there_is_nothing_to_ask():
    assert question(play(drill("headwind_home", seed=1), ())) is None
    assert question(play(drill("telemetry_lost", seed=1), (decided(5.0),))) is None


@pytest.mark.parametrize(
    ("decisions", "begins", "has"),
    [
        ((), "The pack gave no more at", "did not turn"),
        ((decided(60.0),), "Down over the field at", "You turned at 1:00"),
        ((decided(60.0, "land"),), "Down at 1:18", "You turned at 1:00"),
    ],
)
def test_afterwards_it_is_said_in_words(decisions, begins, has):
    played = play(drill("tired_pack", seed=2), decisions)
    lines = [say(f) for f in told(played)]
    assert lines[0].startswith(begins)
    assert any(has in line for line in lines)
    assert lines[-1].startswith("Best was to turn home at ")
    assert any("resisted" in say(h) for h in hidden(played))


def test_what_was_hidden_is_named():
    cold = [say(h) for h in hidden(play(drill("cold_first_minute", seed=1), ()))]
    assert any("the air had" in h for h in cold)
    other = [say(h) for h in hidden(play(drill("other_count", seed=1), ()))]
    assert "cells, the plan is for" in other[0]
    wind = [say(h) for h in hidden(play(drill("headwind_home", seed=1), ()))]
    assert any("against the way home" in h for h in wind)
    low = [say(h) for h in hidden(play(drill("sensor_low", seed=1), ()))]
    assert any("the sensor showed" in h for h in low)


def test_ones_own_sheet_is_flown_with_ones_own_plan():
    scenario = drill("climb_or_empty", seed=1)
    own = own_drill(scenario.believed, scenario.plan, seed=9)
    assert own.plan == scenario.plan
    assert own.turn_s == scenario.plan.timers[0].at_s
    assert own.mission.out_m == pytest.approx(
        scenario.believed.landing.home_s * scenario.believed.craft.cruise_speed_m_s
    )
    assert own_drill(scenario.believed, scenario.plan, seed=9) == own
    assert own_drill(scenario.believed, scenario.plan, seed=10).truth != own.truth
    assert score(scripted(own, "ideal")) >= 90
    assert score(scripted(own, "never")) < 20


def test_a_sheet_that_flies_longer_than_a_drill_is_refused_and_the_longest_ends_within_it():
    """A trainer plane on larger and larger packs, until it is too long for a drill."""
    scenario = drill("flat_middle", seed=1)
    sheet, longest = scenario.believed, None
    for times in np.arange(1.0, 9.0, 0.25):
        pack = sheet.pack.model_copy(update={"capacity_ah": sheet.pack.capacity_ah * times})
        long = sheet.model_copy(update={"pack": pack})
        try:
            own_drill(long, scenario.plan, seed=1)
        except OutOfRangeError:
            break
        longest = long
    with pytest.raises(OutOfRangeError, match="a drill holds 55:00"):
        own_drill(long, scenario.plan, seed=1)
    for seed in range(6):
        gently = play(own_drill(longest, scenario.plan, seed=seed), (decided(0.0, "gentler"),))
        assert gently.ending.fell
        assert gently.ending.at_s < MOST_S
