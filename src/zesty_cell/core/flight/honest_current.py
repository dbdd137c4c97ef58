"""The honest current of a pack: what its cells can carry, whatever the label says."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

import numpy as np

from zesty_cell.core.asked.flying import CURRENT
from zesty_cell.core.flight import kernel
from zesty_cell.core.flight.one import NOTHING_KEPT
from zesty_cell.core.flight.parameters import pack_parameters
from zesty_cell.core.parts.chemistry import cell_table, pairs_built_up, temperature_table
from zesty_cell.core.parts.pack import Pack, cells_of
from zesty_cell.core.parts.pack_figures import pack_figures

HOTTEST_ALLOWED_C = 60.0
_BENCH_C = 25.0
#: How near the temperature allowed the root is followed [K]; about 0.03 % of the current.
_NEAR_ENOUGH_K = 0.02
_MOST_TRIES = 40


@dataclass(frozen=True)
class HonestCurrent:
    """Largest constant current that both keeps the voltage and stays cool.

    Attributes
    ----------
    current_a : float
        The smaller of the two [A, whole pack].
    by_voltage_a, by_heat_a : float
        Largest current that keeps the chemistry's honest loaded voltage at mid-charge and 25 °C,
        and that ends a full discharge from 25 °C at 60 °C or less [A].
    limited_by : str
    """

    current_a: float
    by_voltage_a: float
    by_heat_a: float
    limited_by: Literal["voltage", "heat"]


def discharge_hottest_c(*, pack: Pack, current_a: float) -> float:
    """Hottest cell of a full discharge at a constant current from 25 °C in still air [°C].

    Parameters
    ----------
    current_a : float
        Whole pack [A], > 0.
    """
    return _discharges(pack)(current_a)


def _discharges(pack: Pack) -> Callable[[float], float]:
    """Hottest cell [°C] over the current of a full discharge [A, whole pack], the pack worked out once."""
    chemistry, figures = cells_of(pack), pack_figures(pack)
    params = pack_parameters(pack=pack, figures=figures, cooling="still air", air_c=_BENCH_C)
    params[kernel.R_EXT_OHM] = params[kernel.FLOOR_HOLD_S] = 0.0  # cells alone, discharged to the floor
    summary = np.empty(kernel.SUMMARY_COUNT)
    kind, no_gusts = np.array([CURRENT]), np.empty(0)
    tables = cell_table(chemistry), temperature_table(chemistry)

    def hottest_c(current_a: float) -> float:
        params[kernel.MAX_TIME_S] = 1.2 * 3600.0 * figures.capacity_ah / current_a
        longest_s = float(params[kernel.MAX_TIME_S])
        kernel.march(
            params,
            kind,
            np.array([current_a / pack.parallel]),
            np.array([longest_s]),
            np.zeros(1),
            no_gusts,
            *tables,
            longest_s,
            1,
            NOTHING_KEPT,
            NOTHING_KEPT,
            summary,
        )
        return float(summary[kernel.HOTTEST_C])

    return hottest_c


def _current_of(hottest_c: Callable[[float], float], low_a: float, high_a: float) -> float:
    """Current of the hottest temperature allowed [A], by regula falsi with the Illinois correction.

    (Dahlquist and Björck, *Numerical Methods*, §6.3.)  Both ends of the bracket stay around the root;
    the side that is kept twice counts half.
    """
    low, high = (hottest_c(a) - HOTTEST_ALLOWED_C for a in (low_a, high_a))
    if high <= 0.0:
        return high_a
    if low >= 0.0:
        return low_a
    side = 0
    middle_a = low_a
    for _ in range(_MOST_TRIES):
        middle_a = (low * high_a - high * low_a) / (low - high)
        middle = hottest_c(middle_a) - HOTTEST_ALLOWED_C
        if abs(middle) < _NEAR_ENOUGH_K:
            break
        if middle < 0.0:
            low_a, low = middle_a, middle
            high *= 0.5 if side == -1 else 1.0
            side = -1
        else:
            high_a, high = middle_a, middle
            low *= 0.5 if side == 1 else 1.0
            side = 1
    return middle_a


@lru_cache(maxsize=512)
def honest_current(pack: Pack) -> HonestCurrent:
    """Honest current of a pack (PHYSICS 2): by loaded voltage at mid-charge, and by heat.

    By voltage: (OCV(½) − V_honest) over R0 and the polarisation that this very current has built up when half
    of the charge is gone, times P.  By heat: a root over whole discharges.
    """
    chemistry, figures = cells_of(pack), pack_figures(pack)
    mid = cell_table(chemistry)
    half = (mid.shape[0] - 1) // 2
    ohm = figures.cell_resistance_ohm * mid[half, 1]
    half_a_s = 0.5 * 3600.0 * figures.capacity_ah / pack.parallel
    cell_a = float((mid[half, 0] - chemistry.honest_loaded_v) / ohm)
    for _ in range(_MOST_TRIES):
        polarised = sum(pairs_built_up(chemistry=chemistry, held_s=half_a_s / cell_a))
        cell_a, before = float((mid[half, 0] - chemistry.honest_loaded_v) / (ohm * (1.0 + polarised))), cell_a
        if abs(cell_a - before) < 1e-6 * cell_a:
            break
    by_voltage_a = cell_a * pack.parallel
    by_heat_a = _current_of(_discharges(pack), 0.05 * by_voltage_a, 3.0 * by_voltage_a)
    return HonestCurrent(
        current_a=min(by_voltage_a, by_heat_a),
        by_voltage_a=by_voltage_a,
        by_heat_a=by_heat_a,
        limited_by="voltage" if by_voltage_a <= by_heat_a else "heat",
    )
