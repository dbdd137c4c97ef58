"""What a test shows: the difference with its interval, whether it may be called, and how likely it matters."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final, Literal

import numpy as np

from zesty_cell.core.chances import t_at, t_below
from zesty_cell.core.trials.looks import FIRST_LOOK, LATER_ERROR, bounds, likelihood_ratio, t_for
from zesty_cell.core.trials.measures import Measure
from zesty_cell.core.trials.regression import Regressed, regressed

#: The interval that is shown holds the truth with this chance [1].
COVERAGE: Final = 0.90

#: Pairs that are alike to the last digit were rounded: their scatter is at least this of what was planned for [1].
_LEAST_OF_PLANNED: Final = 0.1

#: What a test has come to: B has more or less of it; no difference that matters; the plan is flown and it is open
#: still; not enough pairs yet.
Call = Literal["more", "less", "none", "open", "goes on"]


@dataclass(frozen=True)
class Verdict:
    """What the pairs show of B less A, as a share of A [1] or in the measure's unit.

    Attributes
    ----------
    pairs : int
    difference, low, high : float
        Best estimate and 90 % interval; NaN before three pairs.
    call : str
    called_at : int
        At how many pairs it was called first; 0 where it was not.
    more_by, less_by : float
        Chance that B has at least so much more, or less, as matters [1].
    differences : tuple of float
        Of each pair.
    one_order : bool
        All pairs had the same side first: nothing is called then.
    """

    pairs: int
    difference: float
    low: float
    high: float
    call: Call
    called_at: int
    more_by: float
    less_by: float
    differences: tuple[float, ...]
    one_order: bool = False


def difference_of(a: float, b: float, /, *, measure: Measure) -> float:
    """B less A as runs are compared: of logarithms for a ratio [1], plain for a voltage or a temperature [V, K]."""
    return math.log(b / a) if measure.ratio else b - a


def _as_said(value: float, measure: Measure) -> float:
    return math.expm1(value) if measure.ratio else value


def weigh(
    differences: Sequence[float],
    a_first: Sequence[bool],
    /,
    *,
    measure: Measure,
    matters: float,
    planned: int,
    scatter: float,
) -> Verdict:
    """The verdict on pairs in the order in which they were finished.

    Parameters
    ----------
    differences : sequence of float
        :func:`difference_of` each pair.
    a_first : sequence of bool
    matters : float
        As the question has it [1, V, K].
    planned : int
        Pairs of the plan.
    scatter : float
        Of one run, as the plan has it [1, V, K].
    """
    count = len(differences)
    most, least = _zone(matters, measure)
    if count == 0:
        return Verdict(0, math.nan, math.nan, math.nan, "goes on", 0, math.nan, math.nan, ())
    found = regressed(np.array([differences], dtype=np.float64), np.array(a_first, dtype=np.bool_))
    of_pair = math.sqrt(2.0) * scatter
    looks = [_Look(found, k, at_least=_LEAST_OF_PLANNED * of_pair) for k in range(count)]
    last = looks[-1]
    call, at = _call(looks, a_first, planned=planned, zone=(least, most), effect=most / of_pair)
    low, high = last.interval()
    return Verdict(
        count, _as_said(last.difference, measure), _as_said(low, measure), _as_said(high, measure), call, at,
        last.chance_above(most), last.chance_below(least),
        tuple(_as_said(d, measure) for d in differences), len(set(a_first)) == 1,
    )  # fmt: skip


def _zone(matters: float, measure: Measure) -> tuple[float, float]:
    """More than the first or less than the second matters, as runs are compared."""
    return (math.log1p(matters), -math.log1p(matters)) if measure.ratio else (matters, -matters)


class _Look:
    """What is known after so many pairs."""

    def __init__(self, found: Regressed, k: int, *, at_least: float) -> None:
        self.freedom, self.known = float(found.freedom[k]), float(found.known[k])
        self.difference = float(found.difference[0, k])
        self.tells = self.freedom > 0.0
        self.error = max(float(found.error[0, k]), at_least / math.sqrt(self.known)) if self.tells else math.nan

    @property
    def t(self) -> float:
        return self.difference / self.error if self.tells else 0.0

    def interval(self) -> tuple[float, float]:
        if not self.tells:
            return math.nan, math.nan
        half = t_at(self.freedom, 0.5 + COVERAGE / 2.0) * self.error
        return self.difference - half, self.difference + half

    def chance_above(self, value: float) -> float:
        return t_below(self.freedom, (self.difference - value) / self.error) if self.tells else math.nan

    def chance_below(self, value: float) -> float:
        return t_below(self.freedom, (value - self.difference) / self.error) if self.tells else math.nan


def _call(
    looks: Sequence[_Look], a_first: Sequence[bool], *, planned: int, zone: tuple[float, float], effect: float
) -> tuple[Call, int]:
    """The first call of all looks so far: it stands, whatever comes later."""
    signs = np.cumsum(np.where(np.array(a_first), 1, -1))
    needed = bounds(planned)
    for k, look in enumerate(looks):
        # Runs of one order only: what drifts along cannot be told from what differs, and nothing is called.
        if k < FIRST_LOOK - 1 or abs(int(signs[k])) == k + 1 or not look.tells:
            continue
        if k < planned:
            called = abs(look.t) >= t_for(needed[k - FIRST_LOOK + 1], freedom=look.freedom)
        else:
            ratio = likelihood_ratio(look.t, freedom=look.freedom, known=look.known, effect=effect)
            called = ratio >= 1.0 / LATER_ERROR
        if called:
            return ("more" if look.t > 0.0 else "less"), k + 1
        if k == planned - 1:
            low, high = look.interval()
            if zone[0] < low and high < zone[1]:
                return "none", k + 1
    return ("open" if len(a_first) >= planned else "goes on"), 0
