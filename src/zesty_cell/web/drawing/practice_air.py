"""The air of a drill: home on the left, distance along the ground, height above it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zesty_cell.web.drawing.scale import Scale, Tick, nice_step, ticks

WIDTH, HEIGHT = 1280.0, 286.0
_HOME_X, _FAR_X, _GROUND_Y, _TOP_Y = 130.0, 1180.0, 226.0, 40.0
#: A craft so high is at the upper edge [m].
_TALLEST_M = 90.0
_STEPS = (20.0, 50.0, 100.0, 200.0, 250.0, 500.0, 1000.0, 2000.0, 5000.0, 10000.0)


@dataclass(frozen=True)
class Air:
    """Where things are on the picture; ticks carry metres, which are written as the reader reads them."""

    width: float
    height: float
    home_x: float
    ground_y: float
    ticks: tuple[Tick, ...]
    far: Scale
    up: Scale

    def places(
        self, away_m: NDArray[np.float64], height_m: NDArray[np.float64]
    ) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Places of a craft on the picture, to a tenth."""
        return (
            np.round(self.far.many(away_m), 1),
            np.round(self.up.many(np.minimum(height_m, _TALLEST_M)), 1),
        )


def air(out_m: float, /) -> Air:
    """The air of a drill that flies about at a distance [m]."""
    far = Scale(0.0, max(out_m, 30.0), _HOME_X, _FAR_X)
    step = nice_step(out_m, 5, _STEPS)
    marks = tuple(Tick(far(m), f"{m:.0f}") for m in ticks(step, out_m * 1.05, step))
    return Air(WIDTH, HEIGHT, _HOME_X, _GROUND_Y, marks, far, Scale(0.0, _TALLEST_M, _GROUND_Y, _TOP_Y))
