"""From sheet to flight: landing rules, exact scalings, what a flight reports."""

from __future__ import annotations

import dataclasses
import threading

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.sheets import heron, pomelo, satsuma, sheet
from zesty_cell.core.answer.forecast import sampled_factors
from zesty_cell.core.asked.flying import PATTERNS, Activity, load_program
from zesty_cell.core.asked.landing import LandingRule, time_home_s
from zesty_cell.core.asked.sheet import Conditions
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.flight import kernel, many, parameters
from zesty_cell.core.flight.many import charge_left_at, start_many
from zesty_cell.core.flight.one import fly, landing_times_s
from zesty_cell.core.flight.parameters import kernel_parameters
from zesty_cell.core.flight.setup import Factors, set_up
from zesty_cell.core.parts.chemistries import chemistry_for
from zesty_cell.core.parts.chemistry import charge_left_at_rest
from zesty_cell.core.parts.pack_figures import pack_figures


def _fly(**parts):
    return fly(set_up(sheet(**parts)))


def test_landing_by_charge_used_leaves_what_was_asked():
    flight = _fly()
    assert flight.landing_reason == "charge used"
    assert flight.left_at(flight.landing_s) == pytest.approx(0.2, abs=1e-6)
    assert flight.used_at(flight.landing_s) == pytest.approx(0.8 * flight.holds_ah, rel=1e-6)


def test_landing_by_rest_voltage_leaves_the_charge_it_stands_for():
    flight = _fly(landing=LandingRule(charge_kept=None, rest_v=3.42))
    left = charge_left_at_rest(chemistry=chemistry_for("liion_power"), rest_v=3.42)
    assert flight.landing_reason == "rest voltage"
    assert flight.left_at(flight.landing_s) == pytest.approx(left, abs=1e-6)
    assert flight.rest_v[flight.index_at(flight.landing_s)] == pytest.approx(3.42, abs=2e-3)


def test_landing_by_loaded_voltage_waits_for_the_hold():
    flight = _fly(landing=LandingRule(charge_kept=None, loaded_v=3.2, loaded_hold_s=3.0))
    assert flight.landing_reason == "loaded voltage"
    under = flight.loaded_v[flight.index_at(flight.landing_s - 2.8) : flight.index_at(flight.landing_s)]
    assert np.all(under < 3.2)


def test_landing_by_timer_is_to_the_second_and_the_earliest_rule_lands():
    assert _fly(landing=LandingRule(charge_kept=None, timer_s=300)).landing_s == 300.0
    both = _fly(landing=LandingRule(charge_kept=0.2, timer_s=300))
    assert (both.landing_s, both.landing_reason) == (300.0, "timer")
    late = _fly(landing=LandingRule(charge_kept=0.2, timer_s=9000))
    assert late.landing_reason == "charge used"


@pytest.mark.parametrize("cutoff_v", [3.2, 3.4, 3.6])
def test_the_cutoff_takes_the_power_a_second_after_a_steady_voltage_is_under_it(cutoff_v):
    """Gentle hover has no burst: an independent look at the trace finds the same moment."""
    one = sheet(craft=heron(limits={"esc_cutoff_v_per_cell": cutoff_v}), pattern="gentle_hover")
    flight = fly(set_up(one))
    plain = fly(set_up(sheet(craft=heron(limits={}), pattern="gentle_hover")))
    period, steady = 600, np.arange(plain.time_s.size) % 600 < 500  # 50 s hover, then 10 s of turns
    under = plain.loaded_v < cutoff_v
    held = np.array([under[k - 10 : k + 1].all() and steady[k - 10 : k + 1].all() for k in range(10, under.size)])
    any_load = np.array([under[k - 100 : k].all() for k in range(100, under.size)])  # ten seconds of any load
    by_hand = min(10 + int(np.argmax(held)), 100 + int(np.argmax(any_load)) if any_load.any() else 10**9) * 0.1
    assert period == round(one.flying.period_s * 10)
    assert flight.cutoff_s == pytest.approx(by_hand, abs=0.15)
    assert flight.cutoff_touched_s <= flight.cutoff_s - 1.0


def test_without_a_rule_that_speaks_in_time_the_floor_ends_the_flight():
    craft = heron(limits={})
    flight = _fly(landing=LandingRule(charge_kept=None, timer_s=10_800), craft=craft)
    assert flight.landing_reason == "floor"
    assert flight.landing_s == flight.end_s


@pytest.mark.parametrize("pattern", ["long_range", "freestyle"])
def test_gusts_are_flown_in_thirds_that_move_no_landing(pattern, monkeypatch):
    """Three steps a gust against a hundred."""
    setup = set_up(sheet(pattern=pattern))
    factors = sampled_factors(setup)

    def landings_s():
        return landing_times_s(setup=setup, summary=start_many(setup, factors=factors)())[0]

    asked = kernel_parameters(setup=setup, factors=factors)[:, kernel.LONGEST_STEP_S]
    assert asked == pytest.approx(kernel.GUST_S / 3.0)
    # Without gusts a stretch is as long as its activity: two seconds, as anything else is flown.
    still = kernel_parameters(setup=setup, factors=dataclasses.replace(factors, gusts=None))
    assert np.all(still[:, kernel.LONGEST_STEP_S] == 2.0)
    in_thirds = landings_s()
    monkeypatch.setattr(parameters, "LONGEST_IN_GUSTS_S", 0.1)
    assert in_thirds == pytest.approx(landings_s(), rel=2e-4)


def test_twice_the_cells_for_twice_the_craft_is_the_same_cell():
    """A craft twice as hungry on twice the cells in parallel asks each cell exactly the same."""
    hungry = heron(
        steady={"source": "measured", "current_a": 17.8, "voltage_v": 21.3, "all_up_mass_kg": 1.063, "air_c": 12.0},
        full_throttle={"source": "measured", "current_a": 144.0, "voltage_v": 21.0},
        avionics_w=14.0,
        motor_resistance_ohm=0.01,
    )
    doubled = pomelo(parallel=2, capacity_ah=8.4)
    one = kernel_parameters(setup=set_up(sheet()), factors=Factors.expected())[0]
    two = kernel_parameters(setup=set_up(sheet(craft=hungry, pack=doubled)), factors=Factors.expected())[0]
    for column in (
        kernel.CAPACITY_AH,
        kernel.R0_OHM,
        kernel.FULL_THROTTLE_A_V2,
        kernel.R_MOTOR_OHM,
        kernel.AVIONICS_W,
        kernel.CRUISE_W,
        kernel.LAND_USED_AH,
    ):
        assert two[column] == pytest.approx(one[column], rel=1e-12)
    # Only the shared leads and plug now carry twice the current; each string has links of its own.
    links = 6 * two[kernel.R_EXT_OHM] - 2.0 * (6 * one[kernel.R_EXT_OHM])
    assert links == pytest.approx(-pack_figures(pomelo()).links_ohm)


def test_half_the_resistance_is_half_the_sag():
    half = fly(set_up(sheet(pack=pomelo(cell_resistance_ohm=0.00625))))
    whole = fly(set_up(sheet()))
    ext = pack_figures(pomelo()).external_ohm() / 6
    sag_half = (half.rest_v[0] - half.loaded_v[0]) / half.current_a[0] - ext
    sag_whole = (whole.rest_v[0] - whole.loaded_v[0]) / whole.current_a[0] - ext
    assert sag_half == pytest.approx(sag_whole / 2, rel=1e-5)


def test_time_home_grows_with_headwind_and_refuses_what_does_not_get_home():
    rule = LandingRule(home_s=60, headwind_m_s=7)
    assert time_home_s(rule=rule, cruise_speed_m_s=14.0) == pytest.approx(120.0)
    with pytest.raises(OutOfRangeError, match="does not get home") as caught:
        time_home_s(rule=rule, cruise_speed_m_s=6.0)
    assert caught.value.field == "landing.headwind_m_s"
    with pytest.raises(OutOfRangeError, match="cruise speed"):
        time_home_s(rule=rule, cruise_speed_m_s=None)


def test_energy_delivered_is_what_left_the_pack():
    flight = _fly()
    watt_hours = np.trapezoid(flight.loaded_v * 6 * flight.current_a, flight.time_s) / 3600.0
    assert flight.delivered_wh == pytest.approx(watt_hours, rel=2e-3)


def test_sampled_flights_are_the_detailed_flight_at_no_departure():
    setup = set_up(sheet())
    flight = fly(setup)
    summary = start_many(setup, factors=Factors.expected(60))()
    times, which = landing_times_s(setup=setup, summary=summary)
    assert np.all(times == flight.landing_s)
    assert np.all(which == 0)
    assert np.all(summary[:, kernel.END_S] == flight.end_s)


def test_a_flight_longer_than_we_look_says_so():
    glider = heron(steady={"source": "measured", "current_a": 0.2, "voltage_v": 21.0, "all_up_mass_kg": 1.063})
    flight = fly(set_up(sheet(craft=glider, pattern="gentle_hover")))
    assert flight.landing_reason == "longest"
    assert flight.landing_s == flight.end_s == 3 * 3600.0


def test_a_visitor_sees_every_flight_once():
    setup, seen = set_up(sheet(pattern="freestyle", pack=satsuma())), []
    start_many(
        setup,
        factors=Factors.expected(60),
        visit=lambda rows, knots: seen.append((rows, knots.at.shape[0], knots.summary.shape[0])),
    )()
    assert sorted(k for rows, _, _ in seen for k in range(rows.start, rows.stop)) == list(range(60))
    assert all(flights == summaries == rows.stop - rows.start for rows, flights, summaries in seen)


def test_flights_that_need_more_room_are_flown_in_smaller_pieces(monkeypatch):
    setup, whole, pieces = set_up(sheet(pattern="freestyle", pack=satsuma())), {}, {}

    def fly_into(kept):
        def visit(rows, knots):
            for k in range(rows.start, rows.stop):
                kept[k] = knots.at[k - rows.start, : int(knots.summary[k - rows.start, kernel.KNOTS])].copy()

        factors = sampled_factors(setup).part(slice(0, 40))
        return start_many(setup, factors=factors, visit=visit)()

    summary = fly_into(whole)
    monkeypatch.setattr(many, "_KNOTS_A_CHUNK", 520)  # less than two flights need, and at times than one does
    monkeypatch.setattr(many, "_local", threading.local())
    assert np.array_equal(fly_into(pieces), summary, equal_nan=True)
    assert sorted(pieces) == list(range(40))
    assert all(np.array_equal(pieces[k], whole[k]) for k in whole)
    assert max(len(k) for k in whole.values()) > 520 > min(len(k) for k in whole.values())


def test_charge_left_is_read_between_the_knots_and_stays_past_the_end():
    setup = set_up(sheet(pattern="freestyle", pack=satsuma()))
    flight = fly(setup)
    moments_s = np.array([0.0, 12.3, 100.0, flight.end_s, flight.end_s + 50.0])
    [left] = charge_left_at(setup, factors=Factors.expected(1), moments_s=moments_s)
    inside = np.interp(moments_s[:3], flight.time_s, flight.charge_left)
    assert left[:3] == pytest.approx(inside, abs=1e-6)
    assert left[3] == left[4] == pytest.approx(flight.end_charge_left, abs=1e-9)


@settings(max_examples=25, deadline=None)
@given(extra=st.floats(0.005, 0.5))
def test_heavier_never_flies_longer(extra):
    light = _fly(pack=satsuma(), pattern="gentle_hover")
    heavy = _fly(craft=heron(dry_mass_kg=0.618 + extra), pack=satsuma(), pattern="gentle_hover")
    assert heavy.landing_s <= light.landing_s + 1e-6


@settings(max_examples=25, deadline=None)
@given(more=st.floats(1.001, 2.0))
def test_more_capacity_at_no_mass_never_flies_shorter(more):
    # Resistance is measured, so it does not fall with capacity: capacity alone changes.
    small, large = _fly(pack=satsuma()), _fly(pack=satsuma(capacity_ah=1.3 * more))
    assert large.landing_s >= small.landing_s - 1e-6


@pytest.mark.parametrize("key", PATTERNS)
def test_every_pattern_becomes_a_load_program_of_its_own_length(key):
    pattern = PATTERNS[key]
    program = load_program(
        pattern=pattern,
        steady_cell_w=np.full((1, len(pattern.activities)), 20.0),
        work_cell_j=np.zeros((1, len(pattern.activities))),
        intensity=np.ones(1),
    )
    assert program.seconds.sum() == pytest.approx(pattern.period_s)
    assert program.kind.shape == (len(pattern.activities),)


def test_a_livelier_pattern_asks_more_above_steady_and_climbs_longer():
    names = [a.name for a in PATTERNS["cruise"].activities]
    program = load_program(
        pattern=PATTERNS["cruise"],
        steady_cell_w=np.full((1, len(names)), 20.0),
        work_cell_j=np.array([[100.0 if name == "climb" else 0.0 for name in names]]),
        intensity=np.array([1.5]),
    )
    assert program.value[0, names.index("turns")] == pytest.approx(20.0 * 1.375)
    assert program.value[0, names.index("cruise")] == pytest.approx(20.0 * 0.95)
    assert program.seconds[0, names.index("climb")] == pytest.approx(3.0)
    assert program.work_j[0, names.index("climb")] == pytest.approx(150.0)


@pytest.mark.parametrize(
    "change", [{"share": -1}, {"share": 1.2}, {"duration_s": 0}, {"duration_s": 0.25}, {"duration_s": float("inf")}]
)
def test_impossible_activities_are_refused(change):
    with pytest.raises(ValueError):
        Activity.model_validate({"name": "climb", "of": "full throttle", "share": 1.0, "duration_s": 2.0} | change)


def test_no_landing_rule_at_all_is_refused():
    with pytest.raises(ValueError, match="at least one"):
        LandingRule(charge_kept=None)


@pytest.mark.parametrize("air_c", [-60.0, 80.0, float("nan")])
def test_air_no_pilot_flies_in_is_refused(air_c):
    with pytest.raises(ValueError):
        Conditions(air_c=air_c)
