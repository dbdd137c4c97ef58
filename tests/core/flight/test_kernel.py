"""The kernel against the tight integration, closed forms, and exact scalings."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.cases import STEP_S, cell_parameters, march
from tests.oracles import thevenin
from zesty_cell.core.asked.flying import CURRENT, FULL_THROTTLE, POWER
from zesty_cell.core.flight import kernel as K
from zesty_cell.core.parts.chemistries import chemistry_for
from zesty_cell.core.parts.chemistry import cell_table, temperature_table

CLIMBS = [(POWER, 29.0, 9.0), (FULL_THROTTLE, 1.0, 1.0), (POWER, 40.0, 4.0), (POWER, 6.0, 3.0)]


def _oracle(params, segments, chemistry="liion_power"):
    return thevenin.fly(
        params=params,
        kinds=[s[0] for s in segments],
        values=[s[1] for s in segments],
        durations_s=[s[2] for s in segments],
        chemistry=chemistry_for(chemistry),
        floor_v=params[K.FLOOR_V],
    )


@pytest.mark.parametrize("chemistry", ["liion_power", "lipo", "lifepo4"])
def test_constant_power_agrees_with_tight_integration(chemistry):
    params = cell_parameters(floor_v=2.5 if chemistry != "lipo" else 3.0)
    segments = [(POWER, 29.0, 60.0)]
    run, truth = march(params, segments, chemistry=chemistry), _oracle(params, segments, chemistry)
    assert run.get("END_S") == pytest.approx(truth.end_s, rel=2e-4)
    assert run.get("LAND_BY_USED_S") == pytest.approx(truth.landing_used_s, rel=2e-4)
    # To the last second: the cliff at the very end is steep, and the time there is checked above.
    for k in range(0, run.n - 10, max(1, run.n // 150)):
        assert abs(run.loaded_v[k] - truth.loaded_v(k * STEP_S)) < 1e-3


def test_pattern_with_one_second_climbs_agrees_with_tight_integration():
    # A floor low enough for the climbs: the flight goes to the end of the charge.
    params = cell_parameters(floor_v=1.2)
    run, truth = march(params, CLIMBS), _oracle(params, CLIMBS)
    assert run.get("END_S") == pytest.approx(truth.end_s, rel=2e-4)
    assert run.get("LAND_BY_USED_S") == pytest.approx(truth.landing_used_s, rel=2e-4)
    worst = max(abs(run.loaded_v[k] - truth.loaded_v(k * STEP_S)) for k in range(0, run.n - 10, 7))
    assert worst < 1e-3


def test_a_floor_passed_by_the_jump_into_a_climb_is_passed_at_that_moment():
    params = cell_parameters(floor_v=2.8, start_c=0.0, air_c=0.0)
    run, truth = march(params, CLIMBS), _oracle(params, CLIMBS)
    assert run.get("END_REASON") == K.AT_FLOOR
    # Crossed inside a climb or by its jump: never interpolated back into the calm second before it.
    assert run.get("END_S") == pytest.approx(truth.end_s, abs=1e-3)
    assert (run.get("END_S") % 17.0) == pytest.approx(9.0, abs=1.0)


def test_constant_current_meets_the_closed_form():
    # Flat in resistance, no polarisation, isothermal: z falls linearly, v = OCV(z) − i·r.
    params = cell_parameters(
        polarisation_ratio=0.0,
        diffusion_ratio=0.0,
        heat_capacity_j_k=1e9,
        start_c=25.0,
        air_c=25.0,
        floor_v=-9.0,
        land_used_ah=2.05,
    )
    run = march(params, [(CURRENT, 8.2, 60.0)])
    assert run.get("END_S") == pytest.approx(4.1 / 8.2 * 3600.0, rel=1e-9)
    assert run.get("LAND_BY_USED_S") == pytest.approx(900.0, rel=1e-9)
    table = cell_table(chemistry_for("liion_power"))
    half = 9000  # at 900 s, half the charge
    assert run.loaded_v[half] == pytest.approx(table[512, 0] - 8.2 * (0.0125 * table[512, 1] + 0.0004), abs=1e-6)


def test_polarisation_follows_the_exact_exponential():
    params = cell_parameters(heat_capacity_j_k=1e9, start_c=25.0, air_c=25.0, start_charge=0.6)
    run = march(params, [(CURRENT, 5.0, 60.0)])
    for k in (10, 250, 900, 6000):
        t = k * STEP_S
        share = 0.6 * (1 - math.exp(-t / 25.0)) + 0.5 * (1 - math.exp(-t / 200.0))
        assert run.trace[K.T_POLARISATION_V, k] == pytest.approx(5.0 * 0.0125 * share, rel=2e-4)


def test_energy_balances_to_a_thousandth():
    params = cell_parameters(floor_v=1.2)
    run = march(params, CLIMBS)
    table = cell_table(chemistry_for("liion_power"))
    z = np.linspace(0.0, 1.0, 1025)
    used = z >= run.get("END_CHARGE_LEFT")
    chemical_wh = float(np.trapezoid(table[used, 0], z[used])) * params[K.CAPACITY_AH]
    assert run.get("DELIVERED_WH") + run.get("HEAT_WH") == pytest.approx(chemical_wh, rel=1e-3)


def test_heat_accounts_for_the_temperature():
    params = cell_parameters(floor_v=1.2, cooling_w_k=0.0, r_ext_ohm=0.0)
    run = march(params, CLIMBS)
    warmed_wh = (run.trace[K.T_TEMPERATURE_C, -1] - 12.0) * 70.0 / 3600.0
    assert warmed_wh == pytest.approx(run.get("HEAT_WH"), rel=2e-3)


@given(e=st.floats(0.5, 120.0), r_t=st.one_of(st.just(0.0), st.floats(1e-5, 1.0)), c=st.floats(1e-4, 50.0))
def test_full_throttle_closed_form_satisfies_its_own_equation(e, r_t, c):
    i = K._full_throttle_a(e, r_t, c)
    assert i >= 0.0
    assert i == pytest.approx(c * (e - i * r_t) ** 2, rel=1e-9, abs=1e-12)


@given(e=st.floats(2.0, 4.3), r=st.floats(1e-4, 0.2), share=st.floats(0.0, 0.999))
def test_constant_power_current_delivers_the_power(e, r, share):
    power = share * e * e / (4.0 * r)
    i, clipped = K._demand(POWER, power, e, r, 0.0, 1e9, 0.0)
    assert not clipped
    assert i * (e - i * r) == pytest.approx(power, rel=1e-9, abs=1e-12)


def test_more_than_full_throttle_is_cut_to_full_throttle_and_said():
    full = K._full_throttle_a(3.8, 0.02, 4.0)
    i, clipped = K._demand(POWER, 500.0, 3.8, 0.015, 0.005, 4.0, 0.0)
    assert clipped
    assert i == pytest.approx(full)


def test_a_share_of_full_throttle_is_a_share_of_its_power():
    full, _ = K._demand(FULL_THROTTLE, 1.0, 3.8, 0.015, 0.005, 4.0, 0.0)
    part, _ = K._demand(FULL_THROTTLE, 0.5, 3.8, 0.015, 0.005, 4.0, 0.0)
    assert part * (3.8 - part * 0.015) == pytest.approx(0.5 * full * (3.8 - full * 0.015), rel=1e-12)


def test_loaded_landing_needs_the_hold_without_a_break():
    # Bursts of 2 s under the limit, a hold of 3 s: only the steady voltage lands.
    bursts = [(POWER, 25.0, 10.0), (POWER, 90.0, 2.0)]
    params = cell_parameters(land_loaded_v=3.2, land_loaded_hold_s=3.0, floor_v=1.0)
    run = march(params, bursts)
    landing = run.get("LAND_BY_LOADED_S")
    steady_low = np.flatnonzero(run.cruise_v < 3.2)[0] * STEP_S
    first_dip = np.flatnonzero(run.loaded_v < 3.2)[0] * STEP_S
    assert first_dip < landing - 60.0
    assert landing > steady_low - 120.0
    short = march(cell_parameters(land_loaded_v=3.2, land_loaded_hold_s=1.0, floor_v=1.0), bursts)
    # The first dip that lasts a second: a shorter one in the burst before it does not count.
    under = np.lib.stride_tricks.sliding_window_view(run.loaded_v < 3.2, 11).all(axis=1)
    lasting = np.flatnonzero(under)[0] * STEP_S
    assert lasting > first_dip + 5.0
    assert short.get("LAND_BY_LOADED_S") == pytest.approx(lasting + 1.0, abs=0.11)


def test_a_hold_of_exactly_its_length_is_met():
    # Under the limit from the first moment: the rule lands when the hold is over, to the moment.
    params = cell_parameters(land_loaded_v=4.5, land_loaded_hold_s=3.0)
    assert march(params, [(POWER, 25.0, 10.0)]).get("LAND_BY_LOADED_S") == pytest.approx(3.0, abs=1e-9)


def test_steady_power_that_cannot_be_had_is_an_event():
    assert march(cell_parameters(), [(POWER, 29.0, 10.0)]).get("FIRST_CLIPPED_S") == math.inf
    assert march(cell_parameters(full_throttle_a_v2=0.2), [(POWER, 29.0, 10.0)]).get("FIRST_CLIPPED_S") == 0.0


def test_the_march_stops_at_its_longest_time():
    run = march(cell_parameters(max_time_s=30.0), [(POWER, 5.0, 7.0)])
    assert run.get("END_REASON") == K.OUT_OF_TIME
    assert run.get("END_S") == 30.0


def test_many_flights_are_the_same_as_one_by_one():
    rows = np.stack([cell_parameters(capacity_ah=3.9), cell_parameters(r0_ohm=0.02), cell_parameters(air_c=-5.0)])
    kinds = np.array([s[0] for s in CLIMBS], dtype=np.int64)
    values = np.tile([s[1] for s in CLIMBS], (3, 1))
    seconds = np.tile([s[2] for s in CLIMBS], (3, 1))
    summary = np.empty((3, K.SUMMARY_COUNT))
    knots = np.empty((3, 30_000, K.KNOT_COLUMNS))
    cell = chemistry_for("liion_power")
    K.march_many(
        rows,
        kinds,
        values,
        seconds,
        np.zeros_like(seconds),
        np.empty((3, 0)),
        cell_table(cell)[None],
        temperature_table(cell)[None],
        np.zeros(3, dtype=np.int64),
        STEP_S,
        30_000,
        knots,
        summary,
    )
    for k in range(3):
        one = march(rows[k], CLIMBS)
        for column in (K.END_S, K.LAND_BY_USED_S, K.END_CHARGE_LEFT, K.HOTTEST_C, K.STEPS):
            assert summary[k, column] == one.summary[column]
        flown = knots[k, : int(summary[k, K.KNOTS])]
        time_s = np.arange(one.n) * STEP_S
        for row, column in ((K.T_CHARGE_LEFT, K.N_CHARGE_LEFT), (K.T_CRUISE_V, K.N_CRUISE_V)):
            assert np.interp(time_s, flown[:, K.N_AT_S], flown[:, column]) == pytest.approx(
                one.trace[row], abs=1e-9
            )
        # Samples are taken with the load that begins there: between two knots from the one to the other.
        step = np.searchsorted(flown[:, K.N_AT_S], time_s + 1e-9) - 1
        part = (time_s - flown[step, K.N_AT_S]) / np.diff(flown[:, K.N_AT_S])[step]
        for row, after, before in (
            (K.T_LOADED_V, K.N_AFTER_V, K.N_BEFORE_V),
            (K.T_CURRENT_A, K.N_AFTER_A, K.N_BEFORE_A),
            (K.T_WEAKEST_V, K.N_WEAKEST_AFTER_V, K.N_WEAKEST_BEFORE_V),
        ):
            straight = flown[step, after] + part * (flown[step + 1, before] - flown[step, after])
            assert straight == pytest.approx(one.trace[row], abs=1e-7)


def test_knots_beyond_their_room_are_only_counted():
    rows, cell = cell_parameters()[None], chemistry_for("liion_power")
    load = (
        np.array([POWER]), np.array([[29.0]]), np.array([[60.0]]), np.zeros((1, 1)), np.empty((1, 0)),
        cell_table(cell)[None], temperature_table(cell)[None], np.zeros(1, dtype=np.int64), STEP_S, 30_000,
    )  # fmt: skip
    summary = np.empty((1, K.SUMMARY_COUNT))
    ample = np.empty((1, 5000, K.KNOT_COLUMNS))
    K.march_many(rows, *load, ample, summary)
    count = int(summary[0, K.KNOTS])
    assert 100 < count < 5000
    tight = np.full((1, 6, K.KNOT_COLUMNS), -1.0)
    room = tight[:, :5]
    K.march_many(rows, *load, room, summary)
    assert summary[0, K.KNOTS] == count
    assert np.array_equal(room[0], ample[0, :5])
    assert (tight[0, 5] == -1.0).all()


def _bursts_begin_and_end(run, over_a):
    """Moments at which the current rises above and falls under a value, between samples."""
    inside = (run.trace[K.T_CURRENT_A] > over_a).astype(int)
    edges = np.diff(np.concatenate(([0], inside, [0])))
    return np.flatnonzero(edges == 1) * STEP_S, np.flatnonzero(edges == -1) * STEP_S


def test_a_burst_of_work_lasts_as_its_first_moment_says_and_longer_as_the_pack_tires():
    """Hand-worked at take-off: full throttle gives i·v; less 25 + 1.2 W that fly, 200 J take 200/(i·v − 26.2) s."""
    params = cell_parameters(level_w=25.0, floor_v=0.5, land_used_ah=np.inf)
    run = march(params, [(FULL_THROTTLE, 1.0, 2.0, 200.0), (POWER, 25.0, 20.0)])
    begin, end = _bursts_begin_and_end(run, 25.0)
    watts = run.trace[K.T_CURRENT_A, 0] * run.loaded_v[0]
    assert end[0] - begin[0] == pytest.approx(200.0 / (watts - 26.2), abs=0.1)
    lengths = end[:-1] - begin[:-1]
    assert lengths[-1] > 1.15 * lengths.min()
    for k in (5, 15):
        at = round(begin[k] / STEP_S)
        spare = run.trace[K.T_CURRENT_A, at] * run.loaded_v[at] - 26.2
        assert lengths[k] == pytest.approx(200.0 / spare, abs=0.11)


@pytest.mark.parametrize(("work_j", "times"), [(1e6, 2.5), (1.0, 0.4)])
def test_a_burst_of_work_keeps_to_its_limits_and_says_how_far_it_went(work_j, times):
    run = march(cell_parameters(max_time_s=60.0), [(POWER, 25.0, 20.0), (FULL_THROTTLE, 1.0, 2.0, work_j)])
    begin, end = _bursts_begin_and_end(run, 25.0)
    assert end[0] - begin[0] == pytest.approx(2.0 * times, abs=0.1)
    assert run.get("LONGEST_STRETCH") == times


def test_a_burst_of_seconds_is_its_seconds():
    run = march(cell_parameters(max_time_s=60.0), [(POWER, 25.0, 20.0), (FULL_THROTTLE, 1.0, 2.0)])
    begin, end = _bursts_begin_and_end(run, 25.0)
    assert end[0] - begin[0] == pytest.approx(2.0, abs=1e-9)
    assert run.get("LONGEST_STRETCH") == 0.0


def _each(gusts):
    """Gusts that are steady throughout."""
    return np.repeat(gusts, K.GUST_PARTS)


def test_gusts_multiply_steady_demand_ten_seconds_each_and_bursts_not_at_all():
    calm = [(POWER, 20.0, 400.0)]
    run = march(cell_parameters(avionics_w=0.0, max_time_s=60.0), calm, gusts=_each([1.0, 1.5, 0.5, 1.2]))
    watts = run.trace[K.T_CURRENT_A] * run.loaded_v
    for k, share in enumerate((1.0, 1.5, 0.5, 1.2, 1.0, 1.5)):
        assert watts[100 * k + 2 : 100 * k + 98] == pytest.approx(20.0 * share, rel=1e-4)
    full = [(FULL_THROTTLE, 1.0, 30.0)]
    plain, gusty = (march(cell_parameters(max_time_s=20.0), full, gusts=g) for g in (None, _each([2.0])))
    assert gusty.loaded_v == pytest.approx(plain.loaded_v, abs=1e-4)


@pytest.mark.parametrize(
    ("landing", "near"),
    [
        ({"land_used_ah": 2.05}, lambda run, n: run.trace[K.T_CHARGE_LEFT, n] < 0.50 + 0.05),
        ({"land_charge_left": 0.5}, lambda run, n: run.trace[K.T_CHARGE_LEFT, n] < 0.50 + 0.05),
        ({"land_timer_s": 600.0}, lambda run, n: n * STEP_S > 0.95 * 600.0),
        ({"land_loaded_v": 3.45}, lambda run, n: run.cruise_v[n] < 3.45 + 0.05),
    ],
)
def test_near_a_landing_each_part_of_a_gust_blows_by_itself(landing, near):
    """Until then its first part counts for all ten seconds, from then on each has its 2.5 s."""
    params = cell_parameters(avionics_w=0.0, **{"land_used_ah": np.inf} | landing)
    run = march(params, [(POWER, 20.0, 4000.0)], gusts=np.array([1.0, 1.1, 1.2, 1.3]))
    watts = run.trace[K.T_CURRENT_A] * run.loaded_v
    second = int(np.flatnonzero(np.abs(watts - 20.0) > 0.1)[0])
    begins = second - 25
    assert near(run, begins)
    assert not near(run, begins - 100)
    for k, share in enumerate((1.0, 1.1, 1.2, 1.3, 1.0, 1.1)):
        assert watts[begins + 25 * k + 2 : begins + 25 * k + 23] == pytest.approx(20.0 * share, rel=1e-3)


def test_a_stretch_shorter_than_a_gust_is_flown_in_its_parts_too():
    """The third of twelve seconds begins at 24 s, in the second part of its gust, when the timer has run."""
    gusts = np.array([1.0, 1.1, 1.2, 1.3, 1.0, 1.0, 1.0, 1.0])
    params = cell_parameters(avionics_w=0.0, max_time_s=34.0, land_used_ah=np.inf, land_timer_s=24.0)
    run = march(params, [(POWER, 20.0, 12.0)], gusts=gusts)
    watts = run.trace[K.T_CURRENT_A] * run.loaded_v
    for at_s, share in ((13.0, 1.0), (23.0, 1.0), (25.0, 1.1), (28.0, 1.2), (30.0, 1.3), (33.0, 1.0)):
        assert watts[round(at_s / STEP_S)] == pytest.approx(20.0 * share, rel=1e-3)


def test_the_length_of_each_stretch_goes_with_the_gusts_half_the_array_further_on():
    """Half of four is two: the first lasts 0.81^1.5 = 0.729 of its ten seconds, the next, in the same ten, too."""
    pattern = [(POWER, 20.0, 10.0), (POWER, 40.0, 10.0)]
    run = march(cell_parameters(avionics_w=0.0, max_time_s=14.0), pattern, gusts=_each([1.0, 1.0, 0.81, 1.0]))
    watts = run.trace[K.T_CURRENT_A] * run.loaded_v
    assert watts[72] == pytest.approx(20.0, rel=1e-3)
    assert watts[74] == pytest.approx(40.0, rel=1e-3)
    assert K.LENGTH_POWER == 1.5


def test_the_weakest_cell_is_emptier_and_softer_by_hand():
    """Constant current, no polarisation, isothermal: z_w = 1 − (1 − z)/0.95, and 1.2 times the resistance."""
    params = cell_parameters(
        polarisation_ratio=0.0, diffusion_ratio=0.0, heat_capacity_j_k=1e9, start_c=25.0, air_c=25.0, floor_v=-9.0,
        weak_capacity=0.95, weak_resistance=1.2,
    )  # fmt: skip
    run = march(params, [(CURRENT, 8.2, 60.0)])
    cell = chemistry_for("liion_power")
    z, ocv, shape = np.linspace(0, 1, 1025), *cell_table(cell).T
    for seconds in (300, 900, 1600):
        weak_z = 1 - seconds * 8.2 / 3600 / 4.1 / 0.95
        by_hand = np.interp(weak_z, z, ocv) - 8.2 * 1.2 * 0.0125 * np.interp(weak_z, z, shape)
        assert run.trace[K.T_WEAKEST_V, 10 * seconds] == pytest.approx(by_hand, abs=1e-5)
    assert run.get("WORST_CELL_V") < run.get("WORST_V") - 0.05


def test_the_floor_is_the_weakest_cells():
    whole, weak = (
        march(cell_parameters(floor_v=3.0, floor_hold_s=2.0, weak_capacity=q, weak_resistance=r), CLIMBS[:1])
        for q, r in ((1.0, 1.0), (0.97, 1.1))
    )
    assert (whole.get("END_REASON"), weak.get("END_REASON")) == (K.AT_FLOOR, K.AT_FLOOR)
    assert weak.get("END_S") < 0.98 * whole.get("END_S")
    first = np.flatnonzero(weak.trace[K.T_WEAKEST_V] < 3.0)[0] * STEP_S
    assert weak.get("END_S") == pytest.approx(first + 2.0, abs=0.1)


def test_what_is_read_at_landing_is_of_the_landing():
    run = march(cell_parameters(beyond_landing=0.0), CLIMBS)
    assert run.get("END_S") == run.get("LAND_BY_USED_S")
    assert run.get("END_CHARGE_LEFT") == pytest.approx(0.2, abs=1e-12)
    further = march(cell_parameters(beyond_landing=0.08), CLIMBS)
    assert further.get("LANDING_CHARGE_LEFT") == pytest.approx(0.2, abs=1e-12)
    assert further.get("END_S") == pytest.approx(1.08 * run.get("END_S"))
    timed = march(cell_parameters(beyond_landing=0.0, land_timer_s=123.45), CLIMBS)
    assert timed.get("END_S") == 123.45


def test_a_hold_ends_where_the_voltage_comes_back_not_where_a_step_does():
    """A step of a second must not make a dip longer: recovering voltage ends it between two steps."""
    bursts = [(POWER, 25.0, 10.0), (POWER, 90.0, 3.0)]
    for hold in (0.5, 1.0, 1.5, 2.0, 2.5):
        landed = [
            march(
                cell_parameters(
                    land_loaded_v=3.2,
                    land_loaded_hold_s=hold,
                    floor_v=1.0,
                    land_used_ah=np.inf,
                    longest_step_s=step,
                ),
                bursts,
            ).get("LAND_BY_LOADED_S")
            for step in (0.05, 1.0)
        ]
        assert landed[1] == pytest.approx(landed[0], abs=0.1), hold


_NONE = np.empty((0, 0))


@pytest.mark.parametrize(
    "broken",
    [
        {"knots": np.empty((500, K.KNOT_COLUMNS - 1))},
        {"trace": np.empty((1, 50))},
        {"trace": np.empty((K.TRACE_COUNT, 50))},
        {"trace": np.empty((K.TRACE_COUNT - 1, 500))},
        {"seg_s": np.array([1.0, 2.0])},
        {"seg_s": np.array([0.0])},
        {"seg_work_j": np.empty(0)},
        {"params": np.zeros(3)},
        {"summary": np.empty(3)},
    ],
)
def test_arrays_that_do_not_belong_together_are_refused_at_the_door(broken):
    cell = chemistry_for("lipo")
    given_ = {
        "params": cell_parameters(), "seg_kind": np.array([POWER]), "seg_value": np.array([20.0]),
        "seg_s": np.array([10.0]), "seg_work_j": np.zeros(1), "gusts": np.empty(0), "cell_table": cell_table(cell),
        "temperature_table": temperature_table(cell), "sample_s": 0.1, "max_samples": 500,
        "trace": _NONE, "knots": _NONE, "summary": np.empty(K.SUMMARY_COUNT),
    }  # fmt: skip
    K.march(*given_.values())
    with pytest.raises(ValueError, match=r"[a-z]\."):
        K.march(*(given_ | broken).values())


def test_next_to_nothing_is_nothing():
    # Numbers near the smallest a machine holds are a hundred times slower: a page would wait for them.
    run = march(cell_parameters(avionics_w=5e-324, max_time_s=60.0), [(POWER, 5e-324, 5.0)])
    assert run.trace[K.T_CURRENT_A].max() == 0.0


_PATTERN = st.lists(st.tuples(st.just(POWER), st.floats(1.0, 60.0), st.floats(0.5, 20.0)), min_size=1, max_size=4)


@settings(max_examples=40, deadline=None)
@given(segments=_PATTERN, warm=st.floats(-5.0, 40.0), colder=st.floats(1.0, 25.0))
def test_colder_never_flies_longer_at_the_same_load(segments, warm, colder):
    warm_run = march(cell_parameters(air_c=warm, start_c=warm), segments)
    cold_run = march(cell_parameters(air_c=warm - colder, start_c=warm - colder), segments)
    assert cold_run.get("END_S") <= warm_run.get("END_S") + 1e-6


@settings(max_examples=40, deadline=None)
@given(segments=_PATTERN, more=st.floats(1.001, 1.5))
def test_more_capacity_never_flies_shorter(segments, more):
    small, large = march(cell_parameters(), segments), march(cell_parameters(capacity_ah=4.1 * more), segments)
    assert large.get("END_S") >= small.get("END_S") - 1e-6


@settings(max_examples=30, deadline=None)
@given(segments=_PATTERN, step=st.sampled_from([0.05, 0.25]))
def test_the_answer_does_not_hang_on_the_step(segments, step):
    segments = [(k, v, round(s * 5) / 5 + 0.2) for k, v, s in segments]
    params = cell_parameters(max_time_s=9000.0)
    usual, other = march(params, segments), march(cell_parameters(max_time_s=9000.0, longest_step_s=step), segments)
    assert other.get("END_S") == pytest.approx(usual.get("END_S"), rel=1e-3)
