"""Threshold tuning: by what the landings left, a tenth of a volt at a time, never under the floor."""

from __future__ import annotations

import re
from datetime import UTC, datetime, timedelta
from types import SimpleNamespace

import numpy as np
import pytest

from tests.sheets import satsuma, sheet
from zesty_cell.core.answer.forecast import forecast
from zesty_cell.core.learn.flights import LoggedFlight
from zesty_cell.core.learn.threshold import Landing, landed_by_the_call, next_threshold, volts_per_charge
from zesty_cell.words.say import say

RESULT = forecast(sheet())
NOW_V = RESULT.callouts.land_now.threshold.cell_v
NOON = datetime(2026, 6, 1, 12, 0, tzinfo=UTC)


def landings(*lefts, timer_s=1200.0, duration_s=900.0):
    return [
        Landing(
            LoggedFlight(
                landed_at=NOON + timedelta(days=k), duration_s=duration_s, pattern="cruise", timer_s=timer_s
            ),
            left,
        )
        for k, left in enumerate(lefts)
    ]


def step(*lefts, cell_v=NOW_V, result=RESULT, **more):
    return next_threshold(landings(*lefts, **more), result=result, kept=0.2, cell_v=cell_v)


def test_the_slope_is_that_of_the_forecast():
    flight = RESULT.flight
    k = flight.index_at(flight.landing_s)
    later = int(np.argmin(np.abs(flight.charge_left - (flight.charge_left[k] - 0.05))))
    by_hand = (flight.cruise_v[k] - flight.cruise_v[later]) / 0.05
    assert volts_per_charge(RESULT) == pytest.approx(by_hand, rel=0.3)


def near_landing(left, volts):
    """A forecast that lands with a fifth, and what is around there."""
    flight = SimpleNamespace(
        charge_left=np.array(left), cruise_v=np.array(volts), landing_s=600.0, left_at=lambda _: 0.2
    )
    return SimpleNamespace(flight=flight)


def test_the_slope_by_hand():
    left = [0.30, 0.25, 0.23, 0.20, 0.17, 0.15, 0.10]
    # 2 V for all of the charge within six hundredths of the landing; what is farther off is not looked at.
    volts = [9.0, 3.60, 3.56, 3.50, 3.44, 3.40, 0.0]
    assert volts_per_charge(near_landing(left, volts)) == pytest.approx(2.0)
    # One that rises as the charge goes, that hardly moves, or has too few samples tells nothing.
    assert volts_per_charge(near_landing(left, [0.0, *(7.0 - v for v in volts[1:-1]), 9.0])) == 0.0
    flat = [0.2 + k * 0.001 for k in range(6)]
    assert volts_per_charge(near_landing(flat, [3.5 + 0.1 * k for k in range(6)])) == 0.0
    assert volts_per_charge(near_landing(left[2:5], volts[2:5])) == 0.0


def test_too_much_left_lowers_and_too_little_raises():
    low, high = step(0.28, 0.30, 0.29), step(0.12, 0.11)
    assert low.pack_v < low.was_v
    assert "can go" in say(low.why)
    assert high.pack_v > high.was_v
    assert "should go" in say(high.why)
    assert low.flights == 3
    assert low.left == pytest.approx(0.29)


def test_never_more_than_a_tenth_at_a_time():
    found = step(0.6, 0.6)
    assert 0.0 < found.was_v - found.pack_v <= 0.1 + 1e-9
    assert found.held_by == "one step"
    assert "No more than that" in say(found.why)


def test_never_under_the_floor():
    floor_v = RESULT.setup.chemistry.loaded_floor_v
    found = step(0.6, 0.6, cell_v=floor_v + 0.01)
    assert found is None or found.cell_v >= floor_v - 1e-9
    assert step(0.6, 0.6, cell_v=floor_v) is None


def test_near_enough_or_of_two_minds_says_nothing():
    assert step(0.22, 0.23) is None
    assert step(0.3, 0.14, 0.31) is None
    assert step(0.3) is None
    assert step() is None


def test_landings_by_the_timer_say_nothing_of_the_threshold():
    assert step(0.4, 0.4, 0.4, timer_s=900.0) is None
    assert landed_by_the_call(landings(0.3, timer_s=None)[0].flight)
    assert step(0.4, 0.4, timer_s=None) is not None


def test_only_the_newest_landings_count():
    assert step(0.1, 0.1, 0.1, 0.3, 0.3, 0.3, 0.3, 0.3).pack_v < NOW_V * 6


def test_one_cell_moves_in_hundredths():
    one = forecast(sheet(pack=satsuma(series=6)))
    found = step(0.35, 0.36, result=one, cell_v=one.callouts.land_now.threshold.cell_v)
    assert found is None or abs(found.pack_v - found.was_v) <= 0.1 + 1e-9


def test_a_step_is_said_in_what_the_transmitter_can_be_set_to():
    single = forecast(sheet(pack=satsuma(series=1, mass_kg=0.045)))
    found = step(0.13, 0.14, cell_v=single.callouts.land_now.threshold.cell_v, result=single)
    assert re.search(r"should go 0\.\d\d V higher", say(found.why))
    assert re.search(r"can go 0\.\d V lower", say(step(0.28, 0.30).why))
    assert "left 29 %, and you keep 20 %" in say(step(0.28, 0.30).why)
