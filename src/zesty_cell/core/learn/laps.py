"""Laps of a log: between marks that it carries, or by where it flew; none where neither tells.

By position the start line lies where the craft came past most often, each time on the same way round.  GPS wanders
by metres and writes a few lines a second: the line is wide, and a passage is read between the positions around it.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.callouts.telemetry import Telemetry, last_heard

FloatArray = NDArray[np.float64]
LapsBy = Literal["mark", "position"]

#: Mean radius of the Earth [m].
_EARTH_M = 6_371_000.0
#: Two passages lie so far apart at least: a bouncing switch, a loop flown over the line [s].
_LEAST_LAP_S = 4.0
#: So far to each side of a line still crosses it: a pilot's line and GPS wander by metres [m].
_HALF_WIDTH_M = 15.0
#: Directions are read over so much flown; slower than this is no passage [m, m/s].
_HEADING_M, _LEAST_SPEED_M_S = 6.0, 1.5
#: A course takes its pilot so far from the line at least, and so many laps make one [m, 1].
_LEAST_AWAY_M, _LEAST_LAPS = 30.0, 3
#: A lap of a course goes where the others go: compared at so many places, its way lies no further from theirs (root
#: of the mean square) than this share of the course's own reach, or than this [1, 1, m].
_PLACES, _ALIKE, _WANDERS_M = 32, 0.22, 6.0
#: Positions are looked at so often at most: receivers write no more of them, whatever stands in a log [s].
_SLOT_S = 0.2
#: A column that rises more often is no mark of laps.
_MOST_MARKS = 1000
#: So many places along the flight are tried as start line.
_TRIED = 60
#: Between two positions further apart in time nothing is known of the way [s].
_LOST_S = 3.0


@dataclass(frozen=True)
class Lap:
    """One lap.

    Attributes
    ----------
    at_s, seconds : float
        When it began in the log's own time, and how long it took [s].
    metres : float or None
        Flown over ground [m]; None where no position is logged.
    used_ah : float or None
        Charge it took [Ah].
    mean_a : float or None
        Its mean current [A].
    lowest_v : float or None
        Of the whole pack, or of its lowest cell where that alone is logged [V].
    """

    at_s: float
    seconds: float
    metres: float | None
    used_ah: float | None
    mean_a: float | None
    lowest_v: float | None


@dataclass(frozen=True)
class Laps:
    """The laps of a log.

    Attributes
    ----------
    by : str
        "mark" or "position".
    laps : tuple of Lap
        In order; between two of them may lie time that was no lap.
    """

    by: LapsBy
    laps: tuple[Lap, ...]

    @property
    def best(self) -> Lap:
        """The fastest."""
        return min(self.laps, key=lambda lap: lap.seconds)

    @property
    def passed_s(self) -> tuple[float, ...]:
        """Every moment at which a lap began or ended, in the log's own time [s]."""
        return tuple(sorted({at for lap in self.laps for at in (lap.at_s, lap.at_s + lap.seconds)}))

    @property
    def middle_s(self) -> float:
        """Middle of their times [s]."""
        return float(np.median([lap.seconds for lap in self.laps]))

    @property
    def middle_m(self) -> float | None:
        """Middle of their ways [m]; None where no position is logged."""
        told = [lap.metres for lap in self.laps if lap.metres is not None]
        return float(np.median(told)) if told else None

    @property
    def middle_ah(self) -> float | None:
        """Middle of what they took [Ah]; None where it is not logged."""
        told = [lap.used_ah for lap in self.laps if lap.used_ah is not None]
        return float(np.median(told)) if told else None


@dataclass(frozen=True)
class _Track:
    """Where it was, in metres east and north of its first position; only lines with one."""

    time_s: FloatArray
    x: FloatArray
    y: FloatArray

    @cached_property
    def distance_m(self) -> FloatArray:
        """Flown since the first line, shape (n,) [m]."""
        return np.concatenate(([0.0], np.cumsum(np.hypot(np.diff(self.x), np.diff(self.y)))))


def laps_of(log: Telemetry, /) -> Laps | None:
    """Laps between a log's marks, else by its positions; None where neither tells any.

    Parameters
    ----------
    log : Telemetry
        [s, V, Ah, A, °].
    """
    track = _track(log)
    marks = _marks_s(log)
    if 2 <= len(marks) <= _MOST_MARKS:
        # Marks are a pilot's own word: no lap of them is left out.
        return Laps("mark", _laps(log, track, list(pairwise(marks))))
    found = [] if track is None else _passages_s(track)
    return Laps("position", _laps(log, track, found)) if found else None


def _marks_s(log: Telemetry) -> list[float]:
    """Moments of marks: where the column rises, be it a counter of laps or a switch [s]."""
    if log.lap_mark is None:
        return []
    heard = last_heard(log.lap_mark)
    rises = np.flatnonzero(np.diff(heard, prepend=heard[0]) > 0.0)
    found: list[float] = []
    for at in log.time_s[rises]:
        if not found or at - found[-1] >= _LEAST_LAP_S:
            found.append(float(at))
    return found


def _track(log: Telemetry) -> _Track | None:
    """Positions in metres; None where there are too few.  A receiver without a fix writes 0° 0°."""
    if log.latitude_deg is None or log.longitude_deg is None:
        return None
    lat, lon = log.latitude_deg, log.longitude_deg
    known = ~np.isnan(lat) & ~np.isnan(lon) & (np.abs(lat) <= 90.0) & (np.abs(lon) <= 360.0)
    known &= (np.abs(lat) > 1e-6) | (np.abs(lon) > 1e-6)
    # A slow receiver's last position stands in many lines: only where it moved is it a new one.
    kept = np.flatnonzero(known)
    if kept.size < 2:
        return None
    moved = (np.diff(lat[kept], prepend=np.nan) != 0.0) | (np.diff(lon[kept], prepend=np.nan) != 0.0)
    kept = _thinned(kept[moved], log.time_s)
    if kept.size < 20:
        return None
    here = float(lat[kept[0]]), float(lon[kept[0]])
    # East of 180° is west of −180°.
    east = (lon[kept] - here[1] + 180.0) % 360.0 - 180.0
    x = np.radians(east) * math.cos(math.radians(here[0])) * _EARTH_M
    y = np.radians(lat[kept] - here[0]) * _EARTH_M
    return _Track(log.time_s[kept], x, y)


def _thinned(kept: NDArray[np.int64], time_s: FloatArray) -> NDArray[np.int64]:
    """Of lines with a position the first in each slot of time: what flies in between is a straight way."""
    slots = np.floor((time_s[kept] - time_s[0]) / _SLOT_S + 1e-6)
    return np.asarray(kept[np.diff(slots, prepend=-1.0) > 0.0], dtype=np.int64)


def _passages_s(track: _Track) -> list[tuple[float, float]]:
    """Laps over the best start line: beginning and end of each in time [s]; none where it flew no course."""
    flown = track.distance_m
    best: list[tuple[float, float]] = []
    best_rank = (0, 0.0)
    for place in np.linspace(0.02, 0.98, _TRIED) * flown[-1]:
        k = int(np.searchsorted(flown, place))
        laps, apart_m = _of_one_course(track, flown, _over_line(track, flown, k))
        rank = (len(laps), -apart_m)
        if rank > best_rank:
            best, best_rank = laps, rank
    return best


def _over_line(track: _Track, flown: FloatArray, k: int) -> list[tuple[float, float]]:
    """From passage to passage over the line across the flight at line ``k``, while the position is known [s]."""
    heading = _heading(track, flown, k)
    if heading is None:
        return []
    along = (track.x - track.x[k]) * heading[0] + (track.y - track.y[k]) * heading[1]
    aside = (track.y - track.y[k]) * heading[0] - (track.x - track.x[k]) * heading[1]
    steps_s, steps_m = np.diff(track.time_s), np.diff(flown)
    # Counted up to each line, so that nothing is looked through again: where it was far, where it was lost.
    far, lost = np.cumsum(np.hypot(along, aside) >= _LEAST_AWAY_M), np.cumsum(steps_s > _LOST_S)
    crossing = np.flatnonzero(
        (along[:-1] < 0.0) & (along[1:] >= 0.0) & (np.abs(aside[:-1]) <= _HALF_WIDTH_M)
        & (steps_m >= _LEAST_SPEED_M_S * steps_s) & (steps_s <= _LOST_S)
    )  # fmt: skip
    at_s: list[float] = []
    at_line: list[int] = []
    for c in crossing:
        share = float(-along[c] / (along[c + 1] - along[c]))
        time_s = float(track.time_s[c] + share * steps_s[c])
        # What loops, circles or hovers over the line passes it once.
        if at_s and (time_s - at_s[-1] < _LEAST_LAP_S or far[c] == far[at_line[-1]]):
            continue
        at_s.append(time_s)
        at_line.append(int(c))
    # Where the position was lost the way is not known.
    return [(at_s[n], at_s[n + 1]) for n in range(len(at_s) - 1) if lost[at_line[n]] == lost[at_line[n + 1]]]


def _of_one_course(
    track: _Track, flown: FloatArray, rounds: list[tuple[float, float]]
) -> tuple[list[tuple[float, float]], float]:
    """Those of the rounds that go one way, and how far apart they lie [s, m]; none where they are no course."""
    if len(rounds) < _LEAST_LAPS:
        return [], math.inf
    ends_m = np.interp(np.array(rounds), track.time_s, flown)
    at_m = ends_m[:, :1] + (ends_m[:, 1:] - ends_m[:, :1]) * np.linspace(0.0, 1.0, _PLACES)
    ways = np.stack((np.interp(at_m, flown, track.x), np.interp(at_m, flown, track.y)), axis=-1)
    course = np.median(ways, axis=0)
    reach_m = math.sqrt(float(np.square(course - course.mean(axis=0)).sum(axis=1).mean()))
    apart_m = np.sqrt(np.square(ways - course).sum(axis=2).mean(axis=1))
    alike = apart_m <= max(_ALIKE * reach_m, _WANDERS_M)
    if alike.sum() < _LEAST_LAPS or 2 * alike.sum() < len(rounds):
        return [], math.inf
    return [rounds[n] for n in np.flatnonzero(alike)], float(np.median(apart_m[alike]))


def _heading(track: _Track, flown: FloatArray, k: int) -> tuple[float, float] | None:
    """Direction of flight around a line, of length one; None where it stood."""
    a = int(np.searchsorted(flown, flown[k] - _HEADING_M))
    b = min(int(np.searchsorted(flown, flown[k] + _HEADING_M)), flown.size - 1)
    dx, dy = float(track.x[b] - track.x[a]), float(track.y[b] - track.y[a])
    length = math.hypot(dx, dy)
    seconds = float(track.time_s[b] - track.time_s[a])
    if length < 0.5 * _HEADING_M or seconds <= 0.0 or length / seconds < _LEAST_SPEED_M_S:
        return None
    return dx / length, dy / length


def _laps(log: Telemetry, track: _Track | None, rounds: list[tuple[float, float]]) -> tuple[Lap, ...]:
    """What each of some stretches of a log took."""
    ends_s = np.array(rounds)
    charge_ah = _charge_ah(log)
    volts = log.pack_v if log.pack_v is not None else log.cell_v
    metres = None if track is None else np.diff(np.interp(ends_s, track.time_s, track.distance_m))[:, 0]
    used = None if charge_ah is None else np.diff(np.interp(ends_s, log.time_s, charge_ah))[:, 0]
    found = []
    for k, (begins_s, ends) in enumerate(rounds):
        a, b = np.searchsorted(log.time_s, begins_s), np.searchsorted(log.time_s, ends, side="right")
        lowest = np.zeros(0) if volts is None else volts[a:b]
        lowest = lowest[~np.isnan(lowest)]
        seconds = ends - begins_s
        used_ah = None if used is None or not used[k] >= 0.0 else float(used[k])
        found.append(Lap(
            at_s=begins_s, seconds=seconds, metres=None if metres is None else float(metres[k]), used_ah=used_ah,
            mean_a=None if used_ah is None else used_ah * 3600.0 / seconds,
            lowest_v=float(lowest.min()) if lowest.size else None,
        ))  # fmt: skip
    return tuple(found)


def _charge_ah(log: Telemetry) -> FloatArray | None:
    """Charge since a log's first line, shape (n,) [Ah]: by the current, else as counted; None without both."""
    if log.current_a is not None:
        amps = np.nan_to_num(last_heard(log.current_a))
        return np.concatenate(([0.0], np.cumsum(amps[:-1] * np.diff(log.time_s)))) / 3600.0
    return None if log.used_ah is None else last_heard(log.used_ah)
