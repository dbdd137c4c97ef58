"""Chemistries: the published voltages, monotone curves, temperature."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.interpolate import PchipInterpolator

from zesty_cell.core.errors import UnknownNameError
from zesty_cell.core.parts.chemistries import CHEMISTRIES, chemistry_for
from zesty_cell.core.parts.chemistry import (
    cell_table,
    charge_left_at_rest,
    diffusion_factor,
    open_circuit_v,
    pairs_built_up,
    resistance_shape,
    temperature_factor,
)

# Rest voltages known in the field, per cell (docs/physics.md, "Chemistries").
KNOWN = {
    "lipo": {1.0: 4.20, 0.8: 4.02, 0.6: 3.87, 0.4: 3.80, 0.2: 3.73, 0.1: 3.69, 0.0: 3.27},
    "lihv": {1.0: 4.35, 0.4: 3.80, 0.2: 3.73, 0.1: 3.69, 0.0: 3.27},
    "liion_energy": {1.0: 4.19, 0.8: 3.94, 0.6: 3.74, 0.4: 3.57, 0.2: 3.37, 0.1: 3.20, 0.05: 3.02, 0.0: 2.5},
}


@pytest.mark.parametrize("key", KNOWN)
def test_rest_voltages_are_those_known(key):
    for charge, volts in KNOWN[key].items():
        got = float(open_circuit_v(chemistry=chemistry_for(key), charge_left=np.float64(charge)))
        assert got == pytest.approx(volts, abs=0.005)


@pytest.mark.parametrize("key", CHEMISTRIES)
def test_voltages_are_in_order_and_the_curve_rises(key):
    chemistry = chemistry_for(key)
    assert len(chemistry.ocv_v) >= 21
    assert (
        chemistry.hard_floor_v < chemistry.loaded_floor_v <= chemistry.landing_loaded_v < chemistry.landing_rest_v
    )
    assert chemistry.landing_rest_v < chemistry.nominal_v + 0.2 < chemistry.full_v + 0.3
    assert np.all(np.diff(cell_table(chemistry)[:, 0]) > 0)


@pytest.mark.parametrize("key", CHEMISTRIES)
def test_resistance_nearly_doubles_at_the_end_and_is_one_in_the_middle(key):
    shape = cell_table(chemistry_for(key))[:, 1]
    assert shape[512] == pytest.approx(1.0)
    assert 1.7 <= shape[0] <= 2.1
    assert np.all(np.diff(shape) <= 1e-12)


def test_resistance_over_temperature_is_as_stated():
    def factor(key: str, celsius: float) -> float:
        return float(temperature_factor(chemistry=chemistry_for(key), temperature_c=np.float64(celsius)))

    assert factor("lipo", 25.0) == pytest.approx(1.0)
    assert factor("lipo", 0.0) == pytest.approx(2.3, abs=0.05)
    # Above 25 °C the ohmic part is left: B nearer 1500 K than 2800.
    assert factor("lipo", 40.0) == pytest.approx(math.exp(1500 * (1 / 313.15 - 1 / 298.15)), rel=0.03)
    assert factor("lipo", 60.0) / factor("lipo", 45.0) == pytest.approx(
        math.exp(1500 * (1 / 333.15 - 1 / 318.15)), rel=0.005
    )
    # Lithium-ion suffers more below 10 °C, without a step there.
    assert factor("liion_power", 0.0) > factor("lipo", 0.0)
    assert factor("liion_power", 10.001) == pytest.approx(factor("liion_power", 9.999), rel=1e-3)


@pytest.mark.parametrize("key", CHEMISTRIES)
def test_five_minutes_see_twice_the_resistance_of_a_second(key):
    one, long = (1.0 + sum(pairs_built_up(chemistry=chemistry_for(key), held_s=s)) for s in (1.0, 300.0))
    assert 1.8 <= long / one <= 2.2
    assert 150.0 <= chemistry_for(key).diffusion_tau_s <= 300.0


def test_diffusion_freezes_faster_than_conduction():
    for celsius, more in ((-10.0, 1.52), (0.0, 1.33), (25.0, 1.0), (40.0, 1.0)):
        at = np.float64(celsius)
        r0 = float(temperature_factor(chemistry=chemistry_for("lipo"), temperature_c=at))
        r2 = float(diffusion_factor(chemistry=chemistry_for("lipo"), temperature_c=at))
        assert r2 / r0 == pytest.approx(more, abs=0.03)


@pytest.mark.parametrize("key", CHEMISTRIES)
def test_charge_at_rest_is_the_inverse_of_the_curve(key):
    chemistry = chemistry_for(key)
    for charge in (0.05, 0.2, 0.5, 0.93):
        volts = float(open_circuit_v(chemistry=chemistry, charge_left=np.float64(charge)))
        assert charge_left_at_rest(chemistry=chemistry, rest_v=volts) == pytest.approx(charge, abs=2e-3)


@pytest.mark.parametrize("key", CHEMISTRIES)
def test_the_curve_between_the_points_is_the_monotone_cubic_of_scipy(key):
    chemistry, z = chemistry_for(key), np.linspace(0.0, 1.0, 777)
    for knots, ours in (
        (chemistry.ocv_v, open_circuit_v(chemistry=chemistry, charge_left=z)),
        (chemistry.resistance_shape, resistance_shape(chemistry=chemistry, charge_left=z)),
    ):
        scipys = PchipInterpolator(np.linspace(0.0, 1.0, len(knots)), knots)(z)
        assert ours == pytest.approx(scipys, abs=1e-12)


def test_an_unknown_chemistry_says_what_there_is():
    with pytest.raises(UnknownNameError, match="lipo"):
        chemistry_for("unobtainium")
