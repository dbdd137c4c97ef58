"""A log's columns judged by what they do: each doubt by its own log, at its bound, and none on a good one."""

from __future__ import annotations

import numpy as np
import pytest

from tests.sheets import pomelo
from zesty_cell.core.callouts.telemetry import Telemetry
from zesty_cell.core.learn.log_plausibility import log_doubts
from zesty_cell.words.say import say

N = 601
TIME = np.arange(N) * 1.0
GOOD = {
    "pack_v": np.linspace(24.8, 20.0, N),
    "cell_v": np.linspace(4.13, 3.33, N),
    "current_a": np.full(N, 9.0),
    "used_ah": np.linspace(0.0, 3.2, N),
    "throttle": np.where(np.arange(N) % 3 == 0, 0.0, 0.5),
}


def doubts(**changes):
    return log_doubts(Telemetry(time_s=TIME, **(GOOD | changes)), pack=pomelo())


def test_a_good_log_raises_none():
    assert doubts() == ()
    assert log_doubts(Telemetry(time_s=TIME), pack=pomelo()) == ()
    assert doubts(**{name: np.full(N, np.nan) for name in GOOD if name != "pack_v"}) == ()


@pytest.mark.parametrize(
    ("changes", "key", "impossible", "words"),
    [
        ({"throttle": np.linspace(-4.62, 5.62, N)}, "throttle_range", True, "cannot be"),
        ({"throttle": np.linspace(0.0, 1.1, N)}, "throttle_range", True, "to 109 %"),
        ({"throttle": np.linspace(-0.1, 1.0, N)}, "throttle_range", True, "from -9 "),
        ({"throttle": np.full(N, 0.05)}, "throttle_idle", True, "no timer would ever run"),
        ({"pack_v": np.full(N, 24.0)}, "steady", False, "stays at 24.0 V"),
        ({"pack_v": np.linspace(7.9, 7.8, N)}, "not_this_pack", False, "too little for 6 cells"),
        ({"cell_v": np.linspace(24.8, 20.0, N)}, "not_a_cell", True, "22.40 V is not one cell"),
        ({"used_ah": np.linspace(4.2, 1.0, N)}, "charge_falls", False, "what is left"),
        ({"used_ah": np.linspace(0.0, 5.4, N)}, "charge_over_pack", False, "5\u2009400 mAh is more than"),
        ({"current_a": np.full(N, -9.0)}, "current_negative", True, "below zero"),
        ({"current_a": np.full(N, 900.0)}, "current_over_pack", True, "another unit"),
    ],
)
def test_each_doubt(changes, key, impossible, words):
    [doubt] = doubts(**changes)
    assert (doubt.key, doubt.impossible) == (key, impossible)
    assert doubt.field == next(iter(changes))
    assert words in say(doubt.why)


@pytest.mark.parametrize(
    "changes",
    [
        {"throttle": np.linspace(-0.05, 1.05, N)},
        {"throttle": np.where(np.arange(N) == 5, 0.06, 0.0)},
        {"pack_v": np.where(np.arange(N) % 10 == 0, 23.7, 24.0)},
        {"used_ah": np.linspace(0.0, 5.2, N)},
        {"current_a": np.full(N, 250.0)},
    ],
)
def test_just_inside_is_taken(changes):
    assert doubts(**changes) == ()


def test_a_short_look_at_a_resting_pack_is_no_supply():
    short = Telemetry(time_s=TIME[:50], pack_v=np.full(50, 24.0))
    assert log_doubts(short, pack=pomelo()) == ()
