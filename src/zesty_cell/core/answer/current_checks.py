"""Checks of currents: against the pack's rating, the honest current, motors, ESC and plug."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.answer.check import Check, Status
from zesty_cell.core.asked.flying import STEP_S
from zesty_cell.core.fact import fact
from zesty_cell.core.flight.honest_current import HonestCurrent
from zesty_cell.core.flight.one import Flight
from zesty_cell.core.flight.setup import Setup
from zesty_cell.core.parts.full_throttle import most_motors_a, standing_current_a


def _summed_squares(current_a: NDArray[np.float64]) -> NDArray[np.float64]:
    """Of the samples until each [A²], shape (n + 1,)."""
    sums = np.empty(current_a.size + 1)
    sums[0] = 0.0
    np.cumsum(current_a * current_a, out=sums[1:])
    return sums


def _windows(sums: NDArray[np.float64], seconds: float) -> tuple[NDArray[np.float64], int]:
    """Summed squares [A²] of every window of ``seconds`` [s], shape (windows,), and its samples."""
    window = max(1, min(round(seconds / STEP_S), sums.size - 1))
    return sums[window:] - sums[:-window], window


def rolling_rms(current_a: NDArray[np.float64], /, seconds: float) -> NDArray[np.float64]:
    """Root mean square [A] over every window of ``seconds`` [s], shape (windows,); over all where there is less."""
    squares, window = _windows(_summed_squares(current_a), seconds)
    return np.asarray(np.sqrt(np.maximum(squares, 0.0) / window))


def _worst_tier(current_a: NDArray[np.float64], limits_a: tuple[float, float, float]) -> tuple[int, float, float]:
    """The tier used most: 0 continuous, 1 one minute, 2 ten seconds; its current [A] and moment [s].

    What lasts longer than a minute must keep to the continuous rating, what lasts longer than ten
    seconds to the one-minute rating, and nothing may pass the ten-second one.
    """
    worst = (0, 0.0, 0.0, -1.0)
    sums = _summed_squares(current_a)
    for tier, (seconds, limit) in enumerate(zip((60.0, 10.0, 1.0), limits_a, strict=True)):
        squares, window = _windows(sums, seconds)
        k = int(np.argmax(squares))
        rms_a = math.sqrt(max(float(squares[k]), 0.0) / window)
        if rms_a / limit > worst[3]:
            worst = (tier, rms_a, k * STEP_S, rms_a / limit)
    return worst[:3]


#: Tiers of a rating, from the one that holds for minutes.
_TIERS = ("continuous", "one_minute", "ten_second")


def _pack_rating(setup: Setup, flight: Flight, stop: int) -> Check | None:
    ratings = setup.figures.ratings
    if ratings is None:
        return None
    limits = (ratings.continuous_a, ratings.one_minute_a, ratings.ten_second_a)
    tier, worst_a, at_s = _worst_tier(flight.current_a[:stop], limits)
    source = "label" if setup.figures.ratings_known == "maker" else "pack"
    name = fact(f"rating.{source}.{_TIERS[tier]}")
    share = worst_a / limits[tier]
    if share <= 1.0:
        return Check(
            "pack_rating",
            "ok",
            fact("check.pack_rating.inside", name=name),
            worst_a,
            limits[tier],
            "A",
            at_s,
            None,
        )
    return Check(
        "pack_rating",
        "look" if share <= 1.15 else "stop",
        fact("check.pack_rating.passes", name=name),
        worst_a,
        limits[tier],
        "A",
        at_s,
        fact("check.pack_rating.mend"),
    )


def _honest(setup: Setup, flight: Flight, honest: HonestCurrent, stop: int) -> Check:
    rms = rolling_rms(flight.current_a[:stop], 60.0)
    k = int(np.argmax(rms))
    status: Status = "ok" if rms[k] <= honest.current_a else "look" if rms[k] <= 1.3 * honest.current_a else "stop"
    why = fact("honest.heat" if honest.limited_by == "heat" else "honest.sag")
    return Check(
        "honest_current",
        status,
        (fact("check.honest_current.inside") if status == "ok" else fact("check.honest_current.over")),
        float(rms[k]),
        honest.current_a,
        "A",
        k * STEP_S,
        (None if status == "ok" else fact("check.honest_current.mend", why=why)),
    )


def _part_limit(key: str, limit_a: float | None, worst_a: float, at_s: float) -> Check | None:
    if limit_a is None:
        return None
    share = worst_a / limit_a
    status: Status = "ok" if share <= 1.0 else "look" if share <= 1.1 else "stop"
    part = key.removesuffix("_limit")
    title = fact(f"check.{part}_limit.inside" if status == "ok" else f"check.{part}_limit.passes")
    mend = None if status == "ok" else fact("check.part_limit.mend")
    return Check(key, status, title, worst_a, limit_a, "A", at_s, mend)


def current_checks(*, setup: Setup, flight: Flight, honest: HonestCurrent, stop: int) -> tuple[Check | None, ...]:
    """What applies of them to the first ``stop`` samples of a flight [A]; None for what does not."""
    craft = setup.sheet.craft
    k = int(np.argmax(flight.full_throttle_a[:stop]))
    # Held on the ground the propeller is loaded most, and that happens: at every take-off.
    worst_a = standing_current_a(
        load=setup.load, flying_a=float(flight.full_throttle_a[k]), pack_ohm=setup.figures.resistance_ohm
    )
    motors_a = most_motors_a(craft=craft, load=setup.load, standing_a=worst_a)
    return (
        _pack_rating(setup, flight, stop),
        _honest(setup, flight, honest, stop),
        _part_limit("motor_limit", motors_a, worst_a, k * STEP_S),
        _part_limit("esc_limit", craft.limits.all_escs_burst_a(), worst_a, k * STEP_S),
    )
