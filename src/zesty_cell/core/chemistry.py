"""Cell chemistries: voltages, open-circuit curve, resistance shape, heat, advice.

Every number's source or reasoning is in docs/physics.md, "Chemistries".
"""

from __future__ import annotations

from functools import lru_cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.air import ZERO_CELSIUS_K
from zesty_cell.core.entity import Entity
from zesty_cell.core.errors import UnknownNameError

ChemistryKey = Literal["lipo", "lihv", "liion_energy", "liion_power", "lifepo4", "nimh"]
Quality = Literal["good", "ordinary", "micro"]

#: Intervals of the uniform charge grid that the kernel reads; linear between its points.
CHARGE_GRID_INTERVALS = 1024
#: Temperature grid of the kernel [°C]: lowest, highest and step.
TEMPERATURE_GRID_LOW_C = -60.0
TEMPERATURE_GRID_HIGH_C = 160.0
TEMPERATURE_GRID_STEP_C = 0.25
_REFERENCE_K = 298.15
_COLD_KNEE_K = 283.15


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
    polarisation_ratio: float
    polarisation_tau_s: float
    specific_heat_j_kg_k: float
    density_kg_m3: float
    cell_form: Literal["pouch", "round"]
    resistance_capacity_ohm_ah: dict[Quality, float]
    energy_density_wh_kg: float
    label_capacity_share: float
    label_capacity_sigma: float
    charge_advice: str
    caution: str

    def __hash__(self) -> int:
        return hash(self.key)


# Resistance over charge: flat in the middle, nearly doubled at the end (Plett vol. 1, ch. 2;
# shape chosen to meet "rises below about 0.2, nearly doubles at the end").
_SHAPE = (1.95, 1.56, 1.30, 1.13, 1.05, 1.02, *([1.0] * 15))

_LIPO_OCV = (
    *(3.27, 3.58, 3.69, 3.71, 3.73, 3.75, 3.77, 3.785, 3.80, 3.815, 3.83),
    *(3.85, 3.87, 3.905, 3.94, 3.98, 4.02, 4.065, 4.11, 4.155, 4.20),
)
_LIHV_OCV = (
    *(3.27, 3.58, 3.69, 3.71, 3.73, 3.75, 3.77, 3.785, 3.80, 3.825, 3.86),
    *(3.90, 3.945, 3.99, 4.035, 4.085, 4.135, 4.19, 4.245, 4.297, 4.35),
)
_NICKEL_RICH_OCV = (
    *(2.50, 3.02, 3.20, 3.295, 3.37, 3.43, 3.48, 3.525, 3.57, 3.61, 3.65),
    *(3.695, 3.74, 3.79, 3.84, 3.89, 3.94, 4.00, 4.06, 4.12, 4.19),
)
_POWER_CELL_OCV = (
    *(2.50, 3.06, 3.25, 3.35, 3.42, 3.475, 3.52, 3.56, 3.60, 3.635, 3.67),
    *(3.71, 3.755, 3.80, 3.85, 3.90, 3.95, 4.005, 4.06, 4.12, 4.19),
)
_LIFEPO4_OCV = (
    *(2.60, 3.00, 3.12, 3.18, 3.215, 3.235, 3.255, 3.27, 3.28, 3.285, 3.289),
    *(3.293, 3.297, 3.302, 3.308, 3.315, 3.322, 3.328, 3.334, 3.342, 3.42),
)
_NIMH_OCV = (
    *(1.00, 1.15, 1.20, 1.225, 1.24, 1.252, 1.262, 1.27, 1.276, 1.282, 1.288),
    *(1.294, 1.30, 1.307, 1.315, 1.324, 1.334, 1.346, 1.36, 1.38, 1.42),
)

_LITHIUM_CHARGE = "Charge at 1C or less unless the maker says otherwise, attended, on a surface that does not burn."
_POUCH_CAUTION = "Stop using a pack that is swollen, dented, or warm when idle."
_ROUND_CAUTION = "Soldering on cells can vent or ignite them: prefer welded tabs or a pack maker."

CHEMISTRIES: dict[ChemistryKey, Chemistry] = {
    c.key: c
    for c in (
        Chemistry(
            key="lipo",
            name="Lithium-polymer",
            short_name="LiPo",
            nominal_v=3.7,
            full_v=4.20,
            storage_v=3.82,
            hard_floor_v=3.0,
            loaded_floor_v=3.3,
            landing_rest_v=3.73,
            landing_loaded_v=3.5,
            honest_loaded_v=3.3,
            ocv_v=_LIPO_OCV,
            resistance_shape=_SHAPE,
            arrhenius_b_k=2800.0,
            arrhenius_cold_b_k=2800.0,
            polarisation_ratio=0.6,
            polarisation_tau_s=25.0,
            specific_heat_j_kg_k=1050.0,
            density_kg_m3=2050.0,
            cell_form="pouch",
            resistance_capacity_ohm_ah={"good": 0.0065, "ordinary": 0.011, "micro": 0.022},
            energy_density_wh_kg=165.0,
            label_capacity_share=0.95,
            label_capacity_sigma=0.05,
            charge_advice=_LITHIUM_CHARGE,
            caution=_POUCH_CAUTION,
        ),
        Chemistry(
            key="lihv",
            name="High-voltage lithium-polymer",
            short_name="LiHV",
            nominal_v=3.8,
            full_v=4.35,
            storage_v=3.85,
            hard_floor_v=3.0,
            loaded_floor_v=3.3,
            landing_rest_v=3.73,
            landing_loaded_v=3.5,
            honest_loaded_v=3.3,
            ocv_v=_LIHV_OCV,
            resistance_shape=_SHAPE,
            arrhenius_b_k=2800.0,
            arrhenius_cold_b_k=2800.0,
            polarisation_ratio=0.6,
            polarisation_tau_s=25.0,
            specific_heat_j_kg_k=1050.0,
            density_kg_m3=2050.0,
            cell_form="pouch",
            resistance_capacity_ohm_ah={"good": 0.0075, "ordinary": 0.012, "micro": 0.022},
            energy_density_wh_kg=160.0,
            label_capacity_share=0.95,
            label_capacity_sigma=0.05,
            charge_advice=_LITHIUM_CHARGE + " 4.35 V a cell only on a charger set for it.",
            caution=_POUCH_CAUTION,
        ),
        Chemistry(
            key="liion_energy",
            name="Lithium-ion, energy cell",
            short_name="lithium-ion",
            nominal_v=3.6,
            full_v=4.20,
            storage_v=3.65,
            hard_floor_v=2.5,
            loaded_floor_v=2.8,
            landing_rest_v=3.37,
            landing_loaded_v=3.0,
            honest_loaded_v=2.8,
            ocv_v=_NICKEL_RICH_OCV,
            resistance_shape=_SHAPE,
            arrhenius_b_k=2800.0,
            arrhenius_cold_b_k=4000.0,
            polarisation_ratio=0.6,
            polarisation_tau_s=25.0,
            specific_heat_j_kg_k=1000.0,
            density_kg_m3=2800.0,
            cell_form="round",
            resistance_capacity_ohm_ah={"good": 0.090, "ordinary": 0.110, "micro": 0.130},
            energy_density_wh_kg=245.0,
            label_capacity_share=0.98,
            label_capacity_sigma=0.025,
            charge_advice="Charge at the cell maker's rate, often 0.5C, attended, on a surface that does not burn.",
            caution=_ROUND_CAUTION,
        ),
        Chemistry(
            key="liion_power",
            name="Lithium-ion, power cell",
            short_name="lithium-ion",
            nominal_v=3.6,
            full_v=4.20,
            storage_v=3.68,
            hard_floor_v=2.5,
            loaded_floor_v=2.8,
            landing_rest_v=3.42,
            landing_loaded_v=3.0,
            honest_loaded_v=2.8,
            ocv_v=_POWER_CELL_OCV,
            resistance_shape=_SHAPE,
            arrhenius_b_k=2800.0,
            arrhenius_cold_b_k=4000.0,
            polarisation_ratio=0.6,
            polarisation_tau_s=25.0,
            specific_heat_j_kg_k=1000.0,
            density_kg_m3=2800.0,
            cell_form="round",
            resistance_capacity_ohm_ah={"good": 0.048, "ordinary": 0.056, "micro": 0.065},
            energy_density_wh_kg=215.0,
            label_capacity_share=0.98,
            label_capacity_sigma=0.025,
            charge_advice="Charge at the cell maker's rate, often 1C, attended, on a surface that does not burn.",
            caution=_ROUND_CAUTION,
        ),
        Chemistry(
            key="lifepo4",
            name="Lithium iron phosphate",
            short_name="LiFePO4",
            nominal_v=3.2,
            full_v=3.60,
            storage_v=3.30,
            hard_floor_v=2.0,
            loaded_floor_v=2.6,
            landing_rest_v=3.215,
            landing_loaded_v=2.8,
            honest_loaded_v=2.6,
            ocv_v=_LIFEPO4_OCV,
            resistance_shape=_SHAPE,
            arrhenius_b_k=3000.0,
            arrhenius_cold_b_k=4000.0,
            polarisation_ratio=0.6,
            polarisation_tau_s=25.0,
            specific_heat_j_kg_k=1100.0,
            density_kg_m3=2200.0,
            cell_form="round",
            resistance_capacity_ohm_ah={"good": 0.018, "ordinary": 0.025, "micro": 0.035},
            energy_density_wh_kg=105.0,
            label_capacity_share=0.97,
            label_capacity_sigma=0.03,
            charge_advice="Charge to 3.6 V a cell on the charger's iron-phosphate setting, attended.",
            caution=_ROUND_CAUTION,
        ),
        Chemistry(
            key="nimh",
            name="Nickel-metal hydride",
            short_name="NiMH",
            nominal_v=1.2,
            full_v=1.45,
            storage_v=1.25,
            hard_floor_v=0.9,
            loaded_floor_v=1.0,
            landing_rest_v=1.24,
            landing_loaded_v=1.05,
            honest_loaded_v=1.0,
            ocv_v=_NIMH_OCV,
            resistance_shape=_SHAPE,
            arrhenius_b_k=2200.0,
            arrhenius_cold_b_k=2200.0,
            polarisation_ratio=0.6,
            polarisation_tau_s=25.0,
            specific_heat_j_kg_k=1050.0,
            density_kg_m3=3200.0,
            cell_form="round",
            resistance_capacity_ohm_ah={"good": 0.018, "ordinary": 0.028, "micro": 0.050},
            energy_density_wh_kg=75.0,
            label_capacity_share=0.95,
            label_capacity_sigma=0.05,
            charge_advice="Charge on the charger's NiMH setting; let a warm pack cool first.",
            caution="A pack warm when idle has a shorted cell: retire it.",
        ),
    )
}


def chemistry_for(key: str) -> Chemistry:
    """Look a chemistry up by its key.

    Raises
    ------
    UnknownNameError
        If no chemistry of that key is shipped.
    """
    for chemistry in CHEMISTRIES.values():
        if chemistry.key == key:
            return chemistry
    raise UnknownNameError(
        f"No chemistry is called “{key[:40]}”. Choose one of {', '.join(CHEMISTRIES)}.", name=key
    )


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


def charge_left_at_rest(*, chemistry: Chemistry, rest_v: float) -> float:
    """State of charge [0 to 1] of a cell that rests at ``rest_v`` [V]; clipped at both ends.

    Inverse of :func:`open_circuit_v` on the kernel's own grid, so that the two agree.
    """
    table = cell_table(chemistry)
    return float(np.interp(rest_v, table[:, 0], np.linspace(0.0, 1.0, table.shape[0])))


def temperature_factor(*, chemistry: Chemistry, temperature_c: NDArray[np.float64]) -> NDArray[np.float64]:
    """Resistance at a temperature as a multiple of that at 25 °C.

    R(T) = R(25 °C)·exp(B·(1/T − 1/298.15 K)) (Arrhenius; PHYSICS 1); lithium-ion takes a steeper
    B below 10 °C, continued from the value at 10 °C so that the curve has no step.

    Parameters
    ----------
    temperature_c : array of float, shape (n,) or ()
        Cell temperature [°C].

    Returns
    -------
    array of float, same shape
        Factor [1].
    """
    kelvin = np.asarray(temperature_c, dtype=np.float64) + ZERO_CELSIUS_K
    warm = chemistry.arrhenius_b_k * (1.0 / np.maximum(kelvin, _COLD_KNEE_K) - 1.0 / _REFERENCE_K)
    cold = chemistry.arrhenius_cold_b_k * (1.0 / np.minimum(kelvin, _COLD_KNEE_K) - 1.0 / _COLD_KNEE_K)
    return np.asarray(np.exp(warm + cold), dtype=np.float64)


@lru_cache(maxsize=len(CHEMISTRIES))
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


@lru_cache(maxsize=len(CHEMISTRIES))
def temperature_table(chemistry: Chemistry) -> NDArray[np.float64]:
    """Resistance factor [1] on the kernel's temperature grid, shape (881,), read-only."""
    count = round((TEMPERATURE_GRID_HIGH_C - TEMPERATURE_GRID_LOW_C) / TEMPERATURE_GRID_STEP_C) + 1
    grid_c = np.linspace(TEMPERATURE_GRID_LOW_C, TEMPERATURE_GRID_HIGH_C, count)
    table = temperature_factor(chemistry=chemistry, temperature_c=grid_c)
    table.setflags(write=False)
    return table
