"""What a column of a telemetry log may be: its names in pilots' languages, its units, and what it does."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from zesty_cell.core.entity import Entity
from zesty_cell.formats.csv_table import MOST_COLUMNS, NOTHING, Table, is_number, plain_numbers, to_number

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
    "latitude_deg",
    "longitude_deg",
    "lap_mark",
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

    key: str
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
_TEN_MILLIONTHS = Unit("1e-7", "ten-millionths of °", 1e-7)
#: Words of a column that may hold both halves of a position.
_BOTH_HALVES = ("position", "gps", "coordinates", "koordinaten", "coordonnees", "coordenadas", "coordinate")
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
    Role(
        "latitude_deg", "Latitude",
        (
            "latitude", "lat", "breitengrad", "breite", "latitud", "latitudine", "breedtegraad", *_BOTH_HALVES,
        ),
        (Unit("°", "°"), _TEN_MILLIONTHS, Unit("first", "°, the first of two in a cell")),
    ),
    Role(
        "longitude_deg", "Longitude",
        (
            "longitude", "lon", "lng", "long", "langengrad", "laengengrad", "longitud", "longitudine",
            "lengtegraad", *_BOTH_HALVES,
        ),
        (Unit("°", "°"), _TEN_MILLIONTHS, Unit("second", "°, the second of two in a cell")),
    ),
    Role(
        "lap_mark", "Lap mark",
        ("lap", "laps", "runde", "runden", "tour", "tours", "vuelta", "vueltas", "giro", "giri", "ronde", "volta",
         "marker", "mark"),
        (Unit("rises", "rises as a lap begins"),),
    ),
)  # fmt: skip
#: Other spellings of a unit in a column's name.
_ALIASES = {
    "sec": "s", "sek": "s", "secs": "s", "seconds": "s", "sekunden": "s", "secondes": "s", "segundos": "s",
    "secondi": "s", "msec": "ms", "millis": "ms", "usec": "us", "µs": "us", "volts": "V", "volt": "V", "amps": "A",
    "ampere": "A", "milliampere": "mA", "milliamps": "mA", "percent": "%", "prozent": "%",
}  # fmt: skip


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


def words_of(name: str) -> list[str]:
    parts = re.sub(r"([a-z])([A-Z])", r"\1 \2", name.replace("µ", "u"))
    plain = "".join(c for c in unicodedata.normalize("NFKD", parts) if not unicodedata.combining(c))
    return re.findall(r"[a-z%]+", plain.replace("ß", "ss").lower())


def named(role: Role, words: set[str], roles: Sequence[Role] = ROLES) -> int:
    """How surely a column's name tells a role: by whole words, else by long ones grown together: “Akkuspannung”."""
    whole = sum(2 * (len(role.words) - k) for k, word in enumerate(role.words) if word in words)
    if whole:
        return whole
    # “tempo” is time, and has nothing to do with “temp”.
    others = {one for one in words if not any(one in r.words for r in roles)}
    return int(any(len(word) >= 4 and word in one for word in role.words for one in others))


def named_unit(role: Role, name: str) -> Unit | None:
    """The unit a column's name tells: “Voltage (mV)”, “current_A”."""
    texts = re.findall(r"[\[(]\s*([^\])]+?)\s*[\])]", name) + re.split(r"[\s_/.\-]+", name)
    for text in texts:
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
    words = [set(words_of(name)) for name in table.names]
    # The rarest words first: “cell voltage” is a cell's, “rx voltage” the receiver's.
    for key in (
        "armed", "throttle", "temperature_c", "altitude_m", "cell_v", "receiver_v", "used_ah", "current_a",
        "latitude_deg", "longitude_deg", "lap_mark", "time_s", "pack_v",
    ):  # fmt: skip
        role = next(r for r in ROLES if r.key == key)
        best, best_rank = None, (_AGAINST - 1, 0)
        for index in range(len(table.names)):
            names_no_volts = bool(role.needs) and not named(_VOLTS_NAMED, words[index])
            score = 0 if names_no_volts else named(role, words[index])
            shared = key == "longitude_deg" and index in taken and holds_two(table, index)
            if (index in taken and not shared) or not (score or key == "pack_v") or not has_values(table, index):
                continue
            does = _behaves(table, role, index, series)
            if (not score and does != _SURELY) or (does == _AGAINST and key in _ONLY_IF_SO):
                continue
            rank = (min(does, _FOR) if score else _SILENT, score)
            if rank > best_rank:
                best, best_rank = index, rank
        if best is not None:
            taken.add(best)
            chosen.append(ColumnChoice(role=role.key, column=best, unit=guess_unit(table, role, best, series).key))
    # Half a position is none.
    places = {c.role for c in chosen} & {"latitude_deg", "longitude_deg"}
    chosen = [c for c in chosen if len(places) != 1 or c.role not in places]
    order = [r.key for r in ROLES]
    return Mapping(columns=tuple(sorted(chosen, key=lambda c: order.index(c.role))))


_VOLTS_NAMED = Role("receiver_v", "", _VOLT_WORDS, _VOLTS)
#: Of these a name alone is not enough: “GPS speed”, “lap time”.
_ONLY_IF_SO = ("latitude_deg", "longitude_deg", "lap_mark")
#: What the numbers of a column say of a role: against it, nothing, for it, and enough without a name.
_AGAINST, _SILENT, _FOR, _SURELY = -1, 0, 1, 2
#: A pack's voltage moves by more than this between its highest and lowest twentieth, a supply's by less [1].
_SUPPLY_MOVES = 0.015


def _behaves(table: Table, role: Role, index: int, series: int) -> int:
    """What the numbers of a column say of a role."""
    if role.key in ("latitude_deg", "longitude_deg"):
        return _is_position(table, role, index)
    if role.key == "lap_mark":
        # “Lap time” is named after it, and is none: marks are counted or switched.
        marks = numbers_of(table, index)
        return _FOR if marks.size and bool((marks == np.round(marks)).all()) else _AGAINST
    if role.key not in ("pack_v", "used_ah", "current_a", "throttle"):
        return _SILENT
    values = numbers_of(table, index)
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


def _is_position(table: Table, role: Role, index: int) -> int:
    """Whether a column may be half a position, or hold both halves: “GPS speed” is named after it, and is none."""
    if holds_two(table, index):
        return _FOR
    values = numbers_of(table, index)
    own = replace(role, words=tuple(word for word in role.words if word not in _BOTH_HALVES))
    if not named(own, set(words_of(table.names[index]))) or not values.size:
        return _AGAINST
    most = float(np.abs(values).max()) * (1e-7 if float(np.abs(values).max()) > 360.0 else 1.0)
    return _FOR if most <= (90.0 if role.key == "latitude_deg" else 360.0) else _AGAINST


def halves(cell: str, decimal_comma: bool) -> list[str]:
    """The numbers of a cell that holds a position: “47.1 8.2”, “47.1;8.2”, “47.1, 8.2”."""
    return re.split(r"[\s;]+" if decimal_comma else r"[\s;,]+", cell.strip())


def holds_two(table: Table, index: int) -> bool:
    """Whether the cells of a column hold two numbers each."""
    cells = [c for c in (row[index].strip() for row in table.first[:200]) if c.lower() not in NOTHING]
    split = [halves(c, table.decimal_comma) for c in cells]
    return bool(split) and all(len(two) == 2 and all(map(is_number, two)) for two in split)


def numbers_of(table: Table, index: int) -> NDArray[np.float64]:
    """The numbers of a column over the whole log, some thousands of lines at most."""
    return _numbers(table, [row[index] for row in table.spread])


def _numbers(table: Table, cells: list[str]) -> NDArray[np.float64]:
    at_once = None if table.decimal_comma else plain_numbers(cells)
    if at_once is not None:
        return at_once
    return np.array([to_number(c, table.decimal_comma) for c in cells if is_number(c)])


def has_values(table: Table, index: int) -> bool:
    return any(row[index].strip().lower() not in NOTHING for row in table.first[:2000])


def guess_unit(table: Table, role: Role, index: int, series: int) -> Unit:
    """The unit of a column in a role: as its name tells, else by the size of its numbers [series: 1]."""
    begins = next((c for c in (row[index].strip() for row in table.first) if c.lower() not in NOTHING), "0")
    if role.key == "time_s" and not is_number(begins):
        return role.unit("clock")
    by_name = named_unit(role, table.names[index])
    if by_name is not None:
        return by_name
    if role.key in ("latitude_deg", "longitude_deg") and holds_two(table, index):
        return role.units[-1]
    numbers = _numbers(table, [row[index] for row in table.first])
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
    if role.key in ("latitude_deg", "longitude_deg"):
        return role.unit("1e-7" if max(most, -least) > 360.0 else "°")
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
