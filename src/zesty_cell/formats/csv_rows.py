"""The rows of a CSV text.  Most texts have no quotes: their lines are split at once, as the csv module would."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterator, Sequence
from itertools import islice

from zesty_cell.core.fact import fact
from zesty_cell.formats.errors import FileFormatError

#: The csv module refuses a longer cell; so does this.
_LONGEST = csv.field_size_limit()


def _plain_lines(text: str) -> list[str] | None:
    """The lines of a text without quotes, the first one first; None where the csv module has to look at it."""
    if '"' in text:
        return None
    lines = text.replace("\r\n", "\n").replace("\r", "\n").split("\n")
    return None if max(map(len, lines)) > _LONGEST else lines


def _by_csv(text: str, separator: str) -> Iterator[tuple[int, list[str]]]:
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=separator, strict=True)
    line = 1
    try:
        for row in reader:
            yield line, row
            line = reader.line_num + 1
    except csv.Error as error:
        raise FileFormatError(fact("file.csv.quotes", error=str(error)), line=line) from error


def numbered_rows(text: str, separator: str, /) -> Iterator[tuple[int, list[str]]]:
    """Rows that are not empty, with the line each begins on, from 1.

    Raises
    ------
    FileFormatError
    """
    plain = _plain_lines(text)
    rows = (
        _by_csv(text, separator)
        if plain is None
        else ((k, line.split(separator)) for k, line in enumerate(plain, start=1))
    )
    for line, row in rows:
        # The first cell alone tells most rows, at a third of the time.
        if row[:1] and (row[0].strip() or any(cell.strip() for cell in row)):
            yield line, row


def column_blocks(
    text: str, separator: str, /, *, width: int, at: Sequence[int], size: int
) -> Iterator[Sequence[Sequence[str]]]:
    """Rows as columns of cells, so many rows at a time.

    Parameters
    ----------
    width : int
        Columns [1].
    at : sequence of int
        The lines that the rows begin on, from 1 and rising.
    size : int
        Rows in a block, at most [1].
    """
    plain = _plain_lines(text)
    if plain is not None:
        for first in range(0, len(at), size):
            yield _split([plain[line - 1] for line in at[first : first + size]], separator, width)
        return
    after, last = at[0], at[-1]
    rows = (row[:width] for line, row in numbered_rows(text, separator) if after <= line <= last)
    while block := list(islice(rows, size)):
        yield list(zip(*block, strict=True))


def _split(lines: list[str], separator: str, width: int) -> Sequence[Sequence[str]]:
    """Lines as columns: all at once where each has the same number of cells."""
    wide = lines[0].count(separator) + 1
    if all(line.count(separator) + 1 == wide for line in lines):
        cells = separator.join(lines).split(separator)
        return [cells[column::wide] for column in range(width)]
    return list(zip(*(line.split(separator)[:width] for line in lines), strict=True))
