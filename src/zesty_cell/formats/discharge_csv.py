"""Discharge runs as CSV, of any charger or load: columns and units are proposed, and confirmed by the pilot."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, model_validator

from zesty_cell.core.discharge.run import DischargeRun, discharge_run
from zesty_cell.core.entity import Entity, refused
from zesty_cell.core.fact import Words, fact
from zesty_cell.formats.columns import Reader, read_chosen, reader_for
from zesty_cell.formats.csv_table import MOST_COLUMNS, Table
from zesty_cell.formats.errors import FileFormatError
from zesty_cell.formats.telemetry_columns import (
    ROLES,
    Role,
    Unit,
    guess_unit,
    has_values,
    named,
    named_unit,
    numbers_of,
    words_of,
)

DischargeKey = Literal["time_s", "pack_v", "current_a", "used_ah", "temperature_c"]
MOST_CELLS = 24
_KEYS: tuple[DischargeKey, ...] = ("time_s", "pack_v", "current_a", "used_ah", "temperature_c")
_TITLES = {"pack_v": "Voltage", "used_ah": "Charge drawn"}
#: What a column of a discharge may be, besides a cell's voltage.
DISCHARGE_ROLES: tuple[Role, ...] = tuple(
    Role(r.key, _TITLES.get(r.key, r.title), r.words, r.units) for key in _KEYS for r in ROLES if r.key == key
)
_CELL = next(r for r in ROLES if r.key == "cell_v")
#: A share of the largest current that is none [1]: between a charge and a discharge in one file.
_NONE = 0.02
#: Lines at rest that are kept on each side of a discharge cut out of a longer file.
_AROUND = 60


class DischargeColumn(Entity):
    """Which column something is, and in which unit; ``role`` is one of the keys, or ``cell_1`` to ``cell_24``."""

    role: Annotated[
        str, Field(pattern=r"^(time_s|pack_v|current_a|used_ah|temperature_c|cell_([1-9]|1\d|2[0-4]))$")
    ]
    column: Annotated[int, Field(ge=0, lt=MOST_COLUMNS)]
    unit: Annotated[str, Field(max_length=10)]


class DischargeMapping(Entity):
    """What a pilot confirmed of a recording's columns.

    Parameters
    ----------
    columns : tuple of DischargeColumn
    held_a : float, optional
        The current that was set [A], where the recording has none.
    lenient : bool
        Text where a number should be counts as nothing recorded.
    """

    columns: Annotated[tuple[DischargeColumn, ...], Field(max_length=len(_KEYS) + MOST_CELLS)]
    held_a: Annotated[float, Field(gt=0, le=2000)] | None = None
    lenient: bool = False

    @model_validator(mode="after")
    def _once(self) -> DischargeMapping:
        roles = [c.role for c in self.columns]
        if len(set(roles)) < len(roles):
            raise refused(fact("file.columns.twice"))
        return self

    def of(self, role: str) -> DischargeColumn | None:
        """The column of a role; None for none."""
        return next((c for c in self.columns if c.role == role), None)

    def cells(self) -> list[DischargeColumn]:
        """The columns of cells, in order."""
        found = [c for c in self.columns if c.role.startswith("cell_")]
        return sorted(found, key=lambda c: int(c.role.removeprefix("cell_")))


@dataclass(frozen=True)
class ReadRun:
    """A recording as the pilot confirmed it; ``notes`` say what was left out."""

    run: DischargeRun
    notes: tuple[Words, ...]


def guess_discharge(table: Table, *, series: int) -> DischargeMapping:
    """What each column probably is, by the words of its name and by what its numbers do [series: 1]."""
    words = [set(words_of(name)) for name in table.names]
    chosen = _cells(table, words, series)
    taken = {c.column for c in chosen}
    # The rarest words first: “battery temp” is a temperature.
    for key in ("temperature_c", "used_ah", "current_a", "time_s", "pack_v"):
        role = next(r for r in DISCHARGE_ROLES if r.key == key)
        free = [k for k in range(len(table.names)) if k not in taken and has_values(table, k)]
        ranked = [(named(role, words[k], DISCHARGE_ROLES), -k, k) for k in free]
        ranked = [r for r in ranked if r[0] and _does(table, role, r[2])]
        if ranked:
            column = max(ranked)[2]
            taken.add(column)
            guess = _time_unit(table, role, column) if key == "time_s" else guess_unit(table, role, column, series)
            chosen.append(DischargeColumn(role=key, column=column, unit=guess.key))
    order = [*_KEYS, *(f"cell_{k + 1}" for k in range(MOST_CELLS))]
    return DischargeMapping(columns=tuple(sorted(chosen, key=lambda c: order.index(c.role))))


#: No discharge is shorter or longer [s]: steps of ten are a recorder's seconds, and a flight log's milliseconds.
_SHORTEST_S, _LONGEST_S = 60.0, 400_000.0


def _time_unit(table: Table, role: Role, column: int) -> Unit:
    """The unit of a time: as its name tells, or text; else by how long the whole would last."""
    by_name = named_unit(role, table.names[column])
    values = numbers_of(table, column)
    if by_name is not None or not values.size:
        return guess_unit(table, role, column, 1)
    span = float(values.max() - values.min())
    by_steps = guess_unit(table, role, column, 1)
    if by_steps.key != "s" and span * by_steps.factor < _SHORTEST_S and span <= _LONGEST_S:
        return role.unit("s")
    return by_steps


def _does(table: Table, role: Role, column: int) -> bool:
    """Whether the numbers of a column do not speak against a role."""
    values = numbers_of(table, column)
    if role.key == "used_ah":
        falls = np.diff(values) < 0.0
        return values.size > 1 and (float(np.mean(falls)) < 0.01 or float(np.mean(~falls)) < 0.01)
    return True


def _cells(table: Table, words: list[set[str]], series: int) -> list[DischargeColumn]:
    """Columns that are a cell's by name and number, with volts of one cell."""
    found: dict[int, DischargeColumn] = {}
    for k, name in enumerate(table.names):
        number = re.search(r"(\d+)", name)
        if not named(_CELL, words[k]) or number is None or not has_values(table, k):
            continue
        which = int(number.group(1))
        unit = guess_unit(table, _CELL, k, series)
        values = numbers_of(table, k) * unit.factor
        if 1 <= which <= MOST_CELLS and values.size and 0.5 <= float(np.median(values)) <= 4.6:
            found.setdefault(which, DischargeColumn(role=f"cell_{which}", column=k, unit=unit.key))
    return list(found.values())


def read_discharge(table: Table, mapping: DischargeMapping) -> ReadRun:
    """The run of the columns a pilot confirmed; of a file with charges in it the longest discharge.

    Raises
    ------
    FileFormatError
        No time, no voltage, a column that is not there, text in numbers, a time that goes back.
    OutOfRangeError
        Too few lines, no current in any form, nothing drawn.
    """
    when, cells = mapping.of("time_s"), mapping.cells()
    if when is None:
        raise FileFormatError(fact("file.columns.no_time"))
    if mapping.of("pack_v") is None and not cells:
        raise FileFormatError(fact("file.columns.no_volts_or_cells"))
    columns = read_chosen(table, [_reader(c, table) for c in mapping.columns], lenient=mapping.lenient)
    time_s = columns["time_s"]
    back = np.flatnonzero(np.diff(time_s) < 0.0)
    if back.size:
        k = int(back[0]) + 1
        raise FileFormatError(
            fact("file.discharge.back", from_s=float(time_s[k - 1]), to_s=float(time_s[k])),
            line=int(table.lines[k]), column=when.column + 1,
        )  # fmt: skip
    each = np.stack([columns[c.role] for c in cells]) if cells else None
    pack_v = columns["pack_v"] if "pack_v" in columns else np.asarray(each).sum(axis=0)
    keep = np.diff(time_s, append=np.inf) > 0.0  # of lines with the same time the last one counts
    notes = list(table.notes)
    stretch = _longest_discharge(columns.get("current_a"), pack_v)
    if stretch is not None:
        keep &= stretch
        lines = table.lines[stretch]
        notes.append(fact("file.discharge.only_longest", first=int(lines[0]), last=int(lines[-1])))

    def of(role: str) -> NDArray[np.float64] | None:
        return columns[role][keep] if role in columns else None

    run = discharge_run(
        time_s=time_s[keep],
        pack_v=pack_v[keep],
        current_a=of("current_a"),
        used_ah=of("used_ah"),
        held_a=mapping.held_a,
        cells_v=None if each is None else each[:, keep],
        temperature_c=of("temperature_c"),
    )
    return ReadRun(run, tuple(notes))


def _reader(choice: DischargeColumn, table: Table) -> Reader:
    role = next((r for r in DISCHARGE_ROLES if r.key == choice.role), _CELL)
    return reader_for(choice.role, choice.column, role.unit(choice.unit), table)


def _longest_discharge(
    current_a: NDArray[np.float64] | None, pack_v: NDArray[np.float64]
) -> NDArray[np.bool_] | None:
    """Which lines are the longest discharge, of a file that has currents of both signs; None for any other."""
    if current_a is None:
        return None
    amps = np.nan_to_num(current_a)
    most = float(np.abs(amps).max(initial=0.0))
    sign = np.where(np.abs(amps) > _NONE * most, np.sign(amps), 0.0)
    if not ((sign > 0).any() and (sign < 0).any()):
        return None
    edges = np.flatnonzero(np.diff(sign)) + 1
    best, length = None, 0
    for part in np.split(np.arange(sign.size), edges):
        first, last = int(part[0]), int(part[-1])
        falls = sign[first] != 0.0 and pack_v[last] < pack_v[first]
        if falls and part.size > length:
            best, length = (first, last), part.size
    if best is None:
        return None
    around = np.zeros(sign.size, dtype=np.bool_)
    around[best[0] : best[1] + 1] = True
    for k in range(1, _AROUND + 1):  # rest on both sides tells what the load took
        if best[0] - k < 0 or sign[best[0] - k] != 0.0:
            break
        around[best[0] - k] = True
    for k in range(1, _AROUND + 1):
        if best[1] + k >= sign.size or sign[best[1] + k] != 0.0:
            break
        around[best[1] + k] = True
    return around
