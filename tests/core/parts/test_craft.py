"""Crafts: power from each source, full throttle, density, weight."""

from __future__ import annotations

import math

import pytest

from tests.sheets import heron
from zesty_cell.core.parts.air import air_density_kg_m3
from zesty_cell.core.parts.craft import (
    Craft,
    EstimatedFullThrottle,
    Limits,
    MeasuredCharge,
    MeasuredFullThrottle,
    RotorGeometry,
    WingGeometry,
)
from zesty_cell.core.parts.craft_load import (
    burst_seconds,
    burst_work_j_kg,
    craft_load,
    spare_burst_w,
    steady_power_w,
)
from zesty_cell.core.parts.full_throttle import standing_current_a


def test_standard_air_is_the_standard_atmosphere():
    assert air_density_kg_m3(temperature_c=15.0, altitude_m=0.0) == pytest.approx(1.225, rel=1e-3)
    # ISO 2533 at 2000 m: 2 °C, 1.00649 kg/m³.
    assert air_density_kg_m3(temperature_c=2.0, altitude_m=2000.0) == pytest.approx(1.00649, rel=1e-3)


def test_a_measured_point_is_met_at_its_own_weight_and_air():
    own = air_density_kg_m3(temperature_c=12.0, altitude_m=0.0)
    for regime in (None, "hover", "forward"):
        power = steady_power_w(craft=heron(), mass_kg=1.063, density_kg_m3=own, regime=regime)
        assert power + 7.0 == pytest.approx(8.9 * 21.3)


@pytest.mark.parametrize(
    ("regime", "weight", "density"),
    [
        (None, 1.4, -0.45), ("hover", 1.4, -0.45), ("forward", 0.85, 0.0), ("own lift", 1.5, -0.5),
        ("fixed speed", 0.8, 0.4),
    ],
)  # fmt: skip
def test_power_goes_with_weight_and_density_as_its_regime_says(regime, weight, density):
    light = steady_power_w(craft=heron(), mass_kg=1.0, density_kg_m3=1.225, regime=regime)
    heavy = steady_power_w(craft=heron(), mass_kg=1.21, density_kg_m3=1.225, regime=regime)
    thin = steady_power_w(craft=heron(), mass_kg=1.0, density_kg_m3=1.225 / 1.5, regime=regime)
    assert heavy / light == pytest.approx(1.21**weight)
    assert thin / light == pytest.approx(1.5**-density)


def test_a_quarter_more_weight_costs_a_rotor_craft_less_when_it_moves():
    """Hand-worked: 1.25^1.4 is 1.367, 1.25^0.85 is 1.209: twelve per cent between the two."""
    load = craft_load(craft=heron(), mass_kg=1.25 * 1.063, density_kg_m3=1.2384)
    assert load.regime_w["hover"] / load.regime_w["forward"] == pytest.approx(1.367 / 1.209, rel=2e-3)
    assert load.steady_w == load.regime_w["hover"]


def test_a_measured_point_has_its_air():
    """Hand-worked: 30 °C at 1500 m is 0.972 kg/m³ (ISO 2533); in standard air a hover takes (1.225/0.972)^−0.45."""
    hot = heron(steady={**heron().steady.model_dump(), "air_c": 30.0, "altitude_m": 1500.0})
    plain = heron(steady={**heron().steady.model_dump(), "air_c": None, "altitude_m": None})
    powers = [steady_power_w(craft=c, mass_kg=1.063, density_kg_m3=1.225) for c in (hot, plain)]
    assert powers[0] / powers[1] == pytest.approx((1.225 / 0.9716) ** -0.45, rel=1e-3)
    at_its_own = steady_power_w(craft=hot, mass_kg=1.063, density_kg_m3=0.9716)
    assert at_its_own == pytest.approx(8.9 * 21.3 - 7.0, rel=1e-3)


@pytest.mark.parametrize(
    ("read_by", "error", "sigma"),
    [("meter", 0.1, 0.08), ("craft's sensor", 0.1, 0.1281), ("craft's sensor", 0.03, 0.0854)],
)  # fmt: skip
def test_a_current_is_known_as_well_as_what_read_it(read_by, error, sigma):
    """The square root of 0.08² and the sensor's error squared."""
    craft = heron(steady={**heron().steady.model_dump(), "read_by": read_by})
    load = craft_load(craft=craft, mass_kg=1.063, density_kg_m3=1.2384, sensor_error=error)
    assert load.power_sigma == pytest.approx(sigma, abs=2e-4)


@pytest.mark.parametrize(("kind", "unloads"), [("multirotor", 0.82), ("wing", 0.77), ("ducted fan", 0.90)])
def test_full_throttle_on_the_bench_unloads_in_flight(kind, unloads):
    """The same volts at the motor: amps in flight are so much of those on the bench, and wider known."""
    bench, flown = (
        craft_load(
            craft=heron(kind=kind, full_throttle={**heron().full_throttle.model_dump(), "where": where}),
            mass_kg=1.063,
            density_kg_m3=1.225,
        )
        for where in ("bench", "flight")
    )
    assert bench.full_throttle_a_v2 * (21.0 - 72.0 * unloads * 0.02) ** 2 == pytest.approx(72.0 * unloads)
    assert bench.standing_a_v2 == pytest.approx(flown.full_throttle_a_v2)
    assert (flown.full_throttle_sigma, bench.full_throttle_sigma) == (0.05, pytest.approx(0.086, abs=1e-3))
    # From a pack of 30 mΩ: what flies draws its share, what stands draws the bench's.
    standing = standing_current_a(load=bench, flying_a=60.0, pack_ohm=0.03)
    rest_v = math.sqrt(60.0 / bench.full_throttle_a_v2) + 60.0 * 0.05
    assert standing == pytest.approx(bench.standing_a_v2 * (rest_v - standing * 0.05) ** 2)
    assert 60.0 < standing < 60.0 / unloads


def test_a_burst_is_work_by_its_height_or_by_the_crafts_own_seconds():
    """Hand-worked: 72 A at 21 V less hover's 182.57 W and 7 W are 1322.43 W for two seconds, over 1.063 kg."""
    craft = heron()
    assert burst_work_j_kg(craft=craft, share=1.0, seconds=2.0) == pytest.approx(1322.43 * 2.0 / 1.063, rel=1e-4)
    by_height = burst_work_j_kg(craft=craft, share=1.0, seconds=2.0, height_m=30.0)
    assert by_height == pytest.approx(9.80665 * 30.0 / 0.30)
    assert burst_seconds(craft=craft, share=1.0, height_m=30.0) == pytest.approx(
        by_height * 1.063 / 1322.43, rel=1e-4
    )
    assert spare_burst_w(craft=craft, mass_kg=2.126) == pytest.approx(2 * 1322.43, rel=1e-4)
    assert burst_work_j_kg(craft=craft, share=0.05, seconds=2.0) == 0.0  # less than flying is no climb


def test_an_assumed_weight_is_a_doubt_of_power_as_far_as_it_is_a_part_of_what_flies():
    """Hand-worked: 10 % of 0.6 kg are 5 % of 1.2 kg flown, and hover power goes with that to the power of 1.4."""
    by_size = RotorGeometry(rotor_count=4, rotor_diameter_m=0.178).model_dump()
    craft = heron(dry_mass_kg=0.6, steady=by_size, assumed={"weight": 0.1})
    load = craft_load(craft=craft, mass_kg=1.2, density_kg_m3=1.225, regime="hover")
    assert load.power_parts.weight == pytest.approx(1.4 * 0.1 * 0.6 / 1.2)


def test_no_burst_lifts_a_craft_whose_full_throttle_is_less_than_it_takes_to_fly():
    weak = heron(full_throttle=MeasuredFullThrottle(current_a=8.0, voltage_v=21.0).model_dump())
    assert spare_burst_w(craft=weak, mass_kg=1.063) == 0.0
    assert burst_work_j_kg(craft=weak, share=1.0, seconds=2.0) == 0.0
    assert burst_seconds(craft=weak, share=1.0, height_m=30.0) == 60.0


def test_charge_put_back_is_a_mean_current():
    source = MeasuredCharge(charge_ah=1.0, duration_s=360.0, voltage_v=20.0, all_up_mass_kg=1.0)
    craft = heron(steady=source.model_dump(), avionics_w=10.0)
    assert steady_power_w(craft=craft, mass_kg=1.0, density_kg_m3=1.225) == pytest.approx(10.0 * 20.0 - 10.0)


def test_hover_by_geometry_is_the_actuator_disc():
    craft = heron(steady=RotorGeometry(rotor_count=4, rotor_diameter_m=0.1778, efficiency=0.45).model_dump())
    weight = 1.063 * 9.80665
    ideal = weight * math.sqrt(weight / (2 * 1.225 * 4 * math.pi * 0.0889**2))
    assert steady_power_w(craft=craft, mass_kg=1.063, density_kg_m3=1.225) == pytest.approx(ideal / 0.45)


def test_level_flight_by_geometry_is_weight_times_speed_over_glide_ratio():
    wing = WingGeometry(wing_area_m2=0.3, lift_coefficient=0.5, lift_over_drag=10.0, efficiency=0.5)
    weight = 1.4 * 9.80665
    speed = math.sqrt(2 * weight / (1.225 * 0.3 * 0.5))
    power = steady_power_w(craft=heron(kind="wing", steady=wing.model_dump()), mass_kg=1.4, density_kg_m3=1.225)
    assert power == pytest.approx(weight * speed / 10.0 / 0.5)


def test_full_throttle_passes_through_its_measured_point():
    load = craft_load(craft=heron(), mass_kg=1.063, density_kg_m3=1.225)
    motor_v = 21.0 - 72.0 * load.motor_resistance_ohm
    assert load.full_throttle_a_v2 * motor_v**2 == pytest.approx(72.0)


def test_an_estimated_full_throttle_is_wider_than_a_measured_one():
    estimate = heron(full_throttle=EstimatedFullThrottle(power_over_steady=6.0, voltage_v=21.0).model_dump())
    load = craft_load(craft=estimate, mass_kg=1.063, density_kg_m3=1.225)
    assert (
        load.full_throttle_sigma > craft_load(craft=heron(), mass_kg=1.0, density_kg_m3=1.225).full_throttle_sigma
    )
    current = 6.0 * 8.9 * 21.3 / 21.0
    assert load.full_throttle_a_v2 * (21.0 - current * load.motor_resistance_ohm) ** 2 == pytest.approx(current)


@pytest.mark.parametrize(("kind", "sigma"), [("measured", 0.08), ("rotor", 0.25)])
def test_the_source_of_steady_power_sets_its_uncertainty(kind, sigma):
    craft = (
        heron()
        if kind == "measured"
        else heron(steady=RotorGeometry(rotor_count=4, rotor_diameter_m=0.18).model_dump())
    )
    assert craft_load(craft=craft, mass_kg=1.0, density_kg_m3=1.2).power_sigma == pytest.approx(sigma, abs=0.002)


def test_wiring_cannot_eat_the_whole_voltage():
    craft = Craft.model_validate(
        heron().model_dump()
        | {
            "motor_resistance_ohm": 2.0,
            "full_throttle": MeasuredFullThrottle(current_a=72, voltage_v=21).model_dump(),
        }
    )
    assert craft_load(craft=craft, mass_kg=1.0, density_kg_m3=1.2).full_throttle_a_v2 > 0


def test_limits_of_one_motor_are_those_of_all_by_their_number_or_not_known():
    four = Limits(motor_count=4, motor_a=30.0, motor_w=600.0, esc_a=45.0, esc_burst_a=55.0)
    assert (four.all_motors_a(), four.all_motors_w(), four.all_escs_a(), four.all_escs_burst_a()) == (
        120.0, 2400.0, 180.0, 220.0,
    )  # fmt: skip
    assert Limits(motor_count=4, esc_a=45.0).all_escs_burst_a() == 180.0
    none = Limits(motor_count=4)
    assert {none.all_motors_a(), none.all_motors_w(), none.all_escs_a(), none.all_escs_burst_a()} == {None}
