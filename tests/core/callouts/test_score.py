"""The score: the fast path says what the engine says, and the figures follow from the calls."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.core.flight.test_watch import sampled
from tests.sheets import checked, heron, pomelo, satsuma, sheet
from zesty_cell.core.answer.forecast import forecast
from zesty_cell.core.answer.thresholds import in_earnest_s
from zesty_cell.core.asked.flying import STEP_S
from zesty_cell.core.callouts import score
from zesty_cell.core.callouts.conditions import Condition, Guards, Switch
from zesty_cell.core.callouts.engine import Engine, frames
from zesty_cell.core.callouts.rules import CalloutPlan, Profile, Rule
from zesty_cell.core.callouts.schools import write_plan
from zesty_cell.core.callouts.score import (
    BAD_DAYS,
    COLD_C,
    LIVELY,
    OWN_DAY,
    TIRED_CAPACITY,
    WORST_DAY,
    Day,
    day_setup,
    keep_flights,
    score_kept,
    score_plan,
    scored_rules,
)
from zesty_cell.core.errors import StoppedError
from zesty_cell.core.flight.many import start_many
from zesty_cell.core.flight.watch import score_flights


@pytest.fixture(scope="module")
def lighthouse():
    return forecast(checked(sheet()))


@pytest.fixture(scope="module")
def plan(lighthouse):
    return write_plan(lighthouse, school="loaded voltage").plan


@pytest.fixture(scope="module")
def scores(plan):
    return score_plan(plan=plan, sheet=sheet())


@st.composite
def _rules(draw):
    conditions = []
    for _ in range(draw(st.integers(1, 3))):
        sensor = draw(st.sampled_from(["pack_v", "lowest_v", "cell_v", "used_ah", "current_a", "armed_s"]))
        value = {
            "pack_v": st.floats(18.0, 22.0),
            "lowest_v": st.floats(18.0, 22.0),
            "cell_v": st.floats(3.0, 3.7),
            "used_ah": st.floats(0.1, 4.0),
            "current_a": st.floats(4.0, 30.0),
            "armed_s": st.floats(1.0, 1300.0),
        }[sensor]
        conditions.append(
            Condition(sensor=sensor, comparison=draw(st.sampled_from(["below", "above"])), value=draw(value))
        )
    return Rule(
        key="r",
        name="rule",
        conditions=tuple(conditions),
        join=draw(st.sampled_from(["all", "any"])),
        hold_s=draw(st.integers(0, 50)) / 10,
        quiet_s=draw(st.sampled_from([0.0, 5.0])),
        every_s=draw(st.none() | st.sampled_from([1.0, 4.0])),
        guards=Guards(profile=draw(st.sampled_from([None, "six", "four"]))),
        say="word",
    )


@pytest.fixture(scope="module")
def three_flights():
    setup, factors = day_setup(sheet(), day=OWN_DAY)
    kept = []
    start_many(setup, factors=factors.part(slice(0, 3)), visit=lambda _, knots: kept.append(knots.kept()))()
    return setup, factors, kept[0]


@given(rules=st.lists(_rules(), min_size=1, max_size=3))
def test_the_fast_path_says_what_the_engine_says(rules, three_flights):
    setup, factors, flown = three_flights
    profiles = (
        Profile(key="six", name="6S", series=6, floor_v=3.0, say="six"),
        Profile(key="four", name="4S", series=4, floor_v=3.0, say="four"),
    )
    rules = tuple(r.model_copy(update={"key": f"r{k}"}) for k, r in enumerate(rules))
    the_plan = CalloutPlan(name="any", series=6, rules=rules, profiles=profiles)
    made = Engine(the_plan).made
    capacity_ah = setup.figures.capacity_ah * factors.capacity[:3]
    events, counts = np.full((len(rules), 3, 20_000), np.nan), np.zeros((len(rules), 3), dtype=np.int64)
    volts = np.array([1.0, 0.98, 1.013])
    score_flights(
        flown.at, flown.summary, STEP_S, 6.0, 1.0, 1.0, capacity_ah, volts,
        made.rules, made.first_condition, made.condition_kind, made.condition_sensor, made.condition_value, 0,
        events, counts,
    )  # fmt: skip
    for k in range(3):
        seen = sampled(flown.at[k], flown.summary[k], dt_s=STEP_S)
        these = frames(
            time_s=seen.time_s,
            pack_v=seen.loaded_v * 6.0 * volts[k],
            cell_v=seen.weakest_v * volts[k],
            used_ah=(1.0 - seen.charge_left) * capacity_ah[k],
            current_a=seen.current_a,
        )
        said = Engine(the_plan).feed(these).events
        for j, rule in enumerate(rules):
            wanted = [e.time_s for e in said if e.key == rule.key]
            assert events[j, k, : counts[j, k]].tolist() == pytest.approx(wanted, abs=1e-6)


def test_the_written_plan_does_well_on_its_own_day(scores, lighthouse):
    own = scores[0]
    assert own.flights == 200
    assert own.false_flights <= 0.04 * 200  # two calls by volts, each in at most 2 % of the flights
    assert own.missed <= 10
    # Pack low comes about its lead time before landing, land now at about the reserve.
    assert own.warning_s[0] > 0.5 * lighthouse.setup.lead_s
    assert own.left[1] == pytest.approx(0.2, abs=0.03)
    assert own.first_word_s < own.landing_s


def test_bad_days_are_eight_and_worse_in_the_cold_with_a_tired_pack(scores):
    assert [s.day for s in scores[1:]] == list(BAD_DAYS)
    assert len({s.day.name for s in scores[1:]}) == 8
    by_name = {s.day.name: s for s in scores[1:]}
    best, worst = by_name["Fresh pack, warm, calm"], by_name["Tired pack, cold, lively"]
    assert worst.false_flights > best.false_flights
    tired = by_name["Tired pack, cold, calm"]
    assert tired.first_word_s < best.first_word_s
    assert tired.left[1] > best.left[1]


def test_a_cold_tired_day_is_that():
    setup, factors = day_setup(sheet(), day=Day("x", COLD_C, tired=True, intensity=1.2))
    own, usual = day_setup(sheet(), day=OWN_DAY)
    assert setup.start_c == COLD_C != own.start_c
    assert factors.capacity == pytest.approx(usual.capacity * TIRED_CAPACITY)
    assert factors.intensity == pytest.approx(usual.intensity * 1.2)


def test_a_hair_trigger_cries_wolf_and_a_low_threshold_misses(plan):
    low = plan.rule("pack_low").model_copy(
        update={"hold_s": 0.0, "conditions": (Condition(value=21.0),), "guards": Guards()}
    )
    late = plan.rule("land_now").model_copy(update={"conditions": (Condition(value=15.0),)})
    [own] = score_plan(plan=plan.with_rule(low).with_rule(late), sheet=sheet(), days=(OWN_DAY,))
    assert own.false_flights == 200
    assert own.false_calls > 5
    assert own.missed == 200
    assert own.left == ()


def test_charge_used_alone_never_cries_wolf():
    result = forecast(checked(sheet(craft=heron(), pack=satsuma(), pattern="freestyle")))
    plan = write_plan(result, school="charge used").plan
    plan = plan.model_copy(update={"rules": tuple(r for r in plan.rules if r.role != "guard")})
    for day in score_plan(plan=plan, sheet=result.setup.sheet, days=(OWN_DAY, *BAD_DAYS[-2:])):
        assert day.false_calls == 0.0


def test_without_a_land_now_nothing_is_missed_and_without_rules_nothing_is_said(plan):
    quiet = plan.model_copy(update={"rules": ()})
    [own] = score_plan(plan=quiet, sheet=sheet(), days=(OWN_DAY,))
    assert (own.first_word_s, own.missed, own.false_calls, own.warning_s, own.left) == (None, None, 0.0, (), ())


def test_only_what_speaks_by_itself_in_flight_is_scored(plan):
    assert [r.key for r in scored_rules(plan)] == ["pack_low", "land_now", "charge_used"]
    switched = plan.rule("pack_low").model_copy(update={"guards": Guards(switch=Switch(name="A"))})
    assert "pack_low" not in [r.key for r in scored_rules(plan.with_rule(switched))]


def test_another_profiles_rules_are_silent_here(plan):
    four = Profile(key="s4", name="4S", series=4, say="four cells")
    both = plan.model_copy(update={"profiles": (*plan.profiles, four)})
    for key in ("pack_low", "land_now", "charge_used"):
        both = both.with_rule(both.rule(key).model_copy(update={"guards": Guards(profile="s4")}))
    [own] = score_plan(plan=both, sheet=sheet(), days=(OWN_DAY,))
    assert own.first_word_s is None


def test_progress_is_told_and_it_can_be_stopped(plan):
    told = []
    score_plan(plan=plan, sheet=sheet(), days=BAD_DAYS[:3], progress=lambda done, of: told.append((done, of)))
    assert told == [(1, 3), (2, 3), (3, 3)]
    with pytest.raises(StoppedError):
        score_plan(plan=plan, sheet=sheet(), days=BAD_DAYS, cancelled=lambda: True)


def test_the_same_plan_scores_the_same(plan, scores):
    assert score_plan(plan=plan, sheet=sheet()) == scores
    assert pomelo().series == 6


def test_what_rules_were_heard_saying_is_let_go_of_before_it_grows_without_end(plan, monkeypatch):
    monkeypatch.setattr(score, "_MOST_HEARD", 3)
    kept = keep_flights(sheet())
    rule = next(r for r in plan.rules if r.role == "land_now")
    asked = [
        plan.model_copy(update={"rules": (rule.model_copy(update={"hold_s": h / 10}),)}) for h in range(10, 18)
    ]
    first, sizes = [], []
    for one in asked:
        first.append(score_kept(one, kept))
        sizes.append(len(kept.heard))
    # Four are held, and with the next one it begins anew.
    assert sizes == [1, 2, 3, 4, 1, 2, 3, 4]
    assert [score_kept(one, kept) for one in asked] == first


def test_the_flights_of_a_short_flight_are_followed_to_their_end():
    """Half a minute of charge: three times it and a minute are looked at, so that a bad day's last too."""
    short = sheet(pack=pomelo(capacity_ah=0.05, mass_kg=0.05, cell_resistance_ohm=0.02))
    own = forecast(short).flight
    assert own.end_s < 30.0
    landing_s = keep_flights(short).landing_s
    assert np.all(np.isfinite(landing_s))
    assert np.median(landing_s) == pytest.approx(own.landing_s, rel=0.1)


def test_a_call_at_the_sample_at_which_the_end_begins_is_true():
    # Low for good from sample 100 on: the end begins at sample 92, eight hundredths earlier.
    [earnest_s] = in_earnest_s(low_from=np.array([100]), step_s=STEP_S)
    assert 92 * STEP_S >= earnest_s > 91 * STEP_S


def test_rules_of_packs_with_other_cell_counts_are_silent(plan):
    """A plan for 4S and 5S flown with six cells is in no profile: what is bound to one says nothing."""
    profiles = tuple(Profile(key=f"s{n}", name=f"{n}S", series=n, floor_v=3.0, say="x") for n in (4, 5))
    bound = [
        Rule(key=f"r{p.key}", name="word", role="land_now", say="word", conditions=(Condition(value=25.0),),
             hold_s=0.5, guards=Guards(profile=p.key))
        for p in profiles
    ]  # fmt: skip
    free = Rule(
        key="free", name="word", role="land_now", say="word", conditions=(Condition(value=25.0),), hold_s=0.5
    )
    for rules, word in ((bound, None), ([*bound, free], 0.5)):
        any_plan = plan.model_copy(update={"rules": tuple(rules), "profiles": profiles, "timers": ()})
        [own] = score_plan(plan=any_plan, sheet=sheet(), days=(OWN_DAY,))
        assert own.first_word_s == word


def test_the_worst_day_is_a_tired_pack_in_the_cold_flown_lively():
    assert (WORST_DAY.tired, WORST_DAY.air_c, WORST_DAY.intensity) == (True, COLD_C, LIVELY)
    assert WORST_DAY.name == "Tired pack, cold, lively"
    assert {d.name for d in BAD_DAYS} >= {
        "Fresh pack, warm, calm",
        "Tired pack, warm, calm",
        "Fresh pack, cold, lively",
    }
