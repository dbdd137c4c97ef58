"""Rest-voltage curve and resistance of one pack, taken apart from discharges at two rates or more.

The circuit stands in :mod:`zesty_cell.core.discharge.circuit_fit`.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.discharge.circuit_fit import KNOTS, CircuitFit
from zesty_cell.core.discharge.rows import RunOf
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import fact
from zesty_cell.core.parts.pack import Pack

FloatArray = NDArray[np.float64]

#: Runs that are told from each other by their rates differ by this at least [1].
LEAST_RATIO = 1.5
#: A 90 % interval reaches this many standard deviations to each side [1].
_Z90 = 1.645
#: What a discharger's own scales may be out, one standard deviation: volts, amps [1].
VOLTS_ERROR, AMPS_ERROR = 0.0005, 0.004
#: Told only where the 90 % interval reaches no further to each side: capacity [1], rest voltage [V].
TOLD_CAPACITY, TOLD_REST_V = 0.01, 0.005
#: A resistance is told only where it is within this with 96 chances in 100 [1]: so many standard deviations to each
#: side.  At 90 in 100 one pack in ten would be told wrongly, and what is flown by it lands too late.
TOLD_RESISTANCE, _Z96 = 0.03, 2.05
#: Runs of one pack in one state are fitted to within this, root mean square [V a cell].
MOST_MISSED_V = 0.006
#: Of the charge that was left when the last run ended, what its extent is out by, one standard deviation [1].
_BEYOND = 0.35
#: What the model itself misses of a one-second resistance, one standard deviation [1]: where the load stepped amid
#: the charge and a probe was read, where none was, and where only the beginnings tell the first second.
_STEPPED, _UNPROBED, _UNSTEPPED = 0.012, 0.02, 0.03
_LEAST_STEPS = 5


@dataclass(frozen=True)
class Estimate:
    """A figure with its 90 % interval, and whether it is narrow enough to be told."""

    value: float
    low: float
    high: float
    told: bool


@dataclass(frozen=True)
class Apart:
    """What the runs of one pack say of it together.

    Attributes
    ----------
    capacity_ah : Estimate
        From full to where it would rest at the chemistry's empty end [Ah].
    resistance_ohm : Estimate
        Whole pack at its plug, one second, 25 °C, mid-charge [Ω].
    cell_ohm : Estimate
        One cell of it, without links, leads and plugs [Ω].
    charge_left : array of float, shape (101,)
        State of charge z [1].
    rest_v, low_v, high_v : array of float, shape (101,)
        Rest voltage of a cell, and its 90 % interval [V].
    told : array of bool, shape (101,)
        Where the interval is narrow enough and runs went there.
    from_share, to_share : float
        The charges between which runs at every rate went, as left [1].
    rates_c : tuple of float
        Of the runs, over the label [1].
    stepped : bool
        Whether the load stepped amid the charge: else the first second is told by the beginnings alone.
    rms_v : float
        Of what was recorded about what was fitted, a cell [V].
    agree : bool
        Whether the runs can be of one pack in one state; of those that cannot nothing is told.
    """

    capacity_ah: Estimate
    resistance_ohm: Estimate
    cell_ohm: Estimate
    charge_left: FloatArray
    rest_v: FloatArray
    low_v: FloatArray
    high_v: FloatArray
    told: NDArray[np.bool_]
    from_share: float
    to_share: float
    rates_c: tuple[float, ...]
    stepped: bool
    rms_v: float
    agree: bool


def apart(runs: Sequence[RunOf], /, *, pack: Pack) -> Apart:
    """Rest voltage and resistance of a pack from its discharges.

    Parameters
    ----------
    runs : sequence of RunOf
        Two or more, of this one pack, each begun full.
    pack : Pack

    Raises
    ------
    OutOfRangeError
        Rates that do not differ.
    """
    rates = [r.run.mean_a for r in runs]
    steady = all(r.run.steady != "pattern" for r in runs)
    ratio = max(rates, default=1.0) / min(rates, default=1.0)
    if len(runs) < 2 or (steady and ratio < LEAST_RATIO):
        why = fact("refused.discharge.one_rate", least_ratio=LEAST_RATIO)
        raise OutOfRangeError(why, field="runs", value=ratio, limit=LEAST_RATIO)
    # What an earlier curve said is no evidence for this one.
    return _read_off(CircuitFit(runs, pack.model_copy(update={"curve": None})))


def _read_off(fit: CircuitFit) -> Apart:
    """Fit, and read the figures off it."""
    theta, covariance = fit.fit()
    rms_v = math.sqrt(float(np.mean((fit.loaded_v(theta) - fit.seen_v) ** 2)))
    agree = rms_v <= MOST_MISSED_V

    def told(of: Callable[[FloatArray], float], error: float, most: float, z: float = _Z90) -> Estimate:
        value = of(theta)
        slope = np.array([(of(_moved(theta, k)) - value) / 1e-5 for k in range(theta.size)])
        sigma = math.hypot(math.sqrt(float(slope @ covariance @ slope)) / value, error)
        low, high = value * (1.0 - _Z90 * sigma), value * (1.0 + _Z90 * sigma)
        return Estimate(value, low, high, agree and z * sigma <= most)

    grid = np.linspace(0.0, 1.0, 101)
    rest = fit.rest_v(theta, grid)
    place = fit.at["deviation"]
    basis = np.stack([np.interp(grid, KNOTS, row) for row in np.eye(KNOTS.size)], axis=1)
    full = np.zeros((grid.size, theta.size))
    full[:, place] = basis
    sigma = np.sqrt(np.einsum("ij,jk,ik->i", full, covariance, full))
    left = fit.charge_left(theta)
    lowest = [float(left[fit.run_of == k].min()) for k in range(fit.count)]
    highest = [float(left[fit.run_of == k].max()) for k in range(fit.count)]
    from_share, to_share = max(min(lowest), 0.0), min(max(highest), 1.0)
    # Where the curve is steep, an end that nobody saw moves it.
    moved = np.gradient(rest, grid) * (1.0 - grid) * _BEYOND * from_share
    reach = _Z90 * np.sqrt(sigma**2 + (VOLTS_ERROR * rest) ** 2 + moved**2)
    stepped = sum(rows.steps_amid for rows in fit.rows) >= _LEAST_STEPS
    probed = all(rows.probed for rows in fit.rows)
    ohm_error = math.hypot(AMPS_ERROR, (_STEPPED if probed else _UNPROBED) if stepped else _UNSTEPPED)
    rates = [r.run.mean_a for r in fit.runs]
    return Apart(
        capacity_ah=told(fit.capacity_ah, math.hypot(AMPS_ERROR, _BEYOND * from_share), TOLD_CAPACITY),
        resistance_ohm=told(fit.one_second_ohm, ohm_error, TOLD_RESISTANCE, _Z96),
        cell_ohm=told(fit.cell_ohm, ohm_error, TOLD_RESISTANCE, _Z96),
        charge_left=grid,
        rest_v=rest,
        low_v=rest - reach,
        high_v=rest + reach,
        told=agree & (reach <= TOLD_REST_V) & (grid >= from_share - 1e-9) & (grid <= to_share + 1e-9),
        from_share=from_share,
        to_share=to_share,
        rates_c=tuple(rate / fit.pack.capacity_ah for rate in rates),
        stepped=stepped,
        rms_v=rms_v,
        agree=agree,
    )


def _moved(theta: FloatArray, k: int) -> FloatArray:
    moved = theta.copy()
    moved[k] += 1e-5
    return moved
