"""The kernel and the forecast: accuracy against tight integration, and speed."""

from __future__ import annotations

import numpy as np
from tests.core.cases import STEP_S, cell_parameters, march
from tests.oracles import thevenin
from tests.sheets import heron, sheet

from benchmarks.timing import Row, measure
from zesty_cell.core.answer.forecast import SAMPLES, forecast, sampled_factors
from zesty_cell.core.asked.changes import plain_pack
from zesty_cell.core.asked.flying import FULL_THROTTLE, PATTERNS, POWER
from zesty_cell.core.asked.landing import LandingRule
from zesty_cell.core.asked.sheet import Conditions, Sheet
from zesty_cell.core.flight import kernel
from zesty_cell.core.flight.many import start_many
from zesty_cell.core.flight.one import NOTHING_KEPT, fly
from zesty_cell.core.flight.parameters import kernel_parameters
from zesty_cell.core.flight.setup import Factors, program_of, set_up
from zesty_cell.core.flight.summary import fly_to_landing
from zesty_cell.core.parts.chemistries import CHEMISTRIES, chemistry_for
from zesty_cell.core.parts.chemistry import cell_table, temperature_table
from zesty_cell.core.parts.craft import Limits
from zesty_cell.core.parts.pack import Pack
from zesty_cell.demo.club import SHEET_LIST
from zesty_cell.demo.crafts import CRAFT_LIST
from zesty_cell.demo.packs import PACK_LIST

SMOOTH = [(POWER, 29.0, 60.0)]
PULSED = [
    (POWER, 29.0, 9.0),
    (FULL_THROTTLE, 1.0, 1.0),
    (POWER, 40.0, 4.0),
    (POWER, 6.0, 3.0),
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


#: Random sheets of all chemistries, crafts and rules that are integrated tightly beside the kernel, and some of
#: packs that last less than a minute.
_SHEETS, _SHORT, _SEED = 25, 6, 11


def _random_sheets() -> list[Sheet]:
    rng = np.random.default_rng(_SEED)
    crafts, packs, found = list(CRAFT_LIST), list(PACK_LIST), []
    chemistries = sorted(CHEMISTRIES)
    while len(found) < _SHEETS + _SHORT:
        short = len(found) >= _SHEETS
        name, craft, pack, *_ = SHEET_LIST[rng.integers(len(SHEET_LIST))]
        chosen = next(p for p in packs if p.name == pack)
        chemistry = chemistries[len(found) % len(chemistries)]
        other = chemistry_for(chemistry)
        series = max(1, round(chosen.series * chemistry_for(chosen.chemistry).nominal_v / other.nominal_v))
        like = plain_pack(chosen).model_dump() | {
            "arrangement": "rows",
            "capacity_ah": chosen.capacity_ah * (0.1 if short else 1.0),
            "chemistry": chemistry,
            "series": series,
            "cell_resistance_ohm": None,
        }
        rule = {"charge_kept": float(rng.uniform(0.15, 0.4))}
        if rng.uniform() < 0.3:
            rule |= {"charge_kept": None, "rest_v": other.landing_rest_v}
        elif rng.uniform() < 0.3:
            rule |= {"loaded_v": other.landing_loaded_v + 0.1}
        elif rng.uniform() < 0.2:
            rule |= {"timer_s": float(rng.uniform(90.0, 300.0))}
        kind = next(c for c in crafts if c.name == craft)
        patterns = list(PATTERNS)[:9]  # those that its sheets were drawn from first
        one = Sheet(
            name=name,
            craft=kind.model_copy(update={"limits": Limits()}),
            pack=Pack.model_validate(like | {"quality": "good", "mass_kg": chosen.mass_kg}),
            flying=PATTERNS[patterns[rng.integers(len(patterns))]],
            conditions=Conditions(air_c=float(rng.uniform(-5.0, 35.0))),
            landing=LandingRule.model_validate(rule),
        )
        at_landing = fly_to_landing(set_up(one))
        # Without floor, and with power that is to be had: those are events of their own.
        lasts = 10.0 < at_landing.landing_s < 60.0 if short else at_landing.landing_s > 60.0
        if lasts and at_landing.flies and at_landing.holds and at_landing.landing_reason not in ("floor", "empty"):
            found.append(one)
    return found


def integrated() -> list[Row]:
    """Landing, charge, volts and temperature of random sheets against DOP853 of the same equations."""
    worst = {"long": 0.0, "short": 0.0, "used": 0.0, "volts": 0.0, "kelvin": 0.0}
    counts = {"long": 0, "short": 0}
    for one in _random_sheets():
        setup = set_up(one)
        params = kernel_parameters(setup=setup, factors=Factors.expected(), beyond_landing=0.0)[0]
        program = program_of(setup=setup, factors=Factors.expected())
        truth = thevenin.land(
            params=params, kinds=program.kind.tolist(), values=program.value[0].tolist(),
            seconds=program.seconds[0].tolist(), works_j=program.work_j[0].tolist(), chemistry=setup.chemistry,
        )  # fmt: skip
        flight, at_landing = fly(setup), fly_to_landing(setup)
        length = "long" if truth.landing_s > 60.0 else "short"
        counts[length] += 1
        worst[length] = max(worst[length], abs(at_landing.landing_s / truth.landing_s - 1.0))
        if length == "short":
            continue
        used = (one.conditions.start_charge - truth.charge_left) * setup.figures.capacity_ah
        worst["used"] = max(worst["used"], abs(at_landing.used_ah / used - 1.0))
        worst["kelvin"] = max(worst["kelvin"], abs(at_landing.landing_c - truth.temperature_c))
        for at, volts, celsius in truth.on_the_way:
            seen = float(np.interp(at, flight.time_s, flight.loaded_v))
            worst["volts"] = max(worst["volts"], abs(seen - volts))
            worst["kelvin"] = max(worst["kelvin"], abs(flight.temperature_at(at) - celsius))
    inside = "fly() and fly_brief() against solve_ivp, stretch by stretch, bursts of work and every landing rule"
    return [
        Row(
            f"Landing, {counts['long']} random sheets",
            f"{100 * worst['long']:.4f} %",
            "0.02 %",
            worst["long"] <= 2e-4,
            inside,
        ),
        Row(
            f"Landing, {counts['short']} shorter than a minute",
            f"{100 * worst['short']:.4f} %",
            "0.1 %",
            worst["short"] <= 1e-3,
            inside,
        ),
        Row("Charge used at landing", f"{100 * worst['used']:.4f} %", "0.02 %", worst["used"] <= 2e-4, inside),
        Row("Voltage a cell on the way", f"{1e3 * worst['volts']:.2f} mV", "1 mV", worst["volts"] <= 1e-3, inside),
        Row("Temperature of a cell", f"{worst['kelvin']:.4f} K", "0.02 K", worst["kelvin"] <= 0.02, inside),
    ]


def speed() -> list[Row]:
    """One flight, the range, and the whole forecast of a 20-minute flight."""
    one = sheet(craft=heron(dry_mass_kg=0.75))  # heavy enough to empty its pack in 20 minutes
    setup = set_up(one)
    flight = fly(setup)
    detailed = measure(lambda: fly(setup), runs=200)
    expected = Factors.expected()
    row = kernel_parameters(setup=setup, factors=expected)[0]
    program = program_of(setup=setup, factors=expected)
    room = flight.time_s.size + 10
    kept = np.empty((kernel.TRACE_COUNT, room)), NOTHING_KEPT
    written = np.empty(kernel.SUMMARY_COUNT)
    flown = (row, program.kind, program.value[0], program.seconds[0], program.work_j[0], np.empty(0))
    pair = cell_table(setup.chemistry), temperature_table(setup.chemistry)
    one_flight = measure(lambda: kernel.march(*flown, *pair, STEP_S, room, *kept, written), runs=200)
    if written[kernel.END_S] != flight.end_s:
        raise RuntimeError("the measured flight is not the one that fly() flies")
    factors = sampled_factors(setup)
    many = measure(lambda: start_many(setup, factors=factors)(), runs=30)
    whole = measure(lambda: forecast(one), runs=30)
    params = cell_parameters(floor_hold_s=5.0)
    steps = 14_000
    kinds = np.array([s[0] for s in PULSED])
    values = np.array([[s[1] for s in PULSED]])
    seconds = np.array([[s[2] for s in PULSED]])
    program_s = kinds, values, seconds, np.zeros_like(seconds), np.empty((1, 0))
    cell = chemistry_for("liion_power")
    nothing = np.empty((1, 0, 0))
    summary = np.empty((1, kernel.SUMMARY_COUNT))
    tables = cell_table(cell)[None], temperature_table(cell)[None], np.zeros(1, dtype=np.int64)
    params = params[None, :]
    bare = measure(
        lambda: kernel.march_many(params, *program_s, *tables, STEP_S, steps, nothing, summary),
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
            "12 ms",
            whole.median_ms <= 12.0,
            "forecast(): flight, range, callouts, checks",
        ),
        Row(
            "A tenth of a second of flight in the kernel",
            f"{bare.median_ms / steps * 1e6:.1f} ns median, {bare.best_ms / steps * 1e6:.1f} best",
            "19 ns (steps of a tenth)",
            bare.median_ms / steps * 1e6 < 19.0,
            f"march_many() of one flight of a pulsed pattern, {steps} tenths of a second",
        ),
    ]
