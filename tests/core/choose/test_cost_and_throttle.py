"""What a flight costs of its pack, and which part of the throttle is for use."""

from __future__ import annotations

import pytest

from tests.sheets import heron, pomelo, satsuma, sheet
from zesty_cell.core.asked.rebuilt import plain_pack
from zesty_cell.core.choose.compare import compare_one
from zesty_cell.core.choose.cost import USUAL_FLIGHTS, cost_per_flight, flights_it_lasts
from zesty_cell.core.parts.chemistries import CHEMISTRIES


def test_a_price_over_the_flights_it_lasts():
    assert cost_per_flight(satsuma()) is None
    assert cost_per_flight(satsuma(price=32.0)) == pytest.approx(0.16)
    assert cost_per_flight(pomelo(price=84.0, lasts_flights=420)) == pytest.approx(0.20)
    assert flights_it_lasts(pomelo()) == 300
    assert set(USUAL_FLIGHTS) == set(CHEMISTRIES)
    # A pack thought up from another has no price.
    assert plain_pack(satsuma(price=32.0, lasts_flights=50)).price is None


def test_a_hover_takes_the_root_of_its_weight_over_thrust_and_currents_the_third_root():
    row = compare_one(sheet(craft=heron(limits={}), pack=satsuma()))
    assert row.throttle.steady == pytest.approx(row.at_landing.to_spare_fresh**-0.5)
    assert row.throttle.most == pytest.approx((row.honest.current_a / row.at_landing.full_fresh_a) ** (1 / 3))
    assert 0.3 < row.throttle.steady < row.throttle.most < 1.0
    assert row.steady_w == pytest.approx(row.setup.load.steady_w + 7.0)
    assert row.grams_per_watt == pytest.approx(1000.0 * row.setup.all_up_mass_kg / row.steady_w)


@pytest.mark.parametrize("limit", [{"motor_a": 25.0}, {"esc_a": 25.0}, {"motor_w": 520.0}])
def test_motors_and_escs_may_have_had_enough_before_the_pack(limit):
    free = compare_one(sheet(craft=heron(limits={}), pack=satsuma()))
    held = compare_one(sheet(craft=heron(limits=limit), pack=satsuma()))
    assert held.throttle.most < free.throttle.most
    assert held.throttle.steady == free.throttle.steady
    if "motor_w" not in limit:  # full throttle held is full throttle in flight for this craft
        assert held.throttle.most == pytest.approx((25.0 / free.at_landing.full_fresh_a) ** (1 / 3))


def test_where_all_is_enough_all_of_it_is_for_use():
    strong = compare_one(
        sheet(craft=heron(limits={}), pack=satsuma(capacity_ah=10.0, mass_kg=1.4, cell_resistance_ohm=0.0006))
    )
    assert strong.throttle.most == 1.0
