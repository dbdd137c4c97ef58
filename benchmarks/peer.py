"""A general battery-model library on the very same problem in the same minute.

PyBaMM's Thévenin circuit with two RC pairs is given our curves, at one temperature, and the same power: as a number
where it is steady, as one function of time with stops at its jumps where it pulses.  Its models are built and
compiled outside the measured region; a row counts only where both end within a two-thousandth of each other.
"""

from __future__ import annotations

import logging
import warnings
from typing import Any

import numpy as np
from tests.core.cases import cell_parameters, march

from benchmarks.timing import Row, Timed, measure
from zesty_cell.core.asked.flying import POWER
from zesty_cell.core.flight import kernel
from zesty_cell.core.parts.chemistries import chemistry_for
from zesty_cell.core.parts.chemistry import cell_table

START, ROOM_C = 0.98, 25.0
CALM_W, PULSE_W, EVERY_S, PULSE_S = 30.2, 120.0, 15.0, 1.0
SAME = 5e-4
_HEAVY_J_K = 1e12  # so heavy that nothing warms it


def _ours(segments: list[tuple[int, float, float]]) -> tuple[float, Timed]:
    params = cell_parameters(
        start_charge=START, r_ext_ohm=0.0, avionics_w=0.0, full_throttle_a_v2=1e6, r_motor_ohm=0.0, floor_v=2.5,
        heat_capacity_j_k=_HEAVY_J_K, cooling_w_k=0.0, start_c=ROOM_C, air_c=ROOM_C,
    )  # fmt: skip
    end_s = march(params, segments, max_steps=20_000).get("END_S")
    return end_s, measure(lambda: march(params, segments, max_steps=20_000), runs=100)


def _theirs(power: Any, stops_s: np.ndarray, solver: Any) -> tuple[float, Timed]:
    import pybamm

    z, table = np.linspace(0.0, 1.0, 1025), cell_table(chemistry_for("liion_power"))
    params = cell_parameters()
    r0 = float(params[kernel.R0_OHM])
    pairs = [
        (float(params[ratio]) * r0, float(params[tau]))
        for ratio, tau in (
            (kernel.POLARISATION_RATIO, kernel.POLARISATION_TAU_S),
            (kernel.DIFFUSION_RATIO, kernel.DIFFUSION_TAU_S),
        )
    ]

    def shape(soc: Any) -> Any:
        return pybamm.Interpolant(z, table[:, 1], soc, interpolator="linear")

    (r1, tau1), (r2, tau2) = pairs
    values = pybamm.ParameterValues("ECM_Example")
    values.update(
        {
            "Initial SoC": START,
            "Initial temperature [K]": ROOM_C + 273.15,
            "Ambient temperature [K]": ROOM_C + 273.15,
            "Cell capacity [A.h]": float(params[kernel.CAPACITY_AH]),
            "Nominal cell capacity [A.h]": float(params[kernel.CAPACITY_AH]),
            "Upper voltage cut-off [V]": 5.0,
            "Lower voltage cut-off [V]": 2.5,
            "Cell thermal mass [J/K]": _HEAVY_J_K,
            "Cell-jig heat transfer coefficient [W/K]": 0.0,
            "Jig thermal mass [J/K]": _HEAVY_J_K,
            "Jig-air heat transfer coefficient [W/K]": 0.0,
            "Open-circuit voltage [V]": lambda soc: pybamm.Interpolant(z, table[:, 0], soc, interpolator="linear"),
            "R0 [Ohm]": lambda _c, _i, soc: r0 * shape(soc),
            "R1 [Ohm]": lambda _c, _i, soc: r1 * shape(soc),
            "C1 [F]": lambda _c, _i, soc: tau1 / (r1 * shape(soc)),
            "R2 [Ohm]": lambda _c, _i, soc: r2 * shape(soc),
            "C2 [F]": lambda _c, _i, soc: tau2 / (r2 * shape(soc)),
            "Element-1 initial overpotential [V]": 0.0,
            "Element-2 initial overpotential [V]": 0.0,
            "Entropic change [V/K]": 0.0,
            "Power function [W]": power,
        },
        check_already_exists=False,
    )
    model = pybamm.equivalent_circuit.Thevenin(options={"number of rc elements": 2, "operating mode": "power"})
    simulation = pybamm.Simulation(model, parameter_values=values, solver=solver)
    end_s = float(simulation.solve(stops_s).t[-1])
    return end_s, measure(lambda: simulation.solve(stops_s), runs=9, warm=1)


def compare() -> list[Row]:
    """Smooth and pulsed constant power; one row that says so where the library is not installed."""
    try:
        import pybamm
    except ImportError:
        return [Row("A general battery-model library", "not installed here", "–", True, "make bench installs it")]
    logging.disable(logging.ERROR)
    warnings.simplefilter("ignore")
    pybamm.set_logging_level("CRITICAL")

    def pulses(t: Any) -> Any:
        into = t - EVERY_S * pybamm.Floor(t / EVERY_S)
        return CALM_W + (PULSE_W - CALM_W) * (into >= EVERY_S - PULSE_S)

    rows = []
    for name, power, segments, factor in (
        ("smooth", CALM_W, [(POWER, CALM_W, 60.0)], 5.0),
        (
            "pulsed",
            pulses,
            [(POWER, CALM_W, EVERY_S - PULSE_S), (POWER, PULSE_W, PULSE_S)],
            50.0,
        ),
    ):
        our_end, ours = _ours(segments)
        last_s = 1.01 * our_end
        stops_s = np.array([0.0, last_s])
        if name == "pulsed":
            jumps = (np.arange(first, last_s, EVERY_S) for first in (0.0, EVERY_S - PULSE_S))
            stops_s = np.unique(np.concatenate([*jumps, [last_s]]))
        best: tuple[float, Timed, str] | None = None
        for solver in (
            pybamm.IDAKLUSolver(rtol=1e-6, atol=1e-8),
            pybamm.CasadiSolver(mode="safe", rtol=1e-6, atol=1e-8),
        ):
            try:
                end, timed = _theirs(power, stops_s, solver)
            except Exception as error:  # whatever their solver cannot do, the other may
                print(f"  ({type(solver).__name__} gave up on the {name} load: {str(error)[:80]})")
                continue
            if abs(end / our_end - 1.0) <= SAME and (best is None or timed.median_ms < best[1].median_ms):
                best = (end, timed, type(solver).__name__)
        if best is None:
            rows.append(Row(f"PyBaMM, {name} load", "no solver of it copes", "–", True, "see above"))
            continue
        ratio = best[1].median_ms / ours.median_ms
        rows.append(
            Row(
                f"PyBaMM over ours, {name} load",
                f"{ratio:.0f} times ({best[1].median_ms:.1f} ms with {best[2]} against {ours.median_ms:.2f} ms)",
                f"{factor:g} times",
                ratio >= factor,
                f"one discharge to 2.5 V; theirs ends at {best[0]:.2f} s, ours at {our_end:.2f} s, "
                f"{100 * abs(best[0] / our_end - 1.0):.4f} % apart",
            )
        )
    logging.disable(logging.NOTSET)
    return rows
