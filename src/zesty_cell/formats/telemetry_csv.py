"""Telemetry logs as CSV: any column order; columns and units are guessed, and confirmed by the pilot.

:func:`guess_mapping` proposes what the columns of a table are, :func:`read_telemetry` makes numbers of those
the pilot confirmed.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from itertools import pairwise
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from zesty_cell.core.callouts.telemetry import Telemetry
from zesty_cell.core.entity import Entity
from zesty_cell.formats.csv_table import MOST_COLUMNS, NOTHING, Table, is_number, to_number
from zesty_cell.formats.errors import FileFormatError

_CLOCK = re.compile(r"(?:(\d{1,3}):)?(\d{1,2}):(\d{2}(?:[.,]\d+)?)")
#: A day's flights in one file; a clock that steps back more often is no clock.
MOST_PARTS = 50

RoleKey = Literal[
    "time_s",
    "pack_v",
    "cell_v",
    "receiver_v",
    "used_ah",
    "current_a",
    "throttle",
    "armed",
    "temperature_c",
    "altitude_m",
]


@dataclass(frozen=True)
class Unit:
    """How a column's numbers are meant: the SI value is ``(number − offset)·factor``."""

    key: str
    label: str
    factor: float = 1.0
    offset: float = 0.0


@dataclass(frozen=True)
class Role:
    """Something a transmitter can know: the words that name its column, the units it comes in."""

    key: RoleKey
    title: str
    words: tuple[str, ...]
    units: tuple[Unit, ...]
    needs: tuple[str, ...] = ()

    def unit(self, key: str) -> Unit:
        """One of its units by key; the first for an unknown one."""
        return next((u for u in self.units if u.key == key), self.units[0])


_VOLTS = (
    Unit("V", "V"), Unit("mV", "mV", 1e-3), Unit("cV", "hundredths of a volt", 1e-2),
    Unit("dV", "tenths of a volt", 0.1),
)  # fmt: skip
_VOLT_WORDS = (
    "voltage", "volts", "volt", "v", "mv", "spannung", "tension", "voltaje", "tensione", "spanning", "tensao",
)  # fmt: skip
# Words of a column's name, the surest first; in English and the larger languages of Europe, without accents.
ROLES: tuple[Role, ...] = (
    Role(
        "time_s", "Time",
        (
            "time", "timestamp", "zeit", "temps", "tiempo", "tempo", "tijd", "uhrzeit", "heure", "hora", "ora",
            "seconds", "clock", "elapsed", "sekunden", "secondes", "segundos", "secondi", "t", "date", "datum",
        ),
        (Unit("s", "s"), Unit("ms", "ms", 1e-3), Unit("us", "µs", 1e-6), Unit("clock", "h:mm:ss or date and time")),
    ),
    Role(
        "pack_v", "Pack voltage",
        (
            "pack", "battery", "batt", "vbat", "bat", "akku", "batterie", "bateria", "batteria", "accu", "batterij",
            *_VOLT_WORDS,
        ),
        _VOLTS,
    ),
    Role(
        "cell_v", "Lowest cell",
        ("cell", "cells", "zelle", "zellen", "zell", "element", "celda", "cella", "cellule", "celula", "cel"),
        _VOLTS,
    ),
    Role(
        "receiver_v", "Receiver battery",
        ("receiver", "rx", "empfanger", "empfaenger", "recepteur", "receptor", "ricevitore", "ontvanger"),
        _VOLTS, _VOLT_WORDS,
    ),
    Role(
        "used_ah", "Charge used",
        (
            "used", "consumed", "consumption", "drawn", "verbraucht", "verbrauch", "entnommen", "consomme",
            "consommee", "consommation", "consumido", "consumo", "consumato", "verbruikt", "verbruik", "capacity",
            "kapazitat", "kapazitaet", "capacite", "capacidad", "capacita", "capaciteit", "capacidade", "mah", "ah",
        ),
        (Unit("mAh", "mAh", 1e-3), Unit("Ah", "Ah")),
    ),
    Role(
        "current_a", "Current",
        (
            "current", "curr", "amps", "amp", "amperage", "strom", "courant", "intensite", "corriente", "corrente",
            "stroom", "ampere", "a", "ma",
        ),
        (Unit("A", "A"), Unit("mA", "mA", 1e-3), Unit("cA", "hundredths of an amp", 1e-2)),
    ),
    Role(
        "throttle", "Throttle",
        (
            "throttle", "thr", "gas", "gaz", "acelerador", "acceleratore", "gasstand", "drossel",
        ),
        (
            Unit("share", "0 to 1"), Unit("%", "%", 0.01), Unit("us", "pulse, 1000 to 2000 µs", 1e-3, 1000.0),
            Unit("both", "−100 to 100 %", 0.005, -100.0), Unit("counts", "−1024 to 1024", 1 / 2048, -1024.0),
        ),
    ),
    Role(
        "armed", "Armed", ("armed", "arm", "arming", "scharf", "arme", "armado", "armato"),
        (Unit("yes", "1 or yes, 0 or no"),),
    ),
    Role(
        "temperature_c", "Temperature",
        ("temperature", "temp", "tmp", "temperatur", "temperatura", "temperatuur"),
        (Unit("°C", "°C"), Unit("°F", "°F", 1 / 1.8, 32.0)),
    ),
    Role(
        "altitude_m", "Altitude",
        ("altitude", "alt", "height", "hohe", "hoehe", "altura", "altezza", "quota", "hoogte"),
        (Unit("m", "m"), Unit("ft", "ft", 0.3048)),
    ),
)  # fmt: skip
#: Other spellings of a unit in a column's name.
_ALIASES = {
    "sec": "s", "sek": "s", "secs": "s", "seconds": "s", "sekunden": "s", "secondes": "s", "segundos": "s",
    "secondi": "s", "msec": "ms", "millis": "ms", "usec": "us", "µs": "us", "volts": "V", "volt": "V", "amps": "A",
    "ampere": "A", "milliampere": "mA", "milliamps": "mA", "percent": "%", "prozent": "%",
}  # fmt: skip
_YES = frozenset(
    {"1", "yes", "true", "on", "armed", "ja", "wahr", "ein", "oui", "vrai", "si", "sì", "sí", "sim", "aan"}
)
_NO = frozenset(
    {"0", "no", "false", "off", "disarmed", "nein", "falsch", "aus", "non", "faux", "nao", "não", "nee", "uit"}
)


class ColumnChoice(Entity):
    """Which column a role is, and in which unit."""

    role: RoleKey
    column: int = Field(ge=0, lt=MOST_COLUMNS)
    unit: str = Field(max_length=10)


class Mapping(Entity):
    """What a pilot confirmed of a log's columns.

    Parameters
    ----------
    columns : tuple of ColumnChoice
    part : int, optional
        Which stretch between two backward steps of the clock, from 0; None: there must be only one.
    lenient : bool
        Text where a number should be counts as nothing received.
    """

    columns: tuple[ColumnChoice, ...] = Field(max_length=len(ROLES))
    part: int | None = Field(default=None, ge=0, le=10_000)
    lenient: bool = False

    def of(self, role: str) -> ColumnChoice | None:
        """The column of a role; None for none."""
        return next((c for c in self.columns if c.role == role), None)


def _words(name: str) -> list[str]:
    parts = re.sub(r"([a-z])([A-Z])", r"\1 \2", name.replace("µ", "u"))
    plain = "".join(c for c in unicodedata.normalize("NFKD", parts) if not unicodedata.combining(c))
    return re.findall(r"[a-z%]+", plain.replace("ß", "ss").lower())


def _score(role: Role, words: set[str]) -> int:
    """How surely a column's name tells a role: by whole words, else by long ones grown together: “Akkuspannung”."""
    whole = sum(2 * (len(role.words) - k) for k, word in enumerate(role.words) if word in words)
    if whole:
        return whole
    # “tempo” is time, and has nothing to do with “temp”.
    others = {one for one in words if not any(one in r.words for r in ROLES)}
    return int(any(len(word) >= 4 and word in one for word in role.words for one in others))


def _named_unit(role: Role, name: str) -> Unit | None:
    """The unit a column's name tells: “Voltage (mV)”, “current_A”."""
    named = re.findall(r"[\[(]\s*([^\])]+?)\s*[\])]", name) + re.split(r"[\s_/.\-]+", name)
    for text in named:
        for unit in role.units:
            wanted = {unit.key, unit.label}
            if text in wanted or _ALIASES.get(text.lower()) in wanted:
                return unit
            if len(text) > 1 and text.lower() == unit.key.lower():
                return unit
    return None


def guess_mapping(table: Table, *, series: int) -> Mapping:
    """What each column probably is: by the words of its name and by what its numbers do; its unit by name or size.

    Of columns whose names tell a role the one that behaves like it is taken: a pack's voltage falls under load, a
    supply's stays.  A pack's voltage without a telling name is found by what it does alone.

    Parameters
    ----------
    series : int
        Cells of the pack that was flown, by which volts are told from millivolts [1].
    """
    chosen: list[ColumnChoice] = []
    taken: set[int] = set()
    words = [set(_words(name)) for name in table.names]
    # The rarest words first: “cell voltage” is a cell's, “rx voltage” the receiver's.
    for key in (
        "armed", "throttle", "temperature_c", "altitude_m", "cell_v", "receiver_v", "used_ah", "current_a",
        "time_s", "pack_v",
    ):  # fmt: skip
        role = next(r for r in ROLES if r.key == key)
        best, best_rank = None, (_AGAINST - 1, 0)
        for index in range(len(table.names)):
            names_no_volts = bool(role.needs) and not _score(_VOLTS_NAMED, words[index])
            score = 0 if names_no_volts else _score(role, words[index])
            if index in taken or not (score or key == "pack_v") or not _has_values(table, index):
                continue
            does = _behaves(table, role, index, series)
            if not score and does != _SURELY:
                continue
            rank = (min(does, _FOR) if score else _SILENT, score)
            if rank > best_rank:
                best, best_rank = index, rank
        if best is not None:
            taken.add(best)
            chosen.append(ColumnChoice(role=role.key, column=best, unit=guess_unit(table, role, best, series).key))
    order = [r.key for r in ROLES]
    return Mapping(columns=tuple(sorted(chosen, key=lambda c: order.index(c.role))))


_VOLTS_NAMED = Role("receiver_v", "", _VOLT_WORDS, _VOLTS)
#: What the numbers of a column say of a role: against it, nothing, for it, and enough without a name.
_AGAINST, _SILENT, _FOR, _SURELY = -1, 0, 1, 2
#: A pack's voltage moves by more than this between its highest and lowest twentieth, a supply's by less [1].
_SUPPLY_MOVES = 0.015


def _behaves(table: Table, role: Role, index: int, series: int) -> int:
    """What the numbers of a column say of a role."""
    if role.key not in ("pack_v", "used_ah", "current_a", "throttle"):
        return _SILENT
    values = _numbers(table, index)
    if values.size < 20:
        return _SILENT
    low, high = (float(q) for q in np.quantile(values, (0.05, 0.95)))
    if role.key in ("current_a", "throttle"):
        return _FOR if high > low else _AGAINST
    if role.key == "used_ah":
        falls = float(np.mean(np.diff(values) < 0.0))
        return _FOR if falls < 0.01 and values[-1] > values[0] else _AGAINST
    unit = guess_unit(table, role, index, series)
    fits = 2.2 <= float(np.median(values)) * unit.factor / series <= 4.4
    moves = high - low > _SUPPLY_MOVES * high
    tenth = max(values.size // 10, 1)
    sinks = float(np.median(values[-tenth:])) < float(np.median(values[:tenth]))
    if not (fits and moves):
        return _AGAINST
    return _SURELY if sinks and unit.key in ("V", "mV") else _FOR


def _numbers(table: Table, index: int) -> NDArray[np.float64]:
    """The numbers of a column over the whole log, some thousands of lines at most."""
    every = max(1, len(table.rows) // 4000)
    cells = (row[index].strip() for row in table.rows[::every])
    return np.array([to_number(c, table.decimal_comma) for c in cells if is_number(c)])


def _has_values(table: Table, index: int) -> bool:
    return any(row[index].strip().lower() not in NOTHING for row in table.rows[:2000])


def guess_unit(table: Table, role: Role, index: int, series: int) -> Unit:
    """The unit of a column in a role: as its name tells, else by the size of its numbers [series: 1]."""
    cells = [c for c in (row[index].strip() for row in table.rows[:5000]) if c.lower() not in NOTHING]
    if role.key == "time_s" and cells and not is_number(cells[0]):
        return role.unit("clock")
    named = _named_unit(role, table.names[index])
    if named is not None:
        return named
    numbers = np.array([to_number(c, table.decimal_comma) for c in cells if is_number(c)])
    if not numbers.size:
        return role.units[0]
    middle, most, least = float(np.median(numbers)), float(numbers.max()), float(numbers.min())
    if role.key == "time_s":
        steps = np.diff(numbers)
        step = float(np.median(steps[steps > 0])) if (steps > 0).any() else 0.0
        return role.unit("us" if step > 3000 else "ms" if step >= 5 else "s")
    if role.key in ("pack_v", "cell_v", "receiver_v"):
        cells_in = series if role.key == "pack_v" else 1 if role.key == "cell_v" else 2
        return next((u for u in role.units if 1.0 <= middle * u.factor / cells_in <= 4.6), role.units[0])
    if role.key == "used_ah":
        return role.unit("mAh" if most > 30 else "Ah")
    if role.key == "current_a":
        return role.unit("mA" if most > 1500 else "A")
    if role.key == "throttle":
        if least >= 800:
            return role.unit("us")
        if least < -1:
            return role.unit("counts" if least < -150 or most > 150 else "both")
        return role.unit("counts" if most > 150 else "%" if most > 1.5 else "share")
    return role.units[0]


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


def _column(table: Table, choice: ColumnChoice, lenient: bool) -> tuple[NDArray[np.float64], list[tuple[int, str]]]:
    """A column as numbers, NaN where nothing was received; and what could not be read, by row."""
    read = _reader(choice, table)
    values = np.full(len(table.rows), np.nan)
    wrong: list[tuple[int, str]] = []
    for k, row in enumerate(table.rows):
        cell = row[choice.column]
        try:
            values[k] = read(cell)
        except (ValueError, OverflowError):
            if cell.strip().lower() not in NOTHING and not lenient:
                wrong.append((k, _why_not(cell, choice)))
    return values, wrong


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
    columns: dict[str, NDArray[np.float64]] = {}
    wrong: list[tuple[int, int, str]] = []
    for choice in mapping.columns:
        # A line without its time is of no use: no leniency there.
        columns[choice.role], missed = _column(table, choice, mapping.lenient and choice is not when)
        wrong += [(k, choice.column, reason) for k, reason in missed]
    if wrong:
        raise _wrong_cells(table, wrong)
    time_s = columns["time_s"] = _over_midnight(columns["time_s"], when)
    if np.isnan(time_s).any():
        k = int(np.isnan(time_s).argmax())
        raise FileFormatError("This line has no time.", line=table.lines[k], column=when.column + 1)
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
    time_s, missed = _column(table, when, lenient=False)
    if missed or np.isnan(time_s).any():
        return ()
    time_s = _over_midnight(time_s, when)
    spans = _spans(time_s)
    if len(spans) > MOST_PARTS:
        return ()
    return tuple((table.lines[a], table.lines[b - 1], float(time_s[b - 1] - time_s[a])) for a, b in spans)


def _wrong_cells(table: Table, wrong: list[tuple[int, int, str]]) -> FileFormatError:
    wrong.sort()
    k, column, reason = wrong[0]
    more = ""
    if len(wrong) > 1:
        places = ", ".join(f"{table.lines[row]}" for row, _, _ in wrong[1:6])
        more = f" So are {len(wrong) - 1} more cells, in line{'' if len(wrong) == 2 else 's'} {places}"
        more += " and on." if len(wrong) > 6 else "."
    return FileFormatError(f"In “{table.names[column]}”, {reason}{more}", line=table.lines[k], column=column + 1)


def _one_part(table: Table, mapping: Mapping, columns: dict[str, NDArray[np.float64]]) -> ReadLog:
    """The stretch asked for: time rises in it."""
    time_s = columns["time_s"]
    spans = _spans(time_s)
    if not spans:
        raise FileFormatError("The time never goes forward.", line=table.lines[0])
    if len(spans) > MOST_PARTS:
        raise FileFormatError(
            f"The time goes back {len(spans) - 1} times: another column is the time, or this is no log of flights."
        )
    if len(spans) > 1 and mapping.part is None:
        k = int(np.flatnonzero(np.diff(time_s) < 0.0)[0]) + 1
        column = mapping.of("time_s")
        raise FileFormatError(
            f"The time goes back from {time_s[k - 1]:g} s to {time_s[k]:g} s. Choose one of {len(spans)} parts.",
            line=table.lines[k],
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
