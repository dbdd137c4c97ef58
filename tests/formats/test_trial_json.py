"""A fair test as a file: read back exactly, refused in words, and the example of the documentation."""

from __future__ import annotations

import json
import re
from pathlib import Path

import jsonschema_rs
import pytest

from tests.core.trials.test_trials import CALM, trial
from zesty_cell.core.trials.question import SetAside
from zesty_cell.formats.errors import FileFormatError
from zesty_cell.formats.trial_json import read_trial_json, trial_schema, write_trial_json

DOCS = Path(__file__).parents[2] / "docs" / "formats.md"


def test_a_test_comes_back_as_it_was():
    one = trial(CALM, pairs=6, air_c=[20.0] * 12)
    gone = one.runs[0].model_copy(update={"set_aside": SetAside(why="gull", seen=True), "note": "at the wall"})
    one = one.model_copy(update={"looked": 3, "runs": (gone, *one.runs[1:])})
    text = write_trial_json(one)
    assert read_trial_json(text.encode()) == one
    assert write_trial_json(read_trial_json(text)) == text
    assert jsonschema_rs.validator_for(trial_schema()).is_valid(json.loads(text))


def test_the_example_of_the_documentation_is_one():
    section = DOCS.read_text().split("## Test (`zesty-cell test`")[1].split("\n## ")[0]
    example = re.search(r"```json\n(.*?)```", section, re.DOTALL)[1]
    assert read_trial_json(example).name == "Two blades or three"
    assert jsonschema_rs.validator_for(trial_schema()).is_valid(json.loads(example))


@pytest.mark.parametrize(
    ("changed", "words"),
    [
        ({"format": "zesty-cell sheet"}, "not a Zesty Cell test"),
        ({"version": 9}, "version"),
        ({"craft": ""}, "craft"),
        ({"looked": 900}, "looked"),
        ({"joy": 1}, "joy"),
    ],
)
def test_a_file_that_is_none_is_refused(changed, words):
    document = json.loads(write_trial_json(trial(CALM, pairs=6))) | changed
    with pytest.raises(FileFormatError, match=words):
        read_trial_json(json.dumps(document))
    with pytest.raises(FileFormatError):
        read_trial_json(b"{")
