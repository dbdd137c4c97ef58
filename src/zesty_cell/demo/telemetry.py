"""A telemetry log of the made-up club: a flight of the model with its sensors' noise, as a logger writes it."""

from __future__ import annotations

import numpy as np

from zesty_cell.core.callouts.dry_run import flight_frames
from zesty_cell.core.callouts.rules import CalloutPlan
from zesty_cell.core.flight import Factors, fly, set_up
from zesty_cell.core.sheet import Sheet

_SEED = 20260503
#: Lines a second [Hz], and a stretch in which the link was lost [s].
_RATE_HZ, _LOST_S = 5, (412.0, 417.5)


def log_csv(sheet: Sheet) -> bytes:
    """A flight of a sheet as CSV: five lines a second, on the ground before and after, one gap.

    The flight takes 3 % more power than the sheet expects and is a little livelier.
    """
    rng = np.random.Generator(np.random.PCG64(_SEED))
    expected = Factors.expected()
    flown = Factors(
        power=1.03 * expected.power,
        capacity=expected.capacity,
        resistance=1.05 * expected.resistance,
        full_throttle=expected.full_throttle,
        intensity=1.05 * expected.intensity,
        air_c=expected.air_c,
    )
    setup = set_up(sheet)
    flight = fly(setup, factors=flown)
    frames = flight_frames(
        setup=setup,
        flight=flight,
        plan=CalloutPlan(name="Log", series=sheet.pack.series),
        until_s=flight.landing_s,
    )
    every = slice(None, None, 10 // _RATE_HZ)
    still = 8 * _RATE_HZ  # on the ground, armed late and disarmed after landing
    volts = np.pad(frames.pack_v[every], still, constant_values=(frames.pack_v[0] + 0.3, frames.pack_v[-1] + 1.1))
    current = np.pad(frames.current_a[every], still, constant_values=0.4)
    used = np.pad(frames.used_ah[every], still, mode="edge")
    throttle = np.pad(frames.throttle[every], still)
    armed = np.pad(np.ones(throttle.size - 2 * still, dtype=int), still)
    time_s = np.arange(volts.size) / _RATE_HZ
    volts += rng.normal(0.0, 0.03, volts.size)
    current = np.maximum(current + rng.normal(0.0, 0.25, current.size), 0.0)
    heard = (time_s < _LOST_S[0]) | (time_s > _LOST_S[1])
    lines = ["Time (ms),VBat (V),Current (A),Used (mAh),Throttle (%),Armed,Link (%)"]
    for k in np.flatnonzero(heard):
        link = int(np.clip(96 - 30 * np.exp(-(((time_s[k] - 414.0) / 20.0) ** 2)) + rng.normal(0, 1.2), 0, 100))
        lines.append(
            f"{1000 * time_s[k]:.0f},{volts[k]:.2f},{current[k]:.1f},{1000 * used[k]:.0f},"
            f"{100 * throttle[k]:.0f},{armed[k]},{link}"
        )
    return ("\n".join(lines) + "\n").encode()
