"""The compiled watcher of one voltage threshold over many flights."""

from __future__ import annotations

import math

from numba import njit


@njit(cache=True, nogil=True, error_model="numpy")
def watch_threshold(
    loaded_v, cruise_v, steps, dt_s, threshold_v, early_share, hold_at, false_calls, first_call_s, longest_s
):
    """Watch "voltage below threshold, held" on many flights, for several holds at once.

    The pack is *low* in earnest from the moment at which the voltage at the pattern's steady load
    goes under the threshold for good.  A call up to ``early_share`` of that time before it belongs to the
    end of the flight and is *true*; any earlier one is *false*: only a burst of load has pulled the
    voltage down.  Each spell under the threshold speaks at most once per hold.

    Parameters
    ----------
    loaded_v, cruise_v : float32 (k, n)
    steps : float64 (k,)
        Steps flown in each flight.
    dt_s : float
        Step [s].
    threshold_v : float
        Per cell [V].
    early_share : float
        [1]
    hold_at : int64 (h,)
        ``hold_at[j]`` is the index of the hold that is met after j steps under the threshold, −1
        for none.
    false_calls : int64 (k, holds), written; first_call_s : float64 (k, holds), written
        Number of false calls; moment of the first true one [s], infinity for none.
    longest_s : float64 (k,), written
        Longest spell under the threshold that begins before the end of the flight [s].
    """
    for k in range(loaded_v.shape[0]):
        false_calls[k, :] = 0
        first_call_s[k, :] = math.inf
        count = int(steps[k])
        # From the end backwards: a cold pack may begin under the threshold and rise as it warms.
        low = count
        while low > 0 and cruise_v[k, low - 1] < threshold_v:
            low -= 1
        end_begins = int(low * (1.0 - early_share))
        under = 0
        longest = 0
        for n in range(count):
            if loaded_v[k, n] < threshold_v:
                if under < hold_at.size and hold_at[under] >= 0:
                    j = hold_at[under]
                    if n < end_begins:
                        false_calls[k, j] += 1
                    elif first_call_s[k, j] == math.inf:
                        first_call_s[k, j] = n * dt_s
                under += 1
                if n - under < end_begins and n < low:
                    longest = max(longest, under)
            else:
                under = 0
        longest_s[k] = longest * dt_s
