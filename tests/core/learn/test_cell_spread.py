"""Readings of a resting pack's cells: whether they can be, and what is over full."""

from __future__ import annotations

import pytest

from tests.sheets import pomelo, satsuma
from zesty_cell.core.learn.cell_spread import cells_doubt, over_full
from zesty_cell.core.parts.chemistries import chemistry_for
from zesty_cell.words.say import say


@pytest.mark.parametrize(
    ("cells_v", "key"),
    [((3.8,) * 6, None), ((3.8,) * 5, "flight.other_count"), ((3.8,) * 7, "flight.other_count"),
     ((3.8,) * 5 + (4.349,), None), ((3.8,) * 5 + (4.351,), "cells.none_such")],
)  # fmt: skip
def test_another_count_and_a_voltage_that_no_cell_has(cells_v, key):
    found = cells_doubt(cells_v, pack=satsuma())
    assert (found and found.key) == key
    assert (cells_doubt(cells_v, pack=pomelo()) is None) == (key is None)


def test_a_cell_over_full_is_a_danger_and_says_what_to_do():
    lipo = chemistry_for("lipo")
    assert over_full((4.2, 4.219), chemistry=lipo) is None
    told = say(over_full((4.2, 4.27, 4.2), chemistry=lipo))
    assert told.startswith("A cell is 70 mV over full: do not fly or store it so.")
    # A high-voltage cell is full later.
    assert over_full((4.36, 4.35), chemistry=chemistry_for("lihv")) is None
