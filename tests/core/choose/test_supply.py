"""Charging from another pack: energies by hand, and on the careful side."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from zesty_cell.core.choose.supply import (
    CHARGER_SHARE,
    SUPPLY_FLOOR,
    energy_between_wh,
    filling_takes_wh,
    supply_holds_wh,
)
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.parts.chemistries import CHEMISTRIES
from zesty_cell.core.parts.chemistry import open_circuit_v
from zesty_cell.core.parts.pack import Pack
from zesty_cell.core.parts.pack_figures import pack_figures


def pack(chemistry="lipo", series=6, capacity_ah=1.3):
    return Pack(name="Satsuma", chemistry=chemistry, series=series, parallel=1, capacity_ah=capacity_ah)


@pytest.mark.parametrize("chemistry", sorted(CHEMISTRIES))
def test_energy_is_charge_times_rest_voltage_on_the_way(chemistry):
    one = pack(chemistry)
    z = np.linspace(0.2, 0.9, 200_001)
    mean_v = float(np.mean(open_circuit_v(chemistry=CHEMISTRIES[chemistry], charge_left=z)))
    by_hand = pack_figures(one).capacity_ah * 6 * mean_v * 0.7
    assert energy_between_wh(one, low=0.2, high=0.9) == pytest.approx(by_hand, rel=2e-4)


def test_a_lithium_polymer_pack_by_hand():
    # 1.3 Ah as labelled; a cell rests at 3.85 V half way: from half to full some 0.5·Q·6·4.0 V.
    one = pack()
    ah = pack_figures(one).capacity_ah
    kept = energy_between_wh(one, low=0.5, high=1.0)
    assert kept == pytest.approx(0.5 * ah * 6 * 4.0, rel=0.02)
    # Of what the charger takes, four fifths come out, and a twentieth of that is heat in the pack.
    assert filling_takes_wh(one, charge=0.5) == pytest.approx(kept * 1.05 / 0.80, rel=1e-12)


@given(low=st.floats(0, 1), mid=st.floats(0, 1), high=st.floats(0, 1))
def test_energies_add_up(low, mid, high):
    low, mid, high = sorted((low, mid, high))
    one = pack("liion_energy", 4, 3.0)
    parts = energy_between_wh(one, low=low, high=mid) + energy_between_wh(one, low=mid, high=high)
    assert parts == pytest.approx(energy_between_wh(one, low=low, high=high), abs=1e-9)


def test_a_supply_is_never_emptied_and_fills_less_than_it_holds():
    one = pack()
    assert supply_holds_wh(one, charge=SUPPLY_FLOOR) == 0.0
    assert supply_holds_wh(one, charge=0.1) == 0.0
    assert filling_takes_wh(one, charge=1.0) == 0.0
    # From one full pack its empty twin cannot be filled.
    held, taken = supply_holds_wh(one, charge=1.0), filling_takes_wh(one, charge=0.2)
    assert held < energy_between_wh(one, low=0.2, high=1.0) < taken
    assert taken / held > 1.0 / CHARGER_SHARE


@pytest.mark.parametrize(("low", "high"), [(-0.01, 0.5), (0.2, 1.01), (float("nan"), 0.5)])
def test_what_is_no_state_of_charge_is_refused(low, high):
    with pytest.raises(OutOfRangeError, match="No pack has"):
        energy_between_wh(pack(), low=low, high=high)
