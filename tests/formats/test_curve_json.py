"""A pack's own curve as a file."""

from __future__ import annotations

import json

import pytest

from tests.core.discharge.test_discharge import a_curve
from zesty_cell.core.parts.own_curve import Told
from zesty_cell.formats.curve_json import curve_schema, read_curve_json, write_curve_json
from zesty_cell.formats.errors import FileFormatError


def test_a_curve_is_read_back_exactly():
    curve = a_curve(capacity_ah=Told(value=1.3, reach=0.008))
    text = write_curve_json(curve)
    assert read_curve_json(text) == curve
    assert list(json.loads(text))[:2] == ["format", "version"]
    assert curve_schema()["required"][:2] == ["format", "version"]


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"format": "zesty-cell test"}, "format"),
        ({"version": 9}, "reads up to 1"),
        ({"rest_v": [3.0] * 21}, "rise"),
    ],
)
def test_another_document_is_refused(change, words):
    document = json.loads(write_curve_json(a_curve())) | change
    with pytest.raises(FileFormatError, match=words):
        read_curve_json(json.dumps(document))
