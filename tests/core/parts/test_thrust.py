"""Thrust runs: grams a watt, the hover on them, and the propeller set they make."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.sheets import heron
from zesty_cell.core.errors import OutOfRangeError, ZestyCellError, plainly
from zesty_cell.core.parts.thrust import ThrustStep, checked_steps, hover_on, set_of_run
from zesty_cell.formats.errors import FileFormatError
from zesty_cell.formats.thrust_text import read_thrust

RUN = "25 180 2.1 16.4\n50 520 7.9 16.1\n75 910 18.2 15.6\n100 1310 33.0 14.9"


def ideal(*grams, watts_at_a_kilogram=140.0):
    """Steps of an ideal disc, P = c·T^1.5, at 16 V."""
    return [
        ThrustStep(
            throttle=(g / max(grams)) ** 0.5, thrust_kg=g / 1000,
            current_a=watts_at_a_kilogram * (g / 1000) ** 1.5 / 16.0, voltage_v=16.0,
        )
        for g in grams
    ]  # fmt: skip


def test_grams_a_watt_by_hand():
    steps = read_thrust(RUN)
    assert steps[1].watts == pytest.approx(7.9 * 16.1)
    assert steps[1].grams_a_watt == pytest.approx(520 / (7.9 * 16.1))
    assert [s.throttle for s in steps] == [0.25, 0.5, 0.75, 1.0]


@pytest.mark.parametrize("all_up_kg", [0.6, 0.9, 1.6, 3.0])
def test_an_ideal_disc_hovers_where_its_law_says(all_up_kg):
    craft = heron()
    hover = hover_on(ideal(120, 400, 900), craft=craft, all_up_kg=all_up_kg, motors=4, on_bench=1)
    assert hover.watts == pytest.approx(4 * 140.0 * (all_up_kg / 4) ** 1.5 + craft.avionics_w, rel=1e-6)
    assert hover.current_a == pytest.approx(hover.watts / 16.0)
    assert hover.motor_kg == pytest.approx(all_up_kg / 4)
    assert hover.beyond is False


def test_outside_of_the_steps_it_goes_on_and_says_so():
    for kg, beyond in ((0.3, True), (0.48, False), (3.6, False), (4.4, True)):
        hover = hover_on(ideal(120, 400, 900), craft=heron(), all_up_kg=kg, motors=4, on_bench=1)
        assert hover.beyond is beyond
        assert hover.watts == pytest.approx(4 * 140.0 * (kg / 4) ** 1.5 + heron().avionics_w, rel=1e-6)


def test_all_motors_on_the_bench_are_the_same_as_one():
    four = [
        s.model_copy(update={"thrust_kg": 4 * s.thrust_kg, "current_a": 4 * s.current_a}) for s in ideal(120, 900)
    ]
    one = hover_on(ideal(120, 900), craft=heron(), all_up_kg=1.2, motors=4, on_bench=1)
    assert hover_on(four, craft=heron(), all_up_kg=1.2, motors=4, on_bench=4).watts == pytest.approx(one.watts)


def test_throttle_goes_straight_over_thrust():
    hover = hover_on(read_thrust(RUN), craft=heron(), all_up_kg=2.86, motors=4, on_bench=1)
    assert hover.throttle == pytest.approx(0.5 + 0.25 * (715 - 520) / (910 - 520))
    without = [s.model_copy(update={"throttle": None}) for s in read_thrust(RUN)]
    assert hover_on(without, craft=heron(), all_up_kg=2.86, motors=4, on_bench=1).throttle is None


def test_a_run_makes_a_set_with_full_throttle_of_the_bench():
    kept = set_of_run(read_thrust(RUN), craft=heron(), all_up_kg=1.6, motors=4, on_bench=1, name="new ones")
    assert kept.source == "thrust run on the bench"
    assert kept.steady.all_up_mass_kg == 1.6
    assert (kept.full_throttle.current_a, kept.full_throttle.where) == (132.0, "bench")
    assert kept.full_throttle.thrust_kg == pytest.approx(5.24)
    partly = set_of_run(read_thrust(RUN)[:3], craft=heron(), all_up_kg=1.6, motors=4, on_bench=1, name="new ones")
    assert partly.full_throttle == heron().full_throttle


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("50 520 7.9 16.1", "Two steps or more"),
        ("50 520 7.9 16.1\n60 520 8.5 16.0", "no more power"),
        ("50 520 7.9 16.1\n60 700 7.8 16.0", "no more power"),
        ("50 52000 7.9 16.1\n60 70000 9 16", "no propeller has"),
        ("50 0.52 7.9 16.1\n60 0.7 9 16", "no propeller has"),
    ],
)
def test_what_no_bench_shows_is_refused(text, words):
    with pytest.raises(OutOfRangeError) as refused:
        checked_steps(read_thrust(text))
    assert words in plainly(refused.value.why)


@pytest.mark.parametrize(
    "text",
    [
        "Thrust (g);Volts;Amps;RPM\n180;16,4;2,1;4100\n520;16,1;7,9;7000",
        "amps,volts,thrust,rpm\n2.1,16.4,180,4100\n7.9,16.1,520,7000",
        "V\tA\tkg\trpm\n16.4\t2.1\t0.18\t4100\n16.1\t7.9\t0.52\t7000",
        "- 180g 2.1A 16.4V 4100\n- 520g 7.9A 16.1V 7000",
    ],
)
def test_a_table_is_read_by_its_names_or_its_order(text):
    steps = read_thrust(text)
    assert [(s.thrust_kg, s.current_a, s.voltage_v, s.rpm, s.throttle) for s in steps] == [
        (pytest.approx(0.18), 2.1, 16.4, 4100, None), (pytest.approx(0.52), 7.9, 16.1, 7000, None),
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("text", "line", "words"),
    [
        ("25 180 2.1 16.4\n50 much 7.9 16.1", 2, "not a number"),
        ("25 180 2.1", 1, "“volts” is missing"),
        ("25 180 2.1 1600", 1, "volts"),
        ("25 180 2.1 16.4\n" * 61, 61, "Up to 60"),
        ("x" * 6001, None, "longer"),
    ],
)
def test_what_is_wrong_is_told_with_its_line(text, line, words):
    with pytest.raises(FileFormatError, match=words) as refused:
        read_thrust(text)
    assert refused.value.line == line


@given(st.text(alphabet="0123456789 .,;-%gAV\n\trpmthous", max_size=200))
def test_any_text_is_read_or_refused(text):
    try:
        checked_steps(read_thrust(text))
    except ZestyCellError as error:
        words = str(error)
        assert words
