"""Test results in one line, as they come."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.sheets import pomelo, satsuma
from zesty_cell.core.parts.results_line import LONGEST_RESULTS, read_results
from zesty_cell.words.say import say

SIX = satsuma()


@pytest.mark.parametrize(
    ("line", "milliohms", "pack_c"),
    [
        ("2.1 2.2 2.0 2.3 2.1 2.2 mΩ", (2.1, 2.2, 2.0, 2.3, 2.1, 2.2), 25.0),
        ("2,1 / 2,2 / 2,0 / 2,3 / 2,1 / 2,2 mohm at 24 °C", (2.1, 2.2, 2.0, 2.3, 2.1, 2.2), 24.0),
        ("IR 2.1|2.2|2.0|2.3|2.1|2.2 milliohms, 68 °F", (2.1, 2.2, 2.0, 2.3, 2.1, 2.2), 20.0),
        ("2.4 mΩ", (2.4,) * 6, 25.0),
        ("cells 2 2 2 2 2 2mω 30C", (2.0,) * 6, 30.0),
    ],
)
def test_resistances_of_the_cells(line, milliohms, pack_c):
    read = read_results(line, pack=SIX)
    assert read.left_out == ()
    assert read.tests["charger"].cells_ohm == pytest.approx([m / 1000 for m in milliohms])
    assert read.tests["charger"].pack_c == pytest.approx(pack_c)


@pytest.mark.parametrize(
    ("line", "charge_ah", "rest_v"),
    [
        ("1240 mAh", 1.24, None),
        ("put back 1.24Ah", 1.24, None),
        ("1240mAh to 3.5V", 1.24, 3.5),
        ("1240 mAh from 25.2 V to 21 V", 1.24, 3.5),
        ("discharged 1,24 Ah down to 21,0 V", 1.24, 3.5),
        ("27.5 Wh", 27.5 / 22.2, None),
    ],
)
def test_a_charge_or_an_energy(line, charge_ah, rest_v):
    read = read_results(line, pack=SIX)
    assert read.tests["capacity"].charge_ah == pytest.approx(charge_ah)
    assert read.tests["capacity"].rest_v_per_cell == (None if rest_v is None else pytest.approx(rest_v))


@pytest.mark.parametrize(
    ("line", "held_s", "pack_c"),
    [
        ("22.9 V at 2 A, 22.0 V at 30 A", 1.0, 25.0),
        ("22,9V @ 2A 22,0V @ 30A held 2 s", 2.0, 25.0),
        ("22.9V 2A, 22.0V 30A at 21 °C", 1.0, 21.0),
    ],
)
def test_volts_at_two_currents(line, held_s, pack_c):
    test = read_results(line, pack=SIX).tests["two_currents"]
    assert (test.first_v, test.first_a, test.second_v, test.second_a) == (22.9, 2.0, 22.0, 30.0)
    assert (test.held_s, test.pack_c) == (held_s, pack_c)


def test_several_at_once_and_what_was_understood_in_words():
    line = "2.1 2.2 2.0 2.3 2.1 2.2 mΩ at 24 °C; 1240 mAh to 3.5 V\n22.9 V at 2 A, 22.0 V at 30 A"
    read = read_results(line, pack=SIX)
    assert set(read.tests) == {"charger", "capacity", "two_currents"}
    assert [say(words) for words in read.understood] == [
        "cells of 2 to 2.3 mΩ at 24 °C",
        "1240 mAh from full to 3.50 V a cell",
        "22.90 V at 2 A and 22.00 V at 30 A",
    ]


@pytest.mark.parametrize(
    ("line", "why"),
    [
        ("fine", "Nothing in it is a result"),
        ("14.8", "Nothing in it is a result"),
        ("2.1 2.2 2.0 mΩ", "3 resistances, and the pack has 6 cells"),
        ("22.9 V at 2 A", "Two voltages at two currents"),
        ("22.9 V at 2 A, 22.0 V at 30 A, 21 V at 60 A", "Two voltages at two currents"),
        ("22.0 V at 2 A, 22.9 V at 30 A", "swapped"),
        ("0 mAh", "cannot be"),
        ("9999 Ah", "cannot be"),
        ("99999 mΩ", "cannot be"),
        ("2.1 mΩ at 999 °C", "cannot be"),
    ],
)
def test_what_says_nothing_or_cannot_be_is_left_out_with_its_reason(line, why):
    read = read_results(line, pack=SIX)
    assert read.tests == {}
    assert len(read.left_out) == 1
    assert why in say(read.left_out[0][1])


def test_a_result_twice_and_a_line_without_end():
    read = read_results("1240 mAh; 1300 mAh", pack=SIX)
    assert read.tests["capacity"].charge_ah == 1.24
    assert "twice" in say(read.left_out[0][1])
    assert read_results("1 " * LONGEST_RESULTS, pack=SIX).tests == {}
    assert read_results("", pack=SIX).left_out == ()


@given(st.text(max_size=60))
def test_any_text_is_read_or_left_out(text):
    for pack in (SIX, pomelo()):
        read = read_results(text, pack=pack)
        assert len(read.understood) == len(read.tests)
        assert all(say(why) for _, why in read.left_out)
