"""Motors and propellers from their data sheets: docs/physics.md, "From parts"."""

from __future__ import annotations

import math
from pathlib import Path

import pytest
from pydantic import ValidationError
from scipy.optimize import brentq

from tests.sheets import heron, sheet
from zesty_cell.core.choose.matching import match_cells
from zesty_cell.core.choose.throttle import hover_throttle
from zesty_cell.core.flight.setup import set_up
from zesty_cell.core.flight.summary import fly_to_landing
from zesty_cell.core.parts.craft import Craft, Limits, PartsFullThrottle, PartsHover, RotorGeometry
from zesty_cell.core.parts.craft_load import craft_load, efficiency_of, thrust_an_amp_kg
from zesty_cell.core.parts.full_throttle import full_throttle_v, most_motors_a
from zesty_cell.core.parts.power_doubt import full_throttle_sigma
from zesty_cell.core.parts.propulsion import (
    Propulsion,
    held_at_full_throttle,
    hover_power_w,
    power_coefficient,
    thrust_coefficient,
)

_PHYSICS = Path(__file__).parents[3] / "docs" / "physics.md"
_INCH = 0.0254
FREESTYLE = Propulsion(motor_count=4, kv_rpm_v=1900, diameter_m=5.1 * _INCH, pitch_m=4.3 * _INCH, blades=3)


def _rows() -> list[list[str]]:
    text = _PHYSICS.read_text().split("## From parts", 1)[1].split("\n## ", 1)[0]
    rows = [[c.strip() for c in line.strip("|").split("|")] for line in text.splitlines() if line.startswith("|")]
    return rows[2:]


@pytest.mark.parametrize("row", _rows(), ids=lambda row: row[0])
def test_parts_draw_and_pull_what_benches_show(row):
    _, motors, kv, size, blades, volts, amps, usual_a, thrust_g, usual_g = row
    diameter, pitch = (float(x) * _INCH for x in size.split("×"))
    parts = Propulsion(
        motor_count=int(motors), kv_rpm_v=float(kv), diameter_m=diameter, pitch_m=pitch, blades=int(blades)
    )
    held = held_at_full_throttle(parts, voltage_v=float(volts))
    each_a, each_g = held.current_a / parts.motor_count, 1000.0 * held.thrust_kg / parts.motor_count
    assert each_a == pytest.approx(float(amps), abs=0.06)
    assert each_g == pytest.approx(float(thrust_g), abs=0.6)
    for value, span in ((each_a, usual_a), (each_g, usual_g)):
        low, high = (float(x) for x in span.split(" to "))
        assert low <= value <= high


def test_the_closed_form_is_where_both_torques_are_equal():
    """Against a root finder on the two torques as a textbook has them, with the constants of this one motor."""
    parts = FREESTYLE.model_copy(update={"winding_ohm": 0.09})
    volts, torque_a, d = 0.97 * 22.0, 60.0 / (2 * math.pi * 1900), 5.1 * _INCH
    usual = math.exp(
        math.log(2.4e-4) + (math.log(5.5e-4) - math.log(2.4e-4)) * math.log(d / 0.127) / math.log(0.178 / 0.127)
    )
    friction = 0.35 * math.sqrt(usual) ** 1.15

    def apart(speed):
        amps = (volts - torque_a * speed) / 0.09
        propeller = power_coefficient(parts) * 1.225 * (speed / (2 * math.pi)) ** 2 * d**5 / (2 * math.pi)
        return torque_a * amps - friction - propeller

    speed = brentq(apart, 1.0, volts / torque_a)
    held = held_at_full_throttle(parts, voltage_v=22.0)
    assert held.rpm == pytest.approx(60 * speed / (2 * math.pi), rel=1e-9)
    assert held.current_a == pytest.approx(4 * (volts - torque_a * speed) / 0.09, rel=1e-9)
    thrust_n = 4 * thrust_coefficient(parts) * 1.225 * (speed / (2 * math.pi)) ** 2 * d**4
    assert held.thrust_kg == pytest.approx(thrust_n / 9.80665, rel=1e-9)


def test_coefficients_by_hand():
    two = FREESTYLE.model_copy(update={"blades": 2, "diameter_m": 0.254, "pitch_m": 0.127})
    assert thrust_coefficient(two) == pytest.approx(0.105)
    assert power_coefficient(two) == pytest.approx(0.0505)
    # Half its weight of lift more from a third blade than in proportion it costs.
    three = two.model_copy(update={"blades": 3})
    assert thrust_coefficient(three) == pytest.approx(0.105 * 1.5**0.70)
    assert power_coefficient(three) == pytest.approx(0.0505 * 1.5**0.85)
    small = two.model_copy(update={"diameter_m": 0.127, "pitch_m": 0.0635})
    assert power_coefficient(small) == pytest.approx(0.0505 * 2**0.22)
    # From 0.65 of pitch over diameter the blades stall: no more thrust, ever more power.
    steep, steeper = (two.model_copy(update={"pitch_m": 0.254 * k}) for k in (0.66, 1.0))
    assert thrust_coefficient(steep) == thrust_coefficient(steeper) == 0.125
    assert power_coefficient(steeper) > power_coefficient(steep)


@pytest.mark.parametrize(
    ("size_in", "kg"), [(1.22, 0.029), (2.5, 0.16), (5.0, 0.65), (7.0, 1.0), (10.0, 2.0), (15.0, 3.8), (28.0, 14.0)]
)
def test_hover_from_parts_and_by_size_are_one_craft(size_in, kg):
    """Two roads to one power, each good to a quarter."""
    parts = Propulsion(
        motor_count=4, kv_rpm_v=9500 / size_in, diameter_m=size_in * _INCH, pitch_m=0.45 * size_in * _INCH
    )
    rotors = RotorGeometry(rotor_count=4, rotor_diameter_m=size_in * _INCH)
    by_size = heron(steady=rotors.model_dump(), dry_mass_kg=kg / 1.4)
    by_parts = heron(
        steady=PartsHover().model_dump(), dry_mass_kg=kg / 1.4, propulsion=parts.model_dump(),
    )  # fmt: skip
    watts = [craft_load(craft=c, mass_kg=kg, density_kg_m3=1.225).steady_w for c in (by_size, by_parts)]
    assert watts[1] == pytest.approx(hover_power_w(parts, mass_kg=kg, density_kg_m3=1.225))
    assert 0.75 < watts[1] / watts[0] < 1.25
    assert efficiency_of(by_parts, mass_kg=kg) == pytest.approx(efficiency_of(by_size, mass_kg=kg), rel=0.34)


def test_hover_power_by_hand():
    """Shaft, friction and heat of one propeller at its thrust, over what its controller passes on."""
    parts = Propulsion(motor_count=1, kv_rpm_v=900, diameter_m=0.254, pitch_m=0.127)
    turns = math.sqrt(9.80665 / (0.105 * 1.225 * 0.254**4))
    shaft_w = 0.0505 * 1.225 * turns**3 * 0.254**5
    friction = 0.35 * math.sqrt(1.4e-3) ** 1.15
    torque = shaft_w / (2 * math.pi * turns) + friction
    watts = (shaft_w + friction * 2 * math.pi * turns + torque**2 / 1.4e-3) / 0.90
    assert hover_power_w(parts, mass_kg=1.0, density_kg_m3=1.225) == pytest.approx(watts, rel=1e-9)


def _of_parts(**more) -> Craft:
    return heron(
        propulsion=FREESTYLE.model_dump(), steady={"source": "parts"},
        full_throttle={"source": "parts", "voltage_v": 22.0}, dry_mass_kg=0.44, **more,
    )  # fmt: skip


def test_a_craft_of_parts_draws_held_what_they_draw_and_less_in_flight():
    craft = _of_parts()
    load = craft_load(craft=craft, mass_kg=0.65, density_kg_m3=1.225)
    held = held_at_full_throttle(FREESTYLE, voltage_v=22.0)
    assert full_throttle_v(load=load, standing_a=held.current_a) == pytest.approx(22.0)
    assert load.full_throttle_a_v2 < load.standing_a_v2
    assert full_throttle_sigma(craft, sensor_error=0.0) == pytest.approx(math.hypot(0.18, 0.07))
    assert load.power_parts.source == pytest.approx(0.25, abs=0.02)
    # Thrust goes with the current; it decides what is left at landing.
    assert thrust_an_amp_kg(craft) == pytest.approx(held.thrust_kg / (held.current_a * 0.82))
    setup = set_up(sheet(craft=craft))
    landing = fly_to_landing(setup)
    thrust_kg = thrust_an_amp_kg(craft) * landing.full_fresh_a
    assert landing.to_spare_fresh == pytest.approx(thrust_kg / setup.all_up_mass_kg)


def test_thrust_from_a_scale_is_believed():
    full = {"source": "measured", "current_a": 100.0, "voltage_v": 21.0, "where": "flight", "thrust_kg": 3.0}
    setup = set_up(sheet(craft=heron(full_throttle=full)))
    landing = fly_to_landing(setup)
    assert landing.to_spare == pytest.approx(3.0 * landing.full_landing_a / 100.0 / setup.all_up_mass_kg)
    plain = fly_to_landing(set_up(sheet(craft=heron(full_throttle=full | {"thrust_kg": None}))))
    assert plain.to_spare != pytest.approx(landing.to_spare, rel=0.05)


@pytest.mark.parametrize(
    ("limits", "most_a"),
    [
        ({}, None),
        ({"motor_a": 30.0}, 120.0),
        ({"motor_w": 440.0}, 80.0),
        ({"motor_w": 990.0, "motor_a": 30.0}, 120.0),
    ],
)
def test_a_motor_is_limited_by_amps_or_by_watts(limits, most_a):
    craft = _of_parts(limits=limits | {"motor_count": 4})
    load = craft_load(craft=craft, mass_kg=0.65, density_kg_m3=1.225)
    standing_a = held_at_full_throttle(FREESTYLE, voltage_v=22.0).current_a
    found = most_motors_a(craft=craft, load=load, standing_a=standing_a)
    assert found == (None if most_a is None else pytest.approx(most_a))


@pytest.mark.parametrize(
    ("said", "words"),
    [
        ({"propulsion": None}, "refused.craft.parts"),
        ({"kind": "helicopter"}, "refused.craft.parts_kind"),
        ({"kind": "ducted fan"}, "refused.craft.parts_kind"),
        ({"kind": "wing"}, "refused.craft.parts_kind"),
    ],
)
def test_parts_that_tell_nothing_are_refused(said, words):
    with pytest.raises(ValidationError) as caught:
        Craft.model_validate(_of_parts().model_dump() | said)
    assert caught.value.errors()[0]["ctx"]["why"].key == words
    # A wing's full throttle follows from them, its level flight does not.
    wing = {
        "kind": "wing",
        "steady": {"source": "wing", "wing_area_m2": 0.2},
        "full_throttle": PartsFullThrottle(voltage_v=14),
    }
    assert Craft.model_validate(_of_parts().model_dump() | wing).kind == "wing"


def test_a_slower_rotor_takes_less_and_says_so():
    def efficiency(speed):
        rotor = {"source": "rotor", "rotor_count": 1, "rotor_diameter_m": 0.97, "head_speed": speed}
        return efficiency_of(heron(kind="helicopter", steady=rotor), mass_kg=1.7)

    assert efficiency("low") / efficiency("usual") == pytest.approx(1.25)
    assert efficiency("high") / efficiency("usual") == pytest.approx(0.75)


# Matching


def _cells(parts=FREESTYLE, **said):
    return match_cells(parts, **{"ready_kg": 0.65, "chemistry": "lipo", "limits": Limits()} | said)


def test_cell_counts_that_suit_and_those_that_do_not():
    by_series = {m.series: m for m in _cells()}
    assert by_series[6].status == "ok"
    assert by_series[6].voltage_v == pytest.approx(21.6)
    assert by_series[6].motor_w == pytest.approx(by_series[6].motor_a * 21.6)
    assert [f.key for f in by_series[2].findings] == ["match.little_to_spare"]
    assert [f.key for f in by_series[8].findings] == ["match.fast_tip"]
    assert 12 not in by_series  # its tips would pass the speed of sound
    assert by_series[4].hover_w == by_series[6].hover_w == pytest.approx(143.7, abs=3)


@pytest.mark.parametrize(
    ("limits", "stops"),
    [
        ({"motor_a": 40.0}, "match.over.motor_a"),
        ({"motor_w": 900.0}, "match.over.motor_w"),
        ({"esc_burst_a": 45.0}, "match.over.esc"),
        ({"esc_a": 45.0}, "match.over.esc"),
        ({"motor_a": 60.0, "motor_w": 1200.0, "esc_burst_a": 60.0}, None),
    ],
)
def test_limits_of_motor_and_esc_stop_a_match(limits, stops):
    six = next(m for m in _cells(limits=Limits(**limits)) if m.series == 6)
    assert [f.key for f in six.findings] == ([stops] if stops else [])
    assert six.status == ("stop" if stops else "ok")


def test_a_propeller_too_steep_for_its_motor_and_a_craft_too_heavy():
    steep = FREESTYLE.model_copy(update={"diameter_m": 7 * _INCH, "pitch_m": 7 * _INCH, "winding_ohm": 0.12})
    assert any("match.too_much" in [f.key for f in m.findings] for m in _cells(steep, ready_kg=1.0))
    heavy = [m for m in _cells(ready_kg=2.0) if m.series == 3]
    assert [f.key for f in heavy[0].findings] == ["match.does_not_carry"]
    assert heavy[0].hover_w is None
    light = FREESTYLE.model_copy(update={"kv_rpm_v": 2400.0})
    assert "match.nervous" in [f.key for m in _cells(light, ready_kg=0.25) for f in m.findings]


def test_a_wing_is_not_asked_to_hover():
    plane = Propulsion(motor_count=1, kv_rpm_v=1000, diameter_m=10 * _INCH, pitch_m=7 * _INCH)
    three = next(m for m in _cells(plane, ready_kg=1.8, rotor=False) if m.series == 3)
    assert three.status == "ok"
    assert three.hover_w is None
    assert three.pitch_speed_m_s == pytest.approx(7 * _INCH * three.held.rpm / 60)


@pytest.mark.parametrize(("over_weight", "throttle"), [(4.0, 0.5), (1.0, 1.0), (0.5, 1.0), (10.0, 0.3162)])
def test_a_hover_takes_the_root_of_weight_over_thrust(over_weight, throttle):
    assert hover_throttle(over_weight) == pytest.approx(throttle, abs=1e-4)


def test_parts_that_are_known_do_not_replace_how_the_hover_was_said_to_be_known():
    """Motors and propellers may be given for full throttle alone: the hover is by its geometry then."""
    geometry = RotorGeometry(rotor_count=4, rotor_diameter_m=0.13, efficiency=0.31).model_dump()
    plain = heron(steady=geometry)
    with_parts = heron(steady=geometry, propulsion=FREESTYLE.model_dump())
    assert efficiency_of(with_parts, mass_kg=1.0) == 0.31
    load, known = (craft_load(craft=c, mass_kg=1.0, density_kg_m3=1.225) for c in (with_parts, plain))
    assert load.regime_w == known.regime_w
    by_parts = heron(steady=PartsHover().model_dump(), propulsion=FREESTYLE.model_dump())
    assert efficiency_of(by_parts, mass_kg=1.0) != 0.31
