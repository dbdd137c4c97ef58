"""What a pilot has of a drill, second by second, from a moment on: nothing that would give the truth away."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.asked.flying import STEP_S
from zesty_cell.core.practice.flown import Played

#: A value for so long [s].
SECOND = 1.0
#: A drill takes about so long [s], at no less and no more than so many times the speed of life [1].
_TAKES_S, _SLOWEST, _FASTEST = 70.0, 10, 20


@dataclass(frozen=True)
class Seconds:
    """A pilot's view of a drill, one value a second of flight.

    Attributes
    ----------
    time_s : array, shape (n,)
        [s].
    pack_v, used_ah : array, shape (n,)
        As the transmitter shows them [V, Ah]; NaN where it shows nothing.
    away_m, height_m : array, shape (n,)
        [m].
    leg : array of int, shape (n,)
        What the craft does, as an index of :data:`~zesty_cell.core.practice.course.LEGS` [1].
    """

    time_s: NDArray[np.float64]
    pack_v: NDArray[np.float64]
    used_ah: NDArray[np.float64]
    away_m: NDArray[np.float64]
    height_m: NDArray[np.float64]
    leg: NDArray[np.int64]


def seconds(played: Played, /, *, from_s: float = 0.0) -> Seconds:
    """The drill as its pilot sees it, from a moment to its end [s, V, Ah, m]; arrays of shape (n,)."""
    track, frames = played.course.track(), played.frames
    count = min(len(frames), track.leg.size)
    at = np.arange(0, count, round(SECOND / STEP_S))
    at = at[frames.time_s[at] >= from_s - 1e-6]
    if at.size == 0 or at[-1] != count - 1:  # the last moment is there, whatever its second
        at = np.append(at, count - 1)
    return Seconds(
        time_s=frames.time_s[at], pack_v=frames.pack_v[at], used_ah=frames.used_ah[at],
        away_m=track.away_m[at], height_m=track.height_m[at], leg=track.leg[at],
    )  # fmt: skip


def times_life(turn_s: float, /) -> int:
    """How many times as fast as life a drill is played [1], by when its sheet turns home [s]: the truth is no part
    of it."""
    return int(np.clip(round(1.3 * turn_s / _TAKES_S), _SLOWEST, _FASTEST))
