"""The next timer: from what was put back, a step at a time (PHYSICS 6)."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from zesty_cell.core.callouts.steps import clock

#: The first flight takes this share of the forecast at most [1].
FIRST_SHARE = 0.5
#: A timer grows by this share a flight at most, until so many flights agree [1, flights].
MOST_GROWTH, AGREEING = 0.25, 3
#: Flights agree when their rates are this near to each other, one standard deviation [1].
AGREEMENT = 0.08
#: A flight of this many flights ago weighs half [flights].
_HALF_LIFE = 6.0
#: Spread of the used charge between flights of the same pattern, before the log tells it [1]; physics.md.
_PRIOR_SIGMA, _PRIOR_FLIGHTS = 0.08, 2.0
#: Residuals beyond so many standard deviations are held back (Huber 1964) [1].
_HUBER = 1.345
_STEP_S = 5.0

Held = Literal["first flight", "growth", "landing rule"]


@dataclass(frozen=True)
class NextTimer:
    """The timer to set.

    Attributes
    ----------
    timer_s : float
        [s], on five seconds.
    held_by : Held
        What keeps it from being longer.
    rate : float or None
        Share of the charge used a second [1/s]; None without flights.
    sigma : float
        Spread of the used share between flights, and of the rate itself, one standard deviation [1].
    aim_s : float or None
        Where the upper end of the used charge meets the landing rule [s].
    flights : int
    why : str
        In a sentence.
    down_s : float
        On the ground by then [s]: the timer, and the way home.
    """

    timer_s: float
    held_by: Held
    rate: float | None
    sigma: float
    aim_s: float | None
    flights: int
    why: str
    down_s: float


def _down(seconds: float) -> float:
    return max(math.floor(seconds / _STEP_S + 1e-9) * _STEP_S, _STEP_S)


def used_rate(flights: Sequence[tuple[float, float]], /) -> tuple[float, float]:
    """Share of the charge used a second, and its spread, from (duration, share used), the oldest first [s, 1].

    Through the origin, each flight by its own rate; recent ones weigh more, and one far from the rest is held
    back as Huber does.  The spread joins what was expected before any flight with what the flights show.
    """
    rates = [used / duration for duration, used in flights]
    weights = [0.5 ** ((len(rates) - 1 - k) / _HALF_LIFE) for k in range(len(rates))]
    rate = sum(w * r for w, r in zip(weights, rates, strict=True)) / sum(weights)
    held = weights
    for _ in range(20):
        scale = _spread(rates, held, rate) * rate
        held = [
            w * min(1.0, _HUBER * scale / max(abs(r - rate), 1e-12)) for w, r in zip(weights, rates, strict=True)
        ]
        new = sum(w * r for w, r in zip(held, rates, strict=True)) / sum(held)
        if abs(new - rate) < 1e-9 * rate:
            break
        rate = new
    return rate, _spread(rates, held, rate)


def _spread(rates: Sequence[float], weights: Sequence[float], rate: float) -> float:
    total = sum(weights)
    seen = sum(w * (r / rate - 1.0) ** 2 for w, r in zip(weights, rates, strict=True))
    return math.sqrt((_PRIOR_FLIGHTS * _PRIOR_SIGMA**2 + seen) / (_PRIOR_FLIGHTS + total))


def _early(home_s: float, down_s: float) -> float:
    """How long before the ground the timer calls; a way home longer than half the flight is another flight."""
    return min(home_s, 0.5 * down_s)


def _start_home(early_s: float, down_s: float) -> str:
    if early_s < _STEP_S:
        return ""
    return f" It leaves {clock(early_s)} for the way home: be on the ground by {clock(down_s)}."


def next_timer(
    *,
    flights: Sequence[tuple[float, float]],
    landing_used: float,
    forecast_s: float,
    home_s: float = 0.0,
    z: float = 1.645,
) -> NextTimer:
    """The timer for the next flight of a craft, pack type and pattern.

    Parameters
    ----------
    flights : sequence of (duration, used)
        Oldest first; share of the pack's charge by what was put back [s, 1].
    landing_used : float
        Share used at which the landing rule lands [1].
    forecast_s : float
        The sheet's timer [s].
    home_s : float
        Way home after the timer [s]: flights are logged to the ground, the timer calls this much earlier.
    z : float
        How far up the used charge's interval is aimed at the rule: 1.645 leaves one flight in twenty over it.

    Raises
    ------
    ValueError
        When a flight has no duration or used nothing.
    """
    if any(duration <= 0.0 or used <= 0.0 for duration, used in flights):
        raise ValueError("A flight lasts some time and uses some charge.")
    if not flights:
        down_s = _down(FIRST_SHARE * (forecast_s + home_s))
        early_s = _early(home_s, down_s)
        why = (
            f"First flight: half of the forecast's {clock(forecast_s + home_s)}. Put back what it took, and the "
            "next may be longer." + _start_home(early_s, down_s)
        )
        return NextTimer(_down(down_s - early_s), "first flight", None, _PRIOR_SIGMA, None, 0, why, down_s)
    rate, sigma = used_rate(flights)
    n = len(flights)
    total = sum(0.5 ** ((n - 1 - k) / _HALF_LIFE) for k in range(n))
    # What the next flight does, and how well the rate is known.
    whole = sigma * math.sqrt(1.0 + 1.0 / total)
    aim_s = landing_used / (rate * (1.0 + z * whole))
    longest_s = max(duration for duration, _ in flights)
    recent = [used / duration for duration, used in flights[-AGREEING:]]
    mean = sum(recent) / len(recent)
    agree = len(recent) >= AGREEING and (
        math.sqrt(sum((r / mean - 1.0) ** 2 for r in recent) / (len(recent) - 1)) <= AGREEMENT
    )
    grown_s = longest_s * (1.0 + MOST_GROWTH)
    after = f"{n} flight{'' if n == 1 else 's'} used {100 * rate * 60:.1f} % a minute"
    held_by: Held = "growth" if not agree and grown_s < aim_s else "landing rule"
    if held_by == "growth":
        timer_s = grown_s
        why = (
            f"{after}; a quarter longer than the longest of {clock(longest_s)}, until {AGREEING} flights agree. "
            f"They point to {clock(aim_s)}."
        )
    else:
        timer_s = aim_s
        why = f"{after}: nineteen of twenty flights then land with {100 * (1 - landing_used):.0f} % or more."
    down_s = _down(timer_s)
    early_s = _early(home_s, down_s)
    why += _start_home(early_s, down_s)
    return NextTimer(_down(down_s - early_s), held_by, rate, whole, aim_s, n, why, down_s)
