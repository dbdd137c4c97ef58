"""Laps by position: races and flying about in a world that is not the core's, by receivers that wander."""

from __future__ import annotations

import math
import time

import numpy as np
from numpy.typing import NDArray

from benchmarks.timing import Row
from zesty_cell.core.callouts.telemetry import Telemetry
from zesty_cell.core.learn.laps import laps_of

#: Metres of a degree of latitude, by a sphere of another size than the core's (the polar radius).
_DEGREE_M = math.pi * 6_356_752.0 / 180.0
_FLIGHTS = 200
_RATES_HZ = (1.0, 2.0, 5.0, 10.0)
FloatArray = NDArray[np.float64]


def course(turn: FloatArray, *, size_m: float = 60.0) -> tuple[FloatArray, FloatArray]:
    """Points of a closed course with hairpins and straights, at shares of its way round [m]."""
    angle = 2.0 * np.pi * turn
    reach = size_m * (1.0 + 0.35 * np.cos(3.0 * angle))
    return 1.8 * reach * np.cos(angle), reach * np.sin(angle)


def gps(
    x: FloatArray, y: FloatArray, rng: np.random.Generator, *, at: tuple[float, float] = (47.0, 8.0)
) -> tuple[FloatArray, FloatArray]:
    """Positions as a receiver writes them: a slow wander of metres, a little noise, seven decimals [°]."""
    n = x.size
    drift = np.zeros((2, n))
    for k in range(1, n):
        drift[:, k] = 0.995 * drift[:, k - 1] + 0.2 * rng.normal(size=2)
    east, north = x + drift[0] + 0.4 * rng.normal(size=n), y + drift[1] + 0.4 * rng.normal(size=n)
    lat = np.round(at[0] + north / _DEGREE_M, 7)
    lon = np.round(at[1] + east / (_DEGREE_M * math.cos(math.radians(at[0]))), 7)
    return lat, (lon + 180.0) % 360.0 - 180.0


def raced(
    seed: int, *, laps: int = 8, rate_hz: float = 5.0, at: tuple[float, float] = (47.0, 8.0), amps: float = 40.0
) -> tuple[Telemetry, FloatArray, FloatArray]:
    """A race of two rounds more than so many, each a little slower or faster; the rounds' times and edges [s]."""
    rng = np.random.default_rng(seed)
    times = 15.0 * (1.0 + 0.06 * rng.normal(size=laps + 2))
    edges = np.concatenate(([0.0], np.cumsum(times)))
    time_s = np.arange(0.0, edges[-1], 1.0 / rate_hz)
    turns = np.interp(time_s, edges, np.arange(edges.size))
    # No two rounds are flown on the same line: some metres wider here, tighter there.
    knots = np.arange(0.0, edges.size, 0.2)
    line = 1.0 + 0.07 * np.interp(turns, knots, rng.normal(size=knots.size))
    x, y = course(turns % 1.0)
    lat, lon = gps(x * line, y * line, rng, at=at)
    current_a = amps * (1.0 + 0.3 * np.sin(8.0 * np.pi * turns))
    log = Telemetry(
        time_s=time_s, latitude_deg=lat, longitude_deg=lon, current_a=current_a,
        pack_v=16.0 - 0.01 * time_s - 0.02 * current_a,
    )  # fmt: skip
    return log, times, edges


def flown_about(seed: int) -> Telemetry:
    """Five minutes from place to place around the pilot, over the same few again and again, without an order."""
    rng = np.random.default_rng(seed)
    places, legs = int(rng.integers(4, 10)), int(rng.integers(40, 90))
    spots = rng.uniform(-60.0, 60.0, size=(places, 2))
    stops = spots[rng.integers(0, places, size=legs)] + 5.0 * rng.normal(size=(legs, 2))
    time_s = np.arange(0.0, 300.0, 0.2)
    at = np.linspace(0.0, 300.0, legs)
    lat, lon = gps(np.interp(time_s, at, stops[:, 0]), np.interp(time_s, at, stops[:, 1]), rng)
    return Telemetry(time_s=time_s, latitude_deg=lat, longitude_deg=lon)


def laps() -> list[Row]:
    """Races whose every round is found, and flights about the field that are taken for one."""
    whole = 0
    for k in range(_FLIGHTS):
        found = laps_of(raced(5_000 + k, rate_hz=_RATES_HZ[k % len(_RATES_HZ)])[0])
        whole += found is not None and len(found.laps) >= 8
    wrong = sum(laps_of(flown_about(7_000 + k)) is not None for k in range(_FLIGHTS))
    rng = np.random.default_rng(11)
    time_s = np.arange(0.0, 900.0, 0.1)
    lat, lon = gps(*course((time_s / 18.0) % 1.0), rng)
    log = Telemetry(time_s=time_s, latitude_deg=lat, longitude_deg=lon)
    began = time.perf_counter()
    steady = laps_of(log)
    ms = 1000.0 * (time.perf_counter() - began)
    out = [abs(lap.seconds - 18.0) for lap in steady.laps] if steady else [math.inf]
    middle, worst = float(np.median(out)), float(np.max(out))
    circled_s = np.arange(0.0, 14_400.0, 0.1)
    lat, lon = gps(8.0 * np.sin(circled_s), 8.0 * np.cos(circled_s), rng)
    circling = Telemetry(time_s=circled_s, latitude_deg=lat, longitude_deg=lon)
    began = time.perf_counter()
    none = laps_of(circling) is None
    took_s = time.perf_counter() - began
    return [
        Row("Races of which every whole lap is found", f"{whole} of {_FLIGHTS}", "95 %", whole >= 0.95 * _FLIGHTS,
            "by position, 1 to 10 Hz, metres of wander"),
        Row("Flying about taken for a course", f"{wrong} of {_FLIGHTS}", "at most 2 %", wrong <= 0.02 * _FLIGHTS,
            "five minutes between four to nine places"),
        Row("A lap's time is out by", f"{middle:.2f} s, at most {worst:.2f} s", "0.2 s, 0.6 s",
            middle <= 0.2 and worst <= 0.6, "18 s at one speed of some 35 m/s, 10 Hz"),
        Row("Laps of a log of 9 000 lines", f"{ms:.0f} ms", "150 ms", ms <= 150.0, "fifty laps"),
        Row("Four hours of circling over the line", f"{took_s:.1f} s, {'none' if none else 'some'} found",
            "3 s, none", none and took_s <= 3.0, "144 000 lines, each line crossed some 2 300 times"),
    ]  # fmt: skip
