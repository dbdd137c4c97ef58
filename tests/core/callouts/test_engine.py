"""The rule engine: a table of timing cases, and any plan over any frames against the slow reference."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from tests.core.callouts.reference import RECEIVED, Reference
from zesty_cell.core.callouts.conditions import Condition, Guards, Switch
from zesty_cell.core.callouts.engine import Engine, frames
from zesty_cell.core.callouts.rules import CalloutPlan, Profile, Rule, Timer
from zesty_cell.core.callouts.spoken import spoken_time, spoken_value

LOW = Condition(sensor="pack_v", comparison="below", value=20.0)


def rule(**changes):
    fields = {"key": "low", "name": "Pack low", "conditions": (LOW,), "hold_s": 4.0, "say": "pack low"}
    return Rule(**{**fields, **changes})


def plan(*rules, timers=(), profiles=(), **changes):
    return CalloutPlan(name="plan", series=6, rules=rules, timers=timers, profiles=profiles, **changes)


def volts(*stretches, step_s=0.1):
    """Frames at 10 Hz of stretches (seconds, volts); NaN volts are frames without telemetry."""
    values = np.concatenate([np.full(round(seconds / step_s), value) for seconds, value in stretches])
    return frames(time_s=np.arange(values.size) * step_s, pack_v=values)


def said(the_plan, these, **options):
    return [(round(e.time_s, 3), e.key) for e in Engine(the_plan).feed(these, **options).events]


HIGH, UNDER, GONE = 22.0, 19.0, math.nan


@pytest.mark.parametrize(
    ("name", "the_rule", "stretches", "moments"),
    [
        ("a hold exactly met", rule(), [(5, HIGH), (4.1, UNDER), (5, HIGH)], [9.0]),
        ("one frame short", rule(), [(5, HIGH), (4.0, UNDER), (5, HIGH)], []),
        ("no hold at all", rule(hold_s=0), [(5, HIGH), (0.1, UNDER), (5, HIGH)], [5.0]),
        ("at the value is not below it", rule(hold_s=0), [(5, 20.0), (1, 19.999)], [5.0]),
        ("once", rule(), [(1, HIGH), (60, UNDER)], [5.0]),
        ("again and again", rule(every_s=4), [(1, HIGH), (13, UNDER)], [5.0, 9.0, 13.0]),
        ("ready again when false", rule(), [(1, HIGH), (5, UNDER), (0.1, HIGH), (5, UNDER)], [5.0, 10.1]),
        (
            "a spell broken by one frame",
            rule(),
            [(1, HIGH), (3.9, UNDER), (0.1, HIGH), (3.9, UNDER), (1, HIGH)],
            [],
        ),
        ("a short dropout inside a hold", rule(), [(1, HIGH), (2, UNDER), (1.4, GONE), (2, UNDER)], [5.0]),
        ("a long dropout inside a hold", rule(), [(1, HIGH), (2, UNDER), (3, GONE), (4.1, UNDER)], [10.0]),
        ("a dropout that outlasts the hold", rule(), [(1, HIGH), (2, UNDER), (20, GONE)], []),
        ("quiet at the start", rule(quiet_s=10), [(30, UNDER)], [10.0]),
        ("a hold may pass while quiet", rule(quiet_s=3), [(30, UNDER)], [4.0]),
        (
            "the lowest so far never recovers",
            rule(conditions=(Condition(sensor="lowest_v", value=20.0),), every_s=5),
            [(1, HIGH), (0.1, UNDER), (14, HIGH)],
            [5.0, 10.0, 15.0],
        ),
        (
            "telemetry gone",
            rule(conditions=(Condition(sensor="telemetry", comparison="missing"),), hold_s=3),
            [(5, HIGH), (3.1, GONE), (1, HIGH), (2.9, GONE), (1, HIGH)],
            [8.0],
        ),
        (
            "time since arming",
            rule(conditions=(Condition(sensor="armed_s", comparison="above", value=7.0),), hold_s=0),
            [(10, HIGH)],
            [7.1],
        ),
        (
            "all of",
            rule(conditions=(LOW, Condition(sensor="armed_s", comparison="above", value=9)), hold_s=0, join="all"),
            [(20, UNDER)],
            [9.1],
        ),
        (
            "any of",
            rule(conditions=(LOW, Condition(sensor="armed_s", comparison="above", value=9)), hold_s=0, join="any"),
            [(2, HIGH), (3, UNDER), (20, HIGH)],
            [2.0, 9.1],
        ),
        ("switched off", rule(on=False), [(30, UNDER)], []),
        ("per cell", rule(conditions=(LOW.model_copy(update={"value": 3.3, "per": "cell"}),)), [(9, 19.7)], [4.0]),
    ],
    ids=lambda value: value if isinstance(value, str) else "",
)
def test_timing(name, the_rule, stretches, moments):
    assert said(plan(the_rule), volts(*stretches)) == [(m, "low") for m in moments], name


def test_a_guard_that_drops_during_the_hold_begins_it_again():
    n = 120
    armed = np.ones(n, dtype=np.int8)
    armed[20:22] = 0
    these = frames(time_s=np.arange(n) * 0.1, pack_v=np.full(n, UNDER), armed=armed)
    assert said(plan(rule()), these) == [(6.2, "low")]
    assert said(plan(rule(guards=Guards(armed=False))), these) == [(4.0, "low")]


def test_throttle_and_switch_guards():
    n = 200
    throttle = np.where(np.arange(n) < 50, 0.0, 0.5)
    switches = np.full((n, 8), -1, dtype=np.int8)
    switches[100:, 2] = 1
    these = frames(time_s=np.arange(n) * 0.1, pack_v=np.full(n, UNDER), throttle=throttle, switches=switches)
    assert said(plan(rule(guards=Guards(throttle_over=0.05))), these) == [(9.0, "low")]
    assert said(plan(rule(guards=Guards(switch=Switch(name="C")))), these) == [(14.0, "low")]


def test_a_clock_that_jumps_ends_every_hold():
    # Two seconds under, a jump of an hour, then three seconds under: no four seconds are known.
    time_s = np.concatenate([np.arange(20) * 0.1, 3600 + np.arange(31) * 0.1])
    assert said(plan(rule()), frames(time_s=time_s, pack_v=np.full(51, UNDER))) == []
    backwards = np.concatenate([10 + np.arange(30) * 0.1, np.arange(45) * 0.1])
    assert said(plan(rule()), frames(time_s=backwards, pack_v=np.full(75, UNDER))) == [(4.0, "low")]


def test_frames_in_any_portions_give_the_same():
    whole = volts((3, HIGH), (6, UNDER), (1, GONE), (3, HIGH), (9, UNDER))
    the_plan = plan(rule(every_s=3), timers=(Timer(key="timer", at_s=15, every_s=5, last_s=3),))
    engine, told = Engine(the_plan), []
    at = 0
    for size in (1, 7, 30, 2, 60, 1, 119):
        part = slice(at, at + size)
        told += engine.feed(frames(time_s=whole.time_s[part], pack_v=whole.pack_v[part])).events
        at += size
    assert at == len(whole)
    assert told == list(Engine(the_plan).feed(whole).events)


def test_states_tell_when_a_rule_was_pending_and_true():
    ran = Engine(plan(rule())).feed(volts((1, HIGH), (6, UNDER), (1, HIGH)), keep=True)
    assert ran.states.shape == (1, 80)
    assert ran.states[0].tolist() == [0] * 10 + [1] * 40 + [2] * 20 + [0] * 10


def test_more_events_than_room_are_not_lost():
    chatter = volts(*[(0.1, UNDER), (0.1, HIGH)] * 1500)
    assert len(Engine(plan(rule(hold_s=0))).feed(chatter).events) == 1500


@pytest.mark.parametrize(("second", "heard"), [(None, [2]), ("middle", [1, 2]), ("up", [0, 2])])
def test_a_rule_may_listen_to_two_positions_of_a_switch(second, heard):
    listens = rule(hold_s=0.0, guards=Guards(switch=Switch(name="C"), or_position=second))
    for k, position in enumerate((-1, 0, 1)):
        switches = np.full((20, 8), -1, dtype=np.int8)
        switches[:, 2] = position
        these = frames(time_s=np.arange(20) * 0.1, pack_v=np.full(20, UNDER), switches=switches)
        assert bool(said(plan(listens), these)) == (k in heard)


def test_a_second_position_is_another_one_of_the_same_switch():
    for guards in ({"or_position": "up"}, {"switch": {"name": "A", "position": "up"}, "or_position": "up"}):
        with pytest.raises(ValidationError, match="another one of the same switch"):
            Guards.model_validate(guards)


def test_a_rule_without_conditions_reads_a_value_while_its_switch_is_held():
    ask = rule(
        key="ask",
        conditions=(),
        hold_s=0,
        say=None,
        read="pack_v",
        every_s=3,
        guards=Guards(armed=False, switch=Switch(name="D")),
    )
    n = 100
    switches = np.full((n, 8), -1, dtype=np.int8)
    switches[20:60, 3] = 1
    pack_v = np.full(n, 22.34)
    pack_v[30:] = np.nan
    events = Engine(plan(ask)).feed(frames(time_s=np.arange(n) * 0.1, pack_v=pack_v, switches=switches)).events
    assert [(round(e.time_s, 3), e.say) for e in events] == [(2.0, "22.3 volts"), (5.0, "no telemetry")]


@pytest.mark.parametrize(
    ("sensor", "value", "series", "words"),
    [
        ("pack_v", 22.34, 6, "22.3 volts"),
        ("pack_v", 3.456, 1, "3.46 volts"),
        ("cell_v", 3.456, 6, "3.46 volts"),
        ("used_ah", 1.2504, 6, "1250 milliamp hours"),
        ("current_a", 12.4, 6, "12 amps"),
        ("armed_s", 61.0, 6, "1 minute 1 second"),
        ("pack_v", math.nan, 6, "no telemetry"),
    ],
)
def test_values_are_read_out_with_their_units(sensor, value, series, words):
    assert spoken_value(sensor=sensor, value=value, series=series) == words


def test_times_are_read_out_in_minutes_and_seconds():
    assert [spoken_time(s) for s in (60, 300, 75, 5, 0)] == [
        "1 minute", "5 minutes", "1 minute 15 seconds", "5 seconds", "0 seconds",
    ]  # fmt: skip


# Timers


def _counting(timer, seconds, **options):
    n = round(seconds * 10) + 1
    events = Engine(plan(timers=(timer,))).feed(frames(time_s=np.arange(n) * 0.1, **options)).events
    return [(round(e.time_s, 1), e.say) for e in events]


def test_a_timer_speaks_minutes_the_last_seconds_and_the_end():
    timer = Timer(key="timer", at_s=150, last_s=3)
    assert _counting(timer, 160) == [
        (60.0, "1 minute"), (120.0, "2 minutes"), (147.0, "3"), (148.0, "2"), (149.0, "1"), (150.0, "time, land"),
    ]  # fmt: skip


def test_counting_down_speaks_what_is_left():
    timer = Timer(key="timer", at_s=150, counts="down")
    assert _counting(timer, 160) == [(30.0, "2 minutes left"), (90.0, "1 minute left"), (150.0, "time, land")]


def test_the_end_is_repeated_where_asked():
    timer = Timer(key="timer", at_s=10, every_s=None, end_every_s=5)
    assert _counting(timer, 21) == [(10.0, "time, land"), (15.0, "time, land"), (20.0, "time, land")]


def test_a_timer_runs_by_throttle_and_stands_still_without():
    throttle = np.zeros(401)
    throttle[50:150] = 0.5
    throttle[250:] = 0.5
    assert _counting(Timer(key="timer", at_s=15, every_s=None), 40, throttle=throttle) == [(30.0, "time, land")]
    armed = throttle.astype(bool).astype(np.int8)
    by_arming = Timer(key="timer", at_s=15, every_s=None, runs="armed", reset_disarmed_s=None)
    assert _counting(by_arming, 40, armed=armed) == [(30.0, "time, land")]


def test_a_timer_is_set_back_by_being_disarmed_or_by_a_switch():
    armed = np.ones(601, dtype=np.int8)
    armed[100:210] = 0
    timer = Timer(key="timer", at_s=15, every_s=None, runs="armed", reset_disarmed_s=10)
    assert _counting(timer, 60, armed=armed) == [(36.0, "time, land")]
    switches = np.full((601, 8), -1, dtype=np.int8)
    switches[100, 4] = 1
    timer = Timer(key="timer", at_s=15, every_s=None, runs="always", reset=Switch(name="E"))
    assert _counting(timer, 60, switches=switches) == [(25.0, "time, land")]


def test_a_kept_timer_goes_on_after_switching_off():
    for kept, left in ((True, 12.0), (False, 0.0)):
        engine = Engine(plan(timers=(Timer(key="timer", at_s=60, runs="always", kept=kept),)))
        engine.feed(frames(time_s=np.arange(121) * 0.1))
        assert engine.timers_s["timer"] == pytest.approx(12.0)
        engine.restart()
        assert engine.timers_s["timer"] == pytest.approx(left)


# Profiles

SIX = Profile(
    key="six", name="6S", series=6, floor_v=3.3, switch=Switch(name="C", position="down"), say="six cells"
)
FOUR = Profile(
    key="four", name="4S", series=4, floor_v=3.3, switch=Switch(name="C", position="up"), say="four cells"
)


def test_the_profile_is_spoken_at_arming_and_a_wrong_pack_is_called_out():
    the_plan = plan(profiles=(SIX, FOUR), choose="switch")
    these = frames(time_s=np.arange(20) * 0.1, pack_v=np.full(20, 24.9), switches={"C": "down"})
    assert [e.say for e in Engine(the_plan).feed(these).events] == ["six cells"]
    these = frames(time_s=np.arange(20) * 0.1, pack_v=np.full(20, 16.7), switches={"C": "down"})
    assert [e.say for e in Engine(the_plan).feed(these).events] == ["six cells", "wrong pack"]
    assert [e.say for e in Engine(plan(profiles=(SIX,))).feed(these).events] == ["six cells", "wrong pack"]


def test_the_profile_follows_the_voltage_at_arming_and_stays():
    the_plan = plan(profiles=(SIX, FOUR), choose="automatic")
    falling = np.linspace(24.9, 16.0, 600)
    late = falling.copy()
    late[:30] = np.nan  # the first telemetry comes three seconds after arming
    for pack_v, at in ((falling, 0.0), (late, 3.0)):
        events = Engine(the_plan).feed(frames(time_s=np.arange(600) * 0.1, pack_v=pack_v)).events
        assert [(round(e.time_s, 1), e.say) for e in events] == [(at, "six cells")]
    nothing_fits = frames(time_s=np.arange(9) * 0.1, pack_v=np.full(9, 8.4))
    assert [e.say for e in Engine(the_plan).feed(nothing_fits).events] == ["wrong pack"]


def test_one_rule_serves_several_packs():
    both = rule(
        join="any",
        conditions=(
            Condition(value=20.0, profile="six"),
            Condition(value=13.4, profile="four"),
        ),
    )
    the_plan = plan(both, profiles=(SIX, FOUR), choose="automatic")
    six = frames(time_s=np.arange(100) * 0.1, pack_v=np.concatenate([np.full(20, 24.0), np.full(80, 19.9)]))
    four = frames(time_s=np.arange(100) * 0.1, pack_v=np.concatenate([np.full(20, 16.0), np.full(80, 13.5)]))
    assert [e.say for e in Engine(the_plan).feed(six).events] == ["six cells", "pack low"]
    assert [e.say for e in Engine(the_plan).feed(four).events] == ["four cells"]


# Anything at all against the reference

_SWITCH = st.none() | st.builds(
    Switch, name=st.sampled_from("ABC"), position=st.sampled_from(["up", "middle", "down"])
)
_TENTHS = st.integers(0, 40).map(lambda k: k / 10)
_PROFILE_KEYS = (None, "six", "four")


@st.composite
def _conditions(draw, profiles):
    sensor = draw(
        st.sampled_from(
            ["pack_v", "lowest_v", "cell_v", "receiver_v", "used_ah", "current_a", "armed_s", "telemetry"]
        )
    )
    profile = draw(st.sampled_from(_PROFILE_KEYS)) if profiles else None
    if sensor == "telemetry":
        comparison = draw(st.sampled_from(["missing", "present"]))
        return Condition(sensor=sensor, comparison=comparison, profile=profile)
    comparison = draw(st.sampled_from(["below", "above"]))
    per = draw(st.sampled_from(["pack", "cell"])) if sensor in ("pack_v", "lowest_v") else "pack"
    value = draw(st.sampled_from([3.0, 3.5, 4.0])) if per == "cell" or sensor == "cell_v" else None
    if value is None:
        value = draw(st.sampled_from([3.0, 14.0, 20.0, 22.0] if sensor != "armed_s" else [1.0, 2.0, 3.5]))
    return Condition(sensor=sensor, comparison=comparison, value=value, per=per, profile=profile)


@st.composite
def _plans(draw):
    profiles = draw(st.sampled_from([(), (SIX,), (SIX, FOUR)]))
    choose = draw(st.sampled_from(["one", "switch", "automatic"])) if profiles else "one"
    rules = []
    for k in range(draw(st.integers(0, 4))):
        conditions = tuple(draw(_conditions(profiles)) for _ in range(draw(st.integers(0, 3))))
        guards = Guards(
            armed=draw(st.booleans()) or not conditions,
            throttle_over=draw(st.none() | st.just(0.2)),
            throttle_under=draw(st.none() | st.just(0.6)),
            switch=draw(_SWITCH),
            profile=draw(st.sampled_from(_PROFILE_KEYS)) if len(profiles) == 2 else None,
        )
        rules.append(
            Rule(
                key=f"r{k}",
                name="rule",
                conditions=conditions if len(profiles) == 2 else tuple(
                    c.model_copy(update={"profile": None}) for c in conditions
                ),
                join=draw(st.sampled_from(["all", "any"])),
                hold_s=draw(_TENTHS),
                guards=guards,
                say="word",
                every_s=draw(st.none() | st.sampled_from([0.5, 1.0, 2.0])),
                quiet_s=draw(_TENTHS),
            )
        )  # fmt: skip
    timers = tuple(
        Timer(
            key=f"t{k}",
            at_s=draw(st.sampled_from([5.0, 6.5, 12.0])),
            counts=draw(st.sampled_from(["up", "down"])),
            runs=draw(st.sampled_from(["throttle", "armed", "always"])),
            every_s=draw(st.none() | st.just(5.0)),
            last_s=draw(st.integers(0, 4)),
            end_every_s=draw(st.none() | st.just(2.0)),
            reset=draw(_SWITCH),
            reset_disarmed_s=draw(st.none() | st.sampled_from([0.5, 2.0])),
            profile=draw(st.sampled_from(_PROFILE_KEYS)) if len(profiles) == 2 else None,
        )
        for k in range(draw(st.integers(0, 2)))
    )
    return CalloutPlan(
        name="any", series=6, rules=tuple(rules), timers=timers, profiles=profiles, choose=choose,
        lost_after_s=draw(st.sampled_from([0.3, 1.5])),
    )  # fmt: skip


@st.composite
def _flights(draw):
    """Stretches of constant values at 10 Hz, with dropouts, disarming, switches and jumps of the clock."""
    rows = []
    t = 0
    for _ in range(draw(st.integers(1, 8))):
        length = draw(st.integers(1, 60))
        values = {
            "pack_v": draw(st.sampled_from([13.0, 16.5, 19.5, 21.0, 25.0, None])),
            "cell_v": draw(st.sampled_from([3.2, 3.7, None])),
            "receiver_v": draw(st.sampled_from([2.5, 5.0, None])),
            "used_ah": draw(st.sampled_from([1.0, 15.0, None])),
            "current_a": draw(st.sampled_from([2.0, 15.0, None])),
        }
        if draw(st.integers(0, 4)) == 0:
            values = dict.fromkeys(values)
        throttle, armed = draw(st.sampled_from([0.0, 0.1, 0.6])), draw(st.booleans())
        switches = [draw(st.sampled_from([-1, 0, 1])) for _ in range(3)] + [-1] * 5
        t += draw(st.sampled_from([0, 0, 0, 0, 12, 600, -25]))
        for _ in range(length):
            rows.append((t, values, throttle, armed, switches))
            t += 1
    return rows


@given(the_plan=_plans(), flight=_flights())
def test_any_plan_over_any_frames_is_what_the_reference_says(the_plan, flight):
    slow = Reference(the_plan)
    for t, values, throttle, armed, switches in flight:
        slow.frame(t / 10, {k: v for k, v in values.items() if v is not None}, throttle, armed, switches)
    columns = {
        name: np.array([math.nan if row[1][name] is None else row[1][name] for row in flight]) for name in RECEIVED
    }
    these = frames(
        time_s=np.array([row[0] / 10 for row in flight]),
        throttle=np.array([row[2] for row in flight]),
        armed=np.array([row[3] for row in flight], dtype=np.int8),
        switches=np.array([row[4] for row in flight], dtype=np.int8),
        **columns,
    )
    fast = [(e.time_s, e.kind, e.key, e.value) for e in Engine(the_plan).feed(these).events]
    wanted = [(t, kind, key, value) for t, kind, key, value in slow.said]
    assert [f[:3] for f in fast] == [w[:3] for w in wanted]
    for (*_, got), (*_, value) in zip(fast, wanted, strict=True):
        assert got == (None if value is None else pytest.approx(value, abs=1e-6))


def test_where_two_profiles_fit_the_fuller_pack_is_taken():
    wide = SIX.model_copy(update={"floor_v": 2.6})
    for order in ((wide, FOUR), (FOUR, wide)):
        events = Engine(plan(profiles=order, choose="automatic")).feed(volts((1, 16.7))).events
        assert [e.say for e in events] == ["four cells"]
