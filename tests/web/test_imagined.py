"""Imagined packs in addresses: there and back, and nothing from nonsense."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.sheets import pomelo
from zesty_cell.core.choose.candidates import SearchSpace, candidates
from zesty_cell.demo.packs import CELL_LIST
from zesty_cell.web.choose.imagined import cell_of_spec, pack_of_spec, spec_of

CELLS = dict(enumerate(CELL_LIST, start=1))


def test_every_pack_of_a_search_comes_back_from_its_address():
    space = SearchSpace(
        chemistries=("lipo", "lihv", "liion_power"),
        cells=tuple(c for c in CELL_LIST if c.capacity_ah and c.resistance_ohm),
        series_from=1,
        series_to=6,
        parallel_to=2,
        capacity_steps=9,
        arrangements=("rows", "two layers", "tube"),
    )
    packs = list(candidates(space, like=pomelo()))
    assert len(packs) > 300
    for pack in packs:
        spec = spec_of(pack, cells=CELLS)
        assert spec is not None
        again = pack_of_spec(spec, like=pomelo(), cells=CELLS)
        assert again == pack, spec
        assert (cell_of_spec(spec) is None) == (pack.cell_name is None)


@pytest.mark.parametrize(
    "text",
    [
        "",
        "lipo",
        "lipo.6.1.2200.rows.great",
        "unobtainium.6.1.2200.rows.good",
        "lipo.0.1.2200.rows.good",
        "lipo.99.1.2200.rows.good",
        "lipo.6.1.999999.rows.good",
        "lipo.6.1.2200.heap.good",
        "lipo.3.2.2200.tube.good",
        "cell.999.6.1.rows",
        "cell.1.6.1.heap",
        "cell.1.0.1.rows",
        "cell.-1.6.1.rows",
        "lipo.6.1.2200.rows.good\n",
    ],
)
def test_nonsense_in_an_address_is_no_pack(text):
    assert pack_of_spec(text, like=pomelo(), cells=CELLS) is None


@given(st.text(alphabet="abcdefghilopqrstuw0123456789._", max_size=40))
def test_no_text_at_all_breaks_it(text):
    pack = pack_of_spec(text, like=pomelo(), cells=CELLS)
    assert pack is None or pack.series >= 1


def test_a_pack_of_a_cell_that_left_the_shelf_has_no_address():
    built = next(
        candidates(SearchSpace(cells=(CELL_LIST[0],), series_from=6, series_to=6, parallel_to=1), like=pomelo())
    )
    assert spec_of(built, cells=CELLS) is not None
    assert spec_of(built, cells={}) is None
