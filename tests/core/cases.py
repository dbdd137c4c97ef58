"""Cells and load programs that several core tests share."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from zesty_cell.core.flight import kernel as K
from zesty_cell.core.parts.chemistries import chemistry_for
from zesty_cell.core.parts.chemistry import cell_table, temperature_table

STEP_S = 0.1


def cell_parameters(**changes: float) -> np.ndarray:
    """A 4.2 Ah lithium-ion power cell in a cruising quad; names are the kernel's, in lower case."""
    p = np.zeros(K.PARAMETER_COUNT)
    values = {
        "capacity_ah": 4.1,
        "r0_ohm": 0.0125,
        "r_ext_ohm": 0.0004,
        "polarisation_ratio": 0.6,
        "polarisation_tau_s": 25.0,
        "diffusion_ratio": 0.5,
        "diffusion_tau_s": 200.0,
        "level_w": 29.0,
        "weak_capacity": 1.0,
        "weak_resistance": 1.0,
        "longest_step_s": 1.0,
        "land_timer_s": np.inf,
        "full_throttle_a_v2": 72.0 / 3.26**2,
        "r_motor_ohm": 0.0033,
        "heat_capacity_j_k": 70.0,
        "cooling_w_k": 0.06,
        "air_c": 12.0,
        "start_c": 12.0,
        "start_charge": 1.0,
        "avionics_w": 1.2,
        "cruise_w": 29.0,
        "floor_v": 2.5,
        "floor_hold_s": 0.0,
        "land_used_ah": 3.28,
        "land_charge_left": -1.0,
        "land_loaded_v": -1.0,
        "land_loaded_hold_s": 3.0,
        "max_time_s": 20_000.0,
        "beyond_landing": np.inf,
    } | changes
    for name, value in values.items():
        p[getattr(K, name.upper())] = value
    return p


@dataclass
class Run:
    """One march with everything recorded."""

    n: int
    summary: np.ndarray
    loaded_v: np.ndarray
    cruise_v: np.ndarray
    trace: np.ndarray = field(repr=False)

    def get(self, name: str) -> float:
        return float(self.summary[getattr(K, name)])


def march(
    params: np.ndarray,
    segments: Sequence[tuple[float, ...]],
    *,
    chemistry: str = "liion_power",
    step_s: float = STEP_S,
    max_steps: int = 200_000,
    gusts: np.ndarray | None = None,
) -> Run:
    """Run the kernel over segments of (kind, value, seconds), and joules of a burst where there is a fourth."""
    cell = chemistry_for(chemistry)
    trace, summary = np.empty((K.TRACE_COUNT, max_steps)), np.empty(K.SUMMARY_COUNT)
    n = K.march(
        params,
        np.array([s[0] for s in segments], dtype=np.int64),
        np.array([s[1] for s in segments], dtype=np.float64),
        np.array([s[2] for s in segments], dtype=np.float64),
        np.array([s[3] if len(s) > 3 else 0.0 for s in segments], dtype=np.float64),
        np.empty(0) if gusts is None else gusts,
        cell_table(cell),
        temperature_table(cell),
        step_s,
        max_steps,
        trace,
        np.empty((0, 0)),
        summary,
    )
    return Run(n, summary, trace[K.T_LOADED_V, :n], trace[K.T_CRUISE_V, :n], trace[:, :n])
