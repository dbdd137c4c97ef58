"""What is usual for a craft's size, held against the craft that pilots fly: docs/physics.md, "Usual craft"."""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.sheets import heron, pomelo, sheet
from zesty_cell.core.answer.forecast import forecast
from zesty_cell.core.parts.craft import Craft, EstimatedFullThrottle, RotorGeometry, WingGeometry
from zesty_cell.core.parts.craft_load import efficiency_of
from zesty_cell.core.parts.craft_load import steady_power_w as power_w
from zesty_cell.core.parts.estimates import rotor_efficiency

_PHYSICS = Path(__file__).parents[3] / "docs" / "physics.md"


def _usual() -> list[list[str]]:
    """The rows of the table: craft, kind, size, weight, avionics, volts, amps that such craft take."""
    text = _PHYSICS.read_text().split("## Usual craft", 1)[1].split("\n## ", 1)[0]
    rows = [[c.strip() for c in line.strip("|").split("|")] for line in text.splitlines() if line.startswith("|")]
    return rows[2:]


@pytest.mark.parametrize("row", _usual(), ids=lambda r: r[0])
def test_an_estimate_is_within_what_such_craft_take(row):
    _, kind, size, weight_g, avionics_w, volts, amps, said = row
    numbers = [float(n) for n in re.findall(r"[\d.]+", size)]
    if kind in ("wing", "ducted fan"):
        steady = WingGeometry(wing_area_m2=numbers[0], lift_coefficient=numbers[1])
    else:
        steady = RotorGeometry(rotor_count=int(numbers[0]), rotor_diameter_m=numbers[1])
    craft = Craft(
        name="usual",
        kind=kind,
        dry_mass_kg=0.001 * float(weight_g) * 0.7,
        avionics_w=float(avionics_w),
        steady=steady,
        full_throttle=EstimatedFullThrottle(power_over_steady=4.0, voltage_v=float(volts)),
    )
    watts = power_w(craft=craft, mass_kg=0.001 * float(weight_g), density_kg_m3=1.225)
    estimate_a = (watts + craft.avionics_w) / float(volts)
    low, high = (float(a) for a in amps.split(" to "))
    assert 0.9 * low <= estimate_a <= 1.1 * high
    assert f"{estimate_a:.1f}" == said


def test_a_beginners_quad_of_590_g_is_not_promised_ten_minutes():
    craft = heron(
        dry_mass_kg=0.430,
        avionics_w=6.0,
        steady=RotorGeometry(rotor_count=4, rotor_diameter_m=0.127).model_dump(),
        full_throttle={"source": "estimated", "power_over_steady": 8.0, "voltage_v": 14.8},
        limits={},
    )
    pack = pomelo(name="Starter", chemistry="lipo", series=4, capacity_ah=1.3, mass_kg=0.16, label_c=100.0,
                  cell_resistance_ohm=None, ratings=None)  # fmt: skip
    hover = forecast(sheet(craft=craft, pack=pack, pattern="gentle_hover"))
    mixed = forecast(sheet(craft=craft, pack=pack, pattern="freestyle"))
    assert 9.0 < hover.cruise_a < 12.0
    assert 3.0 * 60 < mixed.flight.landing_s < hover.flight.landing_s < 6.5 * 60


@given(size=st.floats(0.02, 1.0), factor=st.floats(1.01, 2.0), loading=st.floats(20, 300))
def test_a_larger_propeller_is_not_the_worse_one(size, factor, loading):
    def of(diameter_m):
        return rotor_efficiency(rotor_diameter_m=diameter_m, disc_loading_n_m2=loading, helicopter=False)

    assert 0.1 < of(size) <= of(size * factor) < 0.6


def test_what_the_pilot_gives_counts():
    craft = heron(steady=RotorGeometry(rotor_count=4, rotor_diameter_m=0.178, efficiency=0.5).model_dump())
    assert efficiency_of(craft, mass_kg=1.0) == 0.5
    with pytest.raises(ValueError, match="measured"):
        efficiency_of(heron(), mass_kg=1.0)


def test_disc_loading_counts_within_bounds():
    at = [
        rotor_efficiency(rotor_diameter_m=0.127, disc_loading_n_m2=x, helicopter=False)
        for x in (5.0, 20.0, 50.0, 100.0, 200.0, 1000.0)
    ]
    assert np.all(np.diff(at) >= 0.0)
    assert at[3] == pytest.approx(0.26)
    assert (at[0] / at[3], at[-1] / at[3]) == pytest.approx((0.85, 1.10))
