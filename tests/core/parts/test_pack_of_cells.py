"""A pack built from cells of the shelf, what is refused of one, and how it shows itself."""

from __future__ import annotations

import pytest
from pydantic import ValidationError

from tests.sheets import pomelo, satsuma
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.parts.cell import CellModel, CellSize
from zesty_cell.core.parts.pack import pack_of_cells, said_by_cells

CELL = CellModel(
    name="Clementine",
    chemistry="liion_power",
    size=CellSize(form="round", length_m=0.070, width_m=0.0212),
    capacity_ah=4.2,
    mass_kg=0.070,
)


def test_what_a_pack_takes_from_its_cells():
    said = said_by_cells(cell=CELL, parallel=3)
    assert said["capacity_ah"] == pytest.approx(12.6)
    assert said["ratings"] is None
    assert said["cell_name"] == "Clementine"
    rated = CELL.model_validate(
        CELL.model_dump() | {"ratings": {"continuous_a": 30.0, "one_minute_a": 40.0, "ten_second_a": 50.0}}
    )
    assert said_by_cells(cell=rated, parallel=3)["ratings"].continuous_a == pytest.approx(90.0)


def test_a_cell_without_a_capacity_builds_nothing():
    bare = CELL.model_copy(update={"capacity_ah": None})
    with pytest.raises(OutOfRangeError, match="“Clementine” has no capacity yet") as refused:
        said_by_cells(cell=bare, parallel=1)
    assert (refused.value.field, refused.value.value, refused.value.limit) == ("cell", 0.0, 0.02)


def test_what_is_around_the_cells_is_another_packs_or_usual():
    shape = dict(cell=CELL, name="6S2P", series=6, parallel=2, arrangement="rows")
    other = pomelo(lead_length_m=0.31, cycles=77)
    assert pack_of_cells(**shape, pack=other).lead_length_m == 0.31
    assert pack_of_cells(**shape, pack=other).cycles == 77
    assert pack_of_cells(**shape).cycles == 0


def test_a_pack_shows_its_cells_side_by_side_only_where_there_are_some():
    assert repr(satsuma()).startswith("<Pack “Satsuma”, 6S lipo, 1.3 Ah>")
    assert "6S2P liion_power, 8.4 Ah" in repr(pomelo(parallel=2, capacity_ah=8.4, mass_kg=0.9))


def test_refusals_say_what_was_found():
    with pytest.raises(ValidationError, match=r"90\.7 Wh in 40\.0 g would be 2,268 Wh a kilogram"):
        pomelo(mass_kg=0.04)
    test = {"charge_ah": 0.4, "rest_v_per_cell": 4.1}
    with pytest.raises(ValidationError, match=r"is only \d+ % of the charge: .* at least 40 %"):
        pomelo(tests={"capacity": test})
    with pytest.raises(ValidationError, match=r"That would be \d{4,5} mAh in a pack labelled 4200 mAh"):
        pomelo(tests={"capacity": {"charge_ah": 9.5, "rest_v_per_cell": 3.5}})
