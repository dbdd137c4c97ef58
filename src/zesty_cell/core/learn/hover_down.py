"""The hover-down chart: a few voltages against minutes, the curve through them and where it bends."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.answer.thresholds import on_step, voltage_step_v
from zesty_cell.core.callouts.telemetry import Telemetry
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import fact
from zesty_cell.core.parts.chemistry import Chemistry

LEAST_POINTS, MOST_POINTS = 4, 60
#: A reading may rise over the one before by this and be a checker's rounding [V a cell].
_ROUNDING_V = 0.02
#: A curve that bows over its chord by less has no knee to speak of [V a cell].
LEAST_BOW_V = 0.02
_SAMPLES = 240


@dataclass(frozen=True)
class HoverCurve:
    """A curve through the readings, and its knee.

    Attributes
    ----------
    time_s, cell_v : float64 (240,)
        [s], [V a cell].
    knee_s, knee_v : float or None
        Where the voltage begins to fall fast [s, V a cell]; None where the curve does not bend.
    threshold_v : float or None
        The knee school's call, of the pack, on what a transmitter can be set to [V].
    floored : bool
        The knee lies under the chemistry's loaded floor: the floor stands instead.
    """

    time_s: NDArray[np.float64]
    cell_v: NDArray[np.float64]
    knee_s: float | None
    knee_v: float | None
    threshold_v: float | None
    floored: bool


def _slopes(x: NDArray[np.float64], y: NDArray[np.float64]) -> NDArray[np.float64]:
    """Slopes at the points of a cubic that nowhere overshoots (Fritsch & Butland 1984)."""
    h, d = np.diff(x), np.diff(y) / np.diff(x)
    slopes = np.empty(x.size)
    slopes[0], slopes[-1] = d[0], d[-1]
    for k in range(1, x.size - 1):
        if d[k - 1] * d[k] <= 0.0:
            slopes[k] = 0.0
        else:
            w1, w2 = 2.0 * h[k] + h[k - 1], h[k] + 2.0 * h[k - 1]
            slopes[k] = (w1 + w2) / (w1 / d[k - 1] + w2 / d[k])
    return slopes


def monotone_curve(
    *, x: NDArray[np.float64], y: NDArray[np.float64], at: NDArray[np.float64]
) -> NDArray[np.float64]:
    """Values of a smooth curve through points, without overshoot between them, shape of ``at``.

    Parameters
    ----------
    x, y : float64 (n,)
        Rising, and anything; each in its own unit.
    at : float64 (m,)
        Within the points, in the unit of ``x``.
    """
    slopes = _slopes(x, y)
    k = np.clip(np.searchsorted(x, at, side="right") - 1, 0, x.size - 2)
    h = x[k + 1] - x[k]
    t = (at - x[k]) / h
    return np.asarray(
        y[k] * (1 + 2 * t) * (1 - t) ** 2
        + slopes[k] * h * t * (1 - t) ** 2
        + y[k + 1] * t**2 * (3 - 2 * t)
        + slopes[k + 1] * h * t**2 * (t - 1),
        dtype=np.float64,
    )


#: Steady is a current this near to its usual one [1], over so long a window [s].
_STEADY_SHARE, _WINDOW_S = 0.25, 12.0


def steady_points(telemetry: Telemetry, /, *, series: int, count: int) -> tuple[tuple[float, float], ...]:
    """Readings for the chart out of a log [s, V a cell]: middle voltages at usual current, over the whole flight.

    Parameters
    ----------
    telemetry : Telemetry
        With a pack or cell voltage; with a current, climbs and glides are left out.
    series : int
    count : int
        At most so many.
    """
    volts = telemetry.cell_v if telemetry.pack_v is None else telemetry.pack_v / series
    if volts is None:
        return ()
    usable = np.isfinite(volts)
    if telemetry.throttle is not None and bool((telemetry.throttle > 0.15).any()):
        usable &= np.nan_to_num(telemetry.throttle) > 0.15
    current = telemetry.current_a
    if current is not None and usable.any():
        usual = float(np.nanmedian(current[usable]))
        usable &= np.abs(np.nan_to_num(current, nan=-1e9) - usual) <= _STEADY_SHARE * abs(usual)
    if int(usable.sum()) < LEAST_POINTS:
        return ()
    time_s, volts = telemetry.time_s[usable] - telemetry.time_s[0], volts[usable]
    found: list[tuple[float, float]] = []
    for at in np.linspace(time_s[0] + _WINDOW_S, time_s[-1], count):
        near = np.abs(time_s - at) <= _WINDOW_S
        if near.any():
            found.append((float(np.round(at)), float(np.median(volts[near]))))
    return tuple(found)


def hover_curve(points: Sequence[tuple[float, float]], /, *, chemistry: Chemistry, series: int) -> HoverCurve:
    """The curve of a hover-down and the call of the knee school [s, V a cell].

    The knee is the point, after the first third, farthest above the straight line from there to the end (the chord
    method of Satopää et al. 2011, as :func:`~zesty_cell.core.callouts.writer.knee_s` has it for a forecast).

    Raises
    ------
    OutOfRangeError
        Too few readings, two at one time, a voltage that rises.
    """
    if len(points) < LEAST_POINTS:
        raise OutOfRangeError(
            fact("refused.hover.too_few", readings=len(points), least=LEAST_POINTS),
            field="points", value=len(points), limit=LEAST_POINTS,
        )  # fmt: skip
    ordered = sorted(points)
    x, y = np.array([p[0] for p in ordered]), np.array([p[1] for p in ordered])
    if (np.diff(x) <= 0.0).any():
        k = int(np.argmin(np.diff(x)))
        raise OutOfRangeError(
            fact("refused.hover.same_moment", at_s=float(x[k])),
            field="points",
            value=float(x[k]),
            limit=float(x[k]),
        )
    rising = np.flatnonzero(np.diff(y) > _ROUNDING_V)
    if rising.size:
        k = int(rising[0])
        raise OutOfRangeError(
            fact("refused.hover.rises", from_v=float(y[k]), at_s=float(x[k]), to_v=float(y[k + 1])),
            field="points", value=float(y[k + 1]), limit=float(y[k]),
        )  # fmt: skip
    y = np.minimum.accumulate(y)
    time_s = np.linspace(x[0], x[-1], _SAMPLES)
    volts = monotone_curve(x=x, y=y, at=time_s)
    first = _SAMPLES // 3
    bow = volts[first:] - np.interp(time_s[first:], time_s[[first, -1]], volts[[first, -1]])
    k = first + int(np.argmax(bow))
    if float(bow.max()) < LEAST_BOW_V:
        return HoverCurve(time_s, volts, None, None, None, False)
    floored = float(volts[k]) < chemistry.loaded_floor_v
    cell_v = max(float(volts[k]), chemistry.loaded_floor_v)
    step_v = voltage_step_v(series=series)
    threshold_v = on_step(value=cell_v * series, step=step_v, up=True)
    return HoverCurve(time_s, volts, float(time_s[k]), float(volts[k]), threshold_v, floored)
