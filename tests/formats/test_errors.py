"""What is wrong with a file is a fact: the place, the reason and the values, said to whoever reads it."""

from __future__ import annotations

import json

import pytest

from tests.sheets import sheet
from zesty_cell.core.fact import fact
from zesty_cell.formats.csv_table import read_table
from zesty_cell.formats.errors import FileFormatError, Problem
from zesty_cell.formats.sheet_json import read_sheet, write_sheet
from zesty_cell.words.face import Reader
from zesty_cell.words.say import say

IMPERIAL = Reader("imperial", "pack")


def test_it_says_its_place_and_no_more_than_a_dozen_values():
    problems = tuple(Problem(f"rules.{k}", "At most 5, please.") for k in range(14))
    error = FileFormatError("Not so.", line=3, column=7, problems=problems)
    lines = str(error).splitlines()
    assert lines[0] == "Line 3, column 7: Not so."
    assert lines[1] == "  rules.0: At most 5, please."
    assert (len(lines), lines[-1]) == (14, "  and 2 more")
    assert (error.reason, error.line, error.column, error.problems) == ("Not so.", 3, 7, problems)
    assert str(FileFormatError("Not so.", problems=problems[:12])).count("\n") == 12
    assert str(FileFormatError("Not so.", line=3)) == "Line 3: Not so."


def test_values_are_said_in_the_readers_units():
    document = json.loads(write_sheet(sheet()))
    document["pack"]["mass_kg"] = 0.04
    with pytest.raises(FileFormatError) as caught:
        read_sheet(json.dumps(document))
    assert "This sheet cannot be used.\n  pack.mass_kg: " in str(caught.value)
    assert "in 40.0 g would be" in str(caught.value)
    assert "in 1.4 oz would be" in say(caught.value.why, IMPERIAL)


@pytest.mark.parametrize(
    ("data", "said"),
    [
        (b"", "This file is empty."),
        (b"time,volts\n0,16.8,1\n1,16\n", "Line 2: 3 values where 2 columns are named. Decimal commas between"),
        (b"time;volts\n0;16.8;1\n1;16\n", "Line 2: 3 values where 2 columns are named."),
        (b"time,volts\n0,16.8\n5\n1,16\n", "Line 3: 1 value where 2 columns are named."),
    ],
)
def test_a_table_says_what_it_lacks_where(data, said):
    with pytest.raises(FileFormatError) as caught:
        read_table(data)
    assert str(caught.value).startswith(said)
    assert isinstance(caught.value.reason, type(fact("file.csv.empty")))
