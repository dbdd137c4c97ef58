"""The callout plan as open JSON: exactly there and back, the documented example, clear refusals."""

from __future__ import annotations

import json
import re
from pathlib import Path

import jsonschema_rs
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.sheets import sheet
from zesty_cell.core.answer.forecast import forecast
from zesty_cell.core.callouts.lint import lint
from zesty_cell.core.callouts.schools import SCHOOLS, write_plan
from zesty_cell.formats.errors import FileFormatError
from zesty_cell.formats.plan_json import plan_schema, read_plan, write_plan_json

DOCS = Path(__file__).parents[2] / "docs"


@pytest.fixture(scope="module")
def result():
    return forecast(sheet())


@pytest.mark.parametrize("school", [s.school for s in SCHOOLS])
def test_a_plan_comes_back_exactly_and_is_what_the_schema_says(result, school):
    plan = write_plan(result, school=school, current_error=0.02).plan
    text = write_plan_json(plan)
    assert read_plan(text) == plan
    assert write_plan_json(read_plan(text.encode())) == text
    assert jsonschema_rs.validator_for(plan_schema()).is_valid(json.loads(text))


def test_the_documented_example_is_a_plan(result):
    text = (DOCS / "formats.md").read_text()
    example = next(e for e in re.findall(r"```json\n(.*?)```", text, re.DOTALL) if "zesty-cell callouts" in e)
    plan = read_plan(example)
    assert [r.key for r in plan.rules] == ["land_now", "silence"]
    validator = jsonschema_rs.validator_for(plan_schema())
    assert validator.is_valid(json.loads(example))
    assert not validator.is_valid(json.loads(example) | {"surprise": 1})
    assert all(f.severity != "stop" for f in lint(plan=plan, result=result))


def test_what_is_wrong_is_named_by_its_path(result):
    document = json.loads(write_plan_json(write_plan(result, school="loaded voltage").plan))
    document["rules"][0]["conditions"][0]["value"] = 999
    document["rules"][1]["hold_s"] = -1
    document["timers"][0]["at_s"] = 1
    with pytest.raises(FileFormatError) as caught:
        read_plan(json.dumps(document))
    paths = {p.path for p in caught.value.problems}
    assert paths == {"rules.0.conditions.0.value", "rules.1.hold_s", "timers.0.at_s"}


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"rules": [{"key": "a", "name": "a", "say": "a"}] * 2}, "Two rules have the key"),
        ({"profiles": [{"key": "a", "name": "a", "series": 4, "say": "a"}] * 2}, "Two profiles"),
        ({"rules": [{"key": "a", "name": "a", "say": "a", "guards": {"profile": "x"}}]}, "no profile"),
        ({"rules": [{"key": "a", "name": "a"}]}, "nobody notices"),
        ({"rules": [{"key": "a", "name": "a", "read": "lowest_v"}]}, "live value"),
        ({"rules": [{"key": "a", "name": "a", "say": "a", "guards": {"armed": False}}]}, "never be quiet"),
        (
            {"profiles": [{"key": "a", "name": "a", "series": 4, "say": "a"}], "choose": "switch"},
            "Give every profile its switch",
        ),
        (
            {"profiles": [{"key": "a", "name": "a", "series": 4, "say": "a", "floor_v": 4.0, "full_v": 3.0}]},
            "lies under",
        ),
    ],
)
def test_a_plan_that_contradicts_itself_is_refused(change, words):
    document = {"format": "zesty-cell callouts", "version": 1, "name": "x", "series": 6} | change
    with pytest.raises(FileFormatError, match=words):
        read_plan(json.dumps(document))


@given(st.binary(max_size=300))
def test_any_bytes_are_a_clear_refusal(data):
    with pytest.raises(FileFormatError):
        read_plan(data)
