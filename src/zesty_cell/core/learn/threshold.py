"""The land-now voltage after landings with too much or too little left: a step at a time (PHYSICS 6)."""

from __future__ import annotations

import statistics
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from zesty_cell.core.answer.forecast import Forecast
from zesty_cell.core.answer.thresholds import on_step, voltage_step_v
from zesty_cell.core.fact import Fact, fact
from zesty_cell.core.learn.flights import LoggedFlight

#: The threshold moves by this at most after a look at the log [V, pack].
MOST_STEP_V = 0.1
#: Fewer landings by the call say too little; only the newest count [flights, flights].
LEAST_LANDINGS, NEWEST = 2, 5
#: What is left may differ from what is asked by this without a word [1].
NEAR_ENOUGH = 0.04
#: Landed so long before the timer, a flight was ended by the call [s].
_BEFORE_TIMER_S = 10.0
#: The slope is taken over this share of the charge around the landing point [1].
_AROUND = 0.06


@dataclass(frozen=True)
class ThresholdStep:
    """What to set “land now” to next.

    Attributes
    ----------
    pack_v, cell_v : float
        [V], on what a transmitter can be set to.
    was_v : float
        Of the pack [V].
    held_by : "the landings", "one step" or "the floor"
        What keeps it from moving further.
    left : float
        Median charge left of those landings [1].
    flights : int
    why : Fact
    """

    pack_v: float
    cell_v: float
    was_v: float
    held_by: Literal["the landings", "one step", "the floor"]
    left: float
    flights: int
    why: Fact


@dataclass(frozen=True)
class Landing:
    """A flight, and the charge left in its very pack when it landed, by what that pack is believed to hold [1]."""

    flight: LoggedFlight
    left: float


def landed_by_the_call(flight: LoggedFlight, /) -> bool:
    """Whether a flight ended at the call: as the pilot said, else where it ended clearly before its timer [s]."""
    if flight.landed_by is not None:
        return flight.landed_by == "the call"
    return flight.timer_s is None or flight.duration_s <= flight.timer_s - _BEFORE_TIMER_S


def volts_per_charge(result: Forecast, /) -> float:
    """Slope of the steady voltage around the landing point [V a cell for all of the charge], from the forecast."""
    flight = result.flight
    at = flight.left_at(flight.landing_s)
    near = np.abs(flight.charge_left - at) <= _AROUND
    if int(near.sum()) < 5 or float(np.ptp(flight.charge_left[near])) < 0.01:
        return 0.0
    slope, _ = np.polyfit(flight.charge_left[near], flight.cruise_v[near], 1)
    return max(float(slope), 0.0)


def next_threshold(
    landings: Sequence[Landing], /, *, result: Forecast, kept: float, cell_v: float
) -> ThresholdStep | None:
    """The next “land now” voltage, where the landings by it left something else than was asked; None otherwise.

    Parameters
    ----------
    landings : sequence of Landing
        Oldest first, of this craft, type of pack and pattern.
    result : Forecast
        Of that sheet.
    kept : float
        Charge that the landing rule keeps [1].
    cell_v : float
        Where it speaks now [V a cell].
    """
    by_call = [one.left for one in landings if landed_by_the_call(one.flight)][-NEWEST:]
    if len(by_call) < LEAST_LANDINGS:
        return None
    left = statistics.median(by_call)
    off = left - kept
    if abs(off) <= NEAR_ENOUGH or not all((one > kept) == (off > 0) for one in by_call):
        return None
    series = result.setup.sheet.pack.series
    was_v, step_v = cell_v * series, voltage_step_v(series=series)
    wanted_v = was_v - off * volts_per_charge(result) * series
    floor_v = result.setup.chemistry.loaded_floor_v * series
    held_by: Literal["the landings", "one step", "the floor"] = "the landings"
    if abs(wanted_v - was_v) > MOST_STEP_V:
        wanted_v, held_by = was_v + np.copysign(MOST_STEP_V, wanted_v - was_v), "one step"
    if wanted_v < floor_v:
        wanted_v, held_by = floor_v, "the floor"
    pack_v = on_step(value=float(wanted_v), step=step_v, up=wanted_v < was_v)
    if abs(pack_v - was_v) < 0.5 * step_v:
        return None
    n = len(by_call)
    why = fact(
        "threshold.lower" if pack_v < was_v else "threshold.higher",
        flights=n,
        left_share=left,
        kept_share=kept,
        volts=abs(pack_v - was_v),
    )
    if held_by != "the landings":
        why = fact("threshold.one_step" if held_by == "one step" else "threshold.the_floor", step=why)
    return ThresholdStep(pack_v, pack_v / series, was_v, held_by, left, n, why)
