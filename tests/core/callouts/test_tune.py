"""Tuning: what each threshold and hold would do, and the best of them under the pilot's limits."""

from __future__ import annotations

import numpy as np
import pytest

from tests.sheets import satsuma, sheet
from zesty_cell.core.answer.forecast import forecast
from zesty_cell.core.answer.thresholds import HOLDS_S
from zesty_cell.core.callouts.conditions import Condition, Guards
from zesty_cell.core.callouts.rules import DERIVED_ROLES, Profile, Rule
from zesty_cell.core.callouts.schools import write_plan
from zesty_cell.core.callouts.score import BAD_DAYS, OWN_DAY, score_plan
from zesty_cell.core.callouts.tune import MOST_THRESHOLDS, tunable, tune
from zesty_cell.core.errors import OutOfRangeError, StoppedError

FREESTYLE = sheet(pack=satsuma(), pattern="freestyle")


@pytest.fixture(scope="module")
def plan():
    """Both calls by the voltage alone, as a pilot may set them, whatever the sheet would advise."""
    result = forecast(FREESTYLE)
    written = write_plan(result, school="loaded voltage").plan
    rest = [r for r in written.rules if r.role not in DERIVED_ROLES]
    both = [
        Rule(key=key, name=key, role=key, conditions=(Condition(value=call.threshold.pack_v),), hold_s=3.0, say=key)
        for key, call in (("pack_low", result.callouts.pack_low), ("land_now", result.callouts.land_now))
    ]
    return written.model_copy(update={"rules": (*both, *rest)})


@pytest.fixture(scope="module")
def tuned(plan):
    return tune(plan=plan, key="land_now", sheet=FREESTYLE, days=(OWN_DAY, BAD_DAYS[3]))


def test_every_threshold_and_hold_is_tried(tuned):
    assert tuned.holds_s == HOLDS_S
    assert 3 <= tuned.thresholds_v.size <= MOST_THRESHOLDS
    assert tuned.false.shape == tuned.late.shape == (tuned.thresholds_v.size, len(HOLDS_S))
    assert tuned.flights == 400
    # A longer hold makes fewer false calls, and a higher voltage is late less often where nothing else is wrong: a
    # call that was false may have been the only one.
    assert np.all(np.diff(tuned.false, axis=1) <= 1e-9)
    in_time = 1.0 - tuned.late[:, -1] - tuned.false[:, -1]
    assert tuned.late[0, -1] >= tuned.late[:, -1].min()
    assert in_time.min() >= -1.0
    assert tuned.thresholds_v.min() >= 6 * 3.3 - 1e-9


def test_it_agrees_with_the_score(plan, tuned):
    only = plan.model_copy(update={"rules": (plan.rule("land_now"),)})
    days = score_plan(plan=only, sheet=FREESTYLE, days=(OWN_DAY, BAD_DAYS[3]))
    assert tuned.setting(tuned.now) == (plan.rule("land_now").conditions[0].value, plan.rule("land_now").hold_s)
    assert tuned.false[tuned.now] == pytest.approx(sum(d.false_flights for d in days) / 400)
    assert tuned.late[tuned.now] == pytest.approx(sum(d.missed for d in days) / 400)


def test_the_front_trades_false_calls_for_late_ones(tuned):
    early = [tuned.early[p] for p in tuned.front]
    late = [tuned.late[p] for p in tuned.front]
    assert early == sorted(early)
    assert late == sorted(late, reverse=True)
    for place in np.ndindex(tuned.false.shape):
        assert any(tuned.early[p] <= tuned.early[place] and tuned.late[p] <= tuned.late[place] for p in tuned.front)


def test_the_best_keeps_the_limits_where_any_does(plan):
    easy = tune(plan=plan, key="land_now", sheet=FREESTYLE, days=(OWN_DAY,), most_false=0.5, most_late=0.5)
    assert easy.within
    assert easy.early[easy.best] <= 0.5
    assert easy.late[easy.best] <= 0.5
    hard = tune(plan=plan, key="land_now", sheet=FREESTYLE, days=BAD_DAYS, most_false=0.0, most_late=0.0)
    assert not hard.within


def test_a_threshold_far_too_high_is_early_though_never_false(tuned):
    highest = tuned.early[-1]
    assert np.all(tuned.early >= tuned.false)
    assert highest.min() > 0.9
    assert tuned.thresholds_v[tuned.best[0]] < 23.0


def test_pack_low_is_late_when_little_of_its_lead_is_left(plan):
    low = tune(plan=plan, key="pack_low", sheet=FREESTYLE, days=(OWN_DAY,))
    lowest, highest = low.late[0].max(), low.late[-1].max()
    assert lowest > highest


def test_what_cannot_be_tuned_says_so(plan):
    for key in ("silence", "charge_used", "nothing"):
        with pytest.raises(OutOfRangeError, match="can be tuned"):
            tune(plan=plan, key=key, sheet=FREESTYLE)
    two = plan.rule("land_now").model_copy(update={"conditions": (Condition(value=20.0), Condition(value=19.0))})
    assert tunable(plan.with_rule(two), "land_now", series=6) is None


def test_of_several_packs_the_one_that_is_flown_is_tuned(plan):
    profiles = tuple(
        Profile(key=f"s{n}", name=f"{n}S", series=n, floor_v=3.5, full_v=4.2, say=f"{n} cells") for n in (4, 6)
    )
    rule = plan.rule("land_now")
    own = rule.conditions[0].model_copy(update={"profile": "s6"})
    both = rule.model_copy(update={"join": "any", "conditions": (Condition(value=13.2, profile="s4"), own)})
    several = plan.with_rule(both).model_copy(update={"profiles": profiles, "choose": "automatic"})
    assert tunable(several, "land_now", series=6) is own
    alone = tune(plan=plan, key="land_now", sheet=FREESTYLE, days=(OWN_DAY,))
    tuned = tune(plan=several, key="land_now", sheet=FREESTYLE, days=(OWN_DAY,))
    assert (tuned.now, tuned.best) == (alone.now, alone.best)
    np.testing.assert_array_equal(tuned.late, alone.late)


def test_a_share_of_throttle_leaves_the_climbs_out(plan, tuned):
    rule = plan.rule("land_now").model_copy(update={"guards": Guards(throttle_under=0.6)})
    calm = tune(plan=plan.with_rule(rule), key="land_now", sheet=FREESTYLE, days=(OWN_DAY, BAD_DAYS[3]))
    assert calm.false.sum() < 0.7 * tuned.false.sum()
    only = plan.model_copy(update={"rules": (rule,)})
    days = score_plan(plan=only, sheet=FREESTYLE, days=(OWN_DAY, BAD_DAYS[3]))
    assert calm.false[calm.now] == pytest.approx(sum(d.false_flights for d in days) / 400)
    assert calm.late[calm.now] == pytest.approx(sum(d.missed for d in days) / 400)


def test_it_can_be_stopped_and_tells_how_far_it_is(plan):
    told = []
    tune(plan=plan, key="pack_low", sheet=FREESTYLE, days=(OWN_DAY,), progress=lambda *of: told.append(of))
    assert told == [(1, 1)]
    with pytest.raises(StoppedError):
        tune(plan=plan, key="pack_low", sheet=FREESTYLE, cancelled=lambda: True)
