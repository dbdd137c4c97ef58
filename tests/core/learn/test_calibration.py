"""Calibrations as kept: logs before them are corrected, those after are not; how far out the sensor is now."""

from __future__ import annotations

import math
from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from tests.sheets import pomelo
from zesty_cell.core.learn.calibration import (
    CALIBRATION,
    UNCHECKED_CURRENT,
    CellCheck,
    CurrentCalibration,
    LineLossTest,
    VoltageCalibration,
    charge_factor,
    corrected_v,
    current_now,
    voltage_now,
)
from zesty_cell.core.learn.flights import LoggedFlight, used_of

DAY = datetime(2026, 6, 1, 12, 0, tzinfo=UTC)


def current(at=DAY, *, old=100.0, entered=None, rises=True, flights=((2.0, 2.4),), step=0.1) -> CurrentCalibration:
    made = CurrentCalibration(
        made_at=at, old=old, step=step, reading_rises=rises, flights=flights, capacity_ah=4.2, entered=old
    )
    return made.model_copy(update={"entered": made.scale().entered if entered is None else entered})


def voltage(at=DAY, *, points=((24.0, 24.6),), old=100.0) -> VoltageCalibration:
    made = VoltageCalibration(made_at=at, old=old, step=0.1, points=points, entered=old)
    return made.model_copy(update={"entered": made.scale().entered})


@given(error=st.floats(0.5, 2.0), rises=st.booleans())
def test_what_was_shown_before_becomes_what_was_put_back(error, rises):
    made = current(flights=((2.0 * error, 2.0), (3.0 * error, 3.0)), rises=rises, step=0.001)
    before = charge_factor([made], at=DAY - timedelta(days=3))
    assert 2.5 * error * before == pytest.approx(2.5, rel=1e-4)
    assert charge_factor([made], at=DAY + timedelta(minutes=1)) == 1.0


def test_two_calibrations_in_a_row_both_count_for_what_came_before_them():
    first, second = current(flights=((2.0, 2.4),)), current(DAY + timedelta(days=10), flights=((2.0, 2.1),))
    at = [charge_factor([second, first], at=DAY + timedelta(days=d)) for d in (-1, 5, 11)]
    assert at == pytest.approx([1.2 * 1.05, 1.05, 1.0], rel=1e-3)


def test_a_voltage_shown_before_is_corrected_in_the_order_of_the_calibrations():
    first = voltage(points=((24.0, 24.6),))
    second = VoltageCalibration(
        made_at=DAY + timedelta(days=5), old=102.5, entered=102.5, step=0.1, takes_offset=True, offset_v=0.2,
        points=((20.0, 20.2), (24.0, 24.2)),
    )  # fmt: skip
    assert corrected_v(24.0, calibrations=[second, first], at=DAY - timedelta(days=1)) == pytest.approx(24.8)
    assert corrected_v(24.0, calibrations=[second, first], at=DAY + timedelta(days=1)) == pytest.approx(24.2)
    assert corrected_v(24.0, calibrations=[second, first], at=DAY + timedelta(days=6)) == 24.0


def test_a_logged_charge_is_corrected_and_known_better_after_a_calibration():
    flight = LoggedFlight(landed_at=DAY - timedelta(days=1), duration_s=600.0, pattern="Cruise", shown_ah=2.0)
    plain = used_of(flight, pack=pomelo())
    better = used_of(flight, pack=pomelo(), calibrations=[current()])
    assert better.share == pytest.approx(1.2 * plain.share, rel=1e-3)
    assert better.error < plain.error == UNCHECKED_CURRENT
    charged = flight.model_copy(update={"put_back_ah": 2.5})
    assert used_of(charged, pack=pomelo(), calibrations=[current()]).share == pytest.approx(2.5 / 4.2)


def test_how_far_out_the_current_sensor_is_now():
    nothing = current_now(calibrations=[], flights=[])
    assert (nothing.by, nothing.error, nothing.out) == ("nothing", UNCHECKED_CURRENT, 0.0)
    made = current()
    by_it = current_now(calibrations=[made], flights=[(DAY - timedelta(days=1), 2.0, 2.4)])
    assert (by_it.by, by_it.since, by_it.flights) == ("calibration", DAY, 1)
    assert by_it.error < 0.05
    after = [(DAY + timedelta(days=d), 2.2, 2.0) for d in (1, 2, 3)]
    by_flights = current_now(calibrations=[made], flights=[(DAY - timedelta(days=1), 2.0, 2.4), *after])
    assert (by_flights.by, by_flights.flights) == ("flights", 3)
    assert by_flights.out == pytest.approx(0.1)
    assert by_flights.worst > 0.1
    one = current_now(calibrations=[made], flights=after[:1])
    assert one.error > by_flights.error


def test_how_far_out_the_voltage_sensor_is_now():
    assert voltage_now([]).by == "nothing"
    assert voltage_now([voltage()]).error == pytest.approx(0.003)
    rough = voltage().model_copy(update={"entered": 100.0})  # the pilot left the scale as it was
    assert voltage_now([voltage(DAY - timedelta(days=9)), rough]).error == pytest.approx(
        math.hypot(0.6 / 24.6, 0.003), rel=1e-3
    )


def test_a_kept_calibration_is_read_back_as_its_own_kind():
    for made in (
        current(),
        voltage(),
        LineLossTest(made_at=DAY, alarm_v=19.8, rest_v=21.6, series=6, wanted_rest_v=3.5, landing_stage="off"),
        CellCheck(made_at=DAY, cells_v=(3.81, 3.80, 3.79)),
    ):
        assert CALIBRATION.validate_python(made.model_dump(mode="json")) == made
    assert current().scale().flights == 1
    assert LineLossTest(
        made_at=DAY, alarm_v=19.8, rest_v=21.6, series=6, wanted_rest_v=3.5
    ).loss().loss_cell_v == pytest.approx(0.3)
    with pytest.raises(ValidationError, match="two volts"):
        CellCheck(made_at=DAY, cells_v=(4.2, 1.0))
    with pytest.raises(ValidationError, match="zone"):
        CellCheck(made_at=datetime(2026, 1, 1), cells_v=(4.2,))  # noqa: DTZ001 - that is what is refused
