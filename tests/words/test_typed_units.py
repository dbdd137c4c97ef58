"""Numbers take their unit with them anywhere."""

from __future__ import annotations

import contextlib

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zesty_cell.words.units import (
    ALTITUDE,
    AREA,
    CAPACITY,
    COUNT,
    CURRENT,
    LENGTH,
    MASS,
    MILLIMETRE,
    MILLIOHM,
    POWER,
    RATE,
    RATIO,
    SECONDS,
    SHARE,
    SPEED,
    TEMPERATURE,
    VOLTAGE,
    WIRE,
)


@pytest.mark.parametrize(
    ("text", "quantity", "si"),
    [
        ("5 in", LENGTH, 0.127),
        ('5"', LENGTH, 0.127),
        ("5”", LENGTH, 0.127),
        ("12.7cm", LENGTH, 0.127),
        ("127 mm", LENGTH, 0.127),
        ("1.2 m", LENGTH, 1.2),
        ("4'", LENGTH, 1.2192),
        ("4 ft", LENGTH, 1.2192),
        ("1500mAh", CAPACITY, 1.5),
        ("1.5Ah", CAPACITY, 1.5),
        ("1,5 ah", CAPACITY, 1.5),
        ("1 500 mAh", CAPACITY, 1.5),
        ("690 g", MASS, 0.69),
        ("0.69kg", MASS, 0.69),
        ("24 oz", MASS, 0.680388555),
        ("1.5 lbs", MASS, 0.680388555),
        ("68 °F", TEMPERATURE, 20.0),
        ("-5 °C", TEMPERATURE, -5.0),
        ("−5c", TEMPERATURE, -5.0),
        ("900 ft", ALTITUDE, 274.32),
        ("36 km/h", SPEED, 10.0),
        ("10 m/s", SPEED, 10.0),
        ("20 kn", SPEED, 10.2888889),
        ("35 dm²", AREA, 0.35),
        ("35dm2", AREA, 0.35),
        ("542.5 sq in", AREA, 0.3499993),
        ("30A", CURRENT, 30.0),
        ("350 mA", CURRENT, 0.35),
        ("22.2 V", VOLTAGE, 22.2),
        ("3 mΩ", MILLIOHM, 0.003),
        ("0.003 Ω", MILLIOHM, 0.003),
        ("7 W", POWER, 7.0),
        ("65 mm", MILLIMETRE, 0.065),
        ("20 %", SHARE, 0.2),
        ("75C", RATE, 75.0),
        ("3x", RATIO, 3.0),
        ("4S", COUNT, 4.0),
        ("2P", COUNT, 2.0),
        ("3 s", SECONDS, 3.0),
        ("1 min", SECONDS, 60.0),
    ],
)
@pytest.mark.parametrize("system", ["metric", "imperial"])
def test_a_unit_that_is_typed_is_the_one_that_counts(text, quantity, si, system):
    assert quantity.read(text, system) == pytest.approx(si, rel=1e-6)


def test_without_a_unit_it_is_the_one_shown():
    assert MASS.read("24", "imperial") == pytest.approx(0.680388555)
    assert MASS.read("24", "metric") == 0.024
    assert LENGTH.read("5", "imperial") == pytest.approx(0.127)


@pytest.mark.parametrize(
    ("text", "quantity", "words"),
    [
        ("5 lb", CAPACITY, "“lb” is no unit here: write mAh or Ah."),
        ("5 stone", MASS, "write g, kg, oz or lb"),
        ("5 V", TEMPERATURE, "write °C or °F"),
        ("1e9", CAPACITY, "“1e9” is not a number"),
        ("heavy", MASS, "“heavy” is not a number"),
        ("5 g", WIRE, "“5 g” is not a number"),
        ("", MASS, "is not a number"),
        ("--", MASS, "is not a number"),
    ],
)
def test_what_is_no_unit_here_is_said(text, quantity, words):
    with pytest.raises(ValueError, match=r"number|unit") as error:
        quantity.read(text, "metric")
    assert words in str(error.value)


@given(st.text(max_size=30))
def test_anything_typed_is_a_number_or_a_word_about_it(text):
    for quantity in (MASS, LENGTH, CAPACITY, TEMPERATURE):
        with contextlib.suppress(ValueError):
            assert isinstance(quantity.read(text, "metric"), float)
