"""What stands out of runs that lie over one another, as facts."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import groupby

from zesty_cell.core.discharge.compared import NotedRun, cycles_compared, halves_compared
from zesty_cell.core.discharge.run import halves_of
from zesty_cell.core.fact import Fact, fact
from zesty_cell.core.parts.pack import Pack

#: A cell this much behind the others at the end is told of, and halves this far apart on average [V].
BEHIND_V, APART_V = 0.04, 0.01


def told_together(laid: Sequence[tuple[Pack, NotedRun]], /, *, cutoff_v: float) -> list[Fact]:
    """Cycles and halves of one pack against each other, and cells that end before the others.

    Parameters
    ----------
    laid : sequence of (Pack, NotedRun)
        In the order in which they are numbered, from 1.
    cutoff_v : float
        Of a cell [V].
    """
    found = []
    in_packs = sorted(laid, key=lambda one: one[0].name)
    for name, group in groupby(in_packs, key=lambda one: one[0].name):
        of = list(group)
        series, runs = of[0][0].series, [run for _, run in of]
        cycles = cycles_compared(runs, series=series, cutoff_v=cutoff_v)
        if cycles is not None:
            between = {"first": cycles.first, "second": cycles.second, "more": cycles.more}
            found.append(fact("discharge.cycles", pack=name, **between))
        halves = halves_compared(runs, series=series, cutoff_v=cutoff_v)
        if halves is not None:
            key = "discharge.half.less" if halves.more < 0.0 else "discharge.half.more"
            found.append(fact(key, pack=name, by=abs(halves.more)))
    for number, (_, one) in enumerate(laid, start=1):
        cells = halves_of(one.run)
        if cells is not None and cells.behind_v > BEHIND_V:
            found.append(fact("discharge.weakest", number=number, cell=cells.weakest + 1, behind_v=cells.behind_v))
        if cells is not None and abs(cells.first_v - cells.second_v) > APART_V:
            found.append(fact("discharge.halves", number=number, first_v=cells.first_v, second_v=cells.second_v))
    return found
