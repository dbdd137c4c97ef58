"""Numbers as words, in a person's units."""

from __future__ import annotations

import numpy as np
import pytest

from zesty_cell.core.answer.check import Check
from zesty_cell.web.http.preferences import Preferences
from zesty_cell.words.face import Face
from zesty_cell.words.units import ALTITUDE, TEMPERATURE

METRIC, IMPERIAL = Face(Preferences()), Face(Preferences(units="imperial", volts="pack"))


def _check(value, limit, unit, at_s=None):
    return Check("key", "look", "title", value, limit, unit, at_s, "")


def test_mass_temperature_and_speed_in_both_systems():
    assert METRIC.mass(1.0631) == "1\u2009063 g"
    assert METRIC.mass(0.0079) == "7.9 g"
    assert IMPERIAL.mass(0.445) == "15.7 oz"
    assert (METRIC.temperature(-3.6), IMPERIAL.temperature(12.0)) == ("−4 °C", "54 °F")
    assert (METRIC.speed(14.0), IMPERIAL.altitude(1000.0)) == ("50 km/h", "3\u2009281 ft")


def test_where_a_columns_numbers_reach_is_in_the_readers_unit():
    cold = np.array([np.nan, 20.0, 50.0])
    assert METRIC.span(TEMPERATURE, cold) == "20 to 50 °C"
    assert IMPERIAL.span(TEMPERATURE, cold) == "68 to 122 °F"
    assert IMPERIAL.span(ALTITUDE, np.array([100.0, 100.0])) == "328 ft throughout"
    assert METRIC.span(TEMPERATURE, np.array([np.nan])) == "empty throughout"


@pytest.mark.parametrize(
    ("seconds", "said"),
    [(23.04, "23.0 s"), (59.94, "59.9 s"), (59.96, "1:00.0"), (63.44, "1:03.4"), (754.0, "12:34.0")],
)
def test_a_lap_is_told_to_a_tenth(seconds, said):
    assert METRIC.lap(seconds) == said


def test_a_mass_in_a_sentence_has_no_noise():
    assert METRIC.mass_about(0.0504) == "50 g"
    assert METRIC.mass_about(0.0042) == "4.2 g"
    assert IMPERIAL.mass_about(0.0504) == "1.8 oz"


def test_volts_per_cell_or_as_pack():
    assert METRIC.volts(3.349, 6) == "3.35 V a cell"
    assert IMPERIAL.volts(3.349, 6) == "20.1 V"
    assert METRIC.volts(3.349, 1) == "3.35 V"
    assert METRIC.pack_v(3.456, 1) == "3.46"
    assert METRIC.pack_v(20.1, 6) == "20.1"


@pytest.mark.parametrize(
    ("check", "words"),
    [
        (_check(56.2, 60.0, "A", 1140.0), "56 A of 60 A, at 19:00"),
        (_check(3.4, 9.0, "A"), "3.4 A of 9.0 A"),
        # What would look the same and is not gets a decimal more; what is the same does not.
        (_check(60.2, 60.0, "A"), "60.2 A of 60.0 A"),
        (_check(1.56, 1.6, "ratio"), "1.56, 1.60 wanted"),
        (_check(1.6, 1.6, "ratio"), "1.6, 1.6 wanted"),
        (_check(0.8487, 0.85, "share"), "84.9 %, 85.0 % wanted"),
        (_check(2.87, 3.0, "V", 60.0), "2.87 V a cell against 3.00 V a cell, at 1:00"),
        (_check(25.2, 17.0, "pack V"), "25.2 V of 17.0 V"),
        (_check(62.0, 60.0, "°C", 0.0), "62 °C, limit 60 °C"),
        (_check(1.2, 1.0, "kg"), "1\u2009200 g of 1\u2009000 g"),
        (_check(0.81, 0.85, "share", 61.0), "81 %, 85 % wanted, at 1:01"),
        (_check(1.4, 1.6, "ratio"), "1.4, 1.6 wanted"),
        (_check(3.0, 0.0, "flights"), ""),
        (_check(None, None, "A", 30.0), "at 0:30"),
    ],
)
def test_a_checks_numbers(check, words):
    assert METRIC.check_numbers(check, 6) == words
