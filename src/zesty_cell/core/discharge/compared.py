"""Runs of one pack held against each other: rate against rate, cycle against cycle, half against half."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from zesty_cell.core.discharge.note import RunNote, series_of
from zesty_cell.core.discharge.run import DischargeRun, Knee, at_cutoff, knee_of

#: Rates within this factor count as the same [1].
_SAME_RATE = 1.15


@dataclass(frozen=True)
class NotedRun:
    """A run with what the pilot says of it."""

    run: DischargeRun
    note: RunNote


@dataclass(frozen=True)
class AtRate:
    """What a run gives at its rate.

    Attributes
    ----------
    rate_c : float
        Mean current over the label's capacity [1/h].
    drawn_ah, drawn_wh, mean_cell_v : float
        To the cutoff [Ah, Wh, V a cell].
    of_slowest : float
        Charge over that of the slowest run [1].
    lower_v : float
        Mean voltage of a cell under that of the slowest run [V].
    knee : Knee or None
    """

    rate_c: float
    drawn_ah: float
    drawn_wh: float
    mean_cell_v: float
    of_slowest: float
    lower_v: float
    knee: Knee | None


def rates_compared(
    runs: Sequence[NotedRun], /, *, series: int, capacity_ah: float, cutoff_v: float
) -> tuple[AtRate, ...]:
    """Whole-pack runs, slowest first, each to the same loaded voltage of a cell.

    Runs that never came down to it are left out.

    Parameters
    ----------
    series : int
        [1].
    capacity_ah : float
        Of the label [Ah].
    cutoff_v : float
        Of a cell [V].
    """
    whole = sorted((r for r in runs if r.note.part == "whole"), key=lambda r: r.run.mean_a)
    given = [(r, at_cutoff(r.run, cutoff_v=cutoff_v * series)) for r in whole]
    reached = [(r, at) for r, at in given if at is not None and at.drawn_ah > 0.0]
    if not reached:
        return ()
    slowest = reached[0][1]
    return tuple(
        AtRate(
            rate_c=r.run.mean_a / capacity_ah,
            drawn_ah=at.drawn_ah,
            drawn_wh=at.drawn_wh,
            mean_cell_v=at.mean_v / series,
            of_slowest=at.drawn_ah / slowest.drawn_ah,
            lower_v=(slowest.mean_v - at.mean_v) / series,
            knee=knee_of(r.run),
        )
        for r, at in reached
    )


@dataclass(frozen=True)
class Between:
    """One run against another: charge over charge, less one [1]; ``first`` and ``second`` are cycles or halves."""

    first: int
    second: int
    more: float


def cycles_compared(runs: Sequence[NotedRun], /, *, series: int, cutoff_v: float) -> Between | None:
    """A pack's last counted cycle against its first, at one rate; None without two.

    Parameters
    ----------
    series : int
        [1].
    cutoff_v : float
        Of a cell [V].
    """
    counted = sorted((r for r in runs if r.note.cycle and r.note.part == "whole"), key=lambda r: r.note.cycle or 0)
    if len(counted) < 2 or not _alike(counted):
        return None
    first, last = (at_cutoff(r.run, cutoff_v=cutoff_v * series) for r in (counted[0], counted[-1]))
    if first is None or last is None or first.drawn_ah <= 0.0:
        return None
    return Between(counted[0].note.cycle or 0, counted[-1].note.cycle or 0, last.drawn_ah / first.drawn_ah - 1.0)


def halves_compared(runs: Sequence[NotedRun], /, *, series: int, cutoff_v: float) -> Between | None:
    """A pack's second half against its first, each its newest run; None without both at one rate.

    Parameters
    ----------
    series : int
        Of the whole pack [1].
    cutoff_v : float
        Of a cell [V].
    """
    newest = {r.note.part: r for r in sorted(runs, key=lambda r: r.note.taken_at)}
    first, second = newest.get("first half"), newest.get("second half")
    if first is None or second is None or not _alike((first, second)):
        return None
    gave = [at_cutoff(r.run, cutoff_v=cutoff_v * series_of(r.note.part, series=series)) for r in (first, second)]
    if gave[0] is None or gave[1] is None or gave[0].drawn_ah <= 0.0:
        return None
    return Between(1, 2, gave[1].drawn_ah / gave[0].drawn_ah - 1.0)


def _alike(runs: Sequence[NotedRun]) -> bool:
    amps = [r.run.mean_a for r in runs]
    return max(amps) <= _SAME_RATE * min(amps)
