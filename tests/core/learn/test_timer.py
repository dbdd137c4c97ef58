"""The next timer: half at first, a quarter more at most, then the sheet's own as its flights correct it."""

from __future__ import annotations

import math

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.sheets import pomelo, satsuma, sheet
from zesty_cell.core.answer.forecast import GUARD_SHARE, forecast
from zesty_cell.core.answer.thresholds import guard_timer
from zesty_cell.core.asked.landing import LandingRule
from zesty_cell.core.asked.sheet import corrected
from zesty_cell.core.flight.one import fly
from zesty_cell.core.learn.timer import TimedFlight, next_timer
from zesty_cell.standins.craft import Hidden
from zesty_cell.standins.pilots import SimulatedPilot, drawn_truth, learn_and_advise
from zesty_cell.words.say import say

PLAIN = sheet(landing=LandingRule(home_s=0.0))
RESULT = forecast(PLAIN)
FULL_S = RESULT.callouts.timers.down_s


def flights(*durations_s: float, ah_s: float = 0.0027) -> list[TimedFlight]:
    return [TimedFlight(d, ah_s * d) for d in durations_s]


def test_the_first_flight_takes_half_of_what_the_sheet_says():
    found = next_timer(flights=[], result=RESULT)
    half_s = 0.5 * RESULT.flight.landing_s
    assert found.held_by == "first flight"
    assert found.down_s == guard_timer(down_s=half_s, home_s=0.0)[1] <= half_s
    whole_s = round(RESULT.flight.landing_s)
    assert f"half of {whole_s // 60}:{whole_s % 60:02d}" in say(found.why)


def test_where_nearly_nothing_is_known_the_first_flight_ends_before_its_earliest_landing():
    unknown = PLAIN.model_copy(update={"flying": PLAIN.flying, "pack": pomelo(cell_resistance_ohm=None)})
    craft = PLAIN.craft.model_copy(update={"steady": PLAIN.craft.steady.model_copy(update={"current_a": 60.0})})
    found = next_timer(flights=[], result=forecast(unknown.model_copy(update={"craft": craft})))
    assert found.down_s <= found.full_down_s


def test_it_grows_by_a_quarter_until_three_flights_agree():
    one = next_timer(flights=flights(480), result=RESULT)
    assert (one.down_s, one.held_by) == (600.0, "growth")
    assert "a quarter longer than the longest of 8:00" in say(one.why)
    two = next_timer(flights=flights(480, 600), result=RESULT)
    assert (two.down_s, two.held_by) == (750.0, "growth")
    agreed = next_timer(flights=flights(480, 600, 600), result=RESULT)
    assert agreed.held_by == "landing rule"
    assert agreed.down_s == FULL_S > 750.0


def test_flights_that_do_not_agree_grow_on_by_a_quarter():
    apart = [TimedFlight(600, 1.4), TimedFlight(600, 1.7), TimedFlight(600, 1.4)]
    assert next_timer(flights=apart, result=RESULT).held_by == "growth"


def test_the_full_timer_is_the_sheets_own_to_the_second():
    found = next_timer(flights=flights(600, 700, 800), result=RESULT)
    assert (found.timer_s, found.down_s) == (found.full_s, found.full_down_s)
    assert (found.full_s, found.full_down_s) == (RESULT.callouts.timers.timer_s, FULL_S)
    assert RESULT.range.early_s(GUARD_SHARE) - 10.0 < FULL_S <= RESULT.range.early_s(GUARD_SHARE)


@given(durations=st.lists(st.floats(30, 2000), min_size=1, max_size=12), spread=st.floats(0.0, 0.3))
def test_the_timer_never_outgrows_its_rules(durations, spread):
    log = [TimedFlight(d, 0.0027 * d * (1 + spread * (-1) ** k)) for k, d in enumerate(durations)]
    found = next_timer(flights=log, result=RESULT)
    assert 0.0 < found.down_s <= FULL_S
    assert found.timer_s <= found.down_s
    if found.held_by == "growth":
        assert found.down_s <= 1.25 * max(durations)


def test_an_odd_flight_is_named_and_neither_lengthens_the_timer_nor_breaks_agreement():
    odd = TimedFlight(6000.0, 1.6, odd=True)
    found = next_timer(flights=[*flights(480, 600), odd], result=RESULT)
    assert found.odd == (2,)
    assert found.flights == 2
    assert found.down_s == 750.0


def test_a_flight_without_time_or_charge_is_refused():
    for flight in (TimedFlight(0.0, 0.5), TimedFlight(300.0, 0.0)):
        with pytest.raises(ValueError, match="lasts some time"):
            next_timer(flights=[flight], result=RESULT)


@pytest.mark.parametrize("home_s", [0.0, 30.0, 90.0, 2000.0])
def test_the_timer_leaves_time_for_the_way_home(home_s):
    timer_s, down_s = guard_timer(down_s=955.0, home_s=home_s)
    assert down_s == 950.0
    assert timer_s == pytest.approx(max(950.0 - home_s, 475.0), abs=10.0)
    assert timer_s <= max(950.0 - home_s, 475.0)


def test_the_way_home_is_said():
    far = forecast(sheet(landing=LandingRule(home_s=90.0)))
    assert "It leaves 1:30 for the way home" in say(next_timer(flights=flights(700, 700, 700), result=far).why)
    assert "way home" not in say(next_timer(flights=flights(700, 700, 700), result=RESULT).why)


def test_a_short_pack_is_timed_by_the_charge_it_has():
    """Eight flights without scatter on a pack of 90 % of its capacity: the timer keeps what the sheet keeps."""
    pilot = SimulatedPilot(PLAIN, hidden=Hidden(capacity=0.9), seed=2, varies=0.0)
    for _ in range(8):
        last = pilot.fly()
    learned, timer = learn_and_advise(PLAIN, pilot.logged)
    assert learned.capacity_ah("own") / learned.setup.figures.capacity_ah == pytest.approx(0.9, abs=0.03)
    result = forecast(corrected(PLAIN, learned.learned_factors("own")))
    assert timer.down_s <= result.flight.landing_s
    assert timer.down_s == result.callouts.timers.down_s
    assert last.left >= 0.2


@pytest.mark.parametrize("wrong", ["put back", "rest voltage", "duration"])
def test_one_wrong_entry_among_ten_hardly_moves_the_timer(wrong):
    pilot = SimulatedPilot(PLAIN, hidden=Hidden(power=1.04, capacity=0.97), seed=6)
    for _ in range(11):
        pilot.fly()
    changes = {
        "put back": {"put_back_ah": pilot.logged[8].put_back_ah * 0.5},
        "rest voltage": {"rest_v_per_cell": 3.85},
        "duration": {"duration_s": 540.0},
    }[wrong]
    _, right = learn_and_advise(PLAIN, pilot.logged)
    spoilt = list(pilot.logged)
    spoilt[8] = spoilt[8].model_copy(update=changes)
    learned, moved = learn_and_advise(PLAIN, spoilt)
    assert moved.down_s == pytest.approx(right.down_s, rel=0.05)
    if wrong != "rest voltage":  # that one leaves the charge as it was
        assert moved.odd == (8,)
        assert learned.odd.sum() == 1


@pytest.mark.parametrize(("capacity", "seed"), [(1.0, 3), (0.9, 4), (0.8, 5)])
def test_simulated_pilots_keep_the_reserve_and_fly_most_of_what_they_could(capacity, seed):
    """Nine pilots in all; `make bench` flies three hundred."""
    import numpy as np

    rng = np.random.default_rng(seed)
    late = []
    for k in range(3):
        one = PLAIN if k else sheet(pack=satsuma(), pattern="freestyle", landing=LandingRule(home_s=20.0))
        pilot = SimulatedPilot(one, hidden=drawn_truth(rng, capacity=capacity), seed=100 * seed + k)
        late += [pilot.fly() for _ in range(7)][2:]
    assert sum(f.left < 0.2 for f in late) <= 1
    assert min(f.left for f in late) > 0.1
    assert sum(f.flown_s for f in late) / sum(f.safe_s for f in late) > 0.8


@settings(max_examples=8)
@given(capacity=st.floats(0.75, 1.05), power=st.floats(0.85, 1.15))
def test_a_full_timer_leaves_the_reserve_of_the_pack_there_truly_is(capacity, power):
    lesson = learn_and_advise(PLAIN, [])[0]
    assert math.isfinite(lesson.capacity_ah("own"))
    pilot = SimulatedPilot(PLAIN, hidden=Hidden(power=power, capacity=capacity), seed=1, varies=0.0)
    for _ in range(4):
        flown = pilot.fly()
    assert flown.left >= 0.17


def test_the_range_keeps_a_share_of_what_is_in_each_flights_own_pack():
    from zesty_cell.core.answer.forecast import sampled_factors
    from zesty_cell.core.flight.many import start_many
    from zesty_cell.core.flight.one import landing_times_s

    setup = RESULT.setup
    factors = sampled_factors(setup).part(slice(0, 5))
    landed_s, _ = landing_times_s(setup=setup, summary=start_many(setup, factors=factors)())
    for k in range(5):
        flight = fly(setup, factors=factors.part(slice(k, k + 1)))
        assert flight.charge_left[flight.index_at(float(landed_s[k]))] == pytest.approx(0.2, abs=0.002)
