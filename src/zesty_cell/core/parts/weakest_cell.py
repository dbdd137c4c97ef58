"""The weakest cell of a pack: what floors, cutoffs and cell-minimum callouts look at."""

from __future__ import annotations

import math
from functools import cache
from statistics import NormalDist

#: How cells of one pack differ when new, one standard deviation of capacity and of resistance, and by how much more
#: for each cycle, as a share of that [1].
CELLS_CAPACITY, CELLS_RESISTANCE, CELLS_APART_PER_CYCLE = 0.012, 0.05, 0.01


@cache
def _expected_least(draws: int) -> float:
    return NormalDist().inv_cdf((draws - 0.375) / (draws + 0.25))


def weakest_cell(*, series: int, parallel: int, cycles: int, measured_spread: float) -> tuple[float, float]:
    """Capacity and resistance of the weakest of a pack's cells in series, over those of the mean cell [1].

    The expected least of S normal draws (Blom, *Statistical Estimates and Transformed Beta-Variables*, 1958),
    each of P cells together; the two are taken to be the same cell.

    Parameters
    ----------
    series, parallel, cycles : int
        [1].
    measured_spread : float
        Weakest cell's resistance over the mean, less one, as a charger read it; 0 where none did [1].
    """
    if series == 1:
        return 1.0, 1.0
    away = _expected_least(series) / math.sqrt(parallel)
    wider = 1.0 + CELLS_APART_PER_CYCLE * cycles
    resistance = max(CELLS_RESISTANCE * wider * away, measured_spread)
    return max(1.0 - CELLS_CAPACITY * wider * away, 0.5), 1.0 + resistance
