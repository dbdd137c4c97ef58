"""What is wrong with a file is a fact: the place, the reason and the values, said to whoever reads it."""

from __future__ import annotations

import json
from typing import Annotated

import pytest
from pydantic import BaseModel, Field, ValidationError

from tests.sheets import sheet
from zesty_cell.core.fact import fact
from zesty_cell.formats.csv_table import read_table
from zesty_cell.formats.errors import FileFormatError, Problem, problems_of
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
    ("path", "value", "said"),
    [
        (("conditions", "air_c"), 300, "conditions.air_c: at most 55"),
        (("conditions", "air_c"), -90, "conditions.air_c: at least -30"),
        (("pack", "capacity_ah"), 0, "pack.capacity_ah: at least 0.02"),
        (("pack", "capacity_ah"), None, "pack.capacity_ah: is missing"),
        (("pack", "colour"), "red", "pack.colour: is not known here"),
        (("pack", "series"), "six", "pack.series: Input should be a valid integer"),
    ],
)
def test_a_value_says_what_was_wanted_in_the_unit_of_the_document(path, value, said):
    document = json.loads(write_sheet(sheet()))
    if value is None:
        del document[path[0]][path[1]]
    else:
        document[path[0]][path[1]] = value
    with pytest.raises(FileFormatError) as caught:
        read_sheet(json.dumps(document))
    assert said in str(caught.value)
    assert said in say(caught.value.why, IMPERIAL)


class _Open(BaseModel):
    """A value between two that it may not have."""

    x: Annotated[float, Field(gt=0.5, lt=9.0)]


@pytest.mark.parametrize(("x", "said"), [(0.5, "x: more than 0.5"), (9.0, "x: less than 9")])
def test_a_limit_that_is_not_reached_says_so(x, said):
    with pytest.raises(ValidationError) as caught:
        _Open(x=x)
    [problem] = problems_of(caught.value)
    assert f"{problem.path}: {say(problem.reason)}" == said


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
