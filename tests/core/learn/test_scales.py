"""Scales of sensors: a calibration and the error it cures cancel out, and nonsense is refused."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.learn.scales import current_scale, implausible_amps, reading_rises, voltage_scale
from zesty_cell.words.say import say


@given(
    scale=st.floats(50, 400), error=st.floats(0.7, 1.4), volts=st.lists(st.floats(3, 50), min_size=1, max_size=4)
)
def test_a_voltage_calibration_undoes_the_sensors_error(scale, error, volts):
    # A sensor shows true·error; with the new scale it shows what the meter says.
    found = voltage_scale(old=scale, points=[(v * error, v) for v in volts], step=0.01)
    assert found.exact == pytest.approx(scale / error, rel=1e-9)
    assert max(abs(e) for e in found.errors_v) <= max(volts) * error * 0.0051 / scale
    assert found.was == pytest.approx(error - 1.0, abs=1e-9)


def test_a_voltage_scale_by_hand():
    # 16.12 V on the meter, 16.4 V shown at a scale of 110: 110·16.12/16.4 = 108.12, entered as 108.
    found = voltage_scale(old=110, points=[(16.4, 16.12)], step=1.0)
    assert found.exact == pytest.approx(108.122, abs=1e-3)
    assert found.entered == 108.0
    assert found.errors_v[0] == pytest.approx(16.4 * 108 / 110 - 16.12)


def test_two_points_and_an_offset():
    # shown = (true − 0.3)/0.98: scale 0.98 of the old one and 0.3 V on top.
    points = [((v - 0.3) / 0.98, v) for v in (14.0, 16.8)]
    found = voltage_scale(old=100, points=points, step=0.1, takes_offset=True)
    assert found.entered == pytest.approx(98.0)
    assert found.offset_v == pytest.approx(0.3, abs=1e-9)
    assert found.errors_v == pytest.approx((0.0, 0.0), abs=1e-9)
    rounded = voltage_scale(old=100, points=points, step=1.5, takes_offset=True)
    assert sum(rounded.errors_v) == pytest.approx(0.0, abs=1e-9)


def test_another_pack_is_no_scale():
    with pytest.raises(OutOfRangeError, match="another pack or another unit"):
        voltage_scale(old=100, points=[(8.2, 16.4)], step=1)
    with pytest.raises(OutOfRangeError, match="one voltage at least"):
        voltage_scale(old=100, points=[], step=1)


@given(
    scale=st.floats(10, 900),
    error=st.floats(0.3, 3.0),
    rises=st.booleans(),
    charges=st.lists(st.floats(0.9, 4.0), min_size=1, max_size=6),
)
def test_a_current_calibration_undoes_the_sensors_error(scale, error, rises, charges):
    flights = [(back * error, back) for back in charges]
    found = current_scale(old=scale, flights=flights, reading_rises=rises, step=0.01, capacity_ah=4.2)
    assert found.exact == pytest.approx(scale / error if rises else scale * error, rel=1e-9)
    assert found.was == pytest.approx(error - 1.0, abs=1e-9)
    assert found.error <= math.hypot(0.03 / math.sqrt(len(charges)), 0.0051 / found.exact) + 1e-9


def test_flights_are_averaged_by_their_charge_and_tell_the_error_left():
    flights = [(2.2, 2.0), (2.08, 2.0), (1.1, 1.0)]
    found = current_scale(old=400, flights=flights, reading_rises=True, step=1, capacity_ah=3.0)
    assert found.exact == pytest.approx(400 * 5.0 / 5.38)
    assert found.entered == 372.0
    assert 0.01 < found.error < 0.03


@pytest.mark.parametrize(
    ("flights", "words"),
    [
        ([], "One flight"),
        ([(0.5, 0.4)], "400 mAh put back says too little: fly until 840 mAh"),
        ([(0.0, 2.0)], "showed no charge at all"),
        ([(2000.0, 2.0)], "Look again: milliamps for amps"),
    ],
)
def test_what_tells_no_scale_is_refused(flights, words):
    with pytest.raises(OutOfRangeError, match=words):
        current_scale(old=100, flights=flights, reading_rises=True, step=1, capacity_ah=4.2)


def test_a_second_look_lets_a_large_change_pass():
    found = current_scale(
        old=100, flights=[(60.0, 2.0)], reading_rises=True, step=0.1, capacity_ah=4.2, second_look=True
    )
    assert found.entered == pytest.approx(3.3)


def test_a_test_step_tells_the_kind_of_scale():
    assert reading_rises(scale_before=100, amps_before=8.0, scale_after=125, amps_after=10.0) is True
    assert reading_rises(scale_before=100, amps_before=8.0, scale_after=125, amps_after=6.4) is False
    assert reading_rises(scale_before=100, amps_before=8.0, scale_after=80, amps_after=10.0) is False
    assert reading_rises(scale_before=100, amps_before=8.0, scale_after=125, amps_after=8.1) is None


def test_amps_that_cannot_be_are_said():
    assert implausible_amps(put_back_ah=2.0, duration_s=600.0, expected_a=11.0) is None
    said = implausible_amps(put_back_ah=4.0, duration_s=600.0, expected_a=11.0)
    assert said.figures["mean_a"] == pytest.approx(24.0)
    assert "24.0 A on average; the forecast says 11.0 A" in say(said)


def test_two_flights_are_never_less_certain_than_one():
    def error(*flights):
        return current_scale(old=100, flights=flights, reading_rises=True, step=0.01, capacity_ah=3.0).error

    one = error((2.0, 2.2))
    assert error((2.0, 2.2), (2.0, 2.2)) < one
    assert error((2.0, 2.2), (2.02, 2.2)) < one
    assert error((2.0, 2.2), (2.0, 2.2), (2.0, 2.2)) < error((2.0, 2.2), (2.0, 2.2))
