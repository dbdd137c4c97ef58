"""Full-throttle climbs of a log: the fall of the voltage, the resistance in it; and where logs begin."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, get_args

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.callouts.telemetry import Telemetry, flight_seen, last_heard
from zesty_cell.core.learn.laps import Laps

FloatArray = NDArray[np.float64]
Beginning = Literal["take-off", "arming", "climb", "lap"]
BEGINNINGS: tuple[Beginning, ...] = get_args(Beginning)

#: Throttle from here on is full; without one, this share of the log's highest current (its 98th percentile) that is
#: so many times the usual one [1].
_FULL, _OF_HIGHEST, _OVER_USUAL = 0.9, 0.75, 1.6
#: A climb lasts so long at least, and a shorter pause does not end it [s].
_LEAST_S, _PAUSE_S = 0.8, 0.4
#: What stood before is read from here to here before it, what it took so long after its beginning [s].
_BEFORE_S, _AFTER_S = (2.5, 0.3), (0.6, 1.6)
#: A current that rises by less tells no resistance [share of the higher one].
_LEAST_RISE = 0.2


@dataclass(frozen=True)
class Climb:
    """One full-throttle climb.

    Attributes
    ----------
    at_s, seconds : float
        When it began in the log's own time, and how long it lasted [s].
    before_v, in_v, lowest_v : float
        Whole pack: before it, about a second into it, at its lowest [V].
    before_a, in_a : float or None
        Current then [A]; None where it is not logged.
    ohm : float or None
        Fall over the rise of the current, whole pack, about a second [Ω].
    """

    at_s: float
    seconds: float
    before_v: float
    in_v: float
    lowest_v: float
    before_a: float | None
    in_a: float | None
    ohm: float | None

    @property
    def fall_v(self) -> float:
        """From before it to a second into it [V]."""
        return self.before_v - self.in_v


def climbs_of(log: Telemetry, /, *, series: int) -> tuple[Climb, ...]:
    """Every full-throttle climb of a log, in order; none where nothing tells full throttle, or no voltage is there.

    Parameters
    ----------
    log : Telemetry
        [s, V, A].
    series : int
        Cells, by which the lowest cell's voltage stands for the pack's where that alone is logged [1].
    """
    volts = _volts(log, series)
    hard = _hard(log)
    if volts is None or hard is None:
        return ()
    amps = None if log.current_a is None else last_heard(log.current_a)
    found = []
    for first, last in _stretches(hard, log.time_s):
        begins, ends = float(log.time_s[first]), float(log.time_s[last])
        before_v, in_v = _around(log.time_s, volts, begins)
        if np.isnan(before_v) or np.isnan(in_v):
            continue
        before_a, in_a, ohm = None, None, None
        if amps is not None:
            b, i = _around(log.time_s, amps, begins)
            if not (np.isnan(b) or np.isnan(i)):
                before_a, in_a = b, i
                ohm = (before_v - in_v) / (i - b) if i - b > _LEAST_RISE * i and before_v > in_v else None
        lowest_v = float(np.nanmin(volts[first : last + 1]))
        found.append(Climb(begins, ends - begins, before_v, in_v, lowest_v, before_a, in_a, ohm))
    return tuple(found)


def _volts(log: Telemetry, series: int) -> FloatArray | None:
    if log.pack_v is not None:
        return last_heard(log.pack_v)
    return None if log.cell_v is None else last_heard(log.cell_v) * series


def _hard(log: Telemetry) -> NDArray[np.bool_] | None:
    """Lines at full throttle."""
    if log.throttle is not None:
        return np.nan_to_num(last_heard(log.throttle)) >= _FULL
    if log.current_a is None:
        return None
    amps = np.nan_to_num(last_heard(log.current_a))
    flown = amps[amps > 0.15 * float(amps.max(initial=0.0))]
    if flown.size < 5:
        return None
    highest = float(np.quantile(flown, 0.98))
    if highest < _OVER_USUAL * float(np.median(flown)):
        return None
    return np.asarray(amps >= _OF_HIGHEST * highest)


def _stretches(hard: NDArray[np.bool_], time_s: FloatArray) -> list[tuple[int, int]]:
    """First and last lines of what lasts long enough, short pauses bridged."""
    edges = np.flatnonzero(np.diff(np.concatenate(([False], hard, [False])).astype(np.int8)))
    found: list[tuple[int, int]] = []
    for first, past in zip(edges[::2], edges[1::2], strict=True):
        last = int(past) - 1
        if found and float(time_s[first] - time_s[found[-1][1]]) <= _PAUSE_S:
            found[-1] = (found[-1][0], last)
        else:
            found.append((int(first), last))
    return [(a, b) for a, b in found if float(time_s[b] - time_s[a]) >= _LEAST_S]


def _around(time_s: FloatArray, values: FloatArray, begins_s: float) -> tuple[float, float]:
    """Medians before a moment and about a second after it; NaN where no line is there."""
    parts = []
    before = begins_s - _BEFORE_S[0], begins_s - _BEFORE_S[1]
    after = begins_s + _AFTER_S[0], begins_s + _AFTER_S[1]
    for low, high in (before, after):
        there = values[(time_s >= low) & (time_s <= high)]
        there = there[~np.isnan(there)]
        parts.append(float(np.median(there)) if there.size else float("nan"))
    return parts[0], parts[1]


def begins_s(log: Telemetry, beginning: Beginning, /, *, series: int, laps: Laps | None = None) -> float | None:
    """When a log begins by take-off, arming, its first climb or lap, in its own time [s]; None where none is told.

    Parameters
    ----------
    series : int
        [1].
    laps : Laps, optional
        Of the log, where it is to begin with the first.
    """
    if beginning == "arming":
        if log.armed is None:
            return None
        armed = np.flatnonzero(np.nan_to_num(last_heard(log.armed)) > 0.5)
        return float(log.time_s[armed[0]]) if armed.size else None
    if beginning == "lap":
        return None if laps is None else laps.laps[0].at_s
    if beginning == "climb":
        climbs = climbs_of(log, series=series)
        return climbs[0].at_s if climbs else None
    seen = flight_seen(log)
    return None if seen is None else seen.landed_s - seen.duration_s
