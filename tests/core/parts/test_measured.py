"""Tests of a pack: what was read gives back the pack that made the reading."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from tests.oracles import thevenin
from tests.sheets import pomelo, satsuma
from zesty_cell.core.parts.chemistries import chemistry_for
from zesty_cell.core.parts.measured import PackTests
from zesty_cell.core.parts.pack_figures import pack_figures


def outside_ohm(pack) -> float:
    return pack_figures(pack).external_ohm()


def reading_v(*, rest_v, current_a, cell_ohm, outside, held_s, celsius=25.0, series=6):
    """Pack voltage held_s into a current, from the circuit's own closed form (K1, K3, K4)."""
    lipo = chemistry_for("lipo")
    r0, r2 = cell_ohm * thevenin.arrhenius(lipo, celsius), 0.55 * cell_ohm * thevenin.diffusion(lipo, celsius)
    seen = r0 * (1 + 0.6 * (1 - math.exp(-held_s / 25.0))) + r2 * (1 - math.exp(-held_s / 300.0))
    return series * (rest_v - current_a * seen) - current_a * outside


@given(cell_mohm=st.floats(2.0, 20.0), held_s=st.floats(1.0, 20.0), celsius=st.floats(0.0, 45.0))
def test_two_currents_give_back_the_resistance_that_made_them(cell_mohm, held_s, celsius):
    cell_ohm, outside = cell_mohm / 1000, outside_ohm(satsuma())
    volts = [
        reading_v(rest_v=3.9, current_a=a, cell_ohm=cell_ohm, outside=outside, held_s=held_s, celsius=celsius)
        for a in (1.0, 20.0)
    ]
    test = {
        "first_v": volts[0], "first_a": 1.0, "second_v": volts[1], "second_a": 20.0,
        "held_s": held_s, "pack_c": celsius,
    }  # fmt: skip
    figures = pack_figures(satsuma(tests={"two_currents": test}, cell_resistance_ohm=None))
    # Stated for one second: R0 and what the two pairs have built up by then.
    stated = cell_ohm * (1 + 0.6 * (1 - math.exp(-1 / 25)) + 0.55 * (1 - math.exp(-1 / 300)))
    assert figures.cell_resistance_ohm == pytest.approx(stated, rel=1e-6)
    assert figures.resistance_source == "two currents"
    assert figures.resistance_known == "measured"


def test_a_full_throttle_run_by_hand():
    # 25.0 V before, 23.5 V at 60 A: 25 mΩ at the plug, less links, leads and plug, over six cells.
    run = {"before_v": 25.0, "loaded_v": 23.5, "current_a": 60.0, "held_s": 1.0}
    figures = pack_figures(satsuma(tests={"full_throttle": run}, cell_resistance_ohm=None))
    assert figures.cell_resistance_ohm == pytest.approx((0.025 - outside_ohm(satsuma())) / 6)
    assert figures.resistance_ohm == pytest.approx(0.025)
    assert figures.resistance_source == "full throttle"


def test_a_longer_pull_counts_for_less():
    run = {"before_v": 25.0, "loaded_v": 23.5, "current_a": 60.0}
    short = pack_figures(satsuma(tests={"full_throttle": run | {"held_s": 1.0}}))
    long = pack_figures(satsuma(tests={"full_throttle": run | {"held_s": 20.0}}))
    assert long.cell_resistance_ohm < 0.85 * short.cell_resistance_ohm


def test_a_chargers_reading_is_the_mean_and_knows_the_weakest():
    cells = (0.005, 0.005, 0.005, 0.005, 0.005, 0.011)
    figures = pack_figures(satsuma(tests={"charger": {"cells_ohm": cells}}, cell_resistance_ohm=None))
    assert figures.cell_resistance_ohm == pytest.approx(0.006)
    assert figures.cell_spread == pytest.approx(11 / 6 - 1)
    assert figures.resistance_sigma > pack_figures(satsuma()).resistance_sigma


def test_a_charger_sees_the_cells_of_a_group_as_one():
    tests = {"charger": {"cells_ohm": (0.006,) * 6}}
    figures = pack_figures(pomelo(parallel=2, capacity_ah=8.4, mass_kg=0.88, tests=tests))
    assert figures.cell_resistance_ohm == pytest.approx(0.012)
    assert figures.cells_ohm == pytest.approx(0.036)


def test_the_better_test_wins_and_any_test_beats_the_estimate():
    two = {"first_v": 25.0, "first_a": 1.0, "second_v": 24.0, "second_a": 21.0}
    charger = {"cells_ohm": (0.02,) * 6}
    both = pack_figures(satsuma(tests={"two_currents": two, "charger": charger}))
    assert both.resistance_source == "two currents"
    alone = pack_figures(satsuma(tests={"charger": charger}, cell_resistance_ohm=None))
    assert alone.resistance_source == "charger"
    assert pack_figures(satsuma(cell_resistance_ohm=None)).resistance_source is None


def test_a_full_discharge_replaces_the_label_and_says_the_share():
    figures = pack_figures(satsuma(tests={"capacity": {"charge_ah": 1.04}}))
    assert figures.capacity_ah == pytest.approx(1.04)
    assert figures.label_share == pytest.approx(0.8)
    assert figures.capacity_known == "measured"
    assert pack_figures(satsuma()).label_share is None


def test_charge_put_back_after_a_part_of_the_charge():
    # LiPo resting at 3.73 V has a fifth left (the table of PHYSICS 1): 960 mAh went in for four fifths.
    figures = pack_figures(satsuma(tests={"capacity": {"charge_ah": 0.96, "rest_v_per_cell": 3.73}}))
    assert figures.capacity_ah == pytest.approx(1.2, rel=2e-3)


@pytest.mark.parametrize(
    ("tests", "words"),
    [
        ({"capacity": {"charge_ah": 0.3, "rest_v_per_cell": 4.0}}, "too little to tell"),
        ({"capacity": {"charge_ah": 13.0}}, "labelled 1300 mAh"),
        ({"capacity": {"charge_ah": 0.0}}, "greater than or equal to 0.0001"),
        ({"charger": {"cells_ohm": (0.005,) * 4}}, "6 in series"),
        ({"two_currents": {"first_v": 24, "first_a": 1, "second_v": 25, "second_a": 20}}, "swapped"),
        ({"two_currents": {"first_v": 25, "first_a": 20, "second_v": 24, "second_a": 20}}, "too close"),
        ({"full_throttle": {"before_v": 25, "loaded_v": 24.99, "current_a": 60}}, "hardly moves"),
        ({"full_throttle": {"before_v": float("nan"), "loaded_v": 24, "current_a": 60}}, "finite"),
    ],
)
def test_readings_that_tell_nothing_are_refused(tests, words):
    with pytest.raises(ValidationError, match=words):
        satsuma(tests=tests)


def test_no_test_is_no_test():
    assert PackTests() == satsuma().tests
