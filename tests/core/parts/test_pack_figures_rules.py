"""Rules of a pack's figures, each by a hand-worked case."""

from __future__ import annotations

import pytest

from tests.sheets import pomelo, satsuma
from zesty_cell.core.parts.chemistries import CHEMISTRIES
from zesty_cell.core.parts.pack_figures import SMALL_CELL_AH, pack_figures, resistance_factor


def test_a_small_cells_label_is_doubted_by_the_cell_not_by_the_pack():
    lihv = CHEMISTRIES["lihv"]
    assert lihv.small_label_sigma > lihv.label_capacity_sigma

    def sigma(capacity_ah, parallel):
        pack = satsuma(
            chemistry="lihv", capacity_ah=capacity_ah, parallel=parallel, mass_kg=None, capacity_known="maker"
        )
        return pack_figures(pack).capacity_sigma

    assert SMALL_CELL_AH == 1.0
    assert sigma(1.2, 2) == lihv.small_label_sigma  # 0.6 Ah a cell
    assert sigma(1.2, 1) == lihv.label_capacity_sigma
    assert sigma(0.4, 3) == lihv.small_label_sigma


def test_a_resistance_that_was_not_measured_grows_with_cycles():
    def cell_ohm(known):
        pack = pomelo(cell_resistance_ohm=0.0125, resistance_known=known, cycles=200)
        return pack_figures(pack).cell_resistance_ohm

    grown = resistance_factor(cycles=200)
    assert grown > 1.02
    assert cell_ohm("measured") == pytest.approx(0.0125)
    assert cell_ohm("maker") == pytest.approx(0.0125 * grown)


def test_links_weigh_by_their_number_side_by_side():
    def mass_kg(parallel):
        pack = pomelo(
            parallel=parallel, capacity_ah=4.2 * parallel, mass_kg=None, cell_mass_kg=0.070, lead_length_m=0.0
        )
        return pack_figures(pack).mass_kg

    # Twice the cells and twice the links: leads, plug and balance lead are there once.
    one, two, three = (mass_kg(p) for p in (1, 2, 3))
    assert two - one == pytest.approx(three - two)
    assert two - one > 6 * 0.070 * 1.02  # cells with their wrap, and some links
