"""CSV as the world writes it: separator, decimal sign and the line of names are found, faults have line and column.

Lines and columns are counted from 1, as an editor does.
"""

from __future__ import annotations

import math
import re
from array import array
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from itertools import chain

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.fact import Words, fact
from zesty_cell.formats.csv_rows import column_blocks, numbered_rows
from zesty_cell.formats.errors import FileFormatError

#: An hour at fifty lines a second is half of this.
MOST_BYTES = 24_000_000
MOST_COLUMNS = 200
#: No flight is longer than four hours: at ten lines a second that is 144 000, at fifty an hour 180 000.
MOST_LINES = 250_000
#: Of lines by columns: so many are read in two seconds.
MOST_CELLS = 5_000_000
#: So many of the first rows are looked at to guess units, and so many over the whole file; of wide ones fewer, so
#: that no more cells than that are kept of either.
_FIRST, _SPREAD, _KEPT_CELLS = 5_000, 4_000, 300_000
#: So many of the first letters tell the separator.
_LOOKED_AT = 200_000
#: Lines of something else that may stand before the names of the columns.
_MOST_PREAMBLE = 20
#: A name is shown in menus: longer ones are cut.
_NAME_LENGTH = 60
_SEPARATORS = (",", ";", "\t", "|")
#: What stands for “nothing was received”.
NOTHING = frozenset({"", "-", "--", "---", "nan", "null", "none", "n/a", "na", "#n/a"})
_NUMBER = re.compile(r"[+-]?(\d+([.,]\d*)?|[.,]\d+)([eE][+-]?\d+)?")
_PLAIN = frozenset("0123456789.+-eE ")
_TIME = re.compile(r"\d{1,4}[:\-/.]\d{1,2}[:\-/.]")
_DECIMAL_COMMA = re.compile(r"[+-]?\d+,\d+")


@dataclass(frozen=True)
class Table:
    """The text of a log in columns.

    Attributes
    ----------
    names : tuple of str
    header_line : int
        Line of the names, from 1.
    separator : str
    decimal_comma : bool
    first, spread : list of list of str
        The first rows, and some thousands over the whole file; each as long as ``names``.
    lines : array of int
        Where each row stands, from 1.
    notes : tuple of str or Fact
        What was left out.
    text : str
        The file: its rows are read again as often as they are asked for, and never all kept.
    """

    names: tuple[str, ...]
    header_line: int
    separator: str
    decimal_comma: bool
    first: list[list[str]]
    spread: list[list[str]]
    lines: NDArray[np.int64]
    notes: tuple[Words, ...]
    text: str = field(repr=False)

    @property
    def signature(self) -> str:
        """The same for every log of one source: its names in order."""
        return "\x1f".join(self.names)

    @property
    def count(self) -> int:
        """How many rows there are."""
        return int(self.lines.size)

    def blocks(self, size: int, /) -> Iterator[Sequence[Sequence[str]]]:
        """Every row, so many at a time, as columns of cells: one for each name."""
        return column_blocks(self.text, self.separator, width=len(self.names), at=self.lines.tolist(), size=size)


def to_number(cell: str, decimal_comma: bool) -> float:
    """The number of a cell.

    Raises
    ------
    ValueError
    """
    text = cell.strip()
    if decimal_comma:
        text = text.replace(",", ".")
    value = float(text)  # “1_000” and “infinity” are numbers to Python, not to a log
    if not math.isfinite(value) or "_" in text:
        raise ValueError(text)
    return value


def plain_numbers(cells: Sequence[str]) -> NDArray[np.float64] | None:
    """Cells as numbers at once where every one is a plain number with a point; None where one of them is not.

    Says the same as :func:`to_number` of each, twenty times as fast.
    """
    if not _PLAIN.issuperset("".join(cells)):  # no “inf”, no “1_000”, no commas: those are looked at one by one
        return None
    try:
        values = np.fromiter(map(float, cells), dtype=np.float64, count=len(cells))
    except ValueError:
        return None
    return values if bool(np.isfinite(values).all()) else None


def _decode(data: bytes) -> str:
    if len(data) > MOST_BYTES:
        raise FileFormatError(fact("file.csv.large", megabytes=len(data) / 1e6, most_megabytes=MOST_BYTES / 1e6))
    for mark, name in ((b"\xff\xfe", "utf-16"), (b"\xfe\xff", "utf-16"), (b"", "utf-8-sig"), (b"", "cp1252")):
        if not data.startswith(mark):
            continue
        try:
            text = data.decode(name)
            break
        except UnicodeDecodeError:
            continue
    else:
        raise FileFormatError(fact("file.csv.not_text"))
    at = text.find("\x00")
    if at >= 0:
        line = text.count("\n", 0, at) + 1
        column = at - (text.rfind("\n", 0, at) + 1) + 1
        raise FileFormatError(fact("file.csv.nul"), line=line, column=column)
    return text


def is_number(cell: str) -> bool:
    """Whether a cell is a number, with a point or a comma; four hundred digits are none."""
    text = cell.strip()
    return _NUMBER.fullmatch(text) is not None and math.isfinite(float(text.replace(",", ".")))


def _is_values(row: list[str]) -> bool:
    """Whether a row holds values and not the names of columns."""
    filled = [text for cell in row if (text := cell.strip())]
    values = sum(is_number(t) or t.lower() in NOTHING or _TIME.match(t) is not None for t in filled)
    return len(row) > 1 and values * 2 > len(filled)


def _refuse_many(text: str, separator: str) -> None:
    """Before anything is made of it: counting takes no time and no room.

    Raises
    ------
    FileFormatError
    """
    lines = max(text.count("\n"), text.count("\r"))
    if lines > MOST_LINES:
        raise FileFormatError(fact("file.csv.many_lines", lines=lines, most=MOST_LINES))
    cells = lines + text.count(separator)
    if cells > MOST_CELLS:
        raise FileFormatError(fact("file.csv.many_cells", millions=cells / 1e6, most_millions=MOST_CELLS / 1e6))


def _find_separator(text: str) -> str:
    """The separator that gives the most columns on the most of the first lines."""
    # Not all of it is split: it may be a file of nothing but line ends.
    first = [line for line in text[:_LOOKED_AT].splitlines()[: _MOST_PREAMBLE + 10] if line.strip()]
    if not first:
        raise FileFormatError(fact("file.csv.empty"))

    def score(separator: str) -> tuple[int, int]:
        counts = [line.count(separator) for line in first]
        usual = max(set(counts), key=lambda c: (counts.count(c), c))
        # A decimal comma in every number looks like a separator too: the true one is in the names as well.
        return (counts.count(usual) if usual else 0, usual)

    best = max(_SEPARATORS, key=score)
    # “1,5;2,5”: as many commas as numbers, and more columns by them, but the names have none.
    for other in (";", "\t", "|"):
        if score(other)[0] >= score(best)[0] * 0.8 and score(other)[1] > 0:
            best = other
            break
    if score(best)[1] == 0:
        raise FileFormatError(fact("file.csv.one_column"), line=1)
    return best


@dataclass(frozen=True)
class NamedRows:
    """A table of words and numbers whose first line names its columns.

    Attributes
    ----------
    names : tuple of str
    rows : list of (line, cells)
        Lines counted from 1; a row that is too short is filled up with nothing.
    long_rows : tuple of int
        Lines with more cells than names.
    """

    names: tuple[str, ...]
    rows: list[tuple[int, list[str]]]
    long_rows: tuple[int, ...]


def read_named_rows(data: bytes) -> NamedRows:
    """Rows under a first line of names, words and numbers alike.

    Raises
    ------
    FileFormatError
        Not text, too large, empty, one column only.
    """
    text = _decode(data)
    separator = _find_separator(text)
    _refuse_many(text, separator)
    rows = numbered_rows(text, separator)
    header_line, names = next(rows)
    if len(names) > MOST_COLUMNS:
        raise _many_columns(len(names), header_line)
    kept: list[tuple[int, list[str]]] = []
    too_long = []
    for line, row in rows:
        if any(cell.strip() for cell in row[len(names) :]):
            too_long.append(line)
        kept.append((line, row[: len(names)] + [""] * (len(names) - len(row))))
    return NamedRows(tuple(n.strip()[:_NAME_LENGTH] for n in names), kept, tuple(too_long))


def read_table(data: bytes) -> Table:
    """The columns of a log.

    Parameters
    ----------
    data : bytes
        UTF-8, UTF-16 with its mark, or Windows' western letters.

    Raises
    ------
    FileFormatError
        Not text, too large, no names, uneven lines: with line and column.
    """
    text = _decode(data)
    separator = _find_separator(text)
    _refuse_many(text, separator)
    rows = numbered_rows(text, separator)
    before: list[tuple[int, list[str]]] = []
    names: list[str] = []
    header_line = 0
    for line, row in rows:
        if len(row) > MOST_COLUMNS:
            raise _many_columns(len(row), line)
        if _is_values(row):
            header_line, names = before[-1] if before else (0, [])
            first = (line, row)
            break
        before.append((line, row))
        if len(before) > _MOST_PREAMBLE:
            raise FileFormatError(fact("file.csv.no_numbers_follow"), line=line)
    else:
        raise FileFormatError(fact("file.csv.no_numbers"), line=before[-1][0] if before else 1)
    if len(names) < 2:
        raise FileFormatError(fact("file.csv.no_names"), line=first[0])
    return _filled(names, header_line, separator, first, rows, text)


def _filled(
    names: list[str], header_line: int, separator: str, first: tuple[int, list[str]],
    rows: Iterator[tuple[int, list[str]]], text: str,
) -> Table:  # fmt: skip
    width = len(names)
    while width > 1 and not names[width - 1].strip():  # a separator at the end of each line
        width -= 1
    kept: list[list[str]] = []
    spread: list[list[str]] = []
    lines = array("q")
    most = _KEPT_CELLS // width
    every = max(1, math.ceil(max(text.count("\n"), text.count("\r")) / min(_SPREAD, most)))
    uneven: tuple[int, int] | None = None
    for line, row in chain((first,), rows):
        if uneven is not None:
            raise _uneven(*uneven, width, separator)
        if len(row) != width:
            if len(row) < width or any(c.strip() for c in row[width:]):
                uneven = (line, len(row))
                continue
            row = row[:width]
        if len(lines) < min(_FIRST, most):
            kept.append(row)
        if len(lines) % every == 0:
            spread.append(row)
        lines.append(line)
    notes: list[Words] = []
    if uneven is not None:
        if not lines or uneven[1] > width:
            raise _uneven(*uneven, width, separator)
        notes.append(fact("file.csv.cut_off", line=uneven[0]))
    if len(lines) < 2:
        raise FileFormatError(fact("file.csv.few_lines"), line=header_line)
    sample = [c for row in kept[:200] for c in row]
    comma = separator != "," and any(_DECIMAL_COMMA.fullmatch(c.strip()) for c in sample)
    cleaned = tuple(n.strip()[:_NAME_LENGTH] or f"column {k + 1}" for k, n in enumerate(names[:width]))
    stand = np.array(lines, dtype=np.int64)
    return Table(cleaned, header_line, separator, comma, kept, spread, stand, tuple(notes), text)


def _uneven(line: int, found: int, width: int, separator: str) -> FileFormatError:
    if separator == "," and found > width:
        return FileFormatError(fact("file.csv.uneven.commas", found=found, width=width), line=line)
    key = fact("file.csv.uneven.one" if found == 1 else "file.csv.uneven", found=found, width=width)
    return FileFormatError(key, line=line)


def _many_columns(found: int, line: int) -> FileFormatError:
    return FileFormatError(fact("file.csv.many_columns", columns=found, most=MOST_COLUMNS), line=line)
