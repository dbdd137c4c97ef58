"""What a gram, a volt or a plug buys: knee, power, what buys minutes, out and back, the chain."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from tests.core.asked.test_learned_factors import learned_factors
from tests.sheets import heron, pomelo, satsuma, sheet
from zesty_cell.core.answer.forecast import forecast
from zesty_cell.core.asked.changes import (
    CHANGES,
    LARGER_DIAMETER,
    WELL_TUNED,
    lighter_by_kg,
    plain_pack,
    with_changes,
)
from zesty_cell.core.asked.landing import LandingRule
from zesty_cell.core.asked.sheet import Conditions, corrected
from zesty_cell.core.choose.buys import what_buys_minutes
from zesty_cell.core.choose.chain import parts_chain
from zesty_cell.core.choose.knee import knee, scaled_pack
from zesty_cell.core.choose.power import STYLES, another_cell, doubled, first_cell_count, more_power
from zesty_cell.core.choose.search import SearchLimits, search
from zesty_cell.core.choose.travel import out_and_back, turn_back_s
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.flight.one import fly
from zesty_cell.core.flight.setup import set_up
from zesty_cell.core.flight.summary import fly_to_landing
from zesty_cell.core.parts.on_sale import POUCH_AH
from zesty_cell.core.parts.pack import HEAVIEST_PACK_KG
from zesty_cell.core.parts.pack_figures import pack_figures
from zesty_cell.words.face import Face, Reader
from zesty_cell.words.say import say

COLD = sheet(conditions=Conditions(air_c=2.0, altitude_m=700.0))


# The knee


def ideal_sheet():
    """A heavy wing at its own lift on packs that are nearly all cell and have nearly no resistance."""
    craft = heron(
        kind="wing",
        dry_mass_kg=4.0, avionics_w=0.0, limits={},
        steady={"source": "measured", "current_a": 30.0, "voltage_v": 22.0, "all_up_mass_kg": 6.0},
        full_throttle={"source": "measured", "current_a": 900.0, "voltage_v": 22.0}, motor_resistance_ohm=0.0,
    )  # fmt: skip
    pack = satsuma(capacity_ah=10.0, mass_kg=1.4, cell_resistance_ohm=1e-6, lead_length_m=0.0)
    return sheet(craft=craft, pack=pack, pattern="long_range", conditions=Conditions(air_c=25.0))


def test_the_knee_of_ideal_flight_is_where_the_exponent_puts_it():
    """t ∝ m/(M + m)^a: the knee where 1 − a·m/(M + m) is a half, the top where it is nothing; M = 4 kg, a = 1.5."""
    curve = knee(ideal_sheet(), chemistry="lipo")
    assert curve.knee_kg == pytest.approx(2.0, rel=0.04)
    assert curve.best_kg == pytest.approx(8.0, rel=0.12)
    ratio = curve.time_at(4.0) / curve.time_at(1.0)
    assert ratio == pytest.approx((4 / 8**1.5) / (1 / 5**1.5), rel=0.01)
    m = 1.5
    slope = curve.time_at(m) * (1 / m - 1.5 / (4 + m)) * 0.1
    assert curve.gain_at(m) == pytest.approx(slope, rel=0.03)


def test_the_knee_says_on_which_side_of_it_a_pack_stands():
    curve = knee(ideal_sheet(), chemistry="lipo")
    near = f"near {Face(Reader()).mass(curve.knee_kg)}:"
    for own_kg, side in ((0.999 * curve.knee_kg, "before"), (1.001 * curve.knee_kg, "past")):
        told = say(curve.told(own_kg=own_kg, pack="Lime"))
        assert near in told
        assert f"Lime stands {side} it, where a further 100 g buys {curve.gain_at(own_kg):.0f} s." in told
    without = replace(curve, knee_kg=None, knee_s=None).told(own_kg=1.0, pack="Lime")
    assert say(without) == f"A further 100 g buys {curve.gain_at(1.0):.0f} s at the weight of Lime."


def test_the_curve_passes_through_the_sheets_own_pack():
    own = forecast(sheet())
    curve = knee(sheet(), chemistry="liion_power")
    assert curve.time_at(pack_figures(pomelo()).mass_kg) == pytest.approx(own.flight.landing_s, rel=0.015)
    assert np.all(np.diff(curve.mass_kg) > 0)


def test_a_pack_of_another_size_keeps_density_and_resistance_times_capacity():
    double = scaled_pack(like=pomelo(), chemistry="liion_power", capacity_ah=8.4)
    assert double.cell_resistance_ohm == pytest.approx(0.0125 / 2)
    one, two = pack_figures(pomelo()), pack_figures(double)
    assert two.cell_mass_kg == pytest.approx(2 * one.cell_mass_kg)
    assert scaled_pack(like=pomelo(), chemistry="lipo", capacity_ah=500.0) is None


def test_a_chemistry_that_does_not_fly_has_no_knee():
    feeble = heron(full_throttle={"source": "measured", "current_a": 9.5, "voltage_v": 21.0})
    with pytest.raises(OutOfRangeError, match="more cells in series"):
        knee(sheet(craft=feeble, pack=satsuma(series=2)), chemistry="nimh")


# A little more power


@pytest.fixture(scope="module")
def options():
    return {o.key: o for o in more_power(sheet())}


def test_four_ways_to_more_power_stand_beside_what_is(options):
    assert set(options) == {"now", "more cells", "more capacity", "better pack", "two in parallel"}
    now = options["now"]
    assert now.at_landing == forecast(sheet()).at_landing
    for key in ("more cells", "better pack", "two in parallel"):
        # A fixed propeller draws more from whatever holds its voltage better.
        assert options[key].at_landing.full_fresh_a > now.at_landing.full_fresh_a
        assert options[key].motor_share > now.motor_share
    assert options["more cells"].setup.figures.full_v == pytest.approx(7 * 4.2)
    assert options["two in parallel"].at_landing.all_up_mass_kg == pytest.approx(
        now.at_landing.all_up_mass_kg + 0.445
    )
    assert (
        options["more cells"].at_landing.to_spare
        > now.at_landing.to_spare
        > options["two in parallel"].at_landing.to_spare
    )
    assert now.motor_share == pytest.approx(now.at_landing.full_fresh_a / 120.0)


def test_an_option_that_passes_a_limit_says_so():
    craft = heron(limits={"motor_a": 61.0, "maximum_v": 26.0})
    fits = {o.key: o.fits() for o in more_power(sheet(craft=craft))}
    assert fits["now"]
    assert not fits["more cells"]
    assert not fits["two in parallel"]


def test_two_in_parallel_halve_the_cells_and_keep_each_its_leads():
    one, two = pack_figures(pomelo()), pack_figures(doubled(pomelo()))
    assert two.cells_ohm == pytest.approx(one.cells_ohm / 2)
    assert two.leads_ohm == pytest.approx(one.leads_ohm / 2)
    assert doubled(pomelo(parallel=13, mass_kg=None)) is None
    assert another_cell(pomelo(series=24, mass_kg=None)) is None


def test_the_fewest_cells_that_meet_a_style():
    counts = {style: first_cell_count(sheet(), style=style) for style in STYLES if STYLES[style].rotor_need}
    assert counts["hover"].series <= counts["cruise"].series <= counts["sport"].series
    for count in counts.values():
        if count.series is not None:
            assert count.to_spare >= count.style.rotor_need
            assert f"{count.to_spare:.1f} times its weight" in say(count.reason)
    with pytest.raises(OutOfRangeError, match="not how a multirotor is flown"):
        first_cell_count(sheet(), style="slow")


def test_a_style_out_of_reach_says_which_part_is_in_the_way():
    craft = heron(limits={"motor_a": 60.0})
    count = first_cell_count(sheet(craft=craft), style="hard")
    assert count.series is None
    assert "above the 60 A of its motors" in say(count.reason)
    tiny = heron(limits={"maximum_v": 4.0})
    assert "finer propellers" in say(first_cell_count(sheet(craft=tiny, pack=satsuma()), style="race").reason)


# What buys minutes


def test_every_change_is_a_changed_run_ranked_by_what_it_gains():
    buys = what_buys_minutes(COLD)
    gains = [b.gained_s for b in buys]
    assert gains == sorted(gains, reverse=True)
    assert {b.key for b in buys} == set(CHANGES)
    own = forecast(COLD).flight.landing_s
    for buy in buys:
        tried = forecast(COLD.model_copy(update={"trying": (buy.key,)}))
        assert tried.flight.landing_s - own == pytest.approx(buy.gained_s, abs=1e-9)
        assert buy.title
        assert buy.cost


def test_what_must_help_helps():
    gain = {b.key: b.gained_s for b in what_buys_minutes(COLD)}
    for key in (
        "lighter",
        "larger_propeller",
        "well_tuned",
        "less_avionics",
        "more_capacity",
        "gentler",
    ):
        assert gain[key] > 0.0, key
    hovering = {b.key: b.gained_s for b in what_buys_minutes(sheet(pattern="gentle_hover", conditions=HIGH))}
    assert (
        hovering["lower_down"] > 0.0
    )  # thicker air carries a hover; on rotors in forward flight it does not matter


HIGH = Conditions(air_c=12.0, altitude_m=1500.0)


def test_what_is_tried_adds_up_and_is_not_offered_again():
    both = COLD.model_copy(update={"trying": ("lighter", "well_tuned")})
    left = {b.key for b in what_buys_minutes(both)}
    assert left == set(CHANGES) - {"lighter", "well_tuned"}
    assert set_up(both).all_up_mass_kg == pytest.approx(set_up(COLD).all_up_mass_kg - 0.05)
    assert set_up(both).sheet.trying == ()


def test_each_change_does_what_its_title_says():
    before = set_up(COLD)
    after = {key: set_up(change.apply(COLD)) for key, change in CHANGES.items()}
    assert after["well_tuned"].load.steady_w == pytest.approx(WELL_TUNED * before.load.steady_w)
    assert after["larger_propeller"].load.steady_w == pytest.approx(before.load.steady_w / LARGER_DIAMETER)
    assert after["less_avionics"].load.steady_w == pytest.approx(before.load.steady_w)
    assert after["less_avionics"].load.avionics_w == pytest.approx(0.7 * before.load.avionics_w)
    assert after["warm_pack"].start_c == 28.0
    assert after["more_capacity"].figures.capacity_ah == pytest.approx(2.0 * before.figures.capacity_ah)
    assert after["more_capacity"].sheet.pack.parallel == 2  # round cells come whole
    assert after["lower_resistance"].figures.cells_ohm == pytest.approx(0.7 * before.figures.cells_ohm)
    assert after["better_plug"].figures.connector_ohm < before.figures.connector_ohm
    assert after["other_chemistry"].figures.mass_kg == pytest.approx(before.figures.mass_kg, rel=0.08)
    assert after["other_chemistry"].sheet.pack.capacity_ah in POUCH_AH
    assert after["other_chemistry"].sheet.pack.chemistry == "lipo"
    assert after["lower_down"].density_kg_m3 > before.density_kg_m3 > after["warmer_air"].density_kg_m3


@pytest.mark.parametrize(
    "steady",
    [
        {"source": "charge", "charge_ah": 1.5, "duration_s": 600.0, "voltage_v": 21.0, "all_up_mass_kg": 1.0},
        {"source": "rotor", "rotor_count": 4, "rotor_diameter_m": 0.178},
    ],
)
def test_changes_of_steady_power_reach_it_wherever_it_comes_from(steady):
    one = sheet(craft=heron(steady=steady))
    tuned = set_up(CHANGES["well_tuned"].apply(one))
    assert tuned.load.steady_w == pytest.approx(WELL_TUNED * set_up(one).load.steady_w)


def test_a_change_that_does_not_apply_is_not_offered():
    warm = sheet(conditions=Conditions(air_c=30.0))
    keys = {b.key for b in what_buys_minutes(warm)}
    assert "warm_pack" not in keys
    assert "lower_down" not in keys
    assert with_changes(warm.model_copy(update={"trying": ("warm_pack",)})).conditions == warm.conditions
    best = sheet(pack=pomelo(connector="bullet_150a"))
    assert "better_plug" not in {b.key for b in what_buys_minutes(best)}


def test_a_small_craft_loses_a_small_weight():
    micro = sheet(craft=heron(dry_mass_kg=0.0205), pack=pomelo(series=1, capacity_ah=0.3, mass_kg=0.0079))
    assert lighter_by_kg(micro) == pytest.approx(0.001)


def test_a_plain_pack_flies_as_the_tested_one():
    run = {"before_v": 25.0, "loaded_v": 23.5, "current_a": 60.0}
    tested = satsuma(tests={"full_throttle": run, "capacity": {"charge_ah": 1.1}}, cycles=40)
    was, now = pack_figures(tested), pack_figures(plain_pack(tested))
    assert now.capacity_ah == pytest.approx(was.capacity_ah)
    assert now.resistance_ohm == pytest.approx(was.resistance_ohm)
    assert now.mass_kg == was.mass_kg


# Going out and coming back


def test_the_turn_is_where_both_ways_take_the_flight():
    assert turn_back_s(landing_s=600, airspeed_m_s=15, headwind_home_m_s=0) == 300
    # 20 m/s out, 10 m/s back: a third of the time out.
    assert turn_back_s(landing_s=600, airspeed_m_s=15, headwind_home_m_s=5) == pytest.approx(200)
    assert turn_back_s(landing_s=600, airspeed_m_s=15, headwind_home_m_s=-5) == pytest.approx(400)
    for wind, words in ((15.0, "get home"), (-16.0, "get out")):
        with pytest.raises(OutOfRangeError, match=words):
            turn_back_s(landing_s=600, airspeed_m_s=15, headwind_home_m_s=wind)


def test_out_and_back_leaves_the_reserve_untouched():
    setup = set_up(sheet(landing=LandingRule(home_s=90, headwind_m_s=4.0)))
    flight = fly(setup)
    trip = out_and_back(setup=setup, flight=flight)
    assert trip.distance_m == pytest.approx(trip.out_m_s * trip.turn_s)
    assert trip.distance_m == pytest.approx(trip.back_m_s * (trip.landing_s - trip.turn_s))
    assert trip.out_m_s == 18.0
    assert trip.reserve_ah == pytest.approx(0.2 * setup.figures.capacity_ah, rel=2e-3)
    assert trip.out_mah_km * trip.distance_m / 1000 == pytest.approx(1000 * trip.turn_used_ah)
    assert trip.back_mah_km > trip.out_mah_km
    assert trip.turn_loaded_v < trip.turn_rest_v


def test_a_craft_of_unknown_speed_is_asked_for_it():
    setup = set_up(sheet(craft=heron(cruise_speed_m_s=None)))
    with pytest.raises(OutOfRangeError, match="cruise speed in the hangar"):
        out_and_back(setup=setup, flight=fly(setup))


# From pack to propeller


def chain_of(one):
    result = forecast(one)
    return parts_chain(setup=result.setup, flight=result.flight, at_landing=result.at_landing, honest=result.honest)


def test_the_chain_runs_from_pack_to_propeller():
    chain = chain_of(sheet())
    keys = [link.key for link in chain.links]
    assert keys[0] == "cells"
    assert keys[-1] == "propeller"
    by_key = {link.key: link for link in chain.links}
    assert by_key["motors"].limit == 120.0
    assert by_key["motors"].load == pytest.approx(forecast(sheet()).at_landing.full_fresh_a)
    assert by_key["voltage"].limit is None
    assert by_key["voltage"].status == "ok"


def test_every_page_judges_a_motor_by_full_throttle_held_on_the_ground():
    full = {**heron().full_throttle.model_dump(), "where": "bench"}
    free = heron(full_throttle=full)
    held_a = {x.key: x for x in chain_of(sheet(craft=free)).links}["motors"].load
    flying_a = forecast(sheet(craft=free)).at_landing.full_fresh_a
    assert held_a > 1.1 * flying_a
    # A limit between the two: inside it in flight, beyond it at every take-off.
    between = sheet(
        craft=heron(full_throttle=full, limits={"motor_count": 1, "motor_a": 0.5 * (held_a + flying_a)})
    )
    [check] = [c for c in forecast(between).checks if c.key == "motor_limit"]
    assert check.status in ("look", "stop")
    now = more_power(between)[0]
    assert now.motor_share == pytest.approx(held_a / between.craft.limits.all_motors_a())
    assert not now.fits()
    found = search(between, packs=[between.pack], limits=SearchLimits())
    assert "motor" in {e.key for e in found.excluded}


@pytest.mark.parametrize(
    ("change", "weakest", "mend"),
    [
        ({"craft": heron(limits={"motor_count": 4, "motor_a": 11.0})}, "motors", "finer propeller"),
        ({"craft": heron(limits={"motor_count": 4, "esc_a": 9.0, "esc_burst_a": 10.0})}, "esc_burst", "ESC"),
        ({"craft": heron(limits={"maximum_v": 16.0})}, "voltage", "Fewer cells"),
        ({"pack": pomelo(connector="small_15a", second_plug="micro_1s")}, "second_plug", "adapter"),
        ({"pack": pomelo(connector="micro_1s")}, "plug", "larger plug"),
        ({"pack": pomelo(lead_area_mm2=0.3)}, "leads", "Thicker"),
        ({"pack": pomelo(ratings={"continuous_a": 5, "one_minute_a": 6, "ten_second_a": 7})}, "rating", "parallel"),
        ({"craft": heron(dry_mass_kg=1.9)}, "cells", "larger pack"),
    ],
)
def test_the_weakest_link_is_marked_with_its_mend(change, weakest, mend):
    chain = chain_of(sheet(**change))
    link = chain.links[chain.weakest]
    assert link.key == weakest
    assert link.status == "stop"
    assert mend in say(link.mend)


def test_a_propeller_that_cannot_carry_is_the_weakest():
    feeble = heron(full_throttle={"source": "measured", "current_a": 10.5, "voltage_v": 20.0}, limits={})
    chain = chain_of(sheet(craft=feeble, pack=satsuma(connector="heavy_90a")))
    link = chain.links[chain.weakest]
    assert link.key == "propeller"
    assert link.unit == "ratio"
    assert "More cells" in say(link.mend)


def test_a_pack_estimated_heavier_than_may_be_entered_can_still_be_changed():
    heavy = satsuma(capacity_ah=200.0, mass_kg=None, parallel=4, series=14)
    assert pack_figures(heavy).mass_kg > HEAVIEST_PACK_KG
    assert plain_pack(heavy).mass_kg == HEAVIEST_PACK_KG


@pytest.mark.parametrize("pack", [pomelo(), satsuma()])
def test_power_and_minutes_agree_on_the_same_pack(pack):
    """The next size, and a better pack, stand on one page twice: with what flights taught, they land at once."""
    learned = corrected(sheet(pack=pack), learned_factors(pack=pack, capacity=0.9, resistance=1.3))
    base = fly_to_landing(set_up(learned)).landing_s
    gained = {b.key: b.gained_s for b in what_buys_minutes(learned)}
    options = {o.key: o.at_landing.landing_s for o in more_power(learned)}
    assert options["now"] == pytest.approx(base)
    assert options["more capacity"] - base == pytest.approx(gained["more_capacity"], abs=1e-6)
    assert options["better pack"] - base == pytest.approx(gained["lower_resistance"], abs=1e-6)
