"""The next timer: half at first, a quarter more at most, then aimed at the landing rule."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from zesty_cell.core.learn.timer import next_timer, used_rate


def test_the_first_flight_takes_half_of_the_forecast():
    found = next_timer(flights=[], landing_used=0.8, forecast_s=963.0)
    assert (found.timer_s, found.held_by) == (480.0, "first flight")
    assert "half of the forecast's 16:03" in found.why


def test_it_grows_by_a_quarter_until_three_flights_agree():
    found = next_timer(flights=[(480.0, 0.36)], landing_used=0.8, forecast_s=960.0)
    assert (found.timer_s, found.held_by) == (600.0, "growth")
    assert "a quarter longer than the longest of 8:00" in found.why
    found = next_timer(flights=[(480.0, 0.36), (600.0, 0.45)], landing_used=0.8, forecast_s=960.0)
    assert (found.timer_s, found.held_by) == (750.0, "growth")
    agreed = next_timer(flights=[(480.0, 0.36), (600.0, 0.45), (600.0, 0.46)], landing_used=0.8, forecast_s=960.0)
    assert agreed.held_by == "landing rule"
    assert agreed.timer_s > 750.0


def test_by_hand_for_flights_that_agree():
    # Twenty flights of 600 s that use just half: the rate is 1/1200, the spread shrinks towards none.
    found = next_timer(flights=[(600.0, 0.5)] * 20, landing_used=0.8, forecast_s=960.0)
    assert found.rate == pytest.approx(1 / 1200)
    assert 0.8 * 1200 / (1 + 1.645 * found.sigma) == pytest.approx(found.aim_s)
    assert found.timer_s <= found.aim_s < found.timer_s + 5.0


@given(
    rate=st.floats(0.0003, 0.005),
    scatter=st.floats(0.0, 0.25),
    flights=st.integers(1, 30),
    seed=st.integers(0, 2**32 - 1),
)
def test_the_timer_never_outgrows_its_rules(rate, scatter, flights, seed):
    rng = np.random.default_rng(seed)
    log = [(d, rate * d * max(1 + scatter * rng.normal(), 0.2)) for d in rng.uniform(60, 0.8 / rate, flights)]
    found = next_timer(flights=log, landing_used=0.8, forecast_s=900.0)
    assert found.timer_s > 0.0
    assert found.timer_s <= found.aim_s or found.timer_s == 5.0
    if found.held_by == "growth":
        assert found.timer_s <= 1.25 * max(d for d, _ in log)


def test_nineteen_of_twenty_flights_keep_the_reserve():
    """Simulated pilots whose rate varies by 6 % from flight to flight: how often the rule is broken."""
    rng = np.random.default_rng(7)
    broken = flown = 0
    for _ in range(300):
        rates = 0.0008 * np.exp(0.06 * rng.normal(size=9))
        log = [(600.0, 600.0 * r) for r in rates[:-1]]
        found = next_timer(flights=log, landing_used=0.8, forecast_s=960.0)
        broken += bool(found.timer_s * rates[-1] > 0.8)
        flown += 1
    assert broken / flown <= 0.07


def test_one_odd_flight_is_held_back_and_old_ones_fade():
    good = [(600.0, 0.48)] * 6
    rate, _ = used_rate([*good, (600.0, 0.9)])
    plain = (6 * 0.48 + 0.9) / 7 / 600
    assert abs(rate - 0.48 / 600) < 0.6 * abs(plain - 0.48 / 600)
    older, _ = used_rate([(600.0, 0.6)] * 12 + [(600.0, 0.48)] * 6)
    newer, _ = used_rate([(600.0, 0.48)] * 6 + [(600.0, 0.6)] * 12)
    assert older < newer


def test_a_flight_without_time_or_charge_is_refused():
    for flight in ((0.0, 0.5), (300.0, 0.0)):
        with pytest.raises(ValueError, match="lasts some time"):
            next_timer(flights=[flight], landing_used=0.8, forecast_s=900.0)


@pytest.mark.parametrize("home_s", [0.0, 30.0, 90.0, 2000.0])
def test_the_timer_leaves_time_for_the_way_home(home_s):
    log = [(600.0, 0.5)] * 20
    plain = next_timer(flights=log, landing_used=0.8, forecast_s=960.0)
    found = next_timer(flights=log, landing_used=0.8, forecast_s=960.0, home_s=home_s)
    assert found.down_s == plain.down_s == plain.timer_s
    assert found.timer_s == pytest.approx(max(found.down_s - home_s, found.down_s / 2), abs=5.0)
    assert ("way home" in found.why) == (home_s > 0)
    first = next_timer(flights=[], landing_used=0.8, forecast_s=960.0, home_s=home_s)
    assert first.down_s <= (960.0 + home_s) / 2
