"""Line loss: the guided test's arithmetic and its verdict."""

from __future__ import annotations

import pytest

from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.learn.line_loss import line_loss


def test_the_guided_test_by_hand():
    # 4S: the lamp came on at 15.8 V under 12 A, and a minute after landing the pack rests at 16.4 V.
    found = line_loss(alarm_v=15.8, rest_v=16.4, series=4, wanted_rest_v=3.7, current_a=12.0)
    assert found.loss_v == pytest.approx(0.6)
    assert found.loss_cell_v == pytest.approx(0.15)
    assert found.resistance_ohm == pytest.approx(0.05)
    assert not found.tired
    # The lamp at a rest voltage of 3.7 V a cell: 14.8 − 0.6 V.
    assert found.alarm_v == pytest.approx(14.2)
    assert found.loss_entered_v == pytest.approx(0.6)


def test_a_tired_pack_or_plug_is_told():
    assert line_loss(alarm_v=15.0, rest_v=16.3, series=4, wanted_rest_v=3.7).tired
    assert line_loss(alarm_v=15.0, rest_v=16.3, series=4, wanted_rest_v=3.7).resistance_ohm is None


def test_a_pack_that_rests_lower_is_refused():
    with pytest.raises(OutOfRangeError, match="should have come back up"):
        line_loss(alarm_v=15.8, rest_v=15.6, series=4, wanted_rest_v=3.7)
