"""The compiled engine: what a transmitter says to frames as they come."""

from __future__ import annotations

import math

import numpy as np
from numba import njit

# Sensors of a frame, in this order; NaN where nothing was received.
PACK_V, CELL_V, RECEIVER_V, USED_AH, CURRENT_A = 0, 1, 2, 3, 4
RECEIVED = 5
# Sensors the engine adds.
LOWEST_V, ARMED_S = 5, 6
# Comparisons.
BELOW, ABOVE, MISSING, PRESENT = 0, 1, 2, 3
# What a timer runs by.
BY_THROTTLE, BY_ARMED, ALWAYS = 0, 1, 2
# How the profile is chosen.
ONE, BY_SWITCH, BY_VOLTAGE = 0, 1, 2
# Kinds of event.
RULE, TIMER_EVERY, TIMER_LAST, TIMER_END, PROFILE, WRONG_PROFILE = 0, 1, 2, 3, 4, 5
# Columns of an event.
EVENT_S, EVENT_KIND, EVENT_INDEX, EVENT_VALUE, EVENT_READ = 0, 1, 2, 3, 4
EVENT_COLUMNS = 5
# States of a rule.
QUIET, PENDING, TRUE = 0, 1, 2

# Columns of the parameters of a rule, and of a timer; switch columns hold −1 for none.
R_HOLD_S, R_ARMED, R_THROTTLE, R_SWITCH, R_POSITION, R_PROFILE, R_EVERY_S, R_QUIET_S, R_ANY, R_READ = range(10)
R_THROTTLE_UNDER = 10  # over 1 for none
R_OR_POSITION = 11  # as R_POSITION where there is only the one
RULE_COLUMNS = 12
(
    T_AT_S,
    T_RUNS,
    T_THROTTLE,
    T_EVERY_S,
    T_FIRST_S,
    T_LAST_S,
    T_END_EVERY_S,
    T_SWITCH,
    T_POSITION,
    T_RESET_DISARMED_S,
    T_PROFILE,
) = range(11)
TIMER_COLUMNS = 11
P_SWITCH, P_POSITION, P_LOW_V, P_HIGH_V, P_SERIES = range(5)
PROFILE_COLUMNS = 5

# The state between two calls: one row of globals, one of the sensors, one for each rule and timer.
G_LAST_S, G_ON_S, G_ARMED_S, G_DISARMED_S, G_LOWEST_V, G_PROFILE, G_JUDGED = range(7)
GLOBALS = 7
S_SINCE_S, S_SPOKEN_S = 0, 1
K_ELAPSED_S, K_NEXT, K_LAST, K_END_S, K_RUNNING = 0, 1, 2, 3, 4
TIMER_STATES = 5

_EXACT_S = 1e-6  # times are sums of steps: a hold that is met is met in spite of their rounding


@njit(cache=True, nogil=True, error_model="numpy")
def _say(events, count, t, kind, index, value, read):
    """Note an event where there is room for it; the count goes on, so that the caller sees what is missing."""
    if count < events.shape[0]:
        events[count, EVENT_S] = t
        events[count, EVENT_KIND] = kind
        events[count, EVENT_INDEX] = index
        events[count, EVENT_VALUE] = value
        events[count, EVENT_READ] = read
    return count + 1


@njit(cache=True, nogil=True, error_model="numpy")
def _chosen_profile(choose, profiles, switches, n, pack_v, before):
    """Index of the profile, −1 for none, −2 where the voltage that decides is not known yet."""
    if profiles.shape[0] == 0:
        return -1
    if choose == ONE:
        return 0
    if choose == BY_SWITCH:
        for k in range(profiles.shape[0]):
            if switches[n, int(profiles[k, P_SWITCH])] == profiles[k, P_POSITION]:
                return k
        return -1
    if before != -2:
        return before
    if math.isnan(pack_v):
        return -2
    best = -1
    for k in range(profiles.shape[0]):
        if profiles[k, P_LOW_V] <= pack_v <= profiles[k, P_HIGH_V] and (
            best < 0 or profiles[k, P_SERIES] < profiles[best, P_SERIES]
        ):
            best = k  # the fewest cells that can measure this are the fullest: packs are flown charged
    return best


@njit(cache=True, nogil=True, error_model="numpy")
def run_plan(
    time_s,
    sensors,
    throttle,
    armed,
    switches,
    rules,
    first_condition,
    condition_kind,
    condition_sensor,
    condition_value,
    timers,
    profiles,
    choose,
    lost_after_s,
    globals_,
    heard_v,
    heard_s,
    rule_state,
    timer_state,
    events,
    states,
    shown_s,
):
    """Run a plan over frames: what a transmitter would say, and when.

    Parameters
    ----------
    time_s : float64 (n,)
    sensors : float64 (n, RECEIVED)
        NaN where a frame has no value.
    throttle : float64 (n,), armed : int8 (n,), switches : int8 (n, 8)
        Known to the transmitter itself; switches −1 up, 0 middle, 1 down.
    rules : float64 (r, RULE_COLUMNS); first_condition : int64 (r + 1,)
    condition_kind, condition_sensor : int64 (c,); condition_value : float64 (c, profiles or 1)
        Thresholds by profile; NaN where a condition is another profile's.
    timers : float64 (t, TIMER_COLUMNS); profiles : float64 (p, PROFILE_COLUMNS)
    choose : int64
    lost_after_s : float
        A value older than this is not known any more [s].
    globals_ : float64 (GLOBALS,); heard_v, heard_s : float64 (RECEIVED,)
    rule_state : float64 (r, 2); timer_state : float64 (t, TIMER_STATES)
        The state before, replaced by the state after.
    events : float64 (e, EVENT_COLUMNS), written
    states : int8 (r, n) or (r, 0), written
        QUIET, PENDING or TRUE at each frame.
    shown_s : float32 (t, n) or (t, 0), written
        What each timer has counted [s].

    Returns
    -------
    int
        Number of events; more than there was room for means: again, with more room.
    """
    count = 0
    last_s = globals_[G_LAST_S]
    on_s = globals_[G_ON_S]
    armed_s = globals_[G_ARMED_S]
    disarmed_s = globals_[G_DISARMED_S]
    lowest_v = globals_[G_LOWEST_V]
    profile = int(globals_[G_PROFILE])
    judged = int(globals_[G_JUDGED])
    keep_states = states.shape[1] > 0
    keep_shown = shown_s.shape[1] > 0
    now = np.empty(ARMED_S + 1)
    for n in range(time_s.size):
        t = time_s[n]
        if math.isnan(on_s):
            on_s = t
            last_s = t
        dt = t - last_s
        # A clock that steps back, or a gap longer than a value is good for: nothing is known of the time
        # between, so no hold may reach across it.
        jumped = dt < 0.0 or dt > lost_after_s + _EXACT_S
        if dt < 0.0:
            on_s = min(on_s, t)
            armed_s = min(armed_s, t) if not math.isnan(armed_s) else armed_s
            disarmed_s = min(disarmed_s, t) if not math.isnan(disarmed_s) else disarmed_s
            for s in range(RECEIVED):
                heard_s[s] = min(heard_s[s], t)
            dt = 0.0
        last_s = t

        heard = False
        for s in range(RECEIVED):
            if not math.isnan(sensors[n, s]):
                heard = True
                heard_v[s] = sensors[n, s]
                heard_s[s] = t
        pack_v = heard_v[PACK_V] if t - heard_s[PACK_V] <= lost_after_s + _EXACT_S else math.nan

        # Arming: the lowest voltage begins anew, and the profile is chosen and judged.
        arming = armed[n] != 0 and math.isnan(armed_s)
        if arming:
            armed_s = t
            disarmed_s = math.nan
            lowest_v = math.inf
            judged = 0
            profile = -2
        elif armed[n] == 0:
            if not math.isnan(armed_s) or math.isnan(disarmed_s):
                disarmed_s = t
            armed_s = math.nan
        if not math.isnan(sensors[n, PACK_V]):
            lowest_v = min(lowest_v, sensors[n, PACK_V])
        before = profile
        # Only a switch changes what was chosen; to ask at each frame takes longer than all the rest of it.
        if choose == BY_SWITCH or profile == -2:
            profile = _chosen_profile(choose, profiles, switches, n, pack_v if armed[n] else math.nan, profile)
        if armed[n] != 0 and profile >= 0 and (profile != before or arming):
            count = _say(events, count, t, PROFILE, profile, pack_v, math.nan)
            judged = 0
        if armed[n] != 0 and judged == 0 and profile != -2 and not math.isnan(pack_v) and profiles.shape[0] > 0:
            judged = 1
            if profile < 0 or not (profiles[profile, P_LOW_V] <= pack_v <= profiles[profile, P_HIGH_V]):
                count = _say(events, count, t, WRONG_PROFILE, profile, pack_v, math.nan)

        for j in range(timers.shape[0]):
            at_s = timers[j, T_AT_S]
            runs = timers[j, T_RUNS]
            wanted = (
                runs == ALWAYS
                or (runs == BY_ARMED and armed[n] != 0)
                or (runs == BY_THROTTLE and throttle[n] > timers[j, T_THROTTLE])
            )
            # Which pack it is may not be known, without telemetry say: then every timer is a guard.
            if timers[j, T_PROFILE] >= 0 and profile >= 0 and profile != int(timers[j, T_PROFILE]):
                wanted = False
            back = timers[j, T_SWITCH] >= 0 and switches[n, int(timers[j, T_SWITCH])] == timers[j, T_POSITION]
            if not math.isnan(disarmed_s) and t - disarmed_s >= timers[j, T_RESET_DISARMED_S] - _EXACT_S:
                back = True
            if back:
                timer_state[j, K_ELAPSED_S] = 0.0
                timer_state[j, K_NEXT] = 0.0
                timer_state[j, K_LAST] = 0.0
                timer_state[j, K_END_S] = math.nan
            elif timer_state[j, K_RUNNING] != 0.0:  # time passes as it was at its beginning
                timer_state[j, K_ELAPSED_S] += dt
                elapsed = timer_state[j, K_ELAPSED_S]
                ended = elapsed >= at_s - _EXACT_S
                # The times in between; after a gap only the newest.
                due = -1.0
                while True:
                    moment = timers[j, T_FIRST_S] + timer_state[j, K_NEXT] * timers[j, T_EVERY_S]
                    if not (elapsed >= moment - _EXACT_S and moment < at_s - _EXACT_S):
                        break
                    due = moment
                    timer_state[j, K_NEXT] += 1.0
                if due > 0.0 and not ended and at_s - due > timers[j, T_LAST_S]:
                    count = _say(events, count, t, TIMER_EVERY, j, due, math.nan)
                left = math.ceil(at_s - elapsed - _EXACT_S)
                if not ended and 0 < left <= timers[j, T_LAST_S] and left != timer_state[j, K_LAST]:
                    timer_state[j, K_LAST] = left
                    count = _say(events, count, t, TIMER_LAST, j, left, math.nan)
                if ended:
                    said = timer_state[j, K_END_S]
                    if math.isnan(said) or elapsed - said >= timers[j, T_END_EVERY_S] - _EXACT_S:
                        timer_state[j, K_END_S] = elapsed
                        count = _say(events, count, t, TIMER_END, j, elapsed, math.nan)
            timer_state[j, K_RUNNING] = 1.0 if wanted else 0.0
            if keep_shown:
                shown_s[j, n] = timer_state[j, K_ELAPSED_S]

        # What is known at this moment, sensor by sensor.
        for s in range(RECEIVED):
            now[s] = heard_v[s] if t - heard_s[s] <= lost_after_s + _EXACT_S else math.nan
        now[LOWEST_V] = lowest_v if lowest_v < math.inf else math.nan
        now[ARMED_S] = t - armed_s

        column = profile if profile >= 0 else 0
        for j in range(rules.shape[0]):
            met = True
            if rules[j, R_ARMED] != 0.0 and armed[n] == 0:
                met = False
            if rules[j, R_THROTTLE] >= 0.0 and not throttle[n] > rules[j, R_THROTTLE]:
                met = False
            if rules[j, R_THROTTLE_UNDER] <= 1.0 and not throttle[n] < rules[j, R_THROTTLE_UNDER]:
                met = False
            if rules[j, R_SWITCH] >= 0.0:
                at = switches[n, int(rules[j, R_SWITCH])]
                if at != rules[j, R_POSITION] and at != rules[j, R_OR_POSITION]:
                    met = False
            if rules[j, R_PROFILE] >= 0.0 and rules[j, R_PROFILE] != profile:
                met = False
            value = math.nan
            if met and first_condition[j + 1] > first_condition[j]:
                one = False
                every = True
                for c in range(first_condition[j], first_condition[j + 1]):
                    kind = condition_kind[c]
                    limit = condition_value[c, column]
                    if kind in (MISSING, PRESENT):
                        holds = heard == (kind == PRESENT) and not math.isnan(limit)
                        x = math.nan
                    else:
                        x = now[condition_sensor[c]]
                        holds = x < limit if kind == BELOW else x > limit
                    if holds:
                        one = True
                        if math.isnan(value):
                            value = x
                    else:
                        every = False
                met = one if rules[j, R_ANY] != 0.0 else every
            state = QUIET
            if met:
                if math.isnan(rule_state[j, S_SINCE_S]) or jumped:
                    rule_state[j, S_SINCE_S] = t
                    rule_state[j, S_SPOKEN_S] = math.nan
                begun = armed_s if rules[j, R_ARMED] != 0.0 else on_s
                state = PENDING
                if (
                    t - rule_state[j, S_SINCE_S] >= rules[j, R_HOLD_S] - _EXACT_S
                    and t - begun >= rules[j, R_QUIET_S] - _EXACT_S
                ):
                    state = TRUE
                    spoken = rule_state[j, S_SPOKEN_S]
                    if math.isnan(spoken) or t - spoken >= rules[j, R_EVERY_S] - _EXACT_S:
                        rule_state[j, S_SPOKEN_S] = t
                        read = math.nan
                        if rules[j, R_READ] >= 0.0:
                            read = now[int(rules[j, R_READ])]
                        count = _say(events, count, t, RULE, j, value, read)
            else:
                rule_state[j, S_SINCE_S] = math.nan
                rule_state[j, S_SPOKEN_S] = math.nan
            if keep_states:
                states[j, n] = state

    globals_[G_LAST_S] = last_s
    globals_[G_ON_S] = on_s
    globals_[G_ARMED_S] = armed_s
    globals_[G_DISARMED_S] = disarmed_s
    globals_[G_LOWEST_V] = lowest_v
    globals_[G_PROFILE] = profile
    globals_[G_JUDGED] = judged
    return count
