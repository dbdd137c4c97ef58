"""What is offered in place of a pack is one that could be had."""

from __future__ import annotations

import pytest

from tests.sheets import heron, pomelo, satsuma, sheet
from zesty_cell.core.asked.changes import changed, next_size_on_sale
from zesty_cell.core.parts.chemistries import CHEMISTRIES
from zesty_cell.core.parts.on_sale import POUCH_AH, ROUND, near_weight, next_size
from zesty_cell.core.parts.pack_figures import pack_figures
from zesty_cell.words.say import say


@pytest.mark.parametrize(
    ("label_ah", "larger_ah"),
    # The next step by an eighth: 1.55 after 1.3, 1.8 and not 1.7; of odd sizes the step above.
    [
        (1.3, 1.55),
        (1.55, 1.8),
        (0.3, 0.38),
        (3.3, 3.7),
        (3.0, 3.7),
        (5.0, 6.0),
        (1.48, 1.8),
        (30.0, 60.0),
        (0.02, 0.25),
    ],
)
def test_a_pouch_pack_grows_by_a_usual_step(label_ah, larger_ah):
    capacity_ah, parallel = next_size(satsuma(capacity_ah=label_ah, mass_kg=None, label_c=None))
    assert capacity_ah == pytest.approx(larger_ah)
    assert parallel == (2 if label_ah == 30.0 else 1)


def test_round_cells_grow_by_a_row():
    assert next_size(pomelo()) == (pytest.approx(8.4), 2)
    assert next_size(pomelo(parallel=3, capacity_ah=12.6, mass_kg=None)) == (pytest.approx(16.8), 4)
    assert say(next_size_on_sale(pomelo())) == "6S2P 8400 lithium-ion"
    assert say(next_size_on_sale(satsuma())) == "6S 1550 LiPo"


def test_two_pouches_in_a_harness_grow_together():
    pair = satsuma(parallel=2, capacity_ah=2.6, parallel_harness=True, mass_kg=None, label_c=None)
    assert next_size(pair) == (pytest.approx(3.1), 2)


def test_a_larger_pouch_resists_less_and_weighs_more_in_proportion():
    base = sheet(craft=heron(), pack=satsuma())
    larger = changed(base, key="more_capacity").pack
    was, now, more = pack_figures(base.pack), pack_figures(larger), 1.55 / 1.3
    assert now.capacity_ah == pytest.approx(more * was.capacity_ah)
    assert now.cells_ohm == pytest.approx(was.cells_ohm / more)
    assert now.mass_kg - was.mass_kg == pytest.approx((more - 1.0) * was.cell_mass_kg * 6, rel=1e-6)


def test_another_row_halves_what_the_cells_resist():
    base = sheet(craft=heron(), pack=pomelo())
    larger = changed(base, key="more_capacity").pack
    was, now = pack_figures(base.pack), pack_figures(larger)
    assert larger.parallel == 2
    assert now.cells_ohm == pytest.approx(was.cells_ohm / 2)
    assert now.mass_kg - was.mass_kg == pytest.approx(was.cell_mass_kg * 6, rel=1e-6)


@pytest.mark.parametrize("key", ROUND)
def test_usual_cells_are_believable(key):
    """Each within a third of what the chemistry holds by weight, and no denser than its best."""
    of = CHEMISTRIES[key]
    for cell in ROUND[key]:
        wh_kg = cell.capacity_ah * of.nominal_v / cell.mass_kg
        assert 0.66 < wh_kg / of.energy_density_wh_kg < 1.34, cell
    assert list(POUCH_AH) == sorted(set(POUCH_AH))


def test_another_chemistry_is_the_nearest_in_weight_or_none():
    found = near_weight("liion_power", series=6, cells_kg=0.42)
    assert (found.parallel, found.capacity_ah, found.cell) == (1, 4.0, "21700")
    two = near_weight("liion_power", series=6, cells_kg=0.56)
    assert (two.parallel, two.cell) == (2, "18650")
    # Six round cells are far heavier than a small polymer pack of six.
    assert near_weight("liion_power", series=6, cells_kg=0.10) is None
    assert near_weight("liion_power", series=6, cells_kg=0.276 / 1.59) is not None
    assert near_weight("liion_power", series=6, cells_kg=0.276 / 1.61) is None
    pouch = near_weight("lipo", series=6, cells_kg=0.4)
    assert pouch.capacity_ah == 3.0
    assert (
        changed(sheet(craft=heron(), pack=satsuma(capacity_ah=0.45, mass_kg=None)), key="other_chemistry") is None
    )
