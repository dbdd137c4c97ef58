"""Telemetry logs as CSV: any column order; columns and units are guessed, and confirmed by the pilot.

:func:`guess_mapping` proposes what the columns of a table are, :func:`read_telemetry` makes numbers of those
the pilot confirmed.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.callouts.telemetry import Telemetry
from zesty_cell.core.fact import Words, fact
from zesty_cell.formats.columns import Reader, over_midnight, read_chosen, read_columns, reader_for
from zesty_cell.formats.csv_table import Table
from zesty_cell.formats.errors import FileFormatError
from zesty_cell.formats.telemetry_columns import ROLES, ColumnChoice, Mapping

#: A day's flights in one file; a clock that steps back more often is no clock.
MOST_PARTS = 50


_YES = frozenset(
    {"1", "yes", "true", "on", "armed", "ja", "wahr", "ein", "oui", "vrai", "si", "sì", "sí", "sim", "aan"}
)
_NO = frozenset(
    {"0", "no", "false", "off", "disarmed", "nein", "falsch", "aus", "non", "faux", "nao", "não", "nee", "uit"}
)


def armed(cell: str) -> float:
    """1.0 for armed, 0.0 for not."""
    text = cell.strip().lower()
    if text in _YES:
        return 1.0
    if text in _NO:
        return 0.0
    return float(float(text) > 0)


def _reader(choice: ColumnChoice, table: Table) -> Reader:
    unit = next(r for r in ROLES if r.key == choice.role).unit(choice.unit)
    if choice.role == "armed":
        return Reader(choice.role, choice.column, unit.key, armed)
    return reader_for(choice.role, choice.column, unit, table)


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
    notes: tuple[Words, ...]


def read_telemetry(table: Table, mapping: Mapping) -> ReadLog:
    """The numbers of the columns a pilot confirmed.

    Raises
    ------
    FileFormatError
        No time, a column that is not there, text in numbers, a clock that goes back: with line and column.
    """
    when = mapping.of("time_s")
    if when is None:
        raise FileFormatError(fact("file.columns.no_time"))
    if mapping.of("pack_v") is None and mapping.of("cell_v") is None and mapping.of("used_ah") is None:
        raise FileFormatError(fact("file.columns.no_volts_or_charge"))
    columns = read_chosen(table, [_reader(c, table) for c in mapping.columns], lenient=mapping.lenient)
    return _one_part(table, mapping, columns)


def _spans(time_s: NDArray[np.float64]) -> list[tuple[int, int]]:
    """Stretches in which time does not go back: first row, and one past the last."""
    back = np.flatnonzero(np.diff(time_s) < 0.0) + 1
    return [(a, b) for a, b in pairwise([0, *(int(k) for k in back), time_s.size]) if b - a > 1]


def time_parts(table: Table, mapping: Mapping) -> tuple[tuple[int, int, float], ...]:
    """Every stretch between backward steps of the clock: first line, last line, how long [s]; none without time."""
    when = mapping.of("time_s")
    if when is None or when.column >= len(table.names):
        return ()
    columns, wrong = read_columns(table, [_reader(when, table)])
    time_s = columns[when.role]
    if wrong.count or np.isnan(time_s).any():
        return ()
    time_s = over_midnight(time_s, when.unit)
    spans = _spans(time_s)
    if len(spans) > MOST_PARTS:
        return ()
    return tuple((int(table.lines[a]), int(table.lines[b - 1]), float(time_s[b - 1] - time_s[a])) for a, b in spans)


def _one_part(table: Table, mapping: Mapping, columns: dict[str, NDArray[np.float64]]) -> ReadLog:
    """The stretch asked for: time rises in it."""
    time_s = columns["time_s"]
    spans = _spans(time_s)
    if not spans:
        raise FileFormatError(fact("file.log.never_forward"), line=int(table.lines[0]))
    if len(spans) > MOST_PARTS:
        raise FileFormatError(fact("file.log.back_often", times=len(spans) - 1))
    if len(spans) > 1 and mapping.part is None:
        k = int(np.flatnonzero(np.diff(time_s) < 0.0)[0]) + 1
        column = mapping.of("time_s")
        raise FileFormatError(
            fact("file.log.back", from_s=float(time_s[k - 1]), to_s=float(time_s[k]), parts=len(spans)),
            line=int(table.lines[k]),
            column=column.column + 1 if column else None,
        )
    first, last = spans[min(mapping.part or 0, len(spans) - 1)]
    notes = list(table.notes)
    if len(spans) > 1:
        notes.append(fact("file.log.only_part", first=int(table.lines[first]), last=int(table.lines[last - 1])))
    chosen = np.arange(first, last)
    # Of lines with the same time the last one counts.
    chosen = chosen[np.diff(time_s[first:last], append=np.inf) > 0.0]
    held = {role: values[chosen] for role, values in columns.items() if role != "time_s"}
    return ReadLog(Telemetry(time_s=time_s[chosen], **held), tuple(notes))
