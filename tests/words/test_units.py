"""Reading and writing numbers as people type them."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from zesty_cell.words import units
from zesty_cell.words.units import (
    group,
    minutes,
    read_duration_s,
    read_number,
    read_numbers,
    read_wire_mm2,
    span_words,
    typed,
)

_TIMES = (units.DURATION, units.FLIGHT_TIME)
QUANTITIES = [q for q in vars(units).values() if isinstance(q, units.Quantity) and q not in _TIMES]


@pytest.mark.parametrize(
    ("text", "value"),
    [
        ("12", 12),
        ("12.5", 12.5),
        ("12,5", 12.5),
        ("1 200", 1200),
        ("1\u2009200", 1200),
        ("−3", -3),
        (" +4. ", 4),
        (".5", 0.5),
    ],
)
def test_numbers_as_people_type_them(text, value):
    assert read_number(text) == value


@pytest.mark.parametrize("text", ["", "abc", "1.2.3", "1,200.5", "nan", "inf", "1e5", "0x10", "--1", "9" * 30])
def test_what_is_no_number_says_so(text):
    with pytest.raises(ValueError, match="is not a number"):
        read_number(text)


@pytest.mark.parametrize(("text", "seconds"), [("1:30", 90), ("0:05", 5), ("90", 90), ("1:02:03", 3723)])
def test_times(text, seconds):
    assert read_duration_s(text) == seconds


@pytest.mark.parametrize("text", ["1:75", "a:b", "1:2:3:4", ":", "-1:00", "1:²"])
def test_what_is_no_time_says_so(text):
    with pytest.raises(ValueError, match="is not a"):
        read_duration_s(text)


@given(
    value=st.floats(-40.0, 5000.0),
    quantity=st.sampled_from(QUANTITIES),
    system=st.sampled_from(["metric", "imperial"]),
)
def test_what_is_shown_reads_back_nearly_and_then_exactly(value, quantity, system):
    unit = quantity.unit(system)
    once = unit.read(read_number(typed(value, quantity, system)))
    twice = unit.read(read_number(typed(once, quantity, system)))
    assert once == pytest.approx(value, abs=1e-2 if unit.factor < 50 else 1e-3, rel=1e-3)
    assert twice == pytest.approx(once, rel=1e-9, abs=1e-9)


@given(seconds=st.integers(5, 20_000))
def test_a_flight_time_reads_back(seconds):
    assert units.read_flight_time_s(typed(float(seconds), units.FLIGHT_TIME, "metric")) == seconds


def test_twelve_degrees_come_back_from_fahrenheit_exactly():
    fahrenheit = units.TEMPERATURE.imperial
    assert fahrenheit.read(read_number(typed(12.0, units.TEMPERATURE, "imperial"))) == 12.0


def test_grouping_and_minutes():
    assert group(4200) == "4\u2009200"
    assert group(-0.2) == "0"
    assert group(-3.25, 1) in ("−3.2", "−3.3")
    assert minutes(1186.6) == "19:47"
    assert minutes(59.6) == "1:00"
    assert minutes(None) == minutes(float("inf")) == "–"


@pytest.mark.parametrize(
    ("text", "mm2"), [("12 AWG", 3.309), ("awg 10", 5.26), ("16awg", 1.309), ("2,5", 2.5), ("3.31", 3.31)]
)
def test_a_wire_by_gauge_or_by_its_copper(text, mm2):
    assert read_wire_mm2(text) == pytest.approx(mm2, rel=1e-3)


@pytest.mark.parametrize(
    ("text", "words"), [("13 AWG", "in twos"), ("AWG 99", "in twos"), ("thick", "not a number")]
)
def test_what_is_no_wire_says_so(text, words):
    with pytest.raises(ValueError, match=words):
        read_wire_mm2(text)


def test_a_chargers_row_of_readings():
    assert read_numbers(" 4,1 4.2; 3.9 / 4 | 4.05 ") == [4.1, 4.2, 3.9, 4.0, 4.05]
    with pytest.raises(ValueError, match="“x” is not a number"):
        read_numbers("4.1 x")
    with pytest.raises(ValueError, match="more numbers than a pack has cells"):
        read_numbers(" ".join(["4"] * 65))


@pytest.mark.parametrize(
    ("values", "words"),
    [([3.0, np.nan, 4.25], "3.00 to 4.25 V"), ([3.7, 3.7], "3.70 V throughout"), ([np.nan] * 3, "empty throughout"),
     ([], "empty throughout")],
)  # fmt: skip
def test_what_a_column_reaches_from_and_to(values, words):
    assert span_words(np.array(values, dtype=np.float64), "V", 2) == words
