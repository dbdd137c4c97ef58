"""A thrust stand's file as the steps of a run: a line a step, or a recording with its throttle held at each."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.fact import fact
from zesty_cell.formats.columns import read_columns, reader_for, wrong_cells
from zesty_cell.formats.csv_table import Table, read_table
from zesty_cell.formats.errors import FileFormatError
from zesty_cell.formats.telemetry_columns import ROLES, Role, Unit, named, named_unit, numbers_of, words_of
from zesty_cell.formats.thrust_text import MOST_STEPS

_OF = {role.key: role for role in ROLES}
_GRAM_WORDS = ("thrust", "schub", "poussee", "empuje", "spinta", "stuwkracht", "load", "grams", "gram", "force")
_ROLES: tuple[Role, ...] = (
    _OF["throttle"],
    Role("thrust", "Thrust", _GRAM_WORDS,
         (Unit("g", "g", 1e-3), Unit("kg", "kg"), Unit("kgf", "kgf"), Unit("gf", "gf", 1e-3),
          Unit("N", "N", 1 / 9.80665), Unit("ozf", "ozf", 0.028349523), Unit("lbf", "lbf", 0.45359237))),
    _OF["current_a"],
    replace(_OF["pack_v"], key="volts"),
    Role("rpm", "Speed", ("rpm", "r", "rev", "revs", "umin", "drehzahl", "speed"), (Unit("rpm", "r/min"),)),
)  # fmt: skip
#: Throttle stands still while it stays within this of where it was [1], for so many lines at least.
_STILL, _LEAST_LINES = 0.012, 5
#: Less than this of the highest thrust is none [1].
_AT_REST = 0.01
#: Of a step the last of its lines count, as what is measured settles [1].
_SETTLED = 0.5


@dataclass(frozen=True)
class FileSteps:
    """Steps of a file.

    Attributes
    ----------
    text : str
        A line a step, as it would be typed: throttle %, grams, amps, volts, r/min.
    lines : int
        So many lines the file has.
    """

    text: str
    lines: int


def steps_of_file(data: bytes) -> FileSteps:
    """The steps of a thrust stand's file.

    Raises
    ------
    FileFormatError
        No such table, a column missing, more lines than steps and no throttle that stands still: with its place.
    """
    table = read_table(data)
    columns = _columns(table)
    for key, title in (("thrust", "thrust"), ("current_a", "current"), ("volts", "voltage")):
        if key not in columns:
            raise FileFormatError(
                fact("file.thrust.no_column", title=title, names=", ".join(n for n in table.names if n)[:200]),
                line=table.header_line,
            )
    readers = [reader_for(key, index, unit, table) for key, (index, unit) in columns.items()]
    values, wrong = read_columns(table, readers)
    if wrong.count:
        raise wrong_cells(table, wrong)
    stretches = _stretches(table, values)
    steps = [
        {key: float(np.nanmedian(of[rows])) for key, of in values.items() if not np.isnan(of[rows]).all()}
        for rows in stretches
    ]
    most_kg = max((step.get("thrust", 0.0) for step in steps), default=0.0)
    # At rest, before it and after, a scale shows a gram or two.
    lifting = [s for s in steps if s.get("thrust", 0.0) > _AT_REST * most_kg and s.get("current_a", 0.0) > 0.0]
    lines = [_line(step) for step in lifting if "volts" in step]
    if not lines:
        raise FileFormatError(fact("file.thrust.nothing_lifts"))
    if len(lines) > MOST_STEPS:
        raise FileFormatError(fact("file.thrust.many_steps", steps=len(lines), most=MOST_STEPS))
    return FileSteps("\n".join(lines), table.count)


def _columns(table: Table) -> dict[str, tuple[int, Unit]]:
    """Which column is what, by the words of its name; and its unit, by its name or by its size."""
    found: dict[str, tuple[int, Unit]] = {}
    taken: set[int] = set()
    # The rarest words first: “motor speed (rpm)” is no voltage.
    for role in sorted(_ROLES, key=lambda r: ("thrust", "rpm", "throttle", "current_a", "volts").index(r.key)):
        ranked = [
            (named(role, set(words_of(name)), _ROLES), -k)
            for k, name in enumerate(table.names)
            if k not in taken and not (set(words_of(name)) & _NOT_IT)
        ]
        score, minus = max(ranked, default=(0, 0))
        if score:
            taken.add(-minus)
            found[role.key] = (-minus, _unit(table, role, -minus))
    return found


#: “Thrust/power (g/W)”, “efficiency”: of two things, and none of them.
_NOT_IT = {"efficiency", "efficiently", "power", "w", "watt", "watts", "per", "torque", "time", "temperature"}


def _unit(table: Table, role: Role, index: int) -> Unit:
    by_name = named_unit(role, table.names[index])
    if by_name is not None:
        return by_name
    numbers = numbers_of(table, index)
    most = float(np.abs(numbers).max()) if numbers.size else 0.0
    if role.key == "throttle":
        return role.unit("us" if most > 800 else "%" if most > 1.5 else "share")
    if role.key == "thrust":
        # A motor that lifts less than thirty of anything is weighed in kilograms.
        return role.unit("kg" if most < 30.0 else "g")
    if role.key == "current_a":
        return role.unit("mA" if most > 1500 else "A")
    return role.unit("mV" if role.key == "volts" and most > 500 else role.units[0].key)


def _stretches(table: Table, values: dict[str, NDArray[np.float64]]) -> list[NDArray[np.int64]]:
    """Rows of each step: one where there are few, else the settled end of each stretch of still throttle."""
    if table.count <= MOST_STEPS:
        return [np.array([k]) for k in range(table.count)]
    if "throttle" not in values:
        raise FileFormatError(
            fact("file.thrust.no_throttle", lines=table.count, most=MOST_STEPS),
            line=table.header_line,
        )
    throttle = values["throttle"]
    found, first = [], 0
    for k in range(1, throttle.size + 1):
        if k < throttle.size and abs(throttle[k] - throttle[first]) <= _STILL:
            continue
        if k - first >= _LEAST_LINES:
            found.append(np.arange(first + int((k - first) * (1.0 - _SETTLED)), k))
        first = k
    if not found:
        raise FileFormatError(fact("file.thrust.never_still", least=_LEAST_LINES), line=table.header_line)
    return found


def _line(of: dict[str, float]) -> str:
    """A step as it would be typed."""
    throttle = f"{100.0 * min(max(of['throttle'], 0.0), 1.0):.1f}" if "throttle" in of else "-"
    said = f"{throttle} {1000.0 * of['thrust']:.1f} {of['current_a']:.2f} {of['volts']:.2f}"
    return said + (f" {of['rpm']:.0f}" if of.get("rpm", 0.0) > 0.0 else "")
