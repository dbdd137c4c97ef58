"""What to set on the transmitter, derived from the flight expected and its sampled relatives (PHYSICS 5)."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.asked.flying import STEP_S
from zesty_cell.core.flight.one import Flight
from zesty_cell.core.flight.setup import Setup

#: Holds a transmitter can be set to [s].
HOLDS_S: tuple[float, ...] = tuple(0.5 * k for k in range(1, 11))
#: A call up to this share of the flight before the pack is low in earnest is early, not false [1].
EARLY_SHARE = 0.08
#: A call that has not come by this share of the flight after the landing point is missed [1].
LATE_SHARE = 0.08


#: "Land now" lies at least this far over the ESC's cutoff [V a cell]: it is heard before the power goes.
OVER_CUTOFF_V = 0.1


def lowest_call_v(setup: Setup, /) -> float:
    """The lowest loaded voltage that may call [V a cell]: the chemistry's floor, and clear of the ESC's cutoff."""
    cutoff_v = setup.sheet.craft.limits.esc_cutoff_v_per_cell
    floor_v = setup.chemistry.loaded_floor_v
    return floor_v if cutoff_v is None else max(floor_v, cutoff_v + OVER_CUTOFF_V)


@dataclass(frozen=True)
class Threshold:
    """One voltage callout before its hold is known.

    Attributes
    ----------
    pack_v, cell_v : float
        As typed into the transmitter, whole pack, and what that is per cell [V].
    wanted_s : float
        Moment of the expected flight at which it should speak [s].
    floored : bool
        The lowest voltage that may call was higher than what the moment asked for.
    """

    pack_v: float
    cell_v: float
    wanted_s: float
    floored: bool


@dataclass(frozen=True)
class Timers:
    """The timer, and the moment to start home.

    Attributes
    ----------
    timer_s : float
        Flight timer, started by throttle [s].
    down_s : float
        On the ground by then: nineteen of twenty sampled flights have not reached their landing point [s].
    start_home_s : float
        Moment of the expected flight to start home at [s].
    """

    timer_s: float
    down_s: float
    start_home_s: float


CalloutKey = Literal["pack_low", "land_now"]


def voltage_step_v(*, series: int) -> float:
    """Smallest step a transmitter's voltage threshold is set in [V]: 0.01 for 1S, else 0.1."""
    return 0.01 if series == 1 else 0.1


def on_step(*, value: float, step: float, up: bool | None = None) -> float:
    """A value on a transmitter's step, in its own unit: to the nearest, or always up or down."""
    steps = value / step
    if up is None:
        return round(math.floor(steps + 0.5) * step, 6)
    return round((math.ceil(steps - 1e-6) if up else math.floor(steps + 1e-6)) * step, 6)


def hold_samples(*, dt_s: float = STEP_S) -> NDArray[np.int64]:
    """How many samples [s apart] under the threshold each hold takes, shape (holds,)."""
    return np.array([math.ceil(hold_s / dt_s - 1e-9) for hold_s in HOLDS_S], dtype=np.int64)


def longest_burst_s(
    *, flight: Flight, cell_v: float, throttle_under: float | None = None, used_over_ah: float = 0.0
) -> float:
    """Longest spell under a threshold [V a cell] before the end of the expected flight [s].

    Parameters
    ----------
    throttle_under : float, optional
        Only what is flown with less throttle counts [0 to 1]: thrust goes nearly with current, and throttle is its
        root.
    used_over_ah : float
        Only what is flown once more than that is used counts [Ah].
    """
    under = (flight.loaded_v < cell_v) & (flight.used_ah >= used_over_ah)
    if throttle_under is not None:
        under &= flight.current_a < throttle_under**2 * flight.full_throttle_a
    # What falls into the end of the flight, where the pack is low in earnest, is no burst.
    under = under[: int(flight.low_from(cell_v) * (1.0 - EARLY_SHARE))]
    edges = np.flatnonzero(np.diff(under, prepend=False, append=False))
    return float(np.max(edges[1::2] - edges[::2], initial=0)) * STEP_S


def thresholds(*, setup: Setup, flight: Flight) -> dict[CalloutKey, Threshold]:
    """Thresholds as the cruise-loaded voltage at the moments wanted, on the transmitter's step.

    "Land now" belongs to the landing point, "pack low" to the lead time before it.
    "Pack low" is rounded up (to speak early rather than late) and lies at least one step above "land
    now"; neither goes below the chemistry's loaded floor.
    """
    series = setup.sheet.pack.series
    step_v = voltage_step_v(series=series)
    floor_pack_v = on_step(value=lowest_call_v(setup) * series, step=step_v, up=True)

    def at(moment_s: float, *, up: bool | None) -> tuple[float, bool]:
        wanted = on_step(value=float(flight.cruise_v[flight.index_at(moment_s)]) * series, step=step_v, up=up)
        return max(wanted, floor_pack_v), wanted < floor_pack_v

    low_s = max(flight.landing_s - setup.lead_s, 0.3 * flight.landing_s)
    land_v, land_floored = at(flight.landing_s, up=None)
    low_v, low_floored = at(low_s, up=True)
    land = Threshold(pack_v=land_v, cell_v=land_v / series, wanted_s=flight.landing_s, floored=land_floored)
    low = Threshold(pack_v=low_v, cell_v=low_v / series, wanted_s=low_s, floored=low_floored)
    least_v = round(land.pack_v + step_v, 2)
    if low.pack_v < least_v:
        low = replace(low, pack_v=least_v, cell_v=least_v / series)
    return {"pack_low": low, "land_now": land}


def in_earnest_s(*, low_from: NDArray[np.int64], step_s: float) -> NDArray[np.float64]:
    """From when on a call is true [s], shape as given, for the steps from which the steady voltage stays under its
    threshold.

    To the sample as :func:`~zesty_cell.core.flight.watch.try_settings` has it.
    """
    return np.asarray((low_from * (1.0 - EARLY_SHARE)).astype(np.int64) * step_s - 1e-9, dtype=np.float64)


def _round_down(value: float, step: float) -> float:
    return math.floor(value / step + 1e-9) * step


def guard_timer(*, down_s: float, home_s: float) -> tuple[float, float]:
    """The timer that has a craft on the ground by a moment, and that moment, as transmitters are set [s, s].

    It leaves the way home, but never calls before half of the flight: a way home longer than that is another
    flight.  Both are rounded down to 5 s, to 10 s from ten minutes.
    """
    step_s = 10.0 if down_s >= 600.0 else 5.0
    down_s = max(_round_down(down_s, step_s), step_s)
    timer_s = max(_round_down(max(down_s - home_s, 0.5 * down_s), step_s), step_s)
    return timer_s, down_s


def timers(*, setup: Setup, flight: Flight, earliest_landing_s: float) -> Timers:
    """The timer, and when to start home.

    The timer is the guard that works without telemetry, so it takes the early end of the range, not
    its middle: see :func:`guard_timer`.

    Parameters
    ----------
    earliest_landing_s : float
        By which the flights that count may have reached their landing point [s].
    """
    start_home_s = max(flight.landing_s - setup.home_s, 0.5 * flight.landing_s)
    timer_s, down_s = guard_timer(down_s=min(earliest_landing_s, flight.landing_s), home_s=setup.home_s)
    return Timers(
        timer_s=timer_s,
        down_s=down_s,
        start_home_s=start_home_s,
    )


#: From which charge a transmitter's charge is set in which step [Ah, Ah].
_CHARGE_STEPS = ((1.0, 0.05), (0.2, 0.01), (0.0, 0.005))


def charge_step_ah(used_ah: float, /) -> float:
    """The step in which a transmitter's charge is set [Ah]."""
    return next(step for least, step in _CHARGE_STEPS if used_ah >= least)
