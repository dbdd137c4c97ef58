"""How much one run differs from its like: what a plan rests on."""

from __future__ import annotations

import math
from collections.abc import Hashable, Sequence
from dataclasses import dataclass

from zesty_cell.core.trials.measures import Measure


@dataclass(frozen=True)
class Scatter:
    """One standard deviation of a run about its like, in shares or in the measure's unit, and as of how many runs
    that is known; how many of them were seen."""

    sigma: float
    counts: float
    seen: int


def scatter_of(runs: Sequence[tuple[Hashable, float]], /, *, measure: Measure) -> Scatter:
    """From earlier runs of the craft, each with what it has in common with others: its day, its pack.

    What a day or a pack does to all of its runs does not trouble a test, which compares within them: the scatter is
    taken about each group's own mean.  Where no group has two, runs are compared across groups: that is rather too
    much than too little.  A prior says what is usual, and counts as some runs do (a scaled inverse chi-square).

    Parameters
    ----------
    runs : sequence of (group, value)
        Values as runs are compared: logarithms for a ratio [1], else in the measure's unit [V, K].
    """
    groups: dict[Hashable, list[float]] = {}
    for group, value in runs:
        groups.setdefault(group, []).append(value)
    if all(len(values) < 2 for values in groups.values()):
        groups = {"all": [value for _, value in runs]}
    squares, freedom = 0.0, 0
    for values in groups.values():
        mean = sum(values) / max(len(values), 1)
        squares += sum((value - mean) ** 2 for value in values)
        freedom += max(len(values) - 1, 0)
    counts = measure.counts + freedom
    return Scatter(math.sqrt((measure.counts * measure.scatter**2 + squares) / counts), counts, len(runs))
