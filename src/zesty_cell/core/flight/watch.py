"""The compiled watchers of sampled flights: what a voltage call, or any rule, says on each of them.

They read the knots of flights (:mod:`zesty_cell.core.flight.kernel`), between which everything runs straight, and
say what a transmitter hears that looks ten times a second: which of its samples lie past a limit follows from where
the straight line crosses it, so no sample is ever made.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from zesty_cell.core.flight.kernel import (
    END_CHARGE_LEFT,
    END_S,
    FULL_END_A,
    FULL_FRESH_A,
    KNOT_COLUMNS,
    KNOTS,
    N_AFTER_A,
    N_AFTER_V,
    N_AT_S,
    N_BEFORE_A,
    N_BEFORE_V,
    N_CHARGE_LEFT,
    N_CRUISE_V,
    N_WEAKEST_AFTER_V,
    N_WEAKEST_BEFORE_V,
    SUMMARY_COUNT,
)
from zesty_cell.core.flight.watch_kernel import (
    BELOW,
    CELL_V,
    CURRENT_A,
    LOWEST_V,
    PACK_V,
    R_ANY,
    R_EVERY_S,
    R_HOLD_S,
    R_PROFILE,
    R_QUIET_S,
    R_THROTTLE_UNDER,
    USED_AH,
)

_NO_ROOM = "Every flight has its row in each array, and every setting or rule too."
_EXACT = 1e-6  # of a sample: crossings and holds are sums of steps
_NEVER = 2**62


@njit(cache=True, nogil=True, error_model="numpy")
def _check_knots(at, summary):
    """The door: what is compiled does not look at lengths again."""
    if at.shape[2] != KNOT_COLUMNS or summary.shape[1] != SUMMARY_COUNT:
        raise ValueError("Knots and summary have all their columns.")
    for k in range(at.shape[0]):
        if summary[k, KNOTS] > at.shape[1]:
            raise ValueError("A flight is looked at with all its knots.")


@njit(cache=True, nogil=True, error_model="numpy")
def _first_sample(moment_s, rate):
    """The first sample at or after a moment."""
    return math.ceil(moment_s * rate - _EXACT)


@njit(cache=True, nogil=True, error_model="numpy")
def _past(first, last, start_s, end_s, before, after, limit, below, rate):
    """Which samples of first to last (not included) lie past a limit, of what runs straight over a step."""
    at_start = before < limit if below else before > limit
    at_end = after < limit if below else after > limit
    if at_start and at_end:
        return first, last
    if not at_start and not at_end:
        return last, last
    crossing = (start_s + (end_s - start_s) * (limit - before) / (after - before)) * rate
    if at_start:
        return first, min(last, max(first, math.ceil(crossing - _EXACT)))
    return max(first, min(last, math.floor(crossing + _EXACT) + 1)), last


@njit(cache=True, nogil=True, error_model="numpy")
def _low_for_good(at, knots, samples, threshold_v, rate):
    """The sample from which the voltage in steady flight stays under a threshold; all of them where never."""
    j = knots - 1
    if j < 0 or at[j, N_CRUISE_V] >= threshold_v:
        return samples
    while j > 0 and at[j - 1, N_CRUISE_V] < threshold_v:
        j -= 1
    if j == 0:
        return 0
    above, under = at[j - 1, N_CRUISE_V], at[j, N_CRUISE_V]
    start_s = at[j - 1, N_AT_S]
    crossing = (start_s + (at[j, N_AT_S] - start_s) * (above - threshold_v) / (above - under)) * rate
    return min(samples, math.floor(crossing + _EXACT) + 1)


@njit(cache=True, nogil=True, error_model="numpy")
def low_for_good(at, summary, dt_s, threshold_v, low_sample):
    """From which sample each flight's voltage in steady flight stays under a threshold; all of them where never.

    Parameters
    ----------
    at : float64 (k, room, KNOT_COLUMNS); summary : float64 (k, SUMMARY_COUNT)
    dt_s : float
        Distance of samples [s].
    threshold_v : float
        Per cell [V].
    low_sample : int64 (k,), written.
    """
    if summary.shape[0] != at.shape[0] or low_sample.size != at.shape[0]:
        raise ValueError(_NO_ROOM)
    _check_knots(at, summary)
    rate = 1.0 / dt_s
    for k in range(at.shape[0]):
        samples = _first_sample(summary[k, END_S], rate)
        low_sample[k] = _low_for_good(at[k], int(summary[k, KNOTS]), samples, threshold_v, rate)


@njit(cache=True, nogil=True, error_model="numpy")
def charge_left_at(at, summary, moment_s, left):
    """Charge left of each flight at a moment of its own; NaN where that is not finite, as at its end past it.

    Parameters
    ----------
    at : float64 (k, room, KNOT_COLUMNS); summary : float64 (k, SUMMARY_COUNT)
    moment_s : float64 (k,)
        [s]
    left : float64 (k,), written
        [1]
    """
    if summary.shape[0] != at.shape[0] or moment_s.size != at.shape[0] or left.size != at.shape[0]:
        raise ValueError(_NO_ROOM)
    _check_knots(at, summary)
    for k in range(at.shape[0]):
        knots = int(summary[k, KNOTS])
        if knots < 2 or not math.isfinite(moment_s[k]):
            left[k] = math.nan
            continue
        until_s = min(moment_s[k], summary[k, END_S])
        j = min(max(np.searchsorted(at[k, :knots, N_AT_S], until_s) - 1, 0), knots - 2)
        step = at[k, j + 1] - at[k, j]
        part = (until_s - at[k, j, N_AT_S]) / step[N_AT_S]
        left[k] = at[k, j, N_CHARGE_LEFT] + part * step[N_CHARGE_LEFT]


@njit(cache=True, nogil=True, error_model="numpy")
def try_settings(
    at,
    summary,
    dt_s,
    threshold_v,
    throttle_under,
    used_over,
    volts_shown,
    early_share,
    start_charge,
    hold_samples,
    first_s,
    first_true_s,
):
    """Try settings of a voltage call over many flights: below a voltage, held, for several holds at once.

    A setting may count only while the throttle is under a share, and only once some of the charge is used.
    The pack is *low* in earnest from the moment at which the voltage at the pattern's steady load goes under the
    threshold for good.  A call up to ``early_share`` of that time before it belongs to the end of the flight and
    is *true*; any earlier one is *false*: only a burst of load has pulled the voltage down.  Each spell under the
    threshold speaks at most once per hold.

    Parameters
    ----------
    at : float64 (k, room, KNOT_COLUMNS); summary : float64 (k, SUMMARY_COUNT)
    dt_s : float
        Distance of the samples that a transmitter looks at [s].
    threshold_v : float64 (s,)
        Per cell [V].
    throttle_under : float64 (s,)
        Share of the throttle [0 to 1]; over 1 counts always.
    used_over : float64 (s, k)
        Charge used from which it counts, of each flight's own capacity [1]; 0 counts always.
    volts_shown : float64 (k,)
        What is shown for a voltage over the truth in each flight [1].
    early_share : float
        [1]
    start_charge : float
    hold_samples : int64 (h,)
        Samples under the threshold that each hold takes, rising.
    first_s, first_true_s : float64 (s, k, h), written
        First call of all and first true one [s]; infinity for none.
    """
    flights, settings, holds = at.shape[0], threshold_v.size, hold_samples.size
    if summary.shape[0] != flights or throttle_under.size != settings or used_over.shape != (settings, flights):
        raise ValueError(_NO_ROOM)
    if (
        volts_shown.size != flights
        or first_s.shape != (settings, flights, holds)
        or first_true_s.shape != first_s.shape
    ):
        raise ValueError(_NO_ROOM)
    _check_knots(at, summary)
    rate = 1.0 / dt_s
    by_voltage = np.argsort(-threshold_v)
    highest_v = threshold_v[by_voltage[0]] if threshold_v.size > 0 else 0.0
    # Steps with a sample under the highest threshold that is still to come, packed: which, its first sample and the
    # one after its last, and its voltage at both ends.
    low_j = np.empty(at.shape[1], dtype=np.int64)
    low_first, low_last = np.empty_like(low_j), np.empty_like(low_j)
    low_before_v, low_after_v = np.empty(at.shape[1]), np.empty(at.shape[1])
    for k in range(at.shape[0]):
        one = at[k]
        knots = int(summary[k, KNOTS])
        samples = _first_sample(summary[k, END_S], rate)
        end_left = summary[k, END_CHARGE_LEFT]
        span = max(start_charge - end_left, 1e-9)
        full_slope = (summary[k, FULL_FRESH_A] - summary[k, FULL_END_A]) / span
        # Most of a flight is above every threshold, and more of it above the lower ones.
        low = 0
        # What is shown for a voltage is under a threshold where the voltage is under that over the share.
        for j in range(knots - 1):
            if min(one[j, N_AFTER_V], one[j + 1, N_BEFORE_V]) < highest_v / volts_shown[k]:
                first = _first_sample(one[j, N_AT_S], rate)
                last = min(samples, _first_sample(one[j + 1, N_AT_S], rate))
                if first < last:
                    low_j[low], low_first[low], low_last[low] = j, first, last
                    low_before_v[low], low_after_v[low] = one[j, N_AFTER_V], one[j + 1, N_BEFORE_V]
                    low += 1
        for s in by_voltage:
            first_s[s, k, :] = math.inf
            first_true_s[s, k, :] = math.inf
            end_begins = int(_low_for_good(one, knots, samples, threshold_v[s], rate) * (1.0 - early_share))
            threshold = threshold_v[s] / volts_shown[k]
            share_squared = throttle_under[s] * throttle_under[s]
            left_at_most = start_charge - used_over[s, k]
            by_charge, by_throttle = used_over[s, k] > 0.0, throttle_under[s] <= 1.0
            missing = holds  # that have not spoken truly
            begun = 0  # the spell: its first sample, the one after its last, the next hold it may meet
            until = -1
            hold = holds
            kept = 0
            for p in range(low):
                v_before, v_after = low_before_v[p], low_after_v[p]
                if min(v_before, v_after) >= threshold:
                    continue
                a, b, j = low_first[p], low_last[p], low_j[p]
                if kept < p:
                    low_j[kept], low_first[kept], low_last[kept] = j, a, b
                    low_before_v[kept], low_after_v[kept] = v_before, v_after
                kept += 1
                if missing == 0:
                    continue
                if max(v_before, v_after) >= threshold:
                    a, b = _past(a, b, one[j, N_AT_S], one[j + 1, N_AT_S], v_before, v_after, threshold, True, rate)
                if by_charge and one[j, N_CHARGE_LEFT] > left_at_most:
                    left_before, left_after = one[j, N_CHARGE_LEFT], one[j + 1, N_CHARGE_LEFT]
                    a, b = _past(
                        a, b, one[j, N_AT_S], one[j + 1, N_AT_S], left_before, left_after, left_at_most, True, rate
                    )
                if by_throttle and a < b:
                    # Thrust goes nearly with current, and throttle is its root.
                    left_before, left_after = one[j, N_CHARGE_LEFT], one[j + 1, N_CHARGE_LEFT]
                    full_before = summary[k, FULL_END_A] + full_slope * (left_before - end_left)
                    full_after = summary[k, FULL_END_A] + full_slope * (left_after - end_left)
                    over_before = one[j, N_AFTER_A] - share_squared * full_before
                    over_after = one[j + 1, N_BEFORE_A] - share_squared * full_after
                    a, b = _past(a, b, one[j, N_AT_S], one[j + 1, N_AT_S], over_before, over_after, 0.0, True, rate)
                if a >= b:
                    continue
                if a != until:
                    begun, hold = a, 0
                until = b
                while hold < holds and begun + hold_samples[hold] < b:
                    sample = begun + hold_samples[hold]
                    if first_s[s, k, hold] == math.inf:
                        first_s[s, k, hold] = sample * dt_s
                    if sample >= end_begins and first_true_s[s, k, hold] == math.inf:
                        first_true_s[s, k, hold] = sample * dt_s
                        missing -= 1
                    hold += 1
            low = kept


@njit(cache=True, nogil=True, error_model="numpy")
def count_calls(first_s, first_true_s, not_before_s, not_after_s, counts):
    """Count the flights in which each setting calls falsely, and in which it calls late.

    Parameters
    ----------
    first_s, first_true_s : float64 (s, k, h)
        As :func:`try_settings` writes them [s].
    not_before_s, not_after_s : float64 (s, k)
        A first call before the one is false as well; without a true one by the other it is late [s].
    counts : int64 (2, s, h), written
        False and late flights.
    """
    settings, flights, holds = first_s.shape
    if first_true_s.shape != first_s.shape or counts.shape != (2, settings, holds):
        raise ValueError(_NO_ROOM)
    if not_before_s.shape != (settings, flights) or not_after_s.shape != not_before_s.shape:
        raise ValueError(_NO_ROOM)
    counts[:] = 0
    for s in range(settings):
        for k in range(flights):
            for h in range(holds):
                first, true = first_s[s, k, h], first_true_s[s, k, h]
                if first < true or first < not_before_s[s, k]:
                    counts[0, s, h] += 1
                if true > not_after_s[s, k]:
                    counts[1, s, h] += 1


@njit(cache=True, nogil=True, error_model="numpy")
def score_flights(
    at,
    summary,
    dt_s,
    series,
    parallel,
    start_charge,
    capacity_ah,
    volts_shown,
    rules,
    first_condition,
    condition_kind,
    condition_sensor,
    condition_value,
    profile,
    events,
    counts,
):
    """Run a plan's rules over many flights in which every frame is received, armed and above idle throughout.

    What :func:`~zesty_cell.core.flight.watch_kernel.run_plan` says of such flights, much sooner:
    nothing can be missing, no guard changes, no clock jumps, so each rule is followed by itself.  The tests hold
    the two together.

    Parameters
    ----------
    at : float64 (k, room, KNOT_COLUMNS); summary : float64 (k, SUMMARY_COUNT)
    dt_s : float
        Distance of frames [s].
    series, parallel, start_charge : float
    capacity_ah : float64 (k,)
        Of the whole pack, as the sensor counts it.
    volts_shown : float64 (k,)
        What is shown for a voltage over the truth in each flight [1].
    profile : int
        In use throughout; −1 for none.
    events : float64 (r, k, e), written
        Moments at which each rule spoke [s]; the first e of them.
    counts : int64 (r, k), written
        How often it did.
    Others as :func:`~zesty_cell.core.flight.watch_kernel.run_plan`.
    """
    flights = at.shape[0]
    if summary.shape[0] != flights or capacity_ah.size != flights or volts_shown.size != flights:
        raise ValueError(_NO_ROOM)
    if first_condition.size != rules.shape[0] + 1:
        raise ValueError(_NO_ROOM)
    if events.shape[0] != rules.shape[0] or events.shape[1] != flights or counts.shape != events.shape[:2]:
        raise ValueError(_NO_ROOM)
    _check_knots(at, summary)
    rate = 1.0 / dt_s
    column = max(profile, 0)
    was_low = np.zeros(condition_kind.size, np.bool_)
    sample_at = np.empty(at.shape[1], dtype=np.int64)
    for k in range(flights):
        one = at[k]
        steps = int(summary[k, KNOTS]) - 1
        samples = _first_sample(summary[k, END_S], rate)
        for j in range(steps + 1):
            sample_at[j] = min(samples, _first_sample(one[j, N_AT_S], rate))
        end_left = summary[k, END_CHARGE_LEFT]
        full_slope = (summary[k, FULL_FRESH_A] - summary[k, FULL_END_A]) / max(start_charge - end_left, 1e-9)
        for r in range(rules.shape[0]):
            counts[r, k] = 0
            if rules[r, R_PROFILE] >= 0.0 and rules[r, R_PROFILE] != profile:
                continue
            first_c = first_condition[r]
            conditions = first_condition[r + 1] - first_c
            any_of = rules[r, R_ANY] != 0.0
            under = rules[r, R_THROTTLE_UNDER]
            hold = _first_sample(rules[r, R_HOLD_S], rate)
            quiet = _first_sample(rules[r, R_QUIET_S], rate)
            every = max(1, _first_sample(rules[r, R_EVERY_S], rate)) if rules[r, R_EVERY_S] < 1e9 else _NEVER
            was_low[:] = False
            count = 0
            until = -1  # where the present spell ends
            due = 0  # the sample at which it speaks next
            for j in range(steps):
                first, last = sample_at[j], sample_at[j + 1]
                if first >= last:
                    continue
                start_s, end_s = one[j, N_AT_S], one[j + 1, N_AT_S]
                # Each condition is met from the beginning of the step or until its end: so all of them are met in
                # one run of samples, a to b, and none of them in one, which leaves two where any will do.
                a, b, none_from, none_until = first, last, first, last
                for n in range(first_c, first_c + conditions):
                    sensor, limit = condition_sensor[n], condition_value[n, column]
                    # What fails one that must hold needs no other, unless that one remembers.
                    if not any_of and a >= b and sensor != LOWEST_V:
                        continue
                    if sensor in (PACK_V, LOWEST_V):
                        shown = series * volts_shown[k]
                        before, after = one[j, N_AFTER_V] * shown, one[j + 1, N_BEFORE_V] * shown
                    elif sensor == CELL_V:
                        before = one[j, N_WEAKEST_AFTER_V] * volts_shown[k]
                        after = one[j + 1, N_WEAKEST_BEFORE_V] * volts_shown[k]
                    elif sensor == USED_AH:
                        before = (start_charge - one[j, N_CHARGE_LEFT]) * capacity_ah[k]
                        after = (start_charge - one[j + 1, N_CHARGE_LEFT]) * capacity_ah[k]
                    elif sensor == CURRENT_A:
                        before, after = one[j, N_AFTER_A] * parallel, one[j + 1, N_BEFORE_A] * parallel
                    else:
                        before, after = start_s, end_s
                    below = condition_kind[n] == BELOW or sensor == LOWEST_V
                    met_from, met_until = _past(first, last, start_s, end_s, before, after, limit, below, rate)
                    if sensor == LOWEST_V and not math.isnan(limit):
                        # The lowest voltage since take-off: once under, under for good.
                        since = first if was_low[n] else met_from
                        was_low[n] = was_low[n] or met_from < met_until
                        if condition_kind[n] == BELOW:
                            met_from, met_until = since, last
                        else:
                            met_from, met_until = first, since
                    a, b = max(a, met_from), min(b, met_until)
                    if met_from >= met_until:
                        continue
                    if met_from == first:
                        none_from = max(none_from, met_until)
                    else:
                        none_until = min(none_until, met_from)
                c = d = last
                if any_of and conditions > 0:
                    a, b = first, none_from
                    c = max(none_until, none_from)
                if under <= 1.0 and (a < b or c < d):
                    # Thrust goes nearly with current, and throttle is its root.
                    full_before = summary[k, FULL_END_A] + full_slope * (one[j, N_CHARGE_LEFT] - end_left)
                    full_after = summary[k, FULL_END_A] + full_slope * (one[j + 1, N_CHARGE_LEFT] - end_left)
                    over_before = one[j, N_AFTER_A] - under * under * full_before
                    over_after = one[j + 1, N_BEFORE_A] - under * under * full_after
                    low, high = _past(
                        first, last, one[j, N_AT_S], one[j + 1, N_AT_S], over_before, over_after, 0.0, True, rate
                    )
                    a, b, c, d = max(a, low), min(b, high), max(c, low), min(d, high)
                for run in range(2):
                    if run == 1:
                        a, b = c, d
                    if a >= b:
                        continue
                    if a != until:  # a new spell
                        due = max(a + hold, quiet)
                    until = b
                    while due < b:
                        if count < events.shape[2]:
                            events[r, k, count] = due * dt_s
                        count += 1
                        due += every
            counts[r, k] = count
