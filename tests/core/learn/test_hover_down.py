"""The hover-down chart: a curve without overshoot, its knee, and readings that cannot be one flight."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.interpolate import PchipInterpolator

from tests.sheets import sheet
from zesty_cell.core.answer.forecast import forecast
from zesty_cell.core.callouts.writer import knee_s
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.learn.hover_down import hover_curve, monotone_curve
from zesty_cell.core.parts.chemistries import chemistry_for

LIPO, LION = chemistry_for("lipo"), chemistry_for("liion_power")
POLYMER = [
    (0.0, 4.0),
    (60.0, 3.9),
    (120.0, 3.82),
    (180.0, 3.76),
    (240.0, 3.7),
    (300.0, 3.62),
    (330.0, 3.4),
    (345.0, 3.1),
]


@given(
    steps=st.lists(st.tuples(st.floats(5, 120), st.floats(0, 0.3)), min_size=4, max_size=20),
)
def test_the_curve_goes_through_its_points_and_nowhere_rises(steps):
    x = np.cumsum([s[0] for s in steps])
    y = 4.2 - np.cumsum([s[1] for s in steps]) * 0.1
    at = np.linspace(x[0], x[-1], 200)
    curve = monotone_curve(x=x, y=y, at=at)
    assert (np.diff(curve) <= 1e-9).all()
    assert monotone_curve(x=x, y=y, at=x) == pytest.approx(y)


def test_it_is_scipys_between_the_ends():
    x, y = (np.array(v) for v in zip(*POLYMER, strict=True))
    at = np.linspace(x[1], x[-2], 50)
    assert monotone_curve(x=x, y=y, at=at) == pytest.approx(PchipInterpolator(x, y)(at), abs=1e-9)


def test_the_knee_of_a_polymer_pack():
    found = hover_curve(POLYMER, chemistry=LIPO, series=4)
    assert 290.0 <= found.knee_s <= 315.0
    assert found.threshold_v == pytest.approx(4 * found.knee_v, abs=0.1)
    assert not found.floored


def test_readings_of_a_forecast_find_its_own_knee():
    result = forecast(sheet())
    flight = result.flight
    times = np.linspace(30.0, flight.end_s - 1.0, 25)
    points = [(float(t), float(flight.cruise_v[flight.index_at(t)])) for t in times]
    found = hover_curve(points, chemistry=LION, series=6)
    assert found.knee_s == pytest.approx(knee_s(result), abs=0.06 * flight.end_s)


def test_a_straight_line_has_no_knee():
    line = [(60.0 * k, 4.0 - 0.1 * k) for k in range(6)]
    found = hover_curve(line, chemistry=LION, series=6)
    assert (found.knee_s, found.threshold_v) == (None, None)


def test_a_knee_under_the_floor_is_called_at_the_floor():
    low = [(t, v - 0.7) for t, v in POLYMER]
    found = hover_curve(low, chemistry=LIPO, series=4)
    assert found.floored
    assert found.threshold_v == pytest.approx(4 * LIPO.loaded_floor_v, abs=0.1)


@pytest.mark.parametrize(
    ("points", "words"),
    [
        (POLYMER[:3], "at least 4"),
        ([*POLYMER, (345.0, 3.0)], "Two readings at"),
        ([(0.0, 4.0), (60.0, 3.8), (120.0, 3.95), (180.0, 3.7)], "rises from 3.80 V at 1:00"),
    ],
)
def test_what_cannot_be_one_flight_is_refused(points, words):
    with pytest.raises(OutOfRangeError, match=words):
        hover_curve(points, chemistry=LIPO, series=4)


def test_order_and_a_checkers_rounding_do_not_matter():
    mixed = [POLYMER[k] for k in (3, 0, 7, 1, 2, 6, 5, 4)]
    assert (
        hover_curve(mixed, chemistry=LIPO, series=4).knee_s == hover_curve(POLYMER, chemistry=LIPO, series=4).knee_s
    )
    rounded = [(t, v + (0.01 if k == 2 else 0.0)) for k, (t, v) in enumerate(POLYMER)]
    assert hover_curve(rounded, chemistry=LIPO, series=4).knee_s is not None
