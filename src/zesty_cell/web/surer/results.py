"""Measurements as they are shown, and their results as they are typed."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final

from zesty_cell.core.answer.forecast import Forecast
from zesty_cell.core.fact import Words, fact
from zesty_cell.core.learn.surer import Cause, Measure, MeasureKey
from zesty_cell.words.surer import CAUSE_WORDS, MeasureWords, measure_words
from zesty_cell.words.units import (
    CAPACITY,
    COUNT,
    CURRENT,
    FLIGHT_TIME,
    MASS,
    MILLIOHM,
    Quantity,
    System,
    read_flight_time_s,
    read_numbers,
)

#: What is typed at each measurement, and the bounds of each figure in SI.
RESULTS: Final[dict[MeasureKey, tuple[tuple[str, Quantity, float, float], ...]]] = {
    "weigh": (("ready", MASS, 0.004, 100.0),),
    "hover_charge": (("charge", CAPACITY, 0.001, 100.0), ("time", FLIGHT_TIME, 20.0, 36_000.0)),
    "hover_amps": (("amps", CURRENT, 0.05, 1500.0),),
    "full_amps": (("amps", CURRENT, 0.05, 1500.0),),
    "charger_ohm": (("cells", MILLIOHM, 1e-5, 2.0),),
}


class InputReader:
    """Reads one input after the other; a wrong one is noted and counts as not said."""

    def __init__(self, form: Mapping[str, str], units: System) -> None:
        self._form, self._units = form, units
        self.errors: dict[str, Words] = {}

    def number(self, name: str, quantity: Quantity, least: float, most: float) -> float | None:
        """A figure in SI; None where it is not given, or wrong."""
        text = self._form.get(name, "")[:40].strip()
        if not text:
            return None
        try:
            value = read_flight_time_s(text) if quantity is FLIGHT_TIME else quantity.read(text, self._units)
        except ValueError as error:
            self.errors[name] = str(error)
            return None
        if not least <= value <= most or (quantity is COUNT and value != int(value)):
            self.errors[name] = self._between(quantity, least, most)
            return None
        return value

    def several(self, name: str, least: float, most: float) -> tuple[float, ...] | None:
        """Resistances of the cells in SI [Ω]; None where they are not given, or wrong."""
        text = self._form.get(name, "")[:200].strip()
        if not text:
            return None
        try:
            values = tuple(value / 1000.0 for value in read_numbers(text.lower().replace("mω", "")))
        except ValueError as error:
            self.errors[name] = str(error)
            return None
        if not all(least <= value <= most for value in values) or len(values) > 24:
            self.errors[name] = self._between(MILLIOHM, least, most)
            return None
        return values

    def _between(self, quantity: Quantity, least: float, most: float) -> Words:
        if quantity is FLIGHT_TIME:
            return fact("typed.reading.seconds")
        unit = quantity.unit(self._units)
        low, high = (f"{unit.show(value):.4g}" for value in (least, most))
        if not unit.label:
            return fact("typed.reading.between", low=low, high=high)
        return fact("typed.reading.between_units", low=low, high=high, unit=unit.label)


def read_results(read: InputReader) -> dict[MeasureKey, tuple[float, ...]]:
    """What was measured, by measurement, in SI; what is wrong stands in the reader's errors."""
    results: dict[MeasureKey, tuple[float, ...]] = {}
    for key, inputs in RESULTS.items():
        if key == "charger_ohm":
            cells = read.several("m.charger_ohm.cells", *inputs[0][2:])
            if cells:
                results[key] = cells
            continue
        values = [read.number(f"m.{key}.{name}", quantity, least, most) for name, quantity, least, most in inputs]
        if all(value is not None for value in values):
            results[key] = tuple(value for value in values if value is not None)
    return results


@dataclass(frozen=True)
class Result:
    """An input of a measurement: its field, unit, and what was typed."""

    name: str
    unit: str
    text: str
    label: str
    error: Words


@dataclass(frozen=True)
class Shown:
    """A measurement as it is shown: in words, its two bars in percent, and where its result is typed."""

    key: MeasureKey
    words: MeasureWords
    now: tuple[float, float]
    then: tuple[float, float]
    low_s: float | None
    high_s: float | None
    results: tuple[Result, ...]


_RESULT_LABELS = {
    "ready": "Ready to fly, with the pack",
    "charge": "Put back",
    "time": "Flown for",
    "amps": "Current",
    "cells": "Each cell, or one for all",
}


def measures_shown(
    found: tuple[Measure, ...], *, result: Forecast, texts: dict[str, str], errors: dict[str, Words], units: System
) -> list[Shown]:
    """Measurements with their bars; those whose result stands in the form already come first, to be corrected."""
    craft = result.setup.sheet.craft
    low, high = result.range.low_s, result.range.high_s
    start, whole = low - 0.15 * (high - low), 1.3 * (high - low)

    def place(seconds: float) -> float:
        return round(min(max(100.0 * (seconds - start) / whole, 0.0), 100.0), 1)

    def shown(key: MeasureKey, measure: Measure | None) -> Shown:
        then = (0.0, 0.0) if measure is None else (place(measure.low_s), place(measure.high_s))
        return Shown(
            key,
            measure_words(key, craft=craft),
            (place(low), place(high)),
            then,
            None if measure is None else measure.low_s,
            None if measure is None else measure.high_s,
            _results(key, texts, errors, units),
        )

    given = [key for key in RESULTS if any(texts.get(f"m.{key}.{name}", "").strip() for name, *_ in RESULTS[key])]
    first = [shown(key, next((m for m in found if m.key == key), None)) for key in given]
    return first + [shown(m.key, m) for m in found if m.key not in given]


def _results(key: MeasureKey, texts: dict[str, str], errors: dict[str, Words], units: System) -> tuple[Result, ...]:
    return tuple(
        Result(
            f"m.{key}.{name}",
            quantity.unit(units).label,
            texts.get(f"m.{key}.{name}", ""),
            _RESULT_LABELS[name],
            errors.get(f"m.{key}.{name}") or errors.get(key, ""),
        )
        for name, quantity, _, _ in RESULTS.get(key, ())
    )


#: A cause of less than this share is not worth a line [1].
_WORTH_A_LINE = 0.02


def causes_shown(causes: tuple[Cause, ...]) -> list[tuple[str, int]]:
    """Causes of the width in words, with their share in percent."""
    return [
        (CAUSE_WORDS[cause.key], round(100.0 * cause.share)) for cause in causes if cause.share >= _WORTH_A_LINE
    ]
