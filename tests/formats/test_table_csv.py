"""CSV that no spreadsheet acts upon, and that comes back as it was."""

from __future__ import annotations

import pytest

from zesty_cell.formats.table_csv import as_written, harmless, write_table


@pytest.mark.parametrize(
    "words",
    [*"=+-@|%＝＋－＠｜％﹣", "=1+1", "-1", "\t=1", "\r=1", "\n=1", " =1", "\u3000=1"],
)
def test_what_would_act_is_quoted_and_comes_back(words):
    assert harmless(words) == "'" + words
    assert as_written(harmless(words)) == words
    assert write_table({"a": [words]}).split("\n", 1)[1].lstrip('"').startswith("'")


@pytest.mark.parametrize("words", ["", "Heron", '5" prop', "a=1", "'quoted'", "'", "≈3", "−1", "ümlaut", "3 = 3"])
def test_what_does_not_act_stays(words):
    assert harmless(words) == words
    assert as_written(words) == words


def test_numbers_stay_numbers_and_what_is_missing_is_empty():
    text = write_table({"a": [-1, -1.5, None, float("nan"), True], "b": ["x"] * 5})
    assert text == "a,b\n-1,x\n-1.5,x\n,x\n,x\nyes,x\n"
    with pytest.raises(ValueError):
        write_table({"a": [1], "b": []})
