"""A moment of a flight in one line, as the cursor reads it: many at once, so without a template for each."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from zesty_cell.words.face import Face
from zesty_cell.words.units import TEMPERATURE, minutes


def moments(
    face: Face,
    /,
    *,
    time_s: Sequence[float],
    volts: Sequence[NDArray[np.float64]],
    current_a: NDArray[np.float64],
    used_ah: NDArray[np.float64],
    left: NDArray[np.float64],
    pack_c: NDArray[np.float64],
    series: int,
) -> list[str]:
    """Lines of n moments: arrays of shape (n,) [s, V a cell, A, Ah, 1, °C]; ``volts`` at rest, steady, lowest."""
    per_pack = face.view.volts == "pack"
    digits = 1 if per_pack and series > 1 else 2
    unit = TEMPERATURE.unit(face.view.units)
    rest, steady, lowest = ((v * (series if per_pack else 1)).tolist() for v in volts)
    amps = [f"{a:.{0 if a >= 9.95 else 1}f}" for a in current_a.tolist()]
    degrees = [unit.show(c) for c in pack_c.tolist()]
    # One template for all: it takes three fifths of what a literal for each does.
    line = (
        f"%s · rest %.{digits}f · steady %.{digits}f · lowest %.{digits}f V · %s A · %.0f mAh · "
        f"%.0f %% left · %.0f {unit.label}"
    )
    columns = rest, steady, lowest, amps, (used_ah * 1000.0).tolist(), (left * 100.0).tolist(), degrees
    return [line % said for said in zip(map(minutes, time_s), *columns, strict=True)]
