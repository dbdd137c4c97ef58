"""The log of flights as CSV, out and in: one line a flight, units in the names of the columns, in any order."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from datetime import UTC, datetime, tzinfo
from typing import Any

from pydantic import ValidationError

from zesty_cell.core.fact import Words, fact
from zesty_cell.core.learn.flights import LoggedFlight
from zesty_cell.formats.csv_table import NOTHING, NamedRows
from zesty_cell.formats.errors import FileFormatError, why_of
from zesty_cell.formats.table_csv import as_written, harmless

COLUMNS = (
    "landed at (UTC)", "craft", "pack", "pattern", "flew (s)", "timer (s)", "rest (V a cell)",
    "read after landing (s)", "shown (mAh)",
    "put back (mAh)", "charged to (V a cell)", "charged at (UTC)", "cells (V)", "resistance (mΩ a cell)",
    "at the charger (°C)", "air (°C)", "pack at landing (°C)", "from full", "how", "landed by",
    "distance (km)", "top speed (km/h)", "propellers", "note", "set aside",
)  # fmt: skip
#: A season of many pilots; more is another file.
MOST_ROWS = 50_000


@dataclass(frozen=True)
class NamedFlight:
    """A flight with the names of its craft and pack."""

    craft: str
    pack: str
    flight: LoggedFlight


def _number(value: float | None, factor: float = 1.0, digits: int = 3) -> str:
    return "" if value is None else f"{value * factor:.{digits}f}".rstrip("0").rstrip(".")


def _moment(value: datetime | None) -> str:
    return "" if value is None else value.strftime("%Y-%m-%d %H:%M:%S")


def write_flights(flights: Iterable[NamedFlight]) -> str:
    """A log as CSV with commas and decimal points."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(COLUMNS)
    for named in flights:
        flight = named.flight
        writer.writerow(
            (
                _moment(flight.landed_at),
                harmless(named.craft),
                harmless(named.pack),
                harmless(flight.pattern),
                _number(flight.duration_s, digits=1),
                _number(flight.timer_s, digits=1),
                _number(flight.rest_v_per_cell),
                _number(flight.rest_after_s, digits=1),
                _number(flight.shown_ah, 1000.0),
                _number(flight.put_back_ah, 1000.0),
                _number(flight.charged_v_per_cell),
                _moment(flight.charged_at),
                " ".join(_number(v) for v in flight.cells_v),
                _number(flight.resistance_ohm, 1000.0),
                _number(flight.charger_c, digits=1),
                _number(flight.air_c, digits=1),
                _number(flight.hottest_c, digits=1),
                "yes" if flight.began_full else "no",
                flight.how,
                flight.landed_by or "",
                _number(flight.distance_m, 0.001),
                _number(flight.top_speed_m_s, 3.6, digits=1),
                harmless(flight.propellers),
                harmless(flight.note),
                harmless(flight.set_aside or ""),
            )
        )
    return out.getvalue()


@dataclass(frozen=True)
class _Role:
    """A figure of a flight: the words that name its column, and its units with what makes them ours.

    The first unit is taken where the name tells none.
    """

    key: str
    words: tuple[str, ...]
    units: tuple[tuple[str, float, float], ...] = ()
    kind: str = "number"
    needed: bool = False


_VOLTS = (("v a cell", 1.0, 0.0), ("v per cell", 1.0, 0.0), ("v/cell", 1.0, 0.0), ("v", 1.0, 0.0),
          ("v of the pack", -1.0, 0.0), ("v pack", -1.0, 0.0))  # fmt: skip
_CHARGE = (("mah", 1e-3, 0.0), ("ah", 1.0, 0.0))
_CELSIUS = (("°c", 1.0, 0.0), ("c", 1.0, 0.0), ("°f", 1 / 1.8, -32.0), ("f", 1 / 1.8, -32.0))
_SPEED = (("km/h", 1 / 3.6, 0.0), ("m/s", 1.0, 0.0), ("mph", 0.44704, 0.0))
_TIME = (("s", 1.0, 0.0), ("min", 60.0, 0.0), ("m:ss", 1.0, 0.0))
_ROLES = (
    _Role("landed_at", ("landed at", "landed", "date", "when", "time"), kind="moment", needed=True),
    _Role("craft", ("craft", "aircraft", "model"), kind="text", needed=True),
    _Role("pack", ("pack", "battery"), kind="text", needed=True),
    _Role("pattern", ("pattern", "flying"), kind="text"),
    _Role("duration_s", ("flew", "flight time", "duration"), _TIME, needed=True),
    _Role("timer_s", ("timer",), _TIME),
    _Role("rest_v_per_cell", ("rest", "rest voltage"), _VOLTS),
    _Role("rest_after_s", ("read after landing", "rest read after"), _TIME),
    _Role("shown_ah", ("shown", "used", "charge used"), _CHARGE),
    _Role("put_back_ah", ("put back", "charged", "charge put back"), _CHARGE),
    _Role("charged_v_per_cell", ("charged to",), _VOLTS),
    _Role("charged_at", ("charged at",), kind="moment"),
    _Role("cells_v", ("cells", "each cell"), (("v", 1.0, 0.0),), kind="numbers"),
    _Role("resistance_ohm", ("resistance",), (("mω a cell", 1e-3, 0.0), ("mω", 1e-3, 0.0), ("mohm", 1e-3, 0.0),
                                              ("ω", 1.0, 0.0))),
    _Role("charger_c", ("at the charger",), _CELSIUS),
    _Role("air_c", ("air", "air temperature"), _CELSIUS),
    _Role("hottest_c", ("pack at landing",), _CELSIUS),
    _Role("began_full", ("from full",), kind="text"),
    _Role("how", ("how", "flown"), kind="text"),
    _Role("landed_by", ("landed by", "landed because"), kind="text"),
    _Role("distance_m", ("distance",), (("km", 1000.0, 0.0), ("m", 1.0, 0.0), ("mi", 1609.344, 0.0))),
    _Role("top_speed_m_s", ("top speed", "fastest"), _SPEED),
    _Role("propellers", ("propellers", "propeller", "propeller set", "props"), kind="text"),
    _Role("note", ("note", "notes", "remark"), kind="text"),
    _Role("set_aside", ("set aside",), kind="text"),
)  # fmt: skip
#: Units as they are said; in a file they are taken in small letters.
_WRITTEN = {
    "v": "V", "v a cell": "V a cell", "v per cell": "V a cell", "v/cell": "V a cell", "mah": "mAh", "ah": "Ah",
    "°c": "°C", "c": "°C", "°f": "°F", "f": "°F", "mω a cell": "mΩ a cell", "mω": "mΩ", "mohm": "mΩ", "ω": "Ω",
}  # fmt: skip
_HEAD = re.compile(r"^\s*(.*?)\s*(?:[\[(]\s*([^\])]*?)\s*[\])])?\s*$")


def _short(limit: float) -> str:
    return f"{limit:.3g}" if abs(limit) < 100.0 else f"{limit:.0f}"


@dataclass(frozen=True)
class _Column:
    role: _Role
    index: int
    unit: str
    name: str

    def limit(self, ours: float, *, series: int) -> Words:
        """A limit in our unit, as this column would write it."""
        if self.role.units is _TIME:
            if self.unit == "m:ss":
                return fact("file.limit.clock", limit_s=ours)
            unit = self.unit or "s"
            return fact("file.limit.in", limit=_short(ours / (60.0 if unit == "min" else 1.0)), unit=unit)
        chosen = next((u for u in self.role.units if u[0] == self.unit), self.role.units[0])
        unit, factor, offset = chosen
        if factor < 0.0:
            return fact("file.limit.in", limit=_short(ours * series), unit="V")
        return fact("file.limit.in", limit=_short(ours / factor - offset), unit=_WRITTEN.get(unit, unit))


def _columns(names: tuple[str, ...]) -> tuple[tuple[_Column, ...], list[str]]:
    """What each column is, by its name, and the names that mean nothing to us."""
    found: dict[str, _Column] = {}
    unknown = []
    for index, name in enumerate(names):
        match = _HEAD.match(name.lower().replace("_", " "))
        word, unit = (match[1], match[2] or "") if match else (name.lower(), "")
        role = next((r for r in _ROLES if word in r.words), None)
        if role is None or role.key in found:
            if name:
                unknown.append(name)
            continue
        if role.units and unit and unit not in [u for u, _, _ in role.units]:
            known = ", ".join(u for u, _, _ in role.units)
            why = fact("file.flights.unit", column=name, unit=unit, known=known)
            raise FileFormatError(why, line=1, column=index + 1)
        found[role.key] = _Column(role, index, unit, name)
    missing = [r.words[0] for r in _ROLES if r.needed and r.key not in found]
    if missing:
        listed = ", ".join(f"“{m}”" for m in missing)
        raise FileFormatError(fact("file.flights.no_column", columns=listed), line=1)
    return tuple(found.values()), unknown


@dataclass
class ReadFlight:
    """A line of the file: the flight it says, or what is wrong with it.

    Attributes
    ----------
    line : int
        From 1.
    craft, pack : str
    flight : LoggedFlight or None
    wrong : str or Fact
        The first thing that is wrong, with its column; empty for nothing.
    note : str or Fact
        What was taken one way and could be another.
    per_pack : frozenset of str
        Voltages that are of the whole pack: to be divided by its cells.
    columns : tuple
        Of the file: a limit is said in the unit of its column, under the name that it has there.
    """

    line: int
    craft: str = ""
    pack: str = ""
    flight: LoggedFlight | None = None
    wrong: Words = ""
    note: Words = ""
    values: dict[str, Any] = field(default_factory=dict)
    per_pack: frozenset[str] = frozenset()
    columns: tuple[_Column, ...] = ()


@dataclass(frozen=True)
class ReadLog:
    """A file of flights, line by line, and the columns that were left out."""

    lines: list[ReadFlight]
    unknown: tuple[str, ...]


def _to_number(text: str) -> float:
    value = float(text.replace(",", ".").replace("−", "-"))
    if "_" in text or value != value or value in (float("inf"), float("-inf")):
        raise ValueError(text)
    return value


def _seconds(text: str, unit: str) -> float:
    if ":" in text:
        parts = text.split(":")
        digits = all(p.isascii() and p.isdigit() and len(p) < 5 for p in parts)
        if len(parts) > 3 or not digits or any(int(p) > 59 for p in parts[1:]):
            raise ValueError(text)
        total = 0.0
        for part in parts:
            total = total * 60.0 + int(part)
        return total
    return _to_number(text) * (60.0 if unit == "min" else 1.0)


class _NoSuchTimeError(ValueError):
    """A time of day that a change of the clocks left out."""


def _when(text: str, unit: str, zone: tzinfo) -> tuple[datetime, Words]:
    """A moment, and a note where the clock leaves it open."""
    moment = datetime.fromisoformat(text.strip().replace("Z", "+00:00").replace("/", "-"))
    if moment.tzinfo is not None:
        return moment.astimezone(UTC), ""
    if unit == "utc":
        return moment.replace(tzinfo=UTC), ""
    local = moment.replace(tzinfo=zone)
    utc = local.astimezone(UTC)
    if utc.astimezone(zone).replace(tzinfo=None) != moment:
        raise _NoSuchTimeError(f"{moment:%H:%M}")
    later = local.replace(fold=1).astimezone(UTC)
    if later != utc:
        return utc, fact("file.flights.twice", time=f"{moment:%H:%M}")
    return utc, ""


def _value(column: _Column, text: str, zone: tzinfo, out: ReadFlight) -> Any:
    role = column.role
    if role.kind == "text":
        return as_written(text)
    if role.kind == "moment":
        moment, note = _when(text, column.unit, zone)
        out.note = out.note or note
        return moment
    if role.kind == "numbers":
        return [_to_number(part) for part in re.split(r"[\s/|;]+", text)]
    if role.units is _TIME:
        return _seconds(text, column.unit)
    _, factor, offset = next((u for u in role.units if u[0] == column.unit), role.units[0])
    if factor < 0.0:
        out.per_pack = out.per_pack | {role.key}
        factor = 1.0
    return float(f"{(_to_number(text) + offset) * factor:.12g}")  # as typed, without the dust of binary fractions


def _read_line(
    line: int, cells: list[str], columns: tuple[_Column, ...], names: tuple[str, ...], zone: tzinfo
) -> ReadFlight:
    out = ReadFlight(line, columns=columns)
    for column in columns:
        text = cells[column.index].strip()
        key = column.role.key
        if text.lower() in NOTHING:
            if column.role.needed:
                out.wrong = fact("file.flights.missing", column=names[column.index])
                return out
            continue
        try:
            value = _value(column, text, zone, out)
        except _NoSuchTimeError as error:
            out.wrong = fact("file.flights.no_such_time", column=names[column.index], time=str(error))
            return out
        except (ValueError, OverflowError):
            kind = column.role.kind
            out.wrong = fact(f"file.flights.no_{kind}", column=names[column.index], shown=text[:30])
            return out
        if key in ("craft", "pack"):
            setattr(out, key, value)
        else:
            out.values[key] = value
    return out


def read_flights(
    rows: NamedRows, /, *, zone: tzinfo = UTC, progress: Callable[[int], None] | None = None
) -> ReadLog:
    """Every line of a file as a flight, or what is wrong with it.

    Parameters
    ----------
    rows : NamedRows
    zone : tzinfo
        Of moments that name none.
    progress : callable, optional
        Told how many lines are read.

    Raises
    ------
    FileFormatError
        A column that is needed is missing, a unit is not known, too many lines.
    """
    if len(rows.rows) > MOST_ROWS:
        raise FileFormatError(fact("file.flights.many", lines=len(rows.rows), most=MOST_ROWS))
    columns, unknown = _columns(rows.names)
    too_long = set(rows.long_rows)
    lines = []
    for k, (line, cells) in enumerate(rows.rows):
        if line in too_long:
            lines.append(ReadFlight(line, wrong=fact("file.flights.long")))
            continue
        lines.append(_read_line(line, cells, columns, rows.names, zone))
        if progress is not None and k % 200 == 0:
            progress(k)
    return ReadLog(lines, tuple(unknown))


def as_flight(line: ReadFlight, /, *, series: int, pattern: str) -> LoggedFlight:
    """The flight of a line that could be read, for a pack of so many cells.

    Parameters
    ----------
    pattern : str
        Where the line names none.

    Raises
    ------
    FileFormatError
        A figure out of bounds.
    """
    values = {"pattern": pattern} | line.values
    if values.get("began_full") is False:
        values["said_part"] = True
    for key in line.per_pack:
        values[key] = values[key] / series
    try:
        return LoggedFlight.model_validate(values)
    except ValidationError as error:
        problem = error.errors(include_url=False, include_input=False)[0]
        key = str(problem["loc"][0]) if problem["loc"] else ""
        column = next((c for c in line.columns if c.role.key == key), None)
        if column is None or not column.role.units:
            reason = why_of(problem)
        else:
            reason = why_of(problem, limit=lambda ours: column.limit(ours, series=series))
        name = key if column is None else column.name
        raise FileFormatError(fact("file.flights.refused", column=name, reason=reason)) from error
