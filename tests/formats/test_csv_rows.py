"""Lines split at once are the rows that the csv module reads."""

from __future__ import annotations

import csv
import io

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zesty_cell.formats.csv_rows import column_blocks, numbered_rows
from zesty_cell.formats.csv_table import read_table
from zesty_cell.formats.errors import FileFormatError

TEXTS = st.text(alphabet=",;1a \n\r\t\u2028\x0b", max_size=60)


def by_the_csv_module(text: str, separator: str) -> list[tuple[int, list[str]]]:
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=separator, strict=True)
    found, line = [], 1
    for row in reader:
        if any(cell.strip() for cell in row):
            found.append((line, row))
        line = reader.line_num + 1
    return found


@given(TEXTS, st.sampled_from(",;\t"))
def test_rows_and_their_lines_are_those_of_the_csv_module(text, separator):
    assert list(numbered_rows(text, separator)) == by_the_csv_module(text, separator)


@given(TEXTS, st.sampled_from(",;"), st.integers(1, 4))
def test_columns_are_the_rows_turned_round(text, separator, size):
    rows = [(line, row) for line, row in by_the_csv_module(text, separator) if len(row) >= 2]
    for kept in (text, text + '\n"q"'):  # the second one goes through the csv module
        blocks = (
            [] if not rows else list(column_blocks(kept, separator, width=2, at=[n for n, _ in rows], size=size))
        )
        turned = [cells for block in blocks for cells in zip(*block, strict=True)]
        if kept is text or len(rows) == len(by_the_csv_module(text, separator)):
            assert turned == [(row[0], row[1]) for _, row in rows]
        assert all(len(block[0]) <= size for block in blocks)


def test_a_quoted_cell_may_hold_separators_and_line_ends():
    text = 'name,v\n"a,\nb",1\n\nc,2\n'
    assert list(numbered_rows(text, ",")) == [(1, ["name", "v"]), (2, ["a,\nb", "1"]), (5, ["c", "2"])]
    assert list(column_blocks(text, ",", width=2, at=[2, 5], size=9)) == [[("a,\nb", "c"), ("1", "2")]]


def test_quotes_that_do_not_pair_up_are_told_with_their_line():
    with pytest.raises(FileFormatError, match="do not pair up") as refused:
        list(numbered_rows('a,b\n"1,2\n3,4\n', ","))
    assert refused.value.line == 2


def test_a_cell_longer_than_any_is_refused_as_the_csv_module_does():
    with pytest.raises(FileFormatError):
        list(numbered_rows("a,b\n" + "1" * 140_000 + ",2\n", ","))


def test_a_separator_at_the_end_of_some_lines_makes_no_column():
    text = "1,2\n3,4,\n5,6\n"
    assert list(column_blocks(text, ",", width=2, at=[1, 2, 3], size=9)) == [[("1", "3", "5"), ("2", "4", "6")]]


def test_of_a_wide_file_fewer_rows_are_kept_and_all_are_read():
    names = ",".join(["time", "volts", *(f"c{k}" for k in range(148))])
    rows = "\n".join(f"{k},{16.8 - k / 3000:.3f}" + ",1" * 148 for k in range(3000))
    wide = read_table(f"{names}\n{rows}\n".encode())
    assert len(wide.first) == 2000
    assert 1000 <= len(wide.spread) <= 2000
    assert [row[0] for row in wide.first[:3]] == ["0", "1", "2"]
    assert int(wide.spread[-1][0]) > 2990
    assert wide.count == 3000
    assert sum(len(block[0]) for block in wide.blocks(999)) == 3000
    narrow = read_table(b"time,volts\n" + b"".join(b"%d,16\n" % k for k in range(6000)))
    assert len(narrow.first) == 5000
