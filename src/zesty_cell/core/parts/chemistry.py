"""What a chemistry is: voltages, open-circuit curve, resistance over charge and temperature.

The six we ship are in ``chemistries.py``.
"""

from __future__ import annotations

import math
from functools import lru_cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.entity import Entity
from zesty_cell.core.fact import Fact
from zesty_cell.core.parts.air import ZERO_CELSIUS_K

ChemistryKey = Literal["lipo", "lihv", "liion_energy", "liion_power", "lifepo4", "nimh"]
Quality = Literal["tabless", "good", "ordinary", "micro"]

#: Intervals of the uniform charge grid that the kernel reads; linear between its points.
CHARGE_GRID_INTERVALS = 1024
#: Temperature grid of the kernel [°C]: lowest, highest and step.
TEMPERATURE_GRID_LOW_C = -60.0
TEMPERATURE_GRID_HIGH_C = 160.0
TEMPERATURE_GRID_STEP_C = 0.25
_REFERENCE_K = 298.15
#: Knee of lithium-ion's curve at 10 °C, and how softly the slopes pass into each other (some 3 K), in 1/T [1/K].
_COLD_KNEE = 1.0 / 283.15 - 1.0 / _REFERENCE_K
_BEND_WIDTH = 3.4e-5


class Chemistry(Entity):
    """What a cell is made of; all voltages are per cell.

    ``ocv_v`` holds the rest voltage at 0, 5, 10 … 100 % charge (21 points, rising).
    ``resistance_shape`` is the resistance over the same charges, 1 at mid-charge.
    """

    key: ChemistryKey
    name: str
    short_name: str
    nominal_v: float
    full_v: float
    storage_v: float
    hard_floor_v: float
    loaded_floor_v: float
    landing_rest_v: float
    landing_loaded_v: float
    honest_loaded_v: float
    ocv_v: tuple[float, ...]
    resistance_shape: tuple[float, ...]
    arrhenius_b_k: float
    arrhenius_cold_b_k: float
    arrhenius_warm_b_k: float
    polarisation_ratio: float
    polarisation_tau_s: float
    diffusion_ratio: float
    diffusion_tau_s: float
    diffusion_more_b_k: float
    specific_heat_j_kg_k: float
    density_kg_m3: float
    cell_form: Literal["pouch", "round"]
    resistance_capacity_ohm_ah: dict[Quality, float]
    energy_density_wh_kg: float
    label_capacity_share: float
    label_capacity_sigma: float
    small_label_sigma: float
    charge_advice: Fact
    caution: Fact

    def __hash__(self) -> int:
        return hash(self.key)


def _monotone_cubic(knots: tuple[float, ...], z: NDArray[np.float64]) -> NDArray[np.float64]:
    """Monotone cubic through equally spaced knots on [0, 1] (Fritsch and Butland 1984).

    Written out here, and checked against SciPy's in the tests, because importing SciPy's would cost
    the server most of its start.
    """
    y = np.asarray(knots)
    h = 1.0 / (y.size - 1)
    slope = np.diff(y) / h
    before, after = slope[:-1], slope[1:]
    rising = before * after > 0.0
    with np.errstate(divide="ignore", invalid="ignore"):
        inner = np.where(rising, 2.0 * before * after / (before + after), 0.0)
    ends = []
    for first, second in ((slope[0], slope[1]), (slope[-1], slope[-2])):
        end = 0.5 * (3.0 * first - second)
        if end * first <= 0.0:
            end = 0.0
        elif first * second < 0.0 and abs(end) > 3.0 * abs(first):
            end = 3.0 * first
        ends.append(end)
    d = np.concatenate(([ends[0]], inner, [ends[1]]))
    k = np.clip((z / h).astype(np.int64), 0, y.size - 2)
    t = z / h - k
    return np.asarray(
        (1 + 2 * t) * (1 - t) ** 2 * y[k]
        + t * (1 - t) ** 2 * h * d[k]
        + t * t * (3 - 2 * t) * y[k + 1]
        - t * t * (1 - t) * h * d[k + 1]
    )


def open_circuit_v(*, chemistry: Chemistry, charge_left: NDArray[np.float64]) -> NDArray[np.float64]:
    """Rest voltage of one cell over its state of charge.

    Parameters
    ----------
    chemistry : Chemistry
    charge_left : array of float, shape (n,) or ()
        State of charge z [0 to 1].

    Returns
    -------
    array of float, same shape
        OCV(z) [V]; monotone cubic (PCHIP) through the 21 points of the chemistry.
    """
    return _monotone_cubic(chemistry.ocv_v, np.asarray(charge_left, dtype=np.float64))


def resistance_shape(*, chemistry: Chemistry, charge_left: NDArray[np.float64]) -> NDArray[np.float64]:
    """Resistance over state of charge as a multiple of the mid-charge value [1], shape as given."""
    return _monotone_cubic(chemistry.resistance_shape, np.asarray(charge_left, dtype=np.float64))


def amid_flight_v(chemistry: Chemistry, /, *, series: int) -> float:
    """Loaded pack voltage amid a flight, where nothing better is known [V]: half way from nominal to landing."""
    return series * 0.5 * (chemistry.nominal_v + chemistry.landing_loaded_v)


def charge_left_at_rest(*, chemistry: Chemistry, rest_v: float) -> float:
    """State of charge [0 to 1] of a cell that rests at ``rest_v`` [V]; clipped at both ends.

    Inverse of :func:`open_circuit_v` on the kernel's own grid, so that the two agree.
    """
    table = cell_table(chemistry)
    return float(np.interp(rest_v, table[:, 0], np.linspace(0.0, 1.0, table.shape[0])))


def temperature_factor(*, chemistry: Chemistry, temperature_c: NDArray[np.float64]) -> NDArray[np.float64]:
    """Resistance at a temperature as a multiple of that at 25 °C.

    R(T) = R(25 °C)·exp(B·(1/T − 1/298.15 K)) (Arrhenius; PHYSICS 1).  Lithium-ion takes a steeper
    B below 10 °C; above 25 °C the ohmic part is what is left, and the fall flattens: a smaller B.
    One slope of ln R over 1/T passes into the other within a few kelvins.

    Parameters
    ----------
    temperature_c : array of float, shape (n,) or ()
        Cell temperature [°C].

    Returns
    -------
    array of float, same shape
        Factor [1].
    """
    x = 1.0 / (np.asarray(temperature_c, dtype=np.float64) + ZERO_CELSIUS_K) - 1.0 / _REFERENCE_K
    log = chemistry.arrhenius_warm_b_k * x
    log = log + (chemistry.arrhenius_b_k - chemistry.arrhenius_warm_b_k) * _bend(x, 0.0)
    log = log + (chemistry.arrhenius_cold_b_k - chemistry.arrhenius_b_k) * _bend(x, _COLD_KNEE)
    return np.asarray(np.exp(log), dtype=np.float64)


def resistance_at_25(ohm: float, /, *, chemistry: Chemistry, temperature_c: float | None) -> float:
    """A cell's resistance as it would be at 25 °C [Ω], read at a temperature [°C]; as read where it is unknown."""
    if temperature_c is None:
        return ohm
    return ohm / float(temperature_factor(chemistry=chemistry, temperature_c=np.array(temperature_c)))


def colder_than_25(temperature_c: float, /) -> float:
    """1/T − 1/298 K of a temperature under 25 °C [1/K]; 0 above."""
    return max(1.0 / (temperature_c + ZERO_CELSIUS_K) - 1.0 / _REFERENCE_K, 0.0)


def _bend(x: NDArray[np.float64], knee: float) -> NDArray[np.float64]:
    """A line of slope 1 over ``x`` [1/K] from a knee on, nothing before it, and nothing at 25 °C: softened."""

    def soft(over: NDArray[np.float64]) -> NDArray[np.float64]:
        return np.asarray(_BEND_WIDTH * np.logaddexp(0.0, over / _BEND_WIDTH))

    return soft(x - knee) - soft(np.array(-knee))


def diffusion_factor(*, chemistry: Chemistry, temperature_c: NDArray[np.float64]) -> NDArray[np.float64]:
    """Resistance of the slow pair at a temperature as a multiple of that at 25 °C [1], shape as given.

    Diffusion freezes faster than conduction: R2 takes a further exp(ΔB·(1/T − 1/298.15 K)) below 25 °C.
    """
    x = 1.0 / (np.asarray(temperature_c, dtype=np.float64) + ZERO_CELSIUS_K) - 1.0 / _REFERENCE_K
    more = np.exp(chemistry.diffusion_more_b_k * _bend(x, 0.0))
    return np.asarray(more * temperature_factor(chemistry=chemistry, temperature_c=temperature_c))


def pairs_built_up(*, chemistry: Chemistry, held_s: float) -> tuple[float, float]:
    """What a steady current held for a time has built up on the two pairs at 25 °C, as shares of I·R0 [1] (K3).

    R1/R0·(1 − e^(−t/τ1)) and R2/R0·(1 − e^(−t/τ2)), t in [s].
    """
    fast = -math.expm1(-held_s / chemistry.polarisation_tau_s)
    slow = -math.expm1(-held_s / chemistry.diffusion_tau_s)
    return chemistry.polarisation_ratio * fast, chemistry.diffusion_ratio * slow


@lru_cache(maxsize=64)
def cell_table(chemistry: Chemistry) -> NDArray[np.float64]:
    """OCV [V] and resistance shape [1] on the kernel's charge grid, shape (1025, 2), read-only."""
    z = np.linspace(0.0, 1.0, CHARGE_GRID_INTERVALS + 1)
    table = np.column_stack(
        (
            open_circuit_v(chemistry=chemistry, charge_left=z),
            resistance_shape(chemistry=chemistry, charge_left=z),
        )
    )
    table = np.ascontiguousarray(table)
    table.setflags(write=False)
    return table


@lru_cache(maxsize=64)
def temperature_table(chemistry: Chemistry) -> NDArray[np.float64]:
    """Factors [1] of R0 and R1, and of R2, on the kernel's temperature grid; shape (881, 2), read-only."""
    count = round((TEMPERATURE_GRID_HIGH_C - TEMPERATURE_GRID_LOW_C) / TEMPERATURE_GRID_STEP_C) + 1
    grid_c = np.linspace(TEMPERATURE_GRID_LOW_C, TEMPERATURE_GRID_HIGH_C, count)
    table = np.ascontiguousarray(
        np.column_stack(
            (
                temperature_factor(chemistry=chemistry, temperature_c=grid_c),
                diffusion_factor(chemistry=chemistry, temperature_c=grid_c),
            )
        )
    )
    table.setflags(write=False)
    return table
