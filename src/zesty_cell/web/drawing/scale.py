"""Scales, ticks and paths shared by the pictures."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True)
class Scale:
    """Linear map from a value to a place on the picture."""

    low: float
    high: float
    start: float
    stop: float

    def __call__(self, value: float) -> float:
        span = (self.high - self.low) or 1.0
        return self.start + (value - self.low) / span * (self.stop - self.start)

    def many(self, values: NDArray[np.float64]) -> NDArray[np.float64]:
        """The same for an array."""
        span = (self.high - self.low) or 1.0
        return self.start + (values - self.low) / span * (self.stop - self.start)


@dataclass(frozen=True)
class Tick:
    """A mark on an axis."""

    at: float
    label: str


def nice_step(span: float, most: int, steps: tuple[float, ...]) -> float:
    """The smallest of ``steps`` that cuts ``span`` into at most ``most`` parts; the largest otherwise."""
    return next((s for s in steps if span / s <= most), steps[-1])


def ticks(low: float, high: float, step: float) -> list[float]:
    """Multiples of ``step`` from low to high."""
    first = math.ceil(low / step - 1e-9)
    last = math.floor(high / step + 1e-9)
    return [round(k * step, 10) for k in range(first, last + 1)]


#: Places on a picture in tenths, written once: a sheet's pictures have ten thousand numbers, and to look one up
#: takes a fifteenth of writing it.
_LOWEST, _HIGHEST = -2_000, 16_000
_WRITTEN = np.array([f"{tenths / 10:g}" for tenths in range(_LOWEST, _HIGHEST + 1)], dtype=object)


def path(xs: NDArray[np.float64], ys: NDArray[np.float64]) -> str:
    """An SVG path through points, to a tenth."""
    if xs.size == 0:
        return ""
    tenths = np.rint(np.column_stack((xs, ys)).ravel() * 10.0)
    if not (tenths.min() >= _LOWEST and tenths.max() <= _HIGHEST):  # far off any picture, or no number
        return "M" + " ".join(f"{tenth / 10:g}" for tenth in tenths.tolist())
    return "M" + " ".join(_WRITTEN[tenths.astype(np.int64) - _LOWEST].tolist())


def sparse(count: int, most: int) -> NDArray[np.int64]:
    """Indices of at most ``most`` of ``count`` samples, evenly spread, both ends in."""
    if count <= most:
        return np.arange(count)
    return np.unique(np.linspace(0, count - 1, most).round().astype(np.int64))


def zigzag(
    xs: NDArray[np.float64], ys: NDArray[np.float64], stretches: int
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """A line that jumps, by the highest and the lowest of each stretch; as it is where it has no more points."""
    if ys.size <= 2 * stretches:
        return xs, ys
    low, high = envelope(ys, stretches)
    first = np.linspace(0, ys.size, low.size + 1).astype(np.int64)[:-1]
    both = np.empty(2 * low.size)
    both[::2], both[1::2] = high, low
    return np.repeat(xs[first], 2), both


def envelope(values: NDArray[np.float64], columns: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Lowest and highest value in each of ``columns`` equal stretches (fewer when there are fewer samples)."""
    columns = max(1, min(columns, values.size))
    edges = np.linspace(0, values.size, columns + 1).astype(np.int64)[:-1]
    return np.minimum.reduceat(values, edges), np.maximum.reduceat(values, edges)
