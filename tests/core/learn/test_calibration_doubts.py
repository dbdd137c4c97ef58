"""What is doubted of a calibration's readings, by hand: each kind sound, and each way to be odd."""

from __future__ import annotations

from datetime import UTC, datetime

import pytest

from tests.sheets import pomelo
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.learn.calibration import (
    CellCheck,
    CurrentCalibration,
    HoverDown,
    LineLossTest,
    VoltageCalibration,
)
from zesty_cell.core.learn.plausibility import calibration_doubts, voltage_points_doubts

NOW = datetime(2026, 11, 20, 18, 0, tzinfo=UTC)
#: Six cells of lithium-ion: full at 25.2 V.
PACK = pomelo()
POINTS = ((0.0, 4.1), (60.0, 3.9), (120.0, 3.7), (180.0, 3.5))


def cells(*volts):
    return CellCheck(made_at=NOW, cells_v=volts or (3.8,) * 6)


def volts(points=((24.0, 24.4),), entered=112.0, **more):
    return VoltageCalibration(made_at=NOW, old=110.0, step=1.0, points=points, entered=entered, **more)


def amps(back_ah=3.3, entered=440.0):
    """3.0 Ah shown, 3.3 put back: a tenth more."""
    return CurrentCalibration(
        made_at=NOW, old=400.0, step=1.0, reading_rises=True, flights=((3.0, back_ah),), capacity_ah=4.2,
        entered=entered,
    )  # fmt: skip


def lamp(series=6, rest_v=22.2):
    return LineLossTest(made_at=NOW, alarm_v=21.0, rest_v=rest_v, series=series, wanted_rest_v=3.6)


def hover(series=6, points=POINTS):
    return HoverDown(made_at=NOW, loaded=True, series=series, points=points)


@pytest.mark.parametrize("made", [cells(), volts(), amps(back_ah=3.3), lamp(), hover()], ids=lambda m: m.kind)
@pytest.mark.parametrize("pack", [PACK, None], ids=["with its pack", "without"])
def test_a_sound_one_is_not_doubted(made, pack):
    # 24.4 V over 24.0: 111.83, entered as 112; 3.3 Ah over 3.0: 440.
    assert calibration_doubts(made, pack=pack) == ()


@pytest.mark.parametrize(
    ("made", "key", "field", "impossible"),
    [
        (cells(*(3.8,) * 5), "other_count", "cells_v", True),
        (cells(*(4.2,) * 5, 4.36), "over_full", "cells_v", True),
        (volts(entered=150.0), "not_the_advised", "entered", False),
        (volts(points=((11.8, 12.0),)), "not_this_pack", "points.0.1", False),
        (volts(points=((24.0, 24.4), (22.0, 25.0)), entered=118.0), "points_apart", "points.1.1", True),
        (amps(entered=400.0), "not_the_advised", "entered", False),
        (amps(back_ah=4.6, entered=613.0), "over_capacity", "flights.0.1", True),
        (lamp(series=4), "other_count", "series", True),
        (hover(series=4), "other_count", "series", True),
    ],
    ids=lambda v: v if isinstance(v, str) else "",
)
def test_what_is_odd_is_doubted_at_its_place(made, key, field, impossible):
    assert (key, field, impossible) in [(d.key, d.field, d.impossible) for d in calibration_doubts(made, pack=PACK)]


def test_a_pack_at_rest_may_be_a_twentieth_of_a_volt_over_full_a_cell():
    for metered, doubted in ((25.2 + 0.29, 0), (25.2 + 0.31, 1)):
        assert len(voltage_points_doubts([(metered, metered)], pack=PACK, takes_offset=False)) == doubted


def test_a_full_cell_may_read_a_little_more():
    assert calibration_doubts(cells(*(4.34,) * 6), pack=PACK) == ()


def test_a_volt_that_no_cell_of_the_pack_has_is_doubted():
    [doubt] = calibration_doubts(hover(points=((0.0, 4.4), *POINTS[1:])), pack=PACK)
    assert doubt.field == "points.0.1"


def test_readings_of_which_nothing_follows_are_refused():
    with pytest.raises(OutOfRangeError):
        calibration_doubts(lamp(rest_v=20.0), pack=PACK)
    with pytest.raises(OutOfRangeError):
        calibration_doubts(amps(back_ah=0.01), pack=None)
