"""The timer to set next: the sheet's own, come to step by step (PHYSICS 6).

There is one timer.  Its end is where nineteen of twenty flights, as everything known describes them, have not
reached their landing point: the early end of the forecast that the flights correct, in charge and with the
capacity they taught.  Before flights have shown it, the first takes half of the forecast and each further one
a quarter more than the longest before it.
"""

from __future__ import annotations

import statistics
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from zesty_cell.core.answer.forecast import Forecast
from zesty_cell.core.answer.thresholds import guard_timer
from zesty_cell.core.fact import Fact, fact

#: The first flight takes this share of the forecast at most [1].
FIRST_SHARE = 0.5
#: A timer grows by this share a flight at most, until so many flights agree [1, flights].
MOST_GROWTH, AGREEING = 0.25, 3
#: Until then the timer stays where this share of flights has reached its landing point [1].
_CAUTIOUS_SHARE = 0.01
#: Flights agree when their charge a second is this near to each other, one standard deviation [1].
AGREEMENT = 0.08
#: A way home shorter than this is not worth a word [s].
_WORTH_A_WORD_S = 5.0

Held = Literal["first flight", "growth", "landing rule"]


@dataclass(frozen=True)
class TimedFlight:
    """A flight as the timer looks at it: how long, what it used [s, Ah], and whether it is far from the rest."""

    duration_s: float
    used_ah: float
    odd: bool = False


@dataclass(frozen=True)
class NextTimer:
    """The timer to set.

    Attributes
    ----------
    timer_s, down_s : float
        The timer, and on the ground by then [s]: the timer and the way home.
    held_by : Held
        What keeps it from being longer.
    full_s, full_down_s : float
        What it comes to once the flights agree: the sheet's own timer, and on the ground by then [s].
    flights : int
        That it rests on.
    odd : tuple of int
        Places of the flights that are far from the rest, and hardly count.
    rate_ah_s : float or None
        Charge used a second, the middle of the flights that count [Ah/s]; None without flights.
    why, short : Fact
        In sentences, and in the fewest words.
    """

    timer_s: float
    down_s: float
    held_by: Held
    full_s: float
    full_down_s: float
    flights: int
    odd: tuple[int, ...]
    rate_ah_s: float | None
    why: Fact
    short: Fact


def next_timer(*, flights: Sequence[TimedFlight], result: Forecast) -> NextTimer:
    """The timer for the next flight of a craft with a pack on a pattern.

    Parameters
    ----------
    flights : sequence of TimedFlight
        Of that craft, type of pack and pattern whose charge is known, oldest first [s, Ah].
    result : Forecast
        Of the sheet as those flights correct it, with the very pack.

    Raises
    ------
    ValueError
        When a flight has no duration or used nothing.
    """
    if any(f.duration_s <= 0.0 or f.used_ah <= 0.0 for f in flights):
        raise ValueError("A flight lasts some time and uses some charge.")
    full, home_s, landing_s = result.callouts.timers, result.setup.home_s, result.flight.landing_s
    odd = tuple(k for k, f in enumerate(flights) if f.odd)
    # Where only odd ones are left they are all there is.
    good = [f for f in flights if not f.odd] or list(flights)
    held_by: Held = "landing rule"
    wanted_s = full.down_s
    if not good:
        held_by, wanted_s = "first flight", min(FIRST_SHARE * landing_s, full.down_s)
        why = fact("timer.first", landing_s=landing_s)
        short = fact("timer.first.short", landing_s=landing_s, full_s=full.timer_s)
    else:
        longest_s = max(f.duration_s for f in good)
        grown_s = (1.0 + MOST_GROWTH) * longest_s
        cautious_s = min(result.range.early_s(_CAUTIOUS_SHARE), full.down_s)
        took = fact(
            "timer.took.one" if len(good) == 1 else "timer.took",
            flights=len(good),
            ah_per_minute=_per_minute_ah(good),
        )
        if not _agree(good) and min(grown_s, cautious_s) < full.down_s:
            held_by, wanted_s = "growth", min(grown_s, cautious_s)
            short = fact("timer.growth.short", agreeing=AGREEING, full_s=full.timer_s)
            if grown_s <= cautious_s:
                why = fact("timer.growth", took=took, longest_s=longest_s, agreeing=AGREEING, down_s=full.down_s)
            else:
                why = fact("timer.careful", took=took, agreeing=AGREEING, down_s=full.down_s)
        else:
            promise = _promise(result)
            why = fact("timer.full", took=took, promise=promise)
            short = fact("timer.full.short", promise=promise)
    timer_s, down_s = guard_timer(down_s=wanted_s, home_s=home_s)
    if down_s - timer_s >= _WORTH_A_WORD_S:
        why = fact("timer.way_home", why=why, home_s=down_s - timer_s, down_s=down_s)
        short = fact("timer.down_by", short=short, down_s=down_s)
    rate = statistics.median(f.used_ah / f.duration_s for f in good) if good else None
    return NextTimer(timer_s, down_s, held_by, full.timer_s, full.down_s, len(good), odd, rate, why, short)


def _promise(result: Forecast) -> Fact:
    kept = result.setup.sheet.landing.charge_kept
    if result.flight.landing_reason == "charge used" and kept is not None:
        return fact("timer.promise.kept", kept_share=kept)
    return fact("timer.promise.landing")


def _per_minute_ah(flights: Sequence[TimedFlight]) -> float:
    return 60.0 * statistics.median(f.used_ah / f.duration_s for f in flights)


def _agree(flights: Sequence[TimedFlight]) -> bool:
    """Whether the newest flights used their charge at nearly one rate."""
    recent = [f.used_ah / f.duration_s for f in flights[-AGREEING:]]
    if len(recent) < AGREEING:
        return False
    return statistics.stdev(recent) <= AGREEMENT * statistics.fmean(recent)
