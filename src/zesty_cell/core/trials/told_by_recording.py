"""What a discharge run, or the telemetry of a flight, measures of a test's question."""

from __future__ import annotations

import numpy as np

from zesty_cell.core.callouts.telemetry import Telemetry, last_heard
from zesty_cell.core.discharge.run import DischargeRun, at_cutoff
from zesty_cell.core.learn.climbs import climbs_of
from zesty_cell.core.trials.question import Question

#: A current within this share of the one that is asked about counts as that [1]; a climb's may be further off.
_NEAR, _NEAR_CLIMB = 0.05, 0.15
_LEAST_LINES = 5


def value_of_run(run: DischargeRun, /, *, question: Question, series: int) -> float | None:
    """What a discharge measured [s, Wh, V a cell, °C: as the measure has it]; None where it does not tell.

    Parameters
    ----------
    series : int
        Cells of what was on the discharger [1].
    """
    at = question.at or 0.0
    if question.measure == "energy":
        return run.total_wh
    if question.measure == "temperature":
        return None if run.temperature_c is None else float(run.temperature_c.max())
    if question.measure == "time_to_voltage":
        reached = at_cutoff(run, cutoff_v=at * series)
        return None if reached is None else reached.seconds
    if question.measure == "time_to_charge":
        of = run.loaded
        drawn, time_s = run.drawn_ah[of] - run.drawn_ah[of.start], run.time_s[of] - run.time_s[of.start]
        return float(np.interp(at, drawn, time_s)) if float(drawn[-1]) >= at else None
    if question.measure == "loaded_v":
        near = np.abs(run.current_a[run.loaded] - at) <= _NEAR * at
        volts = run.pack_v[run.loaded][near]
        return float(np.mean(volts)) / series if volts.size >= _LEAST_LINES else None
    return None


def value_of_log(log: Telemetry, /, *, question: Question, series: int) -> float | None:
    """What the telemetry of a flight measured [Wh, V a cell, °C]; None where it does not tell.

    The voltage under a current is that of its climbs at about that current, a second into each.

    Parameters
    ----------
    series : int
        Cells of the pack that was flown [1].
    """
    if question.measure == "temperature":
        known = np.zeros(0) if log.temperature_c is None else log.temperature_c[~np.isnan(log.temperature_c)]
        return float(known.max()) if known.size else None
    if question.measure == "energy" and log.pack_v is not None and log.current_a is not None:
        watts = np.nan_to_num(last_heard(log.pack_v) * last_heard(log.current_a))
        return float(0.5 * (watts[1:] + watts[:-1]) @ np.diff(log.time_s) / 3600.0) or None
    if question.measure == "loaded_v" and question.at is not None:
        near = [
            c.in_v / series
            for c in climbs_of(log, series=series)
            if c.in_a is not None and abs(c.in_a - question.at) <= _NEAR_CLIMB * question.at
        ]
        return float(np.median(near)) if near else None
    return None
