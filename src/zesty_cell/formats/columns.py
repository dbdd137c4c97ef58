"""Columns of a table as numbers: each read by its unit, and what cannot be read told with its place."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence, Set
from dataclasses import dataclass, field
from datetime import datetime

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.fact import Fact, fact
from zesty_cell.formats.csv_table import NOTHING, Table, is_number, plain_numbers, to_number
from zesty_cell.formats.errors import FileFormatError
from zesty_cell.formats.telemetry_columns import Unit, halves

_CLOCK = re.compile(r"(?:(\d{1,3}):)?(\d{1,2}):(\d{2}(?:[.,]\d+)?)")
#: Units of half a cell, and which half it is.
HALF = {"first": 0, "second": 1}
#: Of cells that cannot be read: so many are named at most.
_NAMED = 6
#: So many rows are in memory at a time, and so many faults before all but the first are let go.
_BLOCK, _KEPT = 4096, 500


@dataclass(frozen=True)
class Reader:
    """How a column is read: what it is, where it stands, the key of its unit, and a number from a cell.

    ``scale`` is the unit's offset and factor where cells are numbers alone: many are read at once then.
    """

    role: str
    column: int
    unit: str
    read: Callable[[str], float]
    scale: tuple[float, float] | None = None


def reader_for(role: str, column: int, unit: Unit, table: Table) -> Reader:
    """A column of numbers, or of clock times."""
    if unit.key == "clock":
        return Reader(role, column, unit.key, _clock_s)
    if unit.key in HALF:
        return Reader(role, column, unit.key, lambda cell: _half_of(cell, table.decimal_comma, HALF[unit.key]))
    comma, factor, offset = table.decimal_comma, unit.factor, unit.offset
    scale = None if comma else (offset, factor)
    return Reader(role, column, unit.key, lambda cell: (to_number(cell, comma) - offset) * factor, scale)


def _half_of(cell: str, decimal_comma: bool, half: int) -> float:
    """One of the two numbers of a cell.

    Raises
    ------
    ValueError
        There are not two.
    """
    two = halves(cell, decimal_comma)
    if len(two) != 2:
        raise ValueError(cell)
    return to_number(two[half], decimal_comma)


def _clock_s(cell: str) -> float:
    """A clock time or a date with time as seconds [s]."""
    text = cell.strip()
    match = _CLOCK.fullmatch(text)
    if match:
        hours, minutes, seconds = match.groups()
        return 3600.0 * float(hours or 0) + 60.0 * float(minutes) + float(seconds.replace(",", "."))
    return datetime.fromisoformat(text.replace(",", ".").replace("Z", "+00:00")).timestamp()


def _why_not(cell: str, unit: str) -> Fact:
    shown = cell.strip()[:24]
    if cell.strip()[:1] in "=@" or (cell.strip()[:1] in "+-" and not is_number(cell)):
        return fact("file.cell.formula", shown=shown)
    if unit == "clock":
        return fact("file.cell.no_time", shown=shown)
    return fact("file.cell.not_two" if unit in HALF else "file.cell.not_number", shown=shown)


@dataclass
class Wrong:
    """Cells that could not be read: the first few with their reasons, and how many."""

    cells: list[tuple[int, int, Fact]] = field(default_factory=list)
    count: int = 0


def read_columns(
    table: Table, readers: Sequence[Reader], lenient: Set[str] = frozenset()
) -> tuple[dict[str, NDArray[np.float64]], Wrong]:
    """Columns as numbers by role, NaN where nothing was received; and what could not be read.

    The file is gone through once, whatever its size: only numbers are kept.
    """
    into = {r.role: np.full(table.count, np.nan) for r in readers}
    wrong, first = Wrong(), 0
    for columns in table.blocks(_BLOCK):
        for reader in readers:
            cells = columns[reader.column]
            part = into[reader.role][first : first + len(cells)]
            at_once = plain_numbers(cells) if reader.scale is not None else None
            if at_once is not None and reader.scale is not None:
                part[:] = (at_once - reader.scale[0]) * reader.scale[1]
            else:
                _one_by_one(reader, cells, part, wrong, first=first, lenient=reader.role in lenient)
        first += len(columns[0])
    return into, wrong


def _one_by_one(
    reader: Reader, cells: Sequence[str], into: NDArray[np.float64], wrong: Wrong, *, first: int, lenient: bool
) -> None:
    """Cells of one column into their place; what cannot be read is noted, by its row."""
    for k, cell in enumerate(cells):
        try:
            into[k] = reader.read(cell)
        except (ValueError, OverflowError):
            if cell.strip().lower() in NOTHING or lenient:
                continue
            wrong.count += 1
            wrong.cells.append((first + k, reader.column, _why_not(cell, reader.unit)))
            if len(wrong.cells) > _KEPT:
                wrong.cells = sorted(wrong.cells)[:_NAMED]


def over_midnight(time_s: NDArray[np.float64], unit: str) -> NDArray[np.float64]:
    """Midnight on a clock is no step back [s]."""
    if unit != "clock":
        return time_s
    return time_s + 86_400.0 * np.cumsum(np.diff(time_s, prepend=time_s[0]) < -43_200.0)


def timed(table: Table, time_s: NDArray[np.float64], column: int, unit: str) -> NDArray[np.float64]:
    """A column of times, over midnight too [s].

    Raises
    ------
    FileFormatError
        A line without one.
    """
    time_s = over_midnight(time_s, unit)
    if np.isnan(time_s).any():
        k = int(np.isnan(time_s).argmax())
        raise FileFormatError(fact("file.csv.no_time"), line=int(table.lines[k]), column=column + 1)
    return time_s


def read_chosen(
    table: Table, readers: Sequence[Reader], *, lenient: bool, time: str = "time_s"
) -> dict[str, NDArray[np.float64]]:
    """The columns that a pilot confirmed as numbers, by role; the time over midnight too [s].

    Parameters
    ----------
    readers : sequence of Reader
        With one of the time.
    lenient : bool
        Text where a number should be counts as nothing received; a line without its time is of no use, whatever
        this says.
    time : str
        The role of the time.

    Raises
    ------
    FileFormatError
        A column that this file has not, text in numbers, a line without its time.
    """
    if max(r.column for r in readers) >= len(table.names):
        raise FileFormatError(fact("file.columns.not_there"))
    columns, wrong = read_columns(table, readers, {r.role for r in readers if r.role != time} if lenient else set())
    if wrong.count:
        raise wrong_cells(table, wrong)
    when = next(r for r in readers if r.role == time)
    columns[time] = timed(table, columns[time], when.column, when.unit)
    return columns


def wrong_cells(table: Table, wrong: Wrong) -> FileFormatError:
    """What is wrong, at the first of its places and with the next few."""
    wrong.cells = sorted(wrong.cells)[:_NAMED]
    k, column, reason = wrong.cells[0]
    name, more = table.names[column], wrong.count - 1
    places = ", ".join(f"{table.lines[row]}" for row, _, _ in wrong.cells[1:])
    if not more:
        said = fact("file.cells.one", column=name, reason=reason)
    elif more == 1:
        said = fact("file.cells.two", column=name, reason=reason, places=places)
    else:
        key = "file.cells.many" if wrong.count > _NAMED else "file.cells.some"
        said = fact(key, column=name, reason=reason, more=more, places=places)
    return FileFormatError(said, line=int(table.lines[k]), column=column + 1)
