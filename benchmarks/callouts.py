"""The callouts: a plan over a flight, the score over the bad days, tuning a rule."""

from __future__ import annotations

import numpy as np
from tests.sheets import sheet

from benchmarks.timing import Row, measure
from zesty_cell.core.answer.forecast import forecast
from zesty_cell.core.callouts.conditions import Condition
from zesty_cell.core.callouts.dry_run import on_forecast
from zesty_cell.core.callouts.engine import Engine
from zesty_cell.core.callouts.rules import Rule
from zesty_cell.core.callouts.schools import write_plan
from zesty_cell.core.callouts.score import BAD_DAYS, score_plan
from zesty_cell.core.callouts.sounds import spoken_sounds
from zesty_cell.core.callouts.telemetry import on_telemetry
from zesty_cell.core.callouts.tune import tune
from zesty_cell.demo.log import telemetry_csv
from zesty_cell.formats.csv_table import read_table
from zesty_cell.formats.espeak import VOICES
from zesty_cell.formats.telemetry_columns import guess_mapping
from zesty_cell.formats.telemetry_csv import read_telemetry
from zesty_cell.formats.voices_wav import voices_zip


def callouts() -> list[Row]:
    """The engine, the score and tuning on a 20-minute flight."""
    one = sheet()
    result = forecast(one)
    plan = write_plan(result, school="loaded voltage").plan
    more = tuple(
        Rule(key=f"own_{k}", name="own", conditions=(Condition(value=18.0 + k / 10),), hold_s=2.0, say=f"word {k}")
        for k in range(12 - len(plan.rules))
    )
    twelve = plan.model_copy(update={"rules": (*plan.rules, *more)})
    frames = on_forecast(plan=twelve, result=result).frames
    said = len(Engine(twelve).feed_rows(frames))
    if said < 10:
        raise RuntimeError("the plan says too little to be measured by")
    run = measure(lambda: Engine(twelve).feed_rows(frames), runs=100)
    scored = measure(lambda: score_plan(plan=plan, sheet=one, days=BAD_DAYS), runs=7)
    tuned = measure(lambda: tune(plan=plan, key="land_now", sheet=one), runs=5)
    sounds = spoken_sounds(plan)
    spoken = measure(lambda: voices_zip(sounds, voice=VOICES[0], words_a_minute=165, rate_hz=32_000), runs=7)
    data = telemetry_csv(one)
    mapping = guess_mapping(read_table(data), series=one.pack.series)
    logged = measure(
        lambda: on_telemetry(read_telemetry(read_table(data), mapping).telemetry, plan=plan, pack=one.pack), runs=9
    )
    minutes = float(np.ptp(frames.time_s)) / 60.0
    return [
        Row(
            f"A flight of {minutes:.0f} min at 10 Hz through 12 rules",
            f"{run.median_ms:.1f} ms median, {run.best_ms:.1f} best",
            "20 ms",
            run.median_ms <= 20.0,
            f"plan made ready, {len(frames)} frames through the engine, {said} events",
        ),
        Row(
            "The score over 200 flights × 8 bad days",
            f"{scored.median_ms:.0f} ms median, {scored.best_ms:.0f} best",
            "200 ms",
            scored.median_ms <= 200.0,
            "score_plan(): setups, 1 600 flights, every rule followed through each, judged",
        ),
        Row(
            "Reading a telemetry log and running a plan on it",
            f"{logged.median_ms:.0f} ms median, {logged.best_ms:.0f} best",
            "–",
            True,
            f"CSV of {len(data) / 1e3:.0f} kB to columns, numbers, frames and a judged dry run",
        ),
        Row(
            "Tuning a rule",
            f"{tuned.median_ms:.0f} ms median, {tuned.best_ms:.0f} best",
            "3 000 ms",
            tuned.median_ms <= 3000.0,
            "tune(): 1 800 flights, every threshold and ten holds watched on each",
        ),
        Row(
            f"All voices of a plan, {len(sounds)} files",
            f"{spoken.median_ms:.0f} ms median, {spoken.best_ms:.0f} best",
            "3 000 ms",
            spoken.median_ms <= 3000.0,
            "voices_zip(): spoken, resampled to 32 kHz, trimmed, normalised, packed",
        ),
    ]
