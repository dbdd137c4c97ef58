"""What tests ask and measure, in the words and units of who reads."""

from __future__ import annotations

from types import MappingProxyType
from typing import Final, get_args

from zesty_cell.core.trials.measures import MEASURES, MeasureKey
from zesty_cell.core.trials.question import Differs, Question
from zesty_cell.words.english import ENGLISH
from zesty_cell.words.face import Face
from zesty_cell.words.units import (
    CAPACITY,
    CURRENT,
    FLIGHT_TIME,
    MASS,
    RATIO,
    SPEED,
    TEMPERATURE,
    VOLTAGE,
    WATT_HOURS,
    Quantity,
    System,
)

#: How the values of each measure are typed, and what stands behind its unit.
_TYPED: Final = MappingProxyType({
    "charge_a_minute": (CAPACITY, "/min"),
    "charge_a_km": (CAPACITY, "/km"),
    "time_to_charge": (FLIGHT_TIME, ""),
    "time_to_voltage": (FLIGHT_TIME, ""),
    "energy": (WATT_HOURS, ""),
    "loaded_v": (VOLTAGE, ""),
    "thrust": (MASS, ""),
    "grams_a_watt": (RATIO, " g/W"),
    "temperature": (TEMPERATURE, ""),
    "top_speed": (SPEED, ""),
})  # fmt: skip
#: What it is measured at.
AT: Final = MappingProxyType({"cell_v": VOLTAGE, "used_ah": CAPACITY, "current_a": CURRENT})
MEASURE_OPTIONS: Final = tuple((key, ENGLISH[f"trial.measure.{key}"]) for key in get_args(MeasureKey))
DIFFERS_OPTIONS: Final = tuple(
    (
        key,
        {"other": "something else", "propellers": "propeller set", "charge voltage": "voltage charged to"}.get(
            key, key
        ),
    )
    for key in get_args(Differs)
)


def measure_label(key: MeasureKey, /) -> str:
    """How a measure is called."""
    return ENGLISH[f"trial.measure.{key}"]


def quantity_of(key: MeasureKey, /) -> Quantity:
    """How a measure's values are typed."""
    return _TYPED[key][0]


def unit_of(key: MeasureKey, units: System, /) -> str:
    """What stands behind a measure's values."""
    quantity, behind = _TYPED[key]
    return f"{quantity.unit(units).label}{behind}".strip()


def value_text(key: MeasureKey, value: float, face: Face, /) -> str:
    """A measured value with its unit."""
    quantity, behind = _TYPED[key]
    if quantity is FLIGHT_TIME:
        return face.time(value)
    unit = quantity.unit(face.view.units)
    decimals = max(unit.decimals, 1 if abs(unit.show(value)) < 100.0 and quantity is not VOLTAGE else 0)
    number = face.number(unit.show(value), decimals)
    return f"{number} {unit.label}{behind}".replace("  ", " ").strip()


def question_words(question: Question, face: Face, /) -> str:
    """A question in one sentence."""
    measure = MEASURES[question.measure]
    at = ""
    if measure.needs is not None and question.at is not None:
        quantity = AT[measure.needs]
        unit = quantity.unit(face.view.units)
        cell = " a cell" if measure.needs == "cell_v" else ""
        at = f" ({face.number(unit.show(question.at), unit.decimals)} {unit.label}{cell})"
    return f"{question.a} or {question.b}: {measure_label(question.measure)}{at}"
