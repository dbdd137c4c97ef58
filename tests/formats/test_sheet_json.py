"""The sheet document: read back exactly, refuses what it must, documented by an example that runs."""

from __future__ import annotations

import json
import re
from pathlib import Path

import jsonschema_rs
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.sheets import heron, pomelo, sheet
from zesty_cell.core.asked.landing import LandingRule
from zesty_cell.core.asked.sheet import Conditions
from zesty_cell.core.parts.craft import RotorGeometry
from zesty_cell.formats.errors import FileFormatError
from zesty_cell.formats.sheet_json import read_sheet, sheet_schema, write_sheet

DOCS = Path(__file__).parents[2] / "docs"


@given(
    mass=st.floats(0.01, 20.0),
    air=st.floats(-30, 55),
    kept=st.one_of(st.none(), st.floats(0, 0.9)),
    capacity=st.floats(0.02, 200),
    name=st.text(min_size=1, max_size=80).filter(lambda s: s.strip() == s and s.isprintable()),
)
def test_a_sheet_comes_back_exactly(mass, air, kept, capacity, name):
    original = sheet(
        craft=heron(dry_mass_kg=mass, steady=RotorGeometry(rotor_count=4, rotor_diameter_m=0.18).model_dump()),
        pack=pomelo(capacity_ah=capacity, mass_kg=None, cell_resistance_ohm=None),
        conditions=Conditions(air_c=air),
        landing=LandingRule(charge_kept=kept, timer_s=300),
        name=name,
    )
    text = write_sheet(original)
    assert read_sheet(text) == original
    assert write_sheet(read_sheet(text.encode())) == text


def test_every_value_that_is_wrong_is_named_by_its_path():
    document = json.loads(write_sheet(sheet()))
    document["pack"]["series"] = 0
    document["craft"]["steady"]["current_a"] = -1
    document["extra"] = 1
    with pytest.raises(FileFormatError) as caught:
        read_sheet(json.dumps(document))
    paths = {p.path for p in caught.value.problems}
    assert paths == {"pack.series", "craft.steady.measured.current_a", "extra"}


def test_broken_text_says_line_and_column():
    with pytest.raises(FileFormatError) as caught:
        read_sheet('{\n  "format": "zesty-cell sheet",\n  oops\n}')
    assert (caught.value.line, caught.value.column) == (3, 3)


@pytest.mark.parametrize("text", ["", "null", "[]", "3", '"x"', "{}", "Infinity", '{"format": 3}'])
def test_foreign_json_is_refused(text):
    with pytest.raises(FileFormatError):
        read_sheet(text)


@given(st.binary(max_size=300))
def test_any_bytes_are_either_a_sheet_or_a_clear_refusal(data):
    with pytest.raises(FileFormatError):
        read_sheet(data)


def test_a_huge_number_is_refused():
    with pytest.raises(FileFormatError):
        read_sheet('{"format": "zesty-cell sheet", "version": ' + "9" * 5000 + "}")


def test_the_documented_example_is_a_sheet_and_the_schema_accepts_it():
    example = re.search(r"```json\n(.*?)```", (DOCS / "formats.md").read_text(), re.DOTALL)[1]
    read = read_sheet(example)
    assert read.craft.name == "Heron"
    validator = jsonschema_rs.validator_for(sheet_schema())
    assert validator.is_valid(json.loads(example))
    assert not validator.is_valid(json.loads(example) | {"surprise": 1})
    assert not validator.is_valid(json.loads(example) | {"format": "another"})
