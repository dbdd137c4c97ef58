"""Fair tests: their bounds, plans, verdicts and what spoils them, against other ways of reckoning the same."""

from __future__ import annotations

import math
from datetime import UTC, datetime, timedelta

import numpy as np
import pytest
from pydantic import ValidationError
from scipy import stats
from scipy.integrate import quad
from scipy.optimize import brentq

from tests.sheets import heron, pomelo, sheet
from zesty_cell.core.asked.sheet import Conditions
from zesty_cell.core.flight.one import fly
from zesty_cell.core.flight.setup import set_up
from zesty_cell.core.parts.pack_figures import pack_figures
from zesty_cell.core.trials.adjust import Like, _expected, adjusted, common
from zesty_cell.core.trials.looks import (
    ERROR,
    FIRST_LOOK,
    LATER_ERROR,
    bounds,
    bounds_for,
    information,
    likelihood_ratio,
    t_for,
)
from zesty_cell.core.trials.measures import MEASURES
from zesty_cell.core.trials.power import pairs_needed, power, sees
from zesty_cell.core.trials.question import Question, Run, SetAside, Trial, TrialPlan
from zesty_cell.core.trials.regression import regressed
from zesty_cell.core.trials.scatter import scatter_of
from zesty_cell.core.trials.schedule import next_slot, pairs_of, slots
from zesty_cell.core.trials.spoiled import _slope_t, spoiled_by
from zesty_cell.core.trials.told import planned, takes, told
from zesty_cell.core.trials.verdict import weigh

RATE, VOLTS = MEASURES["charge_a_minute"], MEASURES["loaded_v"]
ABBA = np.array([True, False] * 40)
BEGAN = datetime(2026, 5, 2, 9, 0, tzinfo=UTC)


# ---- when it may be called


def test_bounds_are_those_that_are_published():
    # Five looks, equally far apart, O'Brien and Fleming's way of spending 5 %: Jennison and Turnbull (2000), table.
    assert bounds_for([1, 2, 3, 4, 5], error=0.05) == pytest.approx((4.877, 3.357, 2.680, 2.290, 2.031), abs=0.003)
    assert bounds_for([0.5, 1.0], error=0.05) == pytest.approx((2.963, 1.969), abs=0.002)


@pytest.mark.parametrize("pairs", [4, 6, 8, 12, 20, 44])
def test_looking_after_every_pair_calls_nothing_more_often_than_is_meant(pairs):
    rng = np.random.default_rng(pairs)
    drift = rng.normal(size=(40_000, 1))  # what goes along with the order is nobody's difference
    found = regressed(rng.normal(size=(40_000, pairs)) + drift * np.where(ABBA[:pairs], 1.0, -1.0), ABBA[:pairs])
    asked = [t_for(b, freedom=f) for b, f in zip(bounds(pairs), found.freedom[FIRST_LOOK - 1 :], strict=True)]
    called = (np.abs(found.t[:, FIRST_LOOK - 1 :]) >= asked).any(axis=1).mean()
    assert ERROR - LATER_ERROR - 0.012 < called < ERROR - LATER_ERROR + 0.0025


def test_whoever_goes_on_for_ever_is_held_too():
    rng = np.random.default_rng(1)
    found = regressed(rng.normal(size=(20_000, 80)), ABBA)
    called = np.zeros(20_000, dtype=bool)
    for k in range(FIRST_LOOK, 80):
        args = {"freedom": float(found.freedom[k]), "known": float(found.known[k]), "effect": 1.0}
        if likelihood_ratio(1e9, **args) < 1.0 / LATER_ERROR:  # so few pairs cannot say so much, whatever they are
            continue
        # The ratio grows with t: which t just makes it is looked up once.
        least = brentq(lambda t, args=args: likelihood_ratio(t, **args) - 1.0 / LATER_ERROR, 0.0, 1e4)
        called |= np.abs(found.t[:, k]) >= least
    assert 0.0003 < called.mean() < LATER_ERROR


def test_a_likelihood_ratio_is_that_of_a_mixture_of_effects():
    freedom, known, effect = 8.0, 10.0, 0.7
    for t in (0.3, -2.0, 4.5):
        with_one, _ = quad(
            lambda d, t=t: stats.nct.pdf(t, freedom, d * math.sqrt(known)) * stats.norm.pdf(d, scale=effect), -4, 4
        )
        wanted = with_one / stats.t.pdf(t, freedom)
        assert likelihood_ratio(t, freedom=freedom, known=known, effect=effect) == pytest.approx(wanted, rel=1e-4)


def test_a_plan_has_pairs_enough_to_look_at_and_an_end():
    for pairs in (2, 61):
        with pytest.raises(ValueError, match="a plan has"):
            bounds(pairs)
    assert [information(n) for n in (4, 5)] == [4.0, 4.8]


# ---- how many


def test_differences_are_regressed_as_least_squares_have_it():
    rng = np.random.default_rng(3)
    first = np.array([True, False, False, True, True])
    d = rng.normal(size=5)
    found = regressed(d[None], first)
    design = np.column_stack([np.ones(5), np.where(first, 1.0, -1.0)])
    (wanted, _), (left,), _, _ = np.linalg.lstsq(design, d, rcond=None)
    assert found.difference[0, -1] == pytest.approx(wanted)
    error = math.sqrt(left / 3 * np.linalg.inv(design.T @ design)[0, 0])
    assert found.error[0, -1] == pytest.approx(error)
    assert found.freedom.tolist() == [0.0, 0.0, 1.0, 2.0, 3.0]
    alike = regressed(d[None], np.array([True] * 5))
    assert alike.difference[0, -1] == pytest.approx(d.mean())
    assert alike.freedom[-1] == 4.0


def test_a_plan_finds_what_it_was_made_for_nine_times_in_ten():
    needed = pairs_needed(0.06, scatter=0.05, counts=12)
    assert needed.enough
    assert needed.pairs % 2 == 0
    assert power(0.06 / 0.05 / math.sqrt(2), pairs=needed.pairs - 2, counts=12) < 0.9 <= needed.power
    # By hand: other tests than those it was planned with, their scatter as uncertain as said.
    rng = np.random.default_rng(9)
    scatter = 0.05 * np.sqrt(2.0 * 12 / rng.chisquare(12, size=4000))
    calls = 0
    for sigma in scatter:
        d = 0.06 + sigma * rng.normal(size=needed.pairs)
        calls += weigh(
            d, ABBA[: needed.pairs], measure=RATE, matters=0.06, planned=needed.pairs, scatter=0.05
        ).call in ("more",)
    assert calls / 4000 == pytest.approx(needed.power, abs=0.02)
    assert needed.sees == pytest.approx(0.06, rel=0.03)


def test_more_scatter_less_difference_and_less_knowledge_need_more_pairs():
    def pairs(matters=0.06, scatter=0.04, counts=12.0):
        return pairs_needed(matters, scatter=scatter, counts=counts).pairs

    assert pairs() < pairs(scatter=0.05) < pairs(matters=0.045, scatter=0.05)
    assert pairs() < pairs(counts=3.0)
    # With the scatter known, one of a pair's own scatter takes one look more than a plain t test of 13.
    assert 14 <= pairs(matters=0.04 * math.sqrt(2), counts=900.0) <= 16


def test_where_no_plan_is_enough_it_is_said_what_can_be_seen():
    needed = pairs_needed(0.01, scatter=0.05, counts=10)
    assert not needed.enough
    assert needed.pairs == 60
    assert needed.sees > 0.03
    question = Question(a="old", b="new", measure="charge_a_minute", matters=0.01)
    facts = planned(needed, scatter_of([], measure=RATE), question=question)
    assert [f.key for f in facts] == ["trial.plan.not_enough", "trial.plan.scatter.prior"]
    assert sees(pairs=8, counts=10) > sees(pairs=20, counts=10) > sees(pairs=40, counts=10)


def test_scatter_is_that_within_a_day():
    day_a, day_b = [0.00, 0.02, -0.02], [0.30, 0.33, 0.27]
    found = scatter_of([*(("a", v) for v in day_a), *(("b", v) for v in day_b)], measure=RATE)
    squares = sum((v - 0.0) ** 2 for v in day_a) + sum((v - 0.30) ** 2 for v in day_b)
    assert found.sigma == pytest.approx(math.sqrt((3 * 0.07**2 + squares) / 7))
    assert (found.counts, found.seen) == (7.0, 6)
    # One flight a day: what the days do is in it, rather too much than too little.
    alone = scatter_of([("a", 0.0), ("b", 0.3)], measure=RATE)
    assert alone.sigma > 0.08
    assert scatter_of([], measure=RATE).sigma == pytest.approx(0.07)


# ---- the order


def test_packs_are_flown_in_turn_each_a_b_b_a():
    order = slots(("one", "two"), pairs=4)
    assert [(s.side, s.pack) for s in order] == [
        ("A", "one"), ("A", "two"), ("B", "one"), ("B", "two"),
        ("B", "one"), ("B", "two"), ("A", "one"), ("A", "two"),
    ]  # fmt: skip
    assert [s.pair for s in order] == [0, 2, 0, 2, 1, 3, 1, 3]
    for pack in ("one", "two"):
        assert [s.side for s in order if s.pack == pack] == ["A", "B", "B", "A"]
    assert len(slots(("one", "two", "three"), pairs=8)) == 16
    with pytest.raises(ValueError, match="two by two"):
        slots(("one",), pairs=3)
    with pytest.raises(ValueError, match="needs a pack"):
        slots((), pairs=4)


def trial(
    values, *, measure="charge_a_minute", packs=("one",), pairs=4, matters=0.05, differs="propellers", **runs
):
    """A test with a run for each value, half an hour apart; further figures of runs by name, one a run."""
    at = 300 if measure in ("time_to_charge",) else 20.0 if measure == "loaded_v" else None
    plan = TrialPlan(pairs=pairs, scatter=0.05, scatter_counts=10, packs=packs, coolest_c=-30, warmest_c=55)
    order = slots(packs, pairs=pairs + 2 * len(packs) * 12)
    made = []
    for k, value in enumerate(values):
        more = {name: each[k] for name, each in runs.items()}
        side = more.pop("side", order[k].side)
        moment = BEGAN + timedelta(minutes=30 * k)
        made.append(Run(slot=k, side=side, value=value, at=moment, **({"pack": order[k].pack} | more)))
    question = Question(differs=differs, a="old", b="new", measure=measure, matters=matters, at=at)
    return Trial(name="t", craft="Heron", question=question, plan=plan, runs=tuple(made))


def test_the_next_run_is_the_first_place_without_one_that_counts():
    one = trial([0.30, 0.31, 0.31])
    assert (next_slot(one).number, next_slot(one).side) == (3, "A")
    spoilt = one.runs[1].model_copy(update={"set_aside": SetAside(why="a gust")})
    one = one.model_copy(update={"runs": (one.runs[0], spoilt, one.runs[2])})
    assert (next_slot(one).number, next_slot(one).side) == (1, "B")
    assert pairs_of(one) == ()
    assert next_slot(trial([0.3] * 8)) is None
    # A flight whose pack was not charged yet has its place, and makes no pair.
    waits = trial([0.3, 0.3]).runs[1].model_copy(update={"value": None})
    one = trial([0.3, 0.3]).model_copy(update={"runs": (trial([0.3]).runs[0], waits)})
    assert (next_slot(one).number, pairs_of(one)) == (2, ())


def test_pairs_come_in_the_order_in_which_they_were_finished():
    one = trial([0.30, 0.40, 0.31, 0.41, 0.42, 0.43, 0.32, 0.33], packs=("one", "two"))
    found = pairs_of(one)
    assert [p.number for p in found] == [0, 2, 1, 3]
    assert [(*p.values, p.a_first) for p in found[:3]] == [
        (0.30, 0.31, True), (0.40, 0.41, True), (0.32, 0.42, False)
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("changed", "key"),
    [
        ({"measure": "time_to_charge"}, "trial.at_missing.used_ah"),
        ({"measure": "time_to_voltage"}, "trial.at_missing.cell_v"),
        ({"measure": "loaded_v"}, "trial.at_missing.current_a"),
        ({"matters": 1.5}, "trial.matters_too_much"),
        ({"b": "old"}, "trial.sides_alike"),
    ],
)
def test_a_question_that_is_none_is_refused(changed, key):
    with pytest.raises(ValidationError) as raised:
        Question(**({"a": "old", "b": "new", "measure": "charge_a_minute", "matters": 0.05} | changed))
    assert raised.value.errors()[0]["ctx"]["why"].key == key


def test_a_place_holds_one_run_that_counts_and_measures_something():
    one = trial([0.3, 0.31])
    for runs, key in (
        ((*one.runs, one.runs[1]), "trial.slot_taken"),
        ((one.runs[0].model_copy(update={"value": -1.0}),), "trial.run_not_positive"),
    ):
        with pytest.raises(ValidationError) as raised:
            Trial.model_validate(one.model_dump() | {"runs": [r.model_dump() for r in runs]})
        assert raised.value.errors()[0]["ctx"]["why"].key == key


# ---- the verdict


def weighed(differences, **changed):
    given = {"measure": RATE, "matters": 0.05, "planned": 8, "scatter": 0.05} | changed
    return weigh(differences, ABBA[: len(differences)], **given)


def test_the_interval_is_students():
    d = [0.06, 0.02, 0.05, 0.03, 0.08, 0.00]
    found = weighed(d, measure=VOLTS)
    firsts, seconds = np.array(d[::2]), np.array(d[1::2])
    left = ((firsts - firsts.mean()) ** 2).sum() + ((seconds - seconds.mean()) ** 2).sum()
    half = stats.t.ppf(0.95, 4) * math.sqrt(left / 4 / 6)
    assert (found.difference, found.low, found.high) == pytest.approx((0.04, 0.04 - half, 0.04 + half))
    assert found.more_by == pytest.approx(stats.t.sf((0.05 - 0.04) / math.sqrt(left / 24), 4))
    as_ratio = weighed(d)
    assert as_ratio.low == pytest.approx(math.expm1(0.04 - half))
    assert as_ratio.differences == pytest.approx([math.expm1(x) for x in d])
    assert as_ratio.more_by == pytest.approx(stats.t.sf((math.log(1.05) - 0.04) / math.sqrt(left / 24), 4))


def test_pairs_that_are_alike_to_the_last_digit_are_no_certainty():
    found = weighed([0.10] * 4)
    half = stats.t.ppf(0.95, 2) * 0.1 * math.sqrt(2.0) * 0.05 / math.sqrt(4)
    assert math.log1p(found.high) - math.log1p(found.low) == pytest.approx(2 * half)
    question = Question(a="old", b="new", measure="charge_a_minute", matters=0.05)
    plan = TrialPlan(pairs=8, scatter=0.05, scatter_counts=5, packs=("one",))
    assert told(found, question=question, plan=plan)[0].key != "trial.call.too_few"


def test_what_drifts_along_is_no_difference():
    drift = [0.03 if first else -0.03 for first in ABBA[:8]]
    wobble = [0.001, -0.002, 0.002, -0.001, 0.0015, 0.001, -0.002, 0.0005]
    found = weighed([d + w for d, w in zip(drift, wobble, strict=True)])
    assert found.difference == pytest.approx(0.0, abs=0.001)
    assert found.call == "none"


def test_a_clear_difference_is_called_early_and_the_call_stands():
    d = [0.20, 0.21, 0.19, 0.205, 0.195, 0.20, 0.21, 0.19]
    calls = [weighed(d[:k]) for k in range(1, 9)]
    assert [c.call for c in calls[:2]] == ["goes on", "goes on"]
    first = next(c for c in calls if c.call == "more")
    assert first.called_at == first.pairs < 8
    assert {c.call for c in calls[first.pairs :]} == {"more"}
    assert {c.called_at for c in calls[first.pairs :]} == {first.pairs}
    assert weighed([-x for x in d]).call == "less"


def test_without_a_call_the_plan_ends_open_or_with_no_difference_that_matters():
    calm = [0.004, -0.004, 0.003, -0.002, -0.003, 0.001, 0.002, -0.001]
    assert weighed(calm[:7]).call == "goes on"
    assert weighed(calm).call == "none"
    assert weighed([30 * d for d in calm]).call == "open"
    # A zone so narrow that the interval does not fit says nothing.
    assert weighed(calm, matters=0.0005).call == "open"


def test_runs_of_one_order_call_nothing():
    d = [0.20, 0.21, 0.19, 0.205, 0.195, 0.20, 0.21, 0.19]
    for side in (True, False):
        found = weigh(d, [side] * 8, measure=RATE, matters=0.05, planned=8, scatter=0.05)
        assert (found.call, found.called_at, found.one_order) == ("open", 0, True)
    question = Question(a="old", b="new", measure="charge_a_minute", matters=0.05)
    plan = TrialPlan(pairs=8, scatter=0.05, scatter_counts=5, packs=("one",))
    assert told(found, question=question, plan=plan)[0].key == "trial.call.one_order"


def test_nothing_is_called_before_the_first_look_whatever_is_seen():
    d = [400.0] * 8
    early = [weighed(d[:k]) for k in range(FIRST_LOOK)]
    assert {v.call for v in early} == {"goes on"}
    assert [v.pairs for v in early] == list(range(FIRST_LOOK))
    assert not early[0].one_order
    first = weighed(d[:FIRST_LOOK])
    assert (first.call, first.called_at) == ("more", FIRST_LOOK)
    calm = [0.004, -0.004, 0.003, -0.002, -0.003, 0.001, 0.002, -0.001]
    assert weighed(calm).called_at == 8


def test_beyond_the_plan_more_is_asked():
    weak = [0.06, -0.02, 0.05, 0.04, -0.01, 0.05, 0.06, -0.02] * 2
    later = [weighed(weak[:k], planned=4).call for k in range(5, 17)]
    assert set(later) == {"open"}
    assert weighed(weak, planned=16).call == "more"
    assert weighed([*weak, *([0.05, 0.03] * 12)], planned=4).call == "more"


def test_beyond_the_plan_two_hundred_and_fifty_to_one_call():
    seen = []
    for middle in np.linspace(0.02, 0.2, 60):
        d = [0.05, -0.05, -0.05, 0.05, *(middle + 0.05 * (-1) ** (k // 2) for k in range(12))]
        found = regressed(np.array([d]), ABBA[:16])
        ratios = [
            likelihood_ratio(
                float(found.t[0, k]), freedom=float(found.freedom[k]), known=float(found.known[k]),
                effect=math.log1p(0.05) / math.sqrt(2.0) / 0.05,
            )
            for k in range(4, 16)
        ]  # fmt: skip
        seen.append(max(ratios))
        assert weighed(d, planned=4).call == ("more" if max(ratios) >= 250.0 else "open"), middle
    assert any(60.0 < ratio < 250.0 for ratio in seen)
    assert max(seen) > 250.0


def test_a_verdict_is_told_with_its_chance_in_the_way_that_is_better():
    question = Question(a="old", b="new", measure="charge_a_minute", matters=0.05)
    plan = TrialPlan(pairs=8, scatter=0.05, scatter_counts=5, packs=("one",))

    def keys(d, q=question):
        return [f.key for f in told(weighed(d, measure=MEASURES[q.measure]), question=q, plan=plan)]

    less = [-0.20, -0.21, -0.19, -0.205, -0.195, -0.20]
    assert keys(less) == ["trial.call.differs", "trial.chance.better", "trial.early"]
    assert keys([-d for d in less])[1] == "trial.chance.worse"
    speed = question.model_copy(update={"measure": "top_speed"})
    assert keys([-d for d in less], speed)[1] == "trial.chance.better"
    assert keys([0.1]) == keys([0.1, 0.2]) == ["trial.call.too_few"]
    assert keys([])[0] == "trial.call.too_few"
    assert keys([*less, -0.2, -0.19])[-1] == "trial.chance.better"  # the plan is flown: nothing is early


def test_a_plan_says_how_long_it_takes():
    plan = TrialPlan(pairs=8, scatter=0.05, scatter_counts=5, packs=("one",), rest_s=900)
    found = takes(plan, flight_s=300, charge_s=2700, change_s=0)
    # 16 runs one after another, each charged, rested and flown; the first is charged before.
    assert found.figures["hours"] == pytest.approx((16 * 3900 - 3600) / 3600)
    four = takes(plan.model_copy(update={"packs": ("a", "b", "c", "d")}), flight_s=300, charge_s=2700, change_s=600)
    assert four.figures["hours"] == pytest.approx((4 * 3900 - 3600 + 2 * 600) / 3600)


# ---- what spoils it


CALM = [0.300, 0.302, 0.301, 0.299, 0.301, 0.300, 0.299, 0.301, 0.300, 0.302, 0.299, 0.300]


def spoils(*args, **more):
    return [f.key for f in spoiled_by(trial(*args, pairs=6, **more))]


def test_a_clean_test_is_not_said_to_be_spoiled():
    assert spoils(CALM, air_c=[20.0, 20.5, 20.0, 21.0] * 3) == []


def test_what_spoils_a_test_is_named():
    sides = ["A", "B", "A", "B"] * 3
    assert spoils(CALM, side=sides) == ["trial.spoiled.one_order"]
    assert spoils(CALM, pack=["one", "two", "two", "one"] * 3) == ["trial.spoiled.different_packs"]
    assert spoils(CALM, pack=["one", "two", "two", "one"] * 3, differs="pack") == []
    # B in warmer air: pairs are A B, B A.
    assert spoils(CALM, air_c=[18.0, 24.0, 24.0, 18.0] * 3) == ["trial.spoiled.air_by_side"]
    assert spoils(CALM, air_c=[18.0, 24.0, 24.0, 18.0] * 3, differs="temperature") == []
    assert spoils([v * 1.01**k for k, v in enumerate(CALM)]) == ["trial.spoiled.tires.up"]
    assert spoils([v * 0.99**k for k, v in enumerate(CALM)]) == ["trial.spoiled.tires.down"]
    assert spoils([3.5 - 0.01 * k + 0.001 * v for k, v in enumerate(CALM)], measure="loaded_v") == [
        "trial.spoiled.drifts"
    ]
    assert spoils(CALM, air_c=[10.0 + k for k in range(12)]) == ["trial.spoiled.warmer"]


def test_how_clearly_values_go_one_way_is_students_t_and_how_far_is_from_the_first_pair_to_the_last():
    values = [v + 0.002 * k for k, v in enumerate(CALM)]
    by_scipy = stats.linregress(range(len(values)), values)
    assert _slope_t(values) == pytest.approx(by_scipy.slope / by_scipy.stderr)
    [found] = spoiled_by(trial([0.3 * 1.01**k * (1.0 + 1e-4 * (k % 3)) for k in range(12)], pairs=6))
    assert found.figures["by_share"] == pytest.approx(1.01**10 - 1.0, abs=1e-3)


def test_an_odd_run_is_named_by_its_number():
    values = list(CALM)
    values[5] *= 1.6
    [found] = spoiled_by(trial(values, pairs=6))
    assert (found.key, found.figures["number"], found.figures["side"]) == ("trial.spoiled.odd", 6, "B")


@pytest.mark.parametrize(("times", "odd"), [(1.10, False), (1.25, True)])
def test_a_run_is_odd_from_three_and_a_half_of_its_like_on(times, odd):
    values = list(CALM)
    values[5] *= times
    assert bool(spoiled_by(trial(values, pairs=6))) is odd


def test_one_that_is_far_out_does_not_hide_behind_the_spread_of_few():
    apart = [0.15, -0.15, 0.15, -0.15, 0.0, 0.6]
    values = []
    for k, d in enumerate(apart):
        values += [0.3, 0.3 * math.exp(d)] if k % 2 == 0 else [0.3 * math.exp(d), 0.3]
    assert [f.key for f in spoiled_by(trial(values, pairs=6))] == ["trial.spoiled.odd"]


def test_a_run_set_aside_after_the_verdict_was_seen_is_told():
    one = trial(CALM, pairs=6)
    for seen, wanted in ((True, ["trial.spoiled.set_aside_late"]), (False, [])):
        gone = one.runs[11].model_copy(update={"set_aside": SetAside(why="gust", seen=seen)})
        assert [f.key for f in spoiled_by(one.model_copy(update={"runs": (*one.runs[:11], gone)}))] == wanted


def test_runs_outside_the_air_that_was_planned_are_counted():
    one = trial(CALM, pairs=6, air_c=[20.0] * 11 + [27.0])
    one = one.model_copy(update={"plan": one.plan.model_copy(update={"coolest_c": 15.0, "warmest_c": 25.0})})
    [found] = spoiled_by(one)
    assert (found.key, found.figures["count"]) == ("trial.spoiled.outside_band", 1)


# ---- brought to the same air, weight and charge


def question(measure, at=None, differs="propellers"):
    return Question(differs=differs, a="old", b="new", measure=measure, at=at, matters=0.5)


def run(**more):
    return Run(slot=0, side="A", at=BEGAN, **more)


def test_a_cold_run_becomes_what_the_model_flies_in_the_common_air():
    one = sheet(craft=heron(), pack=pomelo())

    def rate(air_c):
        flight = fly(set_up(one.model_copy(update={"conditions": Conditions(air_c=air_c)})))
        k = int(np.searchsorted(flight.time_s, flight.landing_s))
        return float(flight.used_ah[k] / (flight.time_s[k] / 60.0))

    moved = adjusted(
        rate(0.0), run(air_c=0.0), to=Like(20.0, None, None), question=question("charge_a_minute"), sheet=one
    )
    assert moved == pytest.approx(rate(20.0), rel=1e-9)
    assert moved != pytest.approx(rate(0.0), rel=1e-3)


@pytest.mark.parametrize(
    ("measure", "at", "heavier"),
    [
        ("charge_a_minute", None, -1), ("charge_a_km", None, -1), ("energy", None, 1), ("time_to_charge", 1.0, 1),
        ("time_to_voltage", 3.6, 1),
    ],
)  # fmt: skip
def test_a_run_at_more_weight_is_taken_for_what_it_would_have_been_at_less(measure, at, heavier):
    one = sheet(craft=heron(), pack=pomelo())
    kg = one.craft.dry_mass_kg + pack_figures(one.pack).mass_kg
    moved = adjusted(
        100.0, run(all_up_kg=1.2 * kg), to=Like(None, kg, None), question=question(measure, at), sheet=one
    )
    assert (moved - 100.0) * heavier > 0.0
    same = adjusted(100.0, run(all_up_kg=kg), to=Like(None, kg, None), question=question(measure, at), sheet=one)
    assert same == 100.0


def test_what_is_expected_is_read_off_the_flight():
    one = sheet(craft=heron(), pack=pomelo())
    flight = fly(set_up(one))
    at_ah = float(np.interp(1.0, flight.used_ah, flight.time_s))
    assert _expected(one, "time_to_charge", 1.0) == pytest.approx(at_ah, abs=0.11)
    at_v = float(flight.time_s[np.flatnonzero(flight.cruise_v <= 3.6)[0]])
    assert _expected(one, "time_to_voltage", 3.6) == at_v
    assert _expected(one, "time_to_voltage", 1.0) == flight.end_s  # not once
    # A ratio goes along as one: 10 % more as it was flown is 10 % more where it is laid to.
    kg = one.craft.dry_mass_kg + pack_figures(one.pack).mass_kg
    heavy, to = run(all_up_kg=1.2 * kg), Like(None, kg, None)
    moved = [adjusted(v, heavy, to=to, question=question("energy"), sheet=one) for v in (50.0, 55.0)]
    assert moved[1] / moved[0] == pytest.approx(1.1)


def test_what_is_not_known_or_not_flown_is_left_as_it_is():
    one = sheet(craft=heron(), pack=pomelo())
    to = Like(20.0, 1.0, 0.9)
    for measure, at in (("charge_a_minute", None), ("loaded_v", 20.0), ("top_speed", None), ("thrust", None)):
        assert adjusted(3.5, run(), to=to, question=question(measure, at), sheet=one) == 3.5
    assert adjusted(3.5, run(air_c=5.0), to=to, question=question("loaded_v", 20.0), sheet=one) == 3.5
    # A temperature goes along with the air.
    assert adjusted(41.0, run(air_c=26.0), to=to, question=question("temperature"), sheet=one) == 35.0


def test_the_common_air_is_the_middle_of_what_counts_and_never_what_differs():
    runs = tuple(
        run(air_c=a, all_up_kg=1.0, start_charge=1.0).model_copy(update={"slot": k})
        for k, a in enumerate((10, 12, 40))
    )
    assert common(runs, question("charge_a_minute")) == Like(12.0, 1.0, 1.0)
    gone = (*runs[:2], runs[2].model_copy(update={"set_aside": SetAside(why="gust")}))
    assert common(gone, question("charge_a_minute")).air_c == 11.0
    for differs, name in (("temperature", "air_c"), ("weight", "all_up_kg"), ("charge voltage", "start_charge")):
        assert getattr(common(runs, question("charge_a_minute", differs=differs)), name) is None


def test_how_long_a_test_takes_by_hand():
    from zesty_cell.core.trials.effort import change_over_s, hours_of

    plan = TrialPlan(pairs=8, scatter=0.05, scatter_counts=12, packs=("A 1",), rest_s=900)
    # One pack, 16 runs: each waits for 45 min of charging and a quarter of an hour of rest, but for the first.
    one = hours_of(plan, flight_s=300, charge_s=2700, change_s=0.0)
    assert one == pytest.approx((16 * (2700 + 900 + 300) - 2700 - 900) / 3600)
    # Changing over eight times, ten minutes each.
    assert hours_of(plan, flight_s=300, charge_s=2700, change_s=600.0) == pytest.approx(one + 8 * 600 / 3600)
    # With many packs it is the flying that takes: each turn all of them, five minutes between.
    many = plan.model_copy(update={"packs": tuple(f"A {k}" for k in range(4)), "rest_s": 0})
    assert hours_of(many, flight_s=1200, charge_s=2700, change_s=0.0) == pytest.approx((4 * 4 * 1500 - 2700) / 3600)
    assert change_over_s("plug") > 0.0
    assert change_over_s("pack") == change_over_s("temperature") == 0.0
