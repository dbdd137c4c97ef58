"""What to set on the transmitter, derived from the flight expected and its sampled relatives (PHYSICS 5)."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core import kernel
from zesty_cell.core.callouts.kernel import watch_threshold
from zesty_cell.core.flight import Flight, Setup, Traces
from zesty_cell.core.flying import STEP_S

#: Holds a transmitter can be set to [s].
HOLDS_S: tuple[float, ...] = tuple(0.5 * k for k in range(1, 11))
_MARGIN_S = 0.5
#: Room left for livelier flights when a threshold is judged on the expected flight alone [s].
_BURST_MARGIN_S = 1.0
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
    lowered_from_v : float or None
        Pack voltage the moment asked for [V], where bursts outlast every hold at it and a lower
        threshold, still in time, stays quiet.
    """

    pack_v: float
    cell_v: float
    wanted_s: float
    floored: bool
    lowered_from_v: float | None = None


@dataclass(frozen=True)
class VoltageCallout:
    """A voltage callout with its hold and how it did over the sampled flights.

    Attributes
    ----------
    threshold : Threshold
    hold_s : float
        [s], one of :data:`HOLDS_S`.
    hold_suffices : bool
        False when even the longest hold leaves bursts that outlast it.
    longest_burst_s : float
        Longest stretch under the threshold that only a burst of load explains [s].
    false_flights, false_flights_short : int
        Flights with at least one false call at this hold, and at the shortest hold.
    quieter : Threshold or None
        Where no hold suffices: the next lower threshold whose bursts a hold outlasts on the flight
        expected, if there is one above the floor.
    called_flights, flights : int
        Flights in which it spoke truly, and flights watched.
    spoken_s : tuple of float
        5th, 50th and 95th percentile of the moment it truly spoke [s]; empty when it never did.
    """

    threshold: Threshold
    hold_s: float
    hold_suffices: bool
    longest_burst_s: float
    false_flights: int
    false_flights_short: int
    quieter: Threshold | None
    called_flights: int
    flights: int
    spoken_s: tuple[float, ...]


@dataclass(frozen=True)
class Timers:
    """Timer and charge callout.

    Attributes
    ----------
    timer_s : float
        Flight timer, started by throttle [s].
    down_s : float
        On the ground by then: nineteen of twenty sampled flights have not reached their landing point [s].
    start_home_s : float
        Moment of the expected flight to start home at [s].
    charge_used_ah : float or None
        Charge-used callout [Ah]; none for a flight too short for one.
    """

    timer_s: float
    down_s: float
    start_home_s: float
    charge_used_ah: float | None


CalloutKey = Literal["pack_low", "land_now"]


@dataclass(frozen=True)
class DerivedCallouts:
    """The numbers a plan is written from: timer, charge, and both voltages with their holds."""

    timers: Timers
    pack_low: VoltageCallout
    land_now: VoltageCallout


def voltage_step_v(*, series: int) -> float:
    """Smallest step a transmitter's voltage threshold is set in [V]: 0.01 for 1S, else 0.1."""
    return 0.01 if series == 1 else 0.1


def _on_step(pack_v: float, step_v: float, *, up: bool) -> float:
    steps = pack_v / step_v
    return round((math.ceil(steps - 1e-6) if up else math.floor(steps + 0.5)) * step_v, 2)


def hold_steps(*, step_s: float = STEP_S) -> NDArray[np.int64]:
    """For each number of steps [s each] under the threshold, the index of the hold met by then, or −1."""
    hold_at = np.full(math.ceil(HOLDS_S[-1] / step_s - 1e-9) + 1, -1, dtype=np.int64)
    for j, hold_s in enumerate(HOLDS_S):
        hold_at[math.ceil(hold_s / step_s - 1e-9)] = j
    return hold_at


def longest_burst_s(*, flight: Flight, cell_v: float) -> float:
    """Longest spell under a threshold [V a cell] before the end of the expected flight [s]."""
    holds, longest = np.zeros((1, len(HOLDS_S))), np.zeros(1)
    watch_threshold(
        flight.loaded_v.astype(np.float32)[None, :],
        flight.cruise_v.astype(np.float32)[None, :],
        np.array([float(flight.time_s.size)]),
        STEP_S,
        cell_v,
        EARLY_SHARE,
        hold_steps(),
        holds.astype(np.int64),
        holds,
        longest,
    )
    return float(longest[0])


def quieter_threshold(*, setup: Setup, flight: Flight, above: Threshold) -> Threshold | None:
    """The highest threshold under ``above`` whose bursts some hold outlasts on this flight.

    Returns ``None`` when there is none above the chemistry's loaded floor.
    """
    series = setup.sheet.pack.series
    step_v = voltage_step_v(series=series)
    pack_v = round(above.pack_v - step_v, 2)
    while pack_v / series >= lowest_call_v(setup) - 1e-9:
        if longest_burst_s(flight=flight, cell_v=pack_v / series) + _BURST_MARGIN_S <= HOLDS_S[-1]:
            low = flight.cruise_v < pack_v / series
            wanted_s = float(flight.time_s[int(np.argmax(low))]) if low.any() else flight.end_s
            return Threshold(
                pack_v=pack_v,
                cell_v=pack_v / series,
                wanted_s=wanted_s,
                floored=False,
                lowered_from_v=above.pack_v,
            )
        pack_v = round(pack_v - step_v, 2)
    return None


def _usable(setup: Setup, flight: Flight, threshold: Threshold) -> Threshold:
    """The threshold itself, or a quieter one where bursts outlast every hold and it is still in time."""
    if longest_burst_s(flight=flight, cell_v=threshold.cell_v) + _BURST_MARGIN_S <= HOLDS_S[-1]:
        return threshold
    quieter = quieter_threshold(setup=setup, flight=flight, above=threshold)
    if quieter is not None and quieter.wanted_s <= (1.0 + LATE_SHARE) * threshold.wanted_s:
        return quieter
    return threshold


def thresholds(*, setup: Setup, flight: Flight) -> dict[CalloutKey, Threshold]:
    """Thresholds as the cruise-loaded voltage at the moments wanted, on the transmitter's step.

    "Land now" belongs to the landing point, "pack low" to the lead time before it.  Where bursts
    outlast every hold there, a lower threshold that stays quiet is taken if it still speaks in time.
    "Pack low" is rounded up (to speak early rather than late) and lies at least one step above "land
    now"; neither goes below the chemistry's loaded floor.
    """
    series = setup.sheet.pack.series
    step_v = voltage_step_v(series=series)
    floor_pack_v = _on_step(lowest_call_v(setup) * series, step_v, up=True)

    def at(moment_s: float, *, up: bool) -> tuple[float, bool]:
        wanted = _on_step(float(flight.cruise_v[flight.index_at(moment_s)]) * series, step_v, up=up)
        return max(wanted, floor_pack_v), wanted < floor_pack_v

    low_s = max(flight.landing_s - setup.lead_s, 0.3 * flight.landing_s)
    land_v, land_floored = at(flight.landing_s, up=False)
    low_v, low_floored = at(low_s, up=True)
    land = Threshold(pack_v=land_v, cell_v=land_v / series, wanted_s=flight.landing_s, floored=land_floored)
    land = _usable(setup, flight, land)
    low = Threshold(pack_v=low_v, cell_v=low_v / series, wanted_s=low_s, floored=low_floored)
    low = _usable(setup, flight, low)
    least_v = round(land.pack_v + step_v, 2)
    if low.pack_v < least_v:
        low = replace(low, pack_v=least_v, cell_v=least_v / series)
    return {"pack_low": low, "land_now": land}


def in_earnest_s(*, low_from: NDArray[np.int64], step_s: float) -> NDArray[np.float64]:
    """From when on a call is true [s], for the steps from which the steady voltage stays under its threshold.

    To the step as :func:`~zesty_cell.core.callouts.kernel.watch_threshold` has it.
    """
    return np.asarray((low_from * (1.0 - EARLY_SHARE)).astype(np.int64) * step_s - 1e-9, dtype=np.float64)


class ThresholdWatch:
    """Watches thresholds while sampled flights pass by; hand :meth:`visit` to ``start_many``.

    Each flight is followed a little past its landing (``LATE_SHARE``): a call that has not come by
    then is missed.
    """

    def __init__(self, *, setup: Setup, flight: Flight, flights: int, step_s: float = STEP_S) -> None:
        self._setup, self._flight, self._step_s = setup, flight, step_s
        self._thresholds = thresholds(setup=setup, flight=flight)
        self._flights = flights
        self._hold_at = hold_steps(step_s=step_s)
        shape = (flights, len(HOLDS_S))
        self._false = {key: np.zeros(shape, dtype=np.int64) for key in self._thresholds}
        self._first = {key: np.full(shape, np.inf) for key in self._thresholds}
        self._longest = {key: np.zeros(flights) for key in self._thresholds}

    def visit(self, rows: slice, traces: Traces) -> None:
        """Watch the flights of one chunk; safe from two threads, each with its own rows."""
        for key, threshold in self._thresholds.items():
            watch_threshold(
                traces.loaded_v,
                traces.cruise_v,
                np.ascontiguousarray(traces.summary[:, kernel.STEPS]),
                self._step_s,
                threshold.cell_v,
                EARLY_SHARE,
                self._hold_at,
                self._false[key][rows],
                self._first[key][rows],
                self._longest[key][rows],
            )

    def callout(self, key: CalloutKey) -> VoltageCallout:
        """The finished callout: the shortest hold that outlasts every burst, plus half a second."""
        longest_s = float(self._longest[key].max(initial=0.0))
        wanted_s = longest_s + _MARGIN_S
        hold = next((j for j, h in enumerate(HOLDS_S) if h >= wanted_s - 1e-9), len(HOLDS_S) - 1)
        first = self._first[key][:, hold]
        spoken = first[np.isfinite(first)]
        threshold = self._thresholds[key]
        suffices = HOLDS_S[hold] >= wanted_s - 1e-9
        return VoltageCallout(
            threshold=threshold,
            hold_s=HOLDS_S[hold],
            hold_suffices=suffices,
            quieter=None
            if suffices
            else quieter_threshold(setup=self._setup, flight=self._flight, above=threshold),
            longest_burst_s=longest_s,
            false_flights=int(np.count_nonzero(self._false[key][:, hold])),
            false_flights_short=int(np.count_nonzero(self._false[key][:, 0])),
            called_flights=int(spoken.size),
            flights=self._flights,
            spoken_s=tuple(float(q) for q in np.quantile(spoken, (0.05, 0.5, 0.95))) if spoken.size else (),
        )


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
    """Timer and charge-used callout.

    The timer is the guard that works without telemetry, so it takes the early end of the range, not
    its middle: see :func:`guard_timer`.  The charge callout speaks when it is time to start home on the
    expected flight.
    """
    start_home_s = max(flight.landing_s - setup.home_s, 0.5 * flight.landing_s)
    timer_s, down_s = guard_timer(down_s=min(earliest_landing_s, flight.landing_s), home_s=setup.home_s)
    used_mah = float(flight.used_ah[flight.index_at(start_home_s)]) * 1000.0
    step_mah = 50.0 if used_mah >= 1000.0 else 10.0 if used_mah >= 200.0 else 5.0
    used_mah = _round_down(used_mah, step_mah)
    return Timers(
        timer_s=timer_s,
        down_s=down_s,
        start_home_s=start_home_s,
        charge_used_ah=used_mah / 1000.0 if used_mah > 0.0 else None,
    )
