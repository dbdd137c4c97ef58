"""One discharge as it was recorded, and what is read off it: charge, energy, cutoffs, rate, knee."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import fact

FloatArray = NDArray[np.float64]

#: A current under this share of the run's own is rest [1]: before the load, and after it.
_AT_REST = 0.02
#: A run is steady where its current, or its power, stays within this share of its middle for nine tenths of it [1].
_STEADY = 0.03
#: The knee: from where the voltage falls so many times as fast as amid the run [1], to its end.
KNEE_TIMES = 3.0
#: The slope amid a run is read between these shares of its charge, and over so much of it at a time [1].
_AMID, _SLOPE_OVER = (0.3, 0.7), 0.03
#: Fewer points tell no curve; no discharge lasts longer [s], nor has more volts or amps.
LEAST_POINTS, MOST_S, MOST_V, MOST_A = 20, 3 * 86_400.0, 500.0, 5000.0


@dataclass(frozen=True)
class DischargeRun:
    """A recorded discharge; made by :func:`discharge_run`.

    Attributes
    ----------
    time_s : array of float, shape (n,)
        Rising, from 0 [s].
    pack_v, current_a : array of float, shape (n,)
        At the plug [V], and out of the pack [A].
    drawn_ah, drawn_wh : array of float, shape (n,)
        Drawn since the first line [Ah, Wh].
    cells_v : array of float, shape (cells, n), or None
        Of each cell in series [V].
    temperature_c : array of float, shape (n,), or None
        [°C].
    """

    time_s: FloatArray
    pack_v: FloatArray
    current_a: FloatArray
    drawn_ah: FloatArray
    drawn_wh: FloatArray
    cells_v: FloatArray | None = None
    temperature_c: FloatArray | None = None

    @cached_property
    def loaded(self) -> slice:
        """The lines from the first under load to the last."""
        under = np.flatnonzero(self.current_a > _AT_REST * float(self.current_a.max()))
        return slice(int(under[0]), int(under[-1]) + 1)

    @property
    def total_ah(self) -> float:
        """Charge drawn in all [Ah]."""
        return float(self.drawn_ah[-1])

    @property
    def total_wh(self) -> float:
        """Energy drawn in all [Wh]."""
        return float(self.drawn_wh[-1])

    @property
    def seconds(self) -> float:
        """How long it was under load [s]."""
        at = self.time_s[self.loaded]
        return float(at[-1] - at[0])

    @property
    def mean_v(self) -> float:
        """Energy over charge [V]."""
        return self.total_wh / self.total_ah

    @property
    def mean_a(self) -> float:
        """Charge over the time under load [A]."""
        return self.total_ah * 3600.0 / max(self.seconds, 1e-9)

    @property
    def lowest_v(self) -> float:
        """The lowest voltage under load [V]."""
        return float(self.pack_v[self.loaded].min())

    @property
    def rest_v(self) -> float | None:
        """What the pack rested at before the load [V]; None where the recording begins under load."""
        first = self.loaded.start
        return float(np.median(self.pack_v[:first][-5:])) if first else None

    @cached_property
    def steady(self) -> str:
        """``current`` or ``power`` where one of the two was held, else ``pattern``."""
        amps, volts = self.current_a[self.loaded], self.pack_v[self.loaded]
        for key, values in (("current", amps), ("power", amps * volts)):
            middle = float(np.median(values))
            if float(np.mean(np.abs(values - middle) <= _STEADY * middle)) >= 0.9:
                return key
        return "pattern"


def _since_first(rate: FloatArray, time_s: FloatArray) -> FloatArray:
    """Integral over the time by trapezoids, from 0, per hour."""
    steps = 0.5 * (rate[1:] + rate[:-1]) * np.diff(time_s) / 3600.0
    return np.concatenate(([0.0], np.cumsum(steps)))


def discharge_run(
    *,
    time_s: FloatArray,
    pack_v: FloatArray,
    current_a: FloatArray | None = None,
    used_ah: FloatArray | None = None,
    held_a: float | None = None,
    cells_v: FloatArray | None = None,
    temperature_c: FloatArray | None = None,
) -> DischargeRun:
    """A run from its columns; lines in which voltage or current is missing are left out.

    Charge is the recorder's own count where it has one (it looks more often than it writes), else the current
    over the time; the current is the column, else what was held, else the slope of the count.

    Parameters
    ----------
    time_s, pack_v : array of float, shape (n,)
        [s, V]; times rise.
    current_a : array of float, shape (n,), optional
        [A]; a recorder that counts what leaves the pack as negative is understood.
    used_ah : array of float, shape (n,), optional
        The recorder's count [Ah].
    held_a : float, optional
        The current that was set [A], for a recording without one.
    cells_v : array of float, shape (cells, n), optional
        [V].
    temperature_c : array of float, shape (n,), optional
        [°C].

    Raises
    ------
    OutOfRangeError
        Too few lines, days on end, no current in any form, nothing drawn.
    """
    keep = _heard(pack_v, current_a, used_ah, held_a)
    at, volts = time_s[keep] - time_s[keep][0], pack_v[keep]
    _refuse_beyond(at, volts, current_a, used_ah)
    count = None if used_ah is None else used_ah[keep] - used_ah[keep][0]
    if count is not None and count[-1] < 0.0:
        count = -count
    amps = _amps(at, volts, None if current_a is None else current_a[keep], count, held_a)
    by_current = _since_first(amps, at)
    if by_current[-1] <= 0.0:
        raise OutOfRangeError(fact("refused.discharge.nothing_drawn"), field="current_a", value=0.0, limit=0.0)
    drawn = by_current if count is None else np.maximum.accumulate(np.maximum(count, 0.0))
    if drawn[-1] <= 0.0:
        raise OutOfRangeError(fact("refused.discharge.nothing_drawn"), field="used_ah", value=0.0, limit=0.0)
    steps_wh = 0.5 * (volts[1:] + volts[:-1]) * np.diff(drawn)
    return DischargeRun(
        time_s=at,
        pack_v=volts,
        current_a=amps,
        drawn_ah=drawn,
        drawn_wh=np.concatenate(([0.0], np.cumsum(steps_wh))),
        cells_v=None if cells_v is None else cells_v[:, keep],
        temperature_c=None if temperature_c is None else _filled(temperature_c[keep]),
    )


def _heard(
    pack_v: FloatArray, current_a: FloatArray | None, used_ah: FloatArray | None, held_a: float | None
) -> NDArray[np.bool_]:
    """Lines in which nothing is missing."""
    if current_a is None and used_ah is None and held_a is None:
        raise OutOfRangeError(fact("refused.discharge.no_current"), field="current_a", value=0.0, limit=0.0)
    keep = ~np.isnan(pack_v)
    for column in (current_a, used_ah):
        if column is not None:
            keep &= ~np.isnan(column)
    if int(keep.sum()) < LEAST_POINTS:
        heard = int(keep.sum())
        raise OutOfRangeError(
            fact("refused.discharge.short", count=heard, least=LEAST_POINTS),
            field="pack_v", value=heard, limit=LEAST_POINTS,
        )  # fmt: skip
    return keep


def _refuse_beyond(
    at: FloatArray, volts: FloatArray, current_a: FloatArray | None, used_ah: FloatArray | None
) -> None:
    """Numbers that are no pack's, days on end: nothing is worked out of them."""
    if at[-1] > MOST_S:
        why = fact("refused.discharge.long", hours=float(at[-1]) / 3600.0, most_hours=MOST_S / 3600.0)
        raise OutOfRangeError(why, field="time_s", value=float(at[-1]), limit=MOST_S)
    bounds = (("pack_v", volts, MOST_V), ("current_a", current_a, MOST_A), ("used_ah", used_ah, MOST_A))
    for field, values, most in bounds:
        highest = 0.0 if values is None else float(np.nanmax(np.abs(values)))
        if highest > most:
            why = fact("refused.discharge.beyond", highest=highest, most=most)
            raise OutOfRangeError(why, field=field, value=highest, limit=most)


def _filled(values: FloatArray) -> FloatArray | None:
    """Values with those that are missing put straight between their neighbours; None where all are."""
    known = ~np.isnan(values)
    if not known.any():
        return None
    place = np.arange(values.size)
    return np.interp(place, place[known], values[known])


def _amps(
    at: FloatArray, volts: FloatArray, current: FloatArray | None, count: FloatArray | None, held_a: float | None
) -> FloatArray:
    if current is not None:
        # Out of the pack counts; the sign is the recorder's own.
        return -current if float(current.sum()) < 0.0 else current
    if held_a is not None:
        return np.full(at.size, held_a)
    assert count is not None  # noqa: S101 - one of the three is there
    # Over some seconds: a count in whole milliamp-hours moves by steps.
    span = max(at[-1] / 40.0, 5.0)
    later = np.interp(at + 0.5 * span, at, count)
    before = np.interp(at - 0.5 * span, at, count)
    width = np.minimum(at + 0.5 * span, at[-1]) - np.maximum(at - 0.5 * span, 0.0)
    return np.asarray(np.maximum(later - before, 0.0) * 3600.0 / np.maximum(width, 1e-9))


@dataclass(frozen=True)
class AtCutoff:
    """What a run had given when its voltage first came down to a cutoff.

    Attributes
    ----------
    drawn_ah, drawn_wh, mean_v, seconds : float
        Since the load began [Ah, Wh, V, s].
    """

    drawn_ah: float
    drawn_wh: float
    mean_v: float
    seconds: float


def at_cutoff(run: DischargeRun, /, *, cutoff_v: float) -> AtCutoff | None:
    """What a run gives to a loaded voltage of the whole pack [V]; None where it never came down to it.

    Straight between the lines around the crossing.
    """
    of = run.loaded
    volts = run.pack_v[of]
    under = np.flatnonzero(volts <= cutoff_v)
    if not under.size:
        return None
    k = int(under[0])
    if k == 0:
        return AtCutoff(0.0, 0.0, float(volts[0]), 0.0)
    part = (float(volts[k - 1]) - cutoff_v) / (float(volts[k - 1]) - float(volts[k]))
    first = of.start

    def at(values: FloatArray) -> float:
        before, after = float(values[first + k - 1]), float(values[first + k])
        return before + part * (after - before) - float(values[first])

    drawn_ah, drawn_wh = at(run.drawn_ah), at(run.drawn_wh)
    mean_v = drawn_wh / drawn_ah if drawn_ah > 0.0 else float(volts[0])
    return AtCutoff(drawn_ah, drawn_wh, mean_v, at(run.time_s))


@dataclass(frozen=True)
class Knee:
    """Where a curve turns down: charge drawn by then [Ah], its share of the run's [1], the voltage there [V]."""

    drawn_ah: float
    share: float
    pack_v: float


def knee_of(run: DischargeRun, /) -> Knee | None:
    """From where the loaded voltage falls :data:`KNEE_TIMES` times as fast as amid the run, to its end.

    None for a load that was not steady, and for a run that was ended before it turned down.
    """
    if run.steady == "pattern":
        return None
    of = run.loaded
    drawn, volts = run.drawn_ah[of] - run.drawn_ah[of.start], run.pack_v[of]
    total = float(drawn[-1])
    if total <= 0.0:
        return None
    grid = np.linspace(0.0, 1.0, 401)
    curve = np.interp(grid * total, drawn, volts)
    width = round(_SLOPE_OVER * 400)
    slope = (curve[:-width] - curve[width:]) / _SLOPE_OVER
    place = grid[:-width] + 0.5 * _SLOPE_OVER
    amid = float(np.median(slope[(place >= _AMID[0]) & (place <= _AMID[1])]))
    steep = slope >= KNEE_TIMES * max(amid, 1e-9)
    if not steep[-1]:
        return None
    flat = np.flatnonzero(~steep)
    k = int(flat[-1]) + 1 if flat.size else 0
    share = float(place[min(k, place.size - 1)])
    return Knee(share * total, share, float(np.interp(share * total, drawn, volts)))


@dataclass(frozen=True)
class Halves:
    """The two halves of one pack through a run, by its cells in series.

    Attributes
    ----------
    first_v, second_v : float
        Mean of a cell's mean loaded voltage in each half [V].
    weakest : int
        Which cell was lowest when the run ended, from 0.
    behind_v : float
        By how much it was under the mean of the others then [V].
    """

    first_v: float
    second_v: float
    weakest: int
    behind_v: float


def halves_of(run: DischargeRun, /) -> Halves | None:
    """Cells of the first half of a pack held against the second; None without a voltage of each cell."""
    if run.cells_v is None or run.cells_v.shape[0] < 2:
        return None
    cells = run.cells_v[:, run.loaded]
    heard = ~np.isnan(cells).any(axis=0)
    if not heard.any():
        return None
    means = cells[:, heard].mean(axis=1)
    half = (cells.shape[0] + 1) // 2
    last = cells[:, heard][:, -1]
    weakest = int(last.argmin())
    others = np.delete(last, weakest)
    return Halves(
        float(means[:half].mean()), float(means[half:].mean()), weakest, float(others.mean() - last[weakest])
    )


AXES = ("charge", "energy", "share", "time")


def along(run: DischargeRun, axis: str, /, *, capacity_ah: float) -> FloatArray:
    """Where the lines under load stand on an axis, from 0, shape (lines under load,).

    Parameters
    ----------
    axis : str
        ``charge`` [Ah], ``energy`` [Wh], ``share`` of ``capacity_ah`` [1] or ``time`` [s].
    capacity_ah : float
        Of the label [Ah].
    """
    of = run.loaded
    values = {"energy": run.drawn_wh, "time": run.time_s}.get(axis, run.drawn_ah)[of]
    from_first = values - values[0]
    return np.asarray(from_first / capacity_ah) if axis == "share" else from_first
