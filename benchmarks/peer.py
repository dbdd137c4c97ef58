"""A general battery-model library on the same problem in the same minute.

PyBaMM's first-order Thévenin circuit is given our lookup tables, our heat balance and the same
power; its own best solver that copes is used.  Its model is built outside the measured region.
"""

from __future__ import annotations

import logging
import warnings

import numpy as np
from tests.core.cases import cell_parameters, march

from benchmarks.timing import Row, Timed, measure
from zesty_cell.core import kernel
from zesty_cell.core.chemistries import chemistry_for
from zesty_cell.core.chemistry import TEMPERATURE_GRID_HIGH_C, TEMPERATURE_GRID_LOW_C, cell_table, temperature_table

START = 0.98
R0, RATIO, TAU_S = 0.0125, 0.6, 25.0
CALM_W, PULSE_W = 30.2, 120.0
PULSE_EVERY_S = 15.0


def _ours(segments: list[tuple[int, float, float]]) -> tuple[float, Timed]:
    params = cell_parameters(
        start_charge=START, r_ext_ohm=0.0, avionics_w=0.0, full_throttle_a_v2=1e6, r_motor_ohm=0.0, floor_v=2.5
    )
    end_s = march(params, segments, max_steps=20_000).get("END_S")
    return end_s, measure(lambda: march(params, segments, max_steps=20_000), runs=50)


def _theirs(power: object, solver: object, duration_s: float) -> tuple[float, Timed]:
    import pybamm

    chemistry = chemistry_for("liion_power")
    z, table = np.linspace(0.0, 1.0, 1025), cell_table(chemistry)
    factors = temperature_table(chemistry)
    grid_c = np.linspace(TEMPERATURE_GRID_LOW_C, TEMPERATURE_GRID_HIGH_C, factors.size)

    def resistance(celsius: object, soc: object) -> object:
        shape = pybamm.Interpolant(z, table[:, 1], soc, interpolator="linear")
        return R0 * shape * pybamm.Interpolant(grid_c, factors, celsius, interpolator="linear")

    values = pybamm.ParameterValues("ECM_Example")
    values.update(
        {
            "Initial SoC": START,
            "Initial temperature [K]": 285.15,
            "Ambient temperature [K]": 285.15,
            "Cell capacity [A.h]": 4.1,
            "Nominal cell capacity [A.h]": 4.1,
            "Upper voltage cut-off [V]": 5.0,
            "Lower voltage cut-off [V]": 2.5,
            "Cell thermal mass [J/K]": 70.0,
            "Cell-jig heat transfer coefficient [W/K]": 0.06,
            "Jig thermal mass [J/K]": 1e9,
            "Jig-air heat transfer coefficient [W/K]": 10.0,
            "Open-circuit voltage [V]": lambda soc: pybamm.Interpolant(z, table[:, 0], soc, interpolator="linear"),
            "R0 [Ohm]": lambda celsius, _i, soc: resistance(celsius, soc),
            "R1 [Ohm]": lambda celsius, _i, soc: RATIO * resistance(celsius, soc),
            "C1 [F]": lambda celsius, _i, soc: TAU_S / (RATIO * resistance(celsius, soc)),
            "Entropic change [V/K]": 0.0,
        },
        check_already_exists=False,
    )
    step = pybamm.step.power(power, duration=duration_s)
    simulation = pybamm.Simulation(
        pybamm.equivalent_circuit.Thevenin(),
        experiment=pybamm.Experiment([step]),
        parameter_values=values,
        solver=solver,
    )
    end_s = float(simulation.solve().t[-1])
    return end_s, measure(simulation.solve, runs=5, warm=1)


def _pulses(until_s: float) -> np.ndarray:
    """The pulsed power as a table of time [s] and power [W]: one second in fifteen is a climb."""
    times = np.arange(0.0, until_s, 0.1)
    watts = np.where(times % PULSE_EVERY_S >= PULSE_EVERY_S - 1.0 - 1e-9, PULSE_W, CALM_W)
    return np.column_stack((times, watts))


def compare() -> list[Row]:
    """Smooth and pulsed constant power; an empty list where the library is not installed."""
    try:
        import pybamm
    except ImportError:
        return [Row("A general battery-model library", "not installed here", "–", True, "make bench installs it")]
    logging.disable(logging.ERROR)
    warnings.simplefilter("ignore")
    pybamm.set_logging_level("CRITICAL")
    smooth = [(kernel.POWER, CALM_W, 60.0)]
    pulsed = [(kernel.POWER, CALM_W, PULSE_EVERY_S - 1.0), (kernel.POWER, PULSE_W, 1.0)]
    rows = []
    for name, segments, factor in (("smooth", smooth, 3.0), ("pulsed", pulsed, 20.0)):
        our_end, ours = _ours(segments)
        power = CALM_W if name == "smooth" else _pulses(our_end * 1.02)
        best: tuple[float, Timed, str] | None = None
        for solver in (
            pybamm.IDAKLUSolver(rtol=1e-6, atol=1e-8),
            pybamm.CasadiSolver(mode="safe", rtol=1e-6, atol=1e-8),
        ):
            try:
                end, timed = _theirs(power, solver, our_end * 1.01)
            except Exception as error:  # whatever their solver cannot do, the other may
                print(f"  ({type(solver).__name__} gave up on the {name} load: {str(error)[:80]})")
                continue
            if best is None or timed.median_ms < best[1].median_ms:
                best = (end, timed, type(solver).__name__)
        if best is None:
            rows.append(Row(f"PyBaMM, {name} load", "no solver of it copes", "–", True, "see above"))
            continue
        ratio = best[1].median_ms / ours.median_ms
        rows.append(
            Row(
                f"PyBaMM over ours, {name} load",
                f"{ratio:.0f} times ({best[1].median_ms:.0f} ms with {best[2]} against {ours.median_ms:.2f} ms)",
                f"{factor:g} times",
                ratio >= factor,
                f"one discharge to 2.5 V; theirs ends at {best[0]:.1f} s, ours at {our_end:.1f} s",
            )
        )
    logging.disable(logging.NOTSET)
    return rows
