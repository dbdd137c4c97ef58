"""How cells lie: sizes by hand, no two in one place, what cannot be built."""

from __future__ import annotations

import itertools
import math

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from tests.sheets import pomelo, satsuma
from zesty_cell.core.errors import LayoutError
from zesty_cell.core.parts.cell import CellSize, Ratings
from zesty_cell.core.parts.chemistries import chemistry_for
from zesty_cell.core.parts.layout import check_arrangement, estimated_cell_size, layout, pack_size
from zesty_cell.core.parts.pack_figures import pack_figures

ROUND = CellSize(form="round", length_m=0.070, width_m=0.021)
POUCH = CellSize(form="pouch", length_m=0.075, width_m=0.035, thickness_m=0.007)


@pytest.mark.parametrize(
    ("cell", "series", "parallel", "arrangement", "millimetres"),
    [
        (ROUND, 6, 1, "rows", (126, 21, 70)),
        (ROUND, 6, 2, "rows", (126, 42, 70)),
        (ROUND, 6, 1, "two layers", (63, 42, 70)),
        (ROUND, 4, 2, "two layers", (42, 84, 70)),
        (ROUND, 3, 2, "two layers", (63, 21, 140)),
        (ROUND, 3, 1, "tube", (210, 21, 21)),
        (POUCH, 6, 1, "rows", (75, 35, 42)),
        (POUCH, 4, 2, "rows", (75, 70, 28)),
        (POUCH, 4, 1, "two layers", (150, 35, 14)),
        (POUCH, 2, 1, "tube", (150, 35, 7)),
    ],
)
def test_the_size_of_a_pack_by_hand(cell, series, parallel, arrangement, millimetres):
    size = pack_size(cell=cell, series=series, parallel=parallel, arrangement=arrangement)
    assert (size.length_m, size.width_m, size.height_m) == pytest.approx([m / 1000 for m in millimetres])


@given(
    series=st.integers(1, 12),
    parallel=st.integers(1, 6),
    arrangement=st.sampled_from(["rows", "two layers", "tube"]),
    cell=st.sampled_from([ROUND, POUCH]),
)
def test_every_cell_has_a_place_of_its_own_inside_the_pack(series, parallel, arrangement, cell):
    try:
        made = layout(cell=cell, series=series, parallel=parallel, arrangement=arrangement)
    except LayoutError:
        odd_both = arrangement == "two layers" and series % 2 and parallel % 2
        assert odd_both or (arrangement == "tube" and parallel > 1)
        return
    assert len(made.cells) == series * parallel
    assert {(c.group, c.member) for c in made.cells} == set(itertools.product(range(series), range(parallel)))
    places = [(c.x_m, c.y_m, c.layer) for c in made.cells]
    for (xa, ya, la), (xb, yb, lb) in itertools.combinations(places, 2):
        nearest = cell.width_m if cell.form == "round" and arrangement != "tube" else min(POUCH.thickness_m, 0.02)
        assert la != lb or math.hypot(xa - xb, ya - yb) >= nearest - 1e-9


def test_a_folded_string_links_neighbours():
    made = layout(cell=ROUND, series=6, parallel=2, arrangement="two layers")
    groups = {g: [(c.x_m, c.y_m) for c in made.cells if c.group == g] for g in range(6)}
    for g in range(5):
        near = min(math.dist(a, b) for a in groups[g] for b in groups[g + 1])
        assert near == pytest.approx(0.021)


@pytest.mark.parametrize(
    ("arrangement", "series", "parallel", "words"),
    [("tube", 6, 2, "single string"), ("two layers", 3, 3, "3S3P cannot be halved")],
)
def test_a_layout_that_does_not_fit_says_why(arrangement, series, parallel, words):
    with pytest.raises(LayoutError, match=words):
        check_arrangement(arrangement=arrangement, series=series, parallel=parallel)
    with pytest.raises(ValidationError, match=words):
        pomelo(arrangement=arrangement, series=series, parallel=parallel, mass_kg=None)


def test_an_estimated_size_holds_the_cells_mass():
    for key, mass_kg in (("lipo", 0.034), ("liion_power", 0.070)):
        chemistry = chemistry_for(key)
        size = estimated_cell_size(chemistry=chemistry, cell_mass_kg=mass_kg)
        volume = size.length_m * size.width_m * (size.thickness_m or math.pi / 4 * size.width_m)
        assert volume * chemistry.density_kg_m3 == pytest.approx(mass_kg)
    # A 70 g round cell is the 21 mm by 70 mm that pilots know, within a tenth.
    assert size.width_m == pytest.approx(0.021, rel=0.1)
    assert pack_figures(satsuma()).size_known == "estimated"


@pytest.mark.parametrize(
    "size",
    [
        {"form": "pouch", "length_m": 0.07, "width_m": 0.03},
        {"form": "round", "length_m": 0.07, "width_m": 0.02, "thickness_m": 0.02},
        {"form": "round", "length_m": 0.0, "width_m": 0.02},
    ],
)
def test_bad_sizes_are_refused(size):
    with pytest.raises(ValidationError):
        CellSize(**size)


def test_tiers_of_many_side_by_side():
    assert Ratings(continuous_a=35, one_minute_a=45, ten_second_a=60).times(2).one_minute_a == 90
