"""Discharge runs of packs that nobody knows: what is told of them, and how fast a dozen are read and drawn."""

from __future__ import annotations

import numpy as np

from benchmarks.timing import Row, measure
from zesty_cell.core.discharge.apart import Apart, apart
from zesty_cell.core.discharge.rows import RunOf
from zesty_cell.core.discharge.run import discharge_run
from zesty_cell.core.parts.pack import Pack
from zesty_cell.formats.csv_table import read_table
from zesty_cell.formats.discharge_csv import guess_discharge, read_discharge
from zesty_cell.standins.discharger import Discharger, HiddenPack, Setting
from zesty_cell.web.drawing.discharge_chart import OneRun, discharge_chart

#: Of each kind: chemistry, cells, capacity [Ah], label's C, mass [kg], rates [C], the hardest jump [C].
_KINDS = (
    ("lipo", 4, 1.5, 75.0, 0.18, (0.5, 1.0, 5.0), 10.0),
    ("lipo", 6, 1.3, 100.0, 0.21, (0.5, 1.0, 5.0), 10.0),
    ("liion_power", 6, 4.0, None, 0.46, (0.2, 1.0, 3.0), 5.0),
    ("lipo", 2, 0.45, 60.0, 0.028, (0.5, 1.0, 5.0), 10.0),
    ("lihv", 4, 0.85, 80.0, 0.1, (0.5, 1.0, 5.0), 10.0),
    ("liion_energy", 4, 3.5, None, 0.22, (0.2, 0.5, 1.0), 2.0),
    ("lipo", 3, 2.2, 40.0, 0.18, (0.5, 1.0, 5.0), 10.0),
)
_PACKS, _SEED = 20, 1000
#: A dozen curves of so many lines.
_CURVES, _LINES = 12, 20_000


def _runs(hidden: HiddenPack, *, rates: tuple[float, ...], jump_c: float, seed: int) -> list[RunOf]:
    instrument, pack, chemistry = Discharger(seed=seed), hidden.pack, hidden.chemistry
    rng = np.random.default_rng(seed)
    watts = jump_c * pack.capacity_ah * pack.series * chemistry.nominal_v
    settings = []
    for rate in rates:
        floor_v = (
            chemistry.hard_floor_v if chemistry.cell_form == "round" and rate <= 1.0 else chemistry.loaded_floor_v
        )
        settings.append(
            Setting(amps=rate * pack.capacity_ah, cutoff_v=floor_v * pack.series, every_s=1 if rate >= 1 else 4)
        )
    jumps = ((12.0, 0.6 * watts), (25.0, 0.15 * watts), (8.0, 0.9 * watts))
    settings.append(Setting(mode="pattern", pattern=jumps, cutoff_v=chemistry.loaded_floor_v * pack.series))
    found = []
    for setting in settings:
        air_c = 20.0 + 2.0 * rng.normal()
        c = np.array(list(instrument.lines(hidden, setting, air_c=air_c))).T
        run = discharge_run(time_s=c[0], pack_v=c[1], current_a=c[2], used_ah=c[3], temperature_c=c[4])
        found.append(RunOf(run, air_c + rng.normal()))
    return found


def _hidden() -> list[tuple[HiddenPack, Apart]]:
    found = []
    for k in range(_PACKS):
        chemistry, series, capacity_ah, label_c, mass_kg, rates, jump_c = _KINDS[k % len(_KINDS)]
        pack = Pack.model_validate(
            {
                "name": "hidden",
                "chemistry": chemistry,
                "series": series,
                "capacity_ah": capacity_ah,
                "label_c": label_c,
                "mass_kg": mass_kg,
            }
        )
        hidden = HiddenPack(pack, seed=_SEED + k)
        runs = _runs(hidden, rates=rates, jump_c=jump_c, seed=2 * _SEED + k)
        found.append((hidden, apart(runs, pack=pack)))
    return found


def _accuracy() -> list[Row]:
    packs = _hidden()
    capacity = [a.capacity_ah.value / h.capacity_ah - 1.0 for h, a in packs if a.capacity_ah.told]
    ohm = [a.resistance_ohm.value / h.one_second_ohm() - 1.0 for h, a in packs if a.resistance_ohm.told]
    rest, among = [], 0
    for hidden, found in packs:
        inside = (found.charge_left >= 0.1) & (found.charge_left <= 0.95)
        among += int(inside.sum())
        off = found.rest_v - hidden.mean_rest_v(found.charge_left)
        rest.append(np.abs(off[inside & found.told]))
    off_v = np.concatenate(rest)
    measured = "3 steady rates and one that jumps, begun full, a probe, an instrument with its own scales, rounding"
    within = float(np.mean(off_v <= 0.005))
    return [
        Row(
            "Capacity of 20 hidden packs, where told",
            f"{len(capacity)} told, at most {100 * float(np.abs(capacity).max()):.1f} % out, "
            f"{100 * float(np.mean(capacity)):+.1f} % on average",
            "1 %",
            bool(np.abs(capacity).max() <= 0.01),
            measured,
        ),
        Row(
            "Their resistance, where told",
            f"{len(ohm)} told, {sum(abs(e) <= 0.03 for e in ohm)} within 3 %, at most "
            f"{100 * float(np.abs(ohm).max()):.1f} % out",
            "3 %",
            bool(np.abs(ohm).max() <= 0.03),
            "the same; one second, 25 °C, half charge, at the plug",
        ),
        Row(
            "Their rest voltage between 10 and 95 %, where told",
            f"{100 * off_v.size / among:.0f} % of the points told, {100 * within:.1f} % of these within 5 mV, "
            "at most "
            f"{1000 * float(off_v.max()):.1f} mV out",
            "5 mV",
            bool(off_v.max() <= 0.005),
            "the same; the mean cell",
        ),
    ]


def _speed() -> list[Row]:
    pack = Pack(name="dozen", chemistry="lipo", series=4, capacity_ah=1.5, mass_kg=0.18)
    files = []
    for k in range(_CURVES):
        amps = (0.5 + 0.4 * k) * 1.5
        seconds = 3600.0 * 1.35 / amps
        setting = Setting(amps=amps, cutoff_v=12.0, every_s=max(seconds / _LINES, 0.01))
        files.append(Discharger(seed=k).csv(HiddenPack(pack, seed=k), setting))
    lines = min(data.count(b"\n") for data in files)

    def read() -> list[OneRun]:
        found = []
        for data in files:
            table = read_table(data)
            run = read_discharge(table, guess_discharge(table, series=4)).run
            found.append(OneRun(run, 4, 1.5))
        return found

    runs = read()
    reading = measure(read, runs=3, warm=0)
    drawing = measure(lambda: discharge_chart(runs, axis="charge", cutoff_v=3.3), runs=9)
    return [
        Row(
            f"A dozen recordings of {lines} lines and more read", f"{reading.median_ms / 1000:.2f} s", "2 s",
            reading.median_ms <= 2000, "nine columns each, columns guessed",
        ),
        Row(
            "Those drawn over one another", f"{drawing.median_ms:.0f} ms", "300 ms", drawing.median_ms <= 300,
            "geometry with knees and ticks",
        ),
    ]  # fmt: skip


def discharge() -> list[Row]:
    """What is told of hidden packs, and the speed of a dozen curves."""
    return [*_accuracy(), *_speed()]
