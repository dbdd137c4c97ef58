"""The kernel and the forecast: accuracy against tight integration, and speed."""

from __future__ import annotations

import numpy as np
from tests.core.cases import STEP_S, cell_parameters, march
from tests.oracles import thevenin
from tests.sheets import heron, sheet

from benchmarks.timing import Row, measure
from zesty_cell.core import kernel
from zesty_cell.core.chemistries import chemistry_for
from zesty_cell.core.chemistry import cell_table, temperature_table
from zesty_cell.core.flight import Factors, fly, kernel_parameters, set_up, start_many
from zesty_cell.core.flying import load_program
from zesty_cell.core.forecast import SAMPLES, forecast, sampled_factors

SMOOTH = [(kernel.POWER, 29.0, 60.0)]
PULSED = [
    (kernel.POWER, 29.0, 9.0),
    (kernel.FULL_THROTTLE, 1.0, 1.0),
    (kernel.POWER, 40.0, 4.0),
    (kernel.POWER, 6.0, 3.0),
]


def accuracy() -> list[Row]:
    """Flight time and voltage against DOP853 at 1e-10 of the same equations."""
    rows = []
    for name, segments, floor_v in (("constant power", SMOOTH, 2.5), ("pattern with 1 s climbs", PULSED, 1.2)):
        params = cell_parameters(floor_v=floor_v)
        run = march(params, segments)
        truth = thevenin.fly(
            params=params,
            kinds=[s[0] for s in segments],
            values=[s[1] for s in segments],
            durations_s=[s[2] for s in segments],
            chemistry=chemistry_for("liion_power"),
            floor_v=floor_v,
        )
        time_error = abs(run.get("END_S") / truth.end_s - 1.0)
        volt_error = max(abs(run.loaded_v[k] - truth.loaded_v(k * STEP_S)) for k in range(0, run.n - 10, 3))
        inside = "kernel against solve_ivp, every third sample to the last second"
        rows.append(Row(f"Flight time, {name}", f"{100 * time_error:.4f} %", "0.02 %", time_error <= 2e-4, inside))
        rows.append(
            Row(f"Voltage a cell, {name}", f"{1e3 * volt_error:.2f} mV", "1 mV", volt_error <= 1e-3, inside)
        )
    return rows


def speed() -> list[Row]:
    """One flight, the range, and the whole forecast of a 20-minute flight."""
    one = sheet(craft=heron(dry_mass_kg=0.75))  # heavy enough to empty its pack in 20 minutes
    setup = set_up(one)
    flight = fly(setup)
    detailed = measure(lambda: fly(setup), runs=200)
    expected = Factors.expected()
    row = kernel_parameters(setup=setup, factors=expected)[0]
    program = load_program(
        pattern=one.flying,
        steady_cell_w=np.array([setup.load.steady_w / one.pack.cell_count]),
        intensity=np.ones(1),
    )
    room = flight.time_s.size + 10
    volts, empty = (np.empty(room, np.float32), np.empty(room, np.float32)), np.empty(0, np.float32)
    traces = *volts, empty, empty, np.empty((kernel.TRACE_COUNT, room))
    written = np.empty(kernel.SUMMARY_COUNT)
    flown = (row, program.kind, program.value[0], program.steps[0])
    pair = cell_table(setup.chemistry), temperature_table(setup.chemistry)
    one_flight = measure(lambda: kernel.march(*flown, *pair, STEP_S, room, *traces, written), runs=200)
    if written[kernel.END_S] != flight.end_s:
        raise RuntimeError("the measured flight is not the one that fly() flies")
    factors = sampled_factors(setup)
    many = measure(lambda: start_many(setup, factors=factors)(), runs=30)
    whole = measure(lambda: forecast(one), runs=30)
    params = cell_parameters(floor_hold_s=5.0)
    steps = 14_000
    kinds = np.array([s[0] for s in PULSED])
    values = np.array([[s[1] for s in PULSED]])
    counts = np.array([[round(s[2] / STEP_S) for s in PULSED]])
    cell = chemistry_for("liion_power")
    nothing = np.empty((1, 0), np.float32)
    summary = np.empty((1, kernel.SUMMARY_COUNT))
    tables = cell_table(cell)[None], temperature_table(cell)[None], np.zeros(1, dtype=np.int64)
    params = params[None, :]
    bare = measure(
        lambda: kernel.march_many(params, kinds, values, counts, *tables, STEP_S, steps, *[nothing] * 4, summary),
        runs=100,
    )
    steps = int(summary[0, kernel.STEPS])
    return [
        Row(
            f"One flight of {flight.end_s / 60:.0f} min at 10 Hz",
            f"{one_flight.median_ms:.2f} ms median, {one_flight.best_ms:.2f} best",
            "1.5 ms",
            one_flight.median_ms <= 1.5,
            f"kernel.march() with every trace written, {flight.time_s.size} steps",
        ),
        Row(
            "The same through fly()",
            f"{detailed.median_ms:.2f} ms median, {detailed.best_ms:.2f} best",
            "–",
            True,
            "parameters, kernel, and the arrays of the detailed flight",
        ),
        Row(
            f"The range of {SAMPLES} flights",
            f"{many.median_ms:.0f} ms median, {many.best_ms:.0f} best",
            "120 ms",
            many.median_ms <= 120.0,
            "start_many(): all flights to the end of the charge, two threads",
        ),
        Row(
            "A whole forecast",
            f"{whole.median_ms:.0f} ms median, {whole.best_ms:.0f} best",
            "–",
            True,
            "forecast(): flight, range, callouts, checks",
        ),
        Row(
            "A step of the kernel",
            f"{bare.median_ms / steps * 1e6:.0f} ns median, {bare.best_ms / steps * 1e6:.0f} best",
            "55 ns (first sketch)",
            bare.median_ms / steps * 1e6 < 55.0,
            f"march_many() of one flight of a pulsed pattern, {steps} steps",
        ),
    ]
