"""Rules at the very figure where they change, by hand."""

from __future__ import annotations

from datetime import UTC, datetime

import numpy as np
import pytest
from pydantic import ValidationError

from tests.sheets import heron, pomelo, satsuma, sheet
from zesty_cell.core.answer.current_checks import rolling_rms
from zesty_cell.core.answer.forecast import forecast
from zesty_cell.core.answer.thresholds import thresholds
from zesty_cell.core.asked.changes import changed
from zesty_cell.core.asked.sheet import Conditions
from zesty_cell.core.callouts.conditions import Condition
from zesty_cell.core.callouts.rules import Rule
from zesty_cell.core.callouts.schools import write_plan
from zesty_cell.core.callouts.score import OWN_DAY, keep_flights, score_kept, score_plan
from zesty_cell.core.flight.one import fly
from zesty_cell.core.flight.setup import set_up
from zesty_cell.core.learn.flights import LoggedFlight
from zesty_cell.core.learn.health import health
from zesty_cell.core.learn.plausibility import flight_doubts
from zesty_cell.core.learn.timer import TimedFlight, next_timer
from zesty_cell.core.parts.craft import Limits
from zesty_cell.core.parts.pack import estimated_tiers
from zesty_cell.words.say import say


@pytest.mark.parametrize(("air_c", "offered"), [(34.9, True), (35.0, True), (35.1, False), (36.0, False)])
def test_warmer_air_is_tried_up_to_35_degrees(air_c, offered):
    warmer = changed(sheet(conditions=Conditions(air_c=air_c)), key="warmer_air")
    assert (warmer is not None) == offered
    assert warmer is None or warmer.conditions.air_c > air_c


def test_a_warmed_pack_is_never_tried_above_55_degrees():
    warmer = changed(sheet(conditions=Conditions(air_c=20.0, pack_c=52.0)), key="warmer_air")
    assert warmer.conditions.pack_c == 55.0


def test_an_escs_burst_is_not_under_what_it_bears_for_long():
    assert Limits(esc_a=40.0, esc_burst_a=40.0).esc_burst_a == 40.0
    assert Limits(esc_burst_a=30.0).esc_a is None
    with pytest.raises(ValidationError, match="burst"):
        Limits(esc_a=40.0, esc_burst_a=39.0)


def test_rolling_root_mean_squares_by_hand():
    # Ten a second: 3 A for a second, then 4 A. A second wholly in each, and half and half: √((9 + 16)/2).
    rms = rolling_rms(np.array([3.0] * 10 + [4.0] * 10), 1.0)
    assert rms[0] == pytest.approx(3.0)
    assert rms[5] == pytest.approx(np.sqrt(12.5))
    assert rms[-1] == pytest.approx(4.0)
    assert rms.size == 11


@pytest.mark.parametrize(
    ("minute", "ten", "found"),
    [
        (None, None, (30.0, 39.0, 48.0)),  # 1.3 and 1.6 times
        (None, 33.0, (30.0, 33.0, 33.0)),  # no minute above its ten seconds
        (36.0, 33.0, (30.0, 36.0, 33.0)),  # what is given stays
        (36.0, None, (30.0, 36.0, 48.0)),
    ],
)
def test_tiers_are_filled_from_the_continuous_rating(minute, ten, found):
    assert tuple(estimated_tiers(continuous_a=30.0, one_minute_a=minute, ten_second_a=ten).values()) == found


@pytest.mark.parametrize(("mean_a", "asked"), [(3.6, True), (3.7, False), (32.9, False), (33.1, True)])
def test_a_third_to_three_times_the_current_foretold_is_not_asked_about(mean_a, asked):
    flight = LoggedFlight(
        landed_at=datetime(2026, 6, 1, 12, 0, tzinfo=UTC), duration_s=300.0, pattern="x", put_back_ah=mean_a / 12.0
    )
    doubts = flight_doubts(flight, pack=pomelo(), forecast_a=11.0)
    assert any(d.key == "amps_put_back_ah" for d in doubts) == asked


def test_the_timers_words_count_flights_and_name_the_way_home_from_five_seconds_on():
    result = forecast(sheet())
    one = [TimedFlight(400.0, 1.2)]
    assert "1 flight took 180 mAh a minute" in say(next_timer(flights=one, result=result).why)
    three = [TimedFlight(400.0, 1.2)] * 3
    assert "3 flights took 180 mAh a minute" in say(next_timer(flights=three, result=result).why)
    with pytest.raises(ValueError, match="lasts some time"):
        next_timer(flights=[TimedFlight(0.0, 1.0)], result=result)
    assert next_timer(flights=[TimedFlight(0.5, 0.01)], result=result).flights == 1


def test_a_threshold_of_the_pack_is_so_many_times_that_of_a_cell():
    setup = set_up(sheet())
    for threshold in thresholds(setup=setup, flight=fly(setup)).values():
        assert threshold.cell_v * 6 == pytest.approx(threshold.pack_v)


@pytest.mark.parametrize(("cutoff_v", "land_at_v"), [(3.2, 3.3), (3.234, 3.33)])
def test_a_landing_above_the_escs_cutoff_is_offered_to_a_hundredth(cutoff_v, land_at_v):
    limits = Limits(esc_cutoff_v_per_cell=cutoff_v)
    [check] = [c for c in forecast(sheet(craft=heron(limits=limits.model_dump()))).checks if c.key == "esc_cutoff"]
    assert check.land_at_v == land_at_v


def test_a_call_by_the_lowest_cell_is_scored_on_kept_flights_as_on_new_ones():
    one = sheet()
    rule = Rule(
        key="own_1", name="Cell", say="cell", role="land_now", hold_s=3.0,
        conditions=(Condition(sensor="cell_v", value=3.15),),
    )  # fmt: skip
    plan = write_plan(forecast(one), school="loaded voltage").plan
    plan = plan.model_copy(
        update={"rules": (rule, *(r for r in plan.rules if r.role not in ("land_now", "guard")))}
    )
    [fresh] = score_plan(plan=plan, sheet=one, days=(OWN_DAY,))
    kept = score_kept(plan, keep_flights(one))
    assert kept == fresh
    assert fresh.left[0] < fresh.left[1] < fresh.left[2] < 0.6
    assert fresh.missed < 100


def test_the_two_cells_of_a_pack_are_held_against_each_other():
    """Thirty millivolts apart at rest, in each of its flights."""
    pack = satsuma(series=2, mass_kg=0.08)
    flights = [
        LoggedFlight(
            landed_at=datetime(2026, 6, k, 12, 0, tzinfo=UTC), duration_s=200.0, pattern="x", cells_v=(3.80, 3.77)
        )
        for k in range(1, 6)
    ]
    found = health(pack, flights, now=datetime(2026, 6, 7, tzinfo=UTC))
    assert found.spread_v == pytest.approx(0.03)
    assert found.weakest == 1
