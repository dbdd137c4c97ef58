"""Telemetry logs as CSV: any column order; columns and units are guessed, and confirmed by the pilot.

:func:`guess_mapping` proposes what the columns of a table are, :func:`read_telemetry` makes numbers of those
the pilot confirmed.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence, Set
from dataclasses import dataclass, field
from datetime import datetime
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.callouts.telemetry import Telemetry
from zesty_cell.formats.csv_table import NOTHING, Table, is_number, to_number
from zesty_cell.formats.errors import FileFormatError
from zesty_cell.formats.telemetry_columns import ROLES, ColumnChoice, Mapping

_CLOCK = re.compile(r"(?:(\d{1,3}):)?(\d{1,2}):(\d{2}(?:[.,]\d+)?)")
#: A day's flights in one file; a clock that steps back more often is no clock.
MOST_PARTS = 50


_YES = frozenset(
    {"1", "yes", "true", "on", "armed", "ja", "wahr", "ein", "oui", "vrai", "si", "sì", "sí", "sim", "aan"}
)
_NO = frozenset(
    {"0", "no", "false", "off", "disarmed", "nein", "falsch", "aus", "non", "faux", "nao", "não", "nee", "uit"}
)


def _clock_s(cell: str) -> float:
    """A clock time or a date with time as seconds [s]."""
    text = cell.strip()
    match = _CLOCK.fullmatch(text)
    if match:
        hours, minutes, seconds = match.groups()
        return 3600.0 * float(hours or 0) + 60.0 * float(minutes) + float(seconds.replace(",", "."))
    return datetime.fromisoformat(text.replace(",", ".").replace("Z", "+00:00")).timestamp()


def _armed(cell: str) -> float:
    text = cell.strip().lower()
    if text in _YES:
        return 1.0
    if text in _NO:
        return 0.0
    return float(float(text) > 0)


def _reader(choice: ColumnChoice, table: Table) -> Callable[[str], float]:
    role = next(r for r in ROLES if r.key == choice.role)
    unit = role.unit(choice.unit)
    if role.key == "armed":
        return _armed
    if unit.key == "clock":
        return _clock_s
    comma, factor, offset = table.decimal_comma, unit.factor, unit.offset
    return lambda cell: (to_number(cell, comma) - offset) * factor


def _why_not(cell: str, choice: ColumnChoice) -> str:
    shown = cell.strip()[:24]
    if cell.strip()[:1] in "=@" or (cell.strip()[:1] in "+-" and not is_number(cell)):
        return f"“{shown}” is a formula, not a number."
    if choice.unit == "clock":
        return f"“{shown}” is no time such as 0:01:02.5 or 2026-05-03 14:02:11."
    return f"“{shown}” is not a number."


@dataclass
class _Wrong:
    """Cells that could not be read: the first few with their reasons, and how many."""

    cells: list[tuple[int, int, str]] = field(default_factory=list)
    count: int = 0


#: Of cells that cannot be read: so many are named at most.
_NAMED = 6


def _columns(
    table: Table, choices: Sequence[ColumnChoice], lenient: Set[str] = frozenset()
) -> tuple[dict[str, NDArray[np.float64]], _Wrong]:
    """Columns as numbers by role, NaN where nothing was received; and what could not be read.

    The file is gone through once, whatever its size: only numbers are kept.
    """
    readers = [(_reader(c, table), c.column, np.full(table.count, np.nan), c) for c in choices]
    wrong = _Wrong()
    for k, row in enumerate(table.rows()):
        for read, column, values, choice in readers:
            cell = row[column]
            try:
                values[k] = read(cell)
            except (ValueError, OverflowError):
                if cell.strip().lower() not in NOTHING and choice.role not in lenient:
                    wrong.count += 1
                    if len(wrong.cells) < _NAMED:
                        wrong.cells.append((k, column, _why_not(cell, choice)))
    return {choice.role: values for _, _, values, choice in readers}, wrong


@dataclass(frozen=True)
class ReadLog:
    """A log as the pilot confirmed it.

    Attributes
    ----------
    telemetry : Telemetry
    notes : tuple of str
        What was left out.
    """

    telemetry: Telemetry
    notes: tuple[str, ...]


def read_telemetry(table: Table, mapping: Mapping) -> ReadLog:
    """The numbers of the columns a pilot confirmed.

    Raises
    ------
    FileFormatError
        No time, a column that is not there, text in numbers, a clock that goes back: with line and column.
    """
    when = mapping.of("time_s")
    if when is None:
        raise FileFormatError("Say which column is the time.")
    if mapping.of("pack_v") is None and mapping.of("cell_v") is None and mapping.of("used_ah") is None:
        raise FileFormatError("Say which column is the pack's voltage, the lowest cell or the charge used.")
    if max(c.column for c in mapping.columns) >= len(table.names):
        raise FileFormatError("A column was chosen that this file has not.")
    # A line without its time is of no use: no leniency there.
    lenient = {c.role for c in mapping.columns if c is not when} if mapping.lenient else set()
    columns, wrong = _columns(table, mapping.columns, lenient)
    if wrong.count:
        raise _wrong_cells(table, wrong)
    time_s = columns["time_s"] = _over_midnight(columns["time_s"], when)
    if np.isnan(time_s).any():
        k = int(np.isnan(time_s).argmax())
        raise FileFormatError("This line has no time.", line=int(table.lines[k]), column=when.column + 1)
    return _one_part(table, mapping, columns)


def _over_midnight(time_s: NDArray[np.float64], choice: ColumnChoice) -> NDArray[np.float64]:
    """Midnight on a clock is no step back [s]."""
    if choice.unit != "clock":
        return time_s
    return time_s + 86_400.0 * np.cumsum(np.diff(time_s, prepend=time_s[0]) < -43_200.0)


def _spans(time_s: NDArray[np.float64]) -> list[tuple[int, int]]:
    """Stretches in which time does not go back: first row, and one past the last."""
    back = np.flatnonzero(np.diff(time_s) < 0.0) + 1
    return [(a, b) for a, b in pairwise([0, *(int(k) for k in back), time_s.size]) if b - a > 1]


def time_parts(table: Table, mapping: Mapping) -> tuple[tuple[int, int, float], ...]:
    """Every stretch between backward steps of the clock: first line, last line, how long [s]; none without time."""
    when = mapping.of("time_s")
    if when is None or when.column >= len(table.names):
        return ()
    columns, wrong = _columns(table, [when])
    time_s = columns[when.role]
    if wrong.count or np.isnan(time_s).any():
        return ()
    time_s = _over_midnight(time_s, when)
    spans = _spans(time_s)
    if len(spans) > MOST_PARTS:
        return ()
    return tuple((int(table.lines[a]), int(table.lines[b - 1]), float(time_s[b - 1] - time_s[a])) for a, b in spans)


def _wrong_cells(table: Table, wrong: _Wrong) -> FileFormatError:
    k, column, reason = min(wrong.cells)
    more = ""
    if wrong.count > 1:
        places = ", ".join(f"{table.lines[row]}" for row, _, _ in sorted(wrong.cells)[1:])
        more = f" So are {wrong.count - 1} more cells, in line{'' if wrong.count == 2 else 's'} {places}"
        more += " and on." if wrong.count > _NAMED else "."
    line = int(table.lines[k])
    return FileFormatError(f"In “{table.names[column]}”, {reason}{more}", line=line, column=column + 1)


def _one_part(table: Table, mapping: Mapping, columns: dict[str, NDArray[np.float64]]) -> ReadLog:
    """The stretch asked for: time rises in it."""
    time_s = columns["time_s"]
    spans = _spans(time_s)
    if not spans:
        raise FileFormatError("The time never goes forward.", line=int(table.lines[0]))
    if len(spans) > MOST_PARTS:
        raise FileFormatError(
            f"The time goes back {len(spans) - 1} times: another column is the time, or this is no log of flights."
        )
    if len(spans) > 1 and mapping.part is None:
        k = int(np.flatnonzero(np.diff(time_s) < 0.0)[0]) + 1
        column = mapping.of("time_s")
        raise FileFormatError(
            f"The time goes back from {time_s[k - 1]:g} s to {time_s[k]:g} s. Choose one of {len(spans)} parts.",
            line=int(table.lines[k]),
            column=column.column + 1 if column else None,
        )
    first, last = spans[min(mapping.part or 0, len(spans) - 1)]
    notes = list(table.notes)
    if len(spans) > 1:
        notes.append(
            f"Only lines {table.lines[first]} to {table.lines[last - 1]}: the clock steps back around them."
        )
    chosen = np.arange(first, last)
    # Of lines with the same time the last one counts.
    chosen = chosen[np.diff(time_s[first:last], append=np.inf) > 0.0]
    held = {role: values[chosen] for role, values in columns.items() if role != "time_s"}
    return ReadLog(Telemetry(time_s=time_s[chosen], **held), tuple(notes))
