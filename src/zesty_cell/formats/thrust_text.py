"""Thrust runs as typed or pasted: a line a step; with a line of names in any order, else in the usual one."""

from __future__ import annotations

import re
from typing import Any

from pydantic import ValidationError

from zesty_cell.core.fact import fact
from zesty_cell.core.parts.thrust import ThrustStep
from zesty_cell.formats.errors import FileFormatError, why_of

#: More steps than any bench has.
MOST_STEPS, _MOST_LETTERS = 60, 6000
_USUAL = ("throttle", "thrust", "amps", "volts", "rpm")
_WORDS = {
    "throttle": ("throttle", "thr", "gas", "%"),
    "thrust": ("thrust", "grams", "gram", "g", "schub", "kg"),
    "amps": ("amps", "amp", "current", "a", "strom"),
    "volts": ("volts", "volt", "voltage", "v", "spannung"),
    "rpm": ("rpm", "r/min", "rev", "u/min", "speed"),
}
_FIELD = {"throttle": "throttle", "thrust": "thrust_kg", "amps": "current_a", "volts": "voltage_v", "rpm": "rpm"}


def _cells(line: str) -> list[str]:
    separator = next((s for s in (";", "\t", "|") if s in line), None)
    if separator is None:
        separator = "," if "," in line and not re.search(r"\s\d", line.strip()) else None
    return [c.strip() for c in (line.split(separator) if separator else line.split())]


def _number(text: str, line: int) -> float | None:
    cleaned = text.rstrip("%gGaAvV ").replace(",", ".")
    if cleaned in ("", "-", "–"):
        return None
    if not re.fullmatch(r"\d*\.?\d+(e-?\d+)?", cleaned):
        raise FileFormatError(fact("file.cell.not_number", shown=text[:24]), line=line)
    return float(cleaned)


def _named(cells: list[str]) -> list[str] | None:
    """What the columns are, by a line of names; None where the line has numbers."""
    if any(re.fullmatch(r"[\d.,]+%?", c) for c in cells):
        return None
    found = []
    for cell in cells:
        words = re.findall(r"[a-z/%]+", cell.lower())
        found.append(next((key for key, known in _WORDS.items() if any(w in known for w in words)), ""))
    return found


def read_thrust(text: str) -> tuple[ThrustStep, ...]:
    """Steps of a thrust run: throttle in percent, thrust in grams or as a name says, amps, volts, r/min.

    Raises
    ------
    FileFormatError
        Text in numbers, a missing figure, too many lines: with its line.
    """
    if len(text) > _MOST_LETTERS:
        raise FileFormatError(fact("file.thrust.long", most=MOST_STEPS))
    columns, factor = list(_USUAL), 0.001
    steps: list[ThrustStep] = []
    for number, line in enumerate(text.splitlines(), start=1):
        if not line.strip():
            continue
        cells = _cells(line)
        names = _named(cells)
        if names is not None and not steps:
            columns = names
            factor = 1.0 if any("kg" in c.lower() for c in cells) else 0.001
            continue
        if len(steps) >= MOST_STEPS:
            raise FileFormatError(fact("file.thrust.many", most=MOST_STEPS), line=number)
        values: dict[str, Any] = {}
        for key, cell in zip(columns, cells, strict=False):
            value = _number(cell, number) if key else None
            if value is not None:
                values[_FIELD[key]] = value * {"throttle": 0.01, "thrust": factor}.get(key, 1.0)
        try:
            steps.append(ThrustStep.model_validate(values))
        except ValidationError as error:
            problem = error.errors(include_url=False, include_input=False)[0]
            what = {v: k for k, v in _FIELD.items()}.get(str(problem["loc"][0]), "")
            if problem["type"] == "missing":
                raise FileFormatError(fact("file.thrust.missing", what=what), line=number) from error
            raise FileFormatError(
                fact("file.thrust.refused", what=what, reason=why_of(problem)), line=number
            ) from error
    return tuple(steps)
