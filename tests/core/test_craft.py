"""Crafts: power from each source, full throttle, density, weight."""

from __future__ import annotations

import math

import pytest

from tests.sheets import heron
from zesty_cell.core.air import air_density_kg_m3
from zesty_cell.core.craft import (
    Craft,
    EstimatedFullThrottle,
    MeasuredCharge,
    MeasuredFullThrottle,
    RotorGeometry,
    WingGeometry,
    craft_load,
    steady_power_w,
)


def test_standard_air_is_the_standard_atmosphere():
    assert air_density_kg_m3(temperature_c=15.0, altitude_m=0.0) == pytest.approx(1.225, rel=1e-3)
    # ISO 2533 at 2000 m: 2 °C, 1.00649 kg/m³.
    assert air_density_kg_m3(temperature_c=2.0, altitude_m=2000.0) == pytest.approx(1.00649, rel=1e-3)


def test_a_measured_point_is_met_at_its_own_weight_and_air():
    power = steady_power_w(craft=heron(), mass_kg=1.063, density_kg_m3=1.225)
    assert power + 7.0 == pytest.approx(8.9 * 21.3)


def test_power_grows_with_weight_to_the_three_halves_and_falls_with_density():
    light = steady_power_w(craft=heron(), mass_kg=1.0, density_kg_m3=1.225)
    heavy = steady_power_w(craft=heron(), mass_kg=1.21, density_kg_m3=1.225)
    thin = steady_power_w(craft=heron(), mass_kg=1.0, density_kg_m3=1.225 / 4)
    assert heavy / light == pytest.approx(1.21**1.5)
    assert thin / light == pytest.approx(2.0)


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
    assert craft_load(craft=craft, mass_kg=1.0, density_kg_m3=1.2).power_sigma == sigma


def test_wiring_cannot_eat_the_whole_voltage():
    craft = Craft.model_validate(
        heron().model_dump()
        | {
            "motor_resistance_ohm": 2.0,
            "full_throttle": MeasuredFullThrottle(current_a=72, voltage_v=21).model_dump(),
        }
    )
    assert craft_load(craft=craft, mass_kg=1.0, density_kg_m3=1.2).full_throttle_a_v2 > 0
