"""The compiled stepper: one cell of the pack, marched under a repeated load.

Everything that flies goes through :func:`march`: one flight, a range of flights, a candidate,
a fit.  It is scalar code over plain arrays so that numba can compile it once and cache it; it
holds no rule of the job beyond the circuit, the load laws and the crossing of limits.

Model (per cell; P cells in parallel carry the pack current I_pack = P·i)
-------------------------------------------------------------------------
(K1)  v = OCV(z) − v1 − v2 − i·(r0 + r_ext)                  second-order Thévenin, Plett vol. 1 §2
(K2)  dz/dt = −i / Q
(K3)  dv1/dt = (i·r1 − v1)/τ1,  r1 = ratio1·r0                exact exponential step
      dv2/dt = (i·r2 − v2)/τ2,  r2 = ratio2·R(25 °C)·shape(z)·diffusion(T)
(K4)  r0 = R(25 °C)·shape(z)·arrhenius(T)                     all three read from uniform tables
(K5)  m·c·dT/dt = i²·r0 + i·(v1 + v2) − hA·(T − T_air)        exact over a step of constant heat
(K6)  constant power p:   i = 2p / (e + √(e² − 4·p·r)),  e = OCV − v1 − v2, r = r0 + r_ext
(K7)  full throttle:      i = c·(e − i·r_t)²  ⇒  i = 2c·e² / (2c·e·r_t + 1 + √(4c·e·r_t + 1))
      (the closed form of PHYSICS 3 multiplied through by its conjugate: no cancellation, and
      right for r_t = 0)
(K8)  a burst of work w lasts w/(p_full − p_level) by what the pack gives as it begins, within limits
(K9)  the weakest cell: v_w = OCV(z_w) − (v1 + v2)·k_r − i·r0·k_r,  z_w = z_0 − (z_0 − z)/k_q, at its
      own terminals

Inside a stretch of constant demand the step is long (up to two seconds, or a four-hundredth of the charge): the RC
pairs and the heat are stepped exactly, charge by Adams-Bashforth 2, by Heun on the first step of a stretch, so it
is second order and never extrapolates across a jump of the load.  What is kept is sampled between the
steps.  Voltages are evaluated on both sides of each jump; a limit is interpolated only between two
values of the same stretch, and a limit passed by the jump itself is passed at that very moment.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from zesty_cell.core.parts.chemistry import (
    CHARGE_GRID_INTERVALS,
    TEMPERATURE_GRID_HIGH_C,
    TEMPERATURE_GRID_LOW_C,
    TEMPERATURE_GRID_STEP_C,
)

# Columns of a flight's parameters, all per cell.
CAPACITY_AH = 0
R0_OHM = 1
R_EXT_OHM = 2
POLARISATION_RATIO = 3
POLARISATION_TAU_S = 4
FULL_THROTTLE_A_V2 = 5  # c of (K7) [A/V²]
R_MOTOR_OHM = 6
HEAT_CAPACITY_J_K = 7
COOLING_W_K = 8
AIR_C = 9
START_C = 10
START_CHARGE = 11  # z at take-off [0 to 1]
AVIONICS_W = 12
CRUISE_W = 13  # propulsive power of the pattern's steady load [W], for the cruise voltage
FLOOR_V = 14  # of the weakest cell
FLOOR_HOLD_S = 15
LAND_USED_AH = 16  # landing by charge used; infinity switches it off
LAND_CHARGE_LEFT = 17  # landing by rest voltage, as the charge it stands for; −1 switches it off
LAND_LOADED_V = 18  # landing by loaded voltage held; −1 switches it off
LAND_LOADED_HOLD_S = 19
MAX_TIME_S = 20
BEYOND_LANDING = 21  # how far past the first landing to go on, as a share of its time; infinity: to the end
# The ESC's own low-voltage cutoff: it takes the power away once the loaded voltage has stayed under it so long in
# steady flight, or at any load; 0 V switches it off.
ESC_CUTOFF_V = 22
ESC_STEADY_HOLD_S = 23
ESC_ANY_HOLD_S = 24
DIFFUSION_RATIO = 25  # the slow pair: R2 over R(25 °C) at 25 °C, and its time constant
DIFFUSION_TAU_S = 26
LEVEL_W = 27  # propulsive power that flies the craft during a burst, which only what is above it does work [W]
WEAK_CAPACITY = 28  # the weakest cell's capacity and resistance over those of the mean cell (K9)
WEAK_RESISTANCE = 29
LONGEST_STEP_S = 30
LAND_TIMER_S = 31  # landing by timer; infinity switches it off
PARAMETER_COUNT = 32

#: A burst of work lasts at least and at most so many times its nominal length (K8) [1].
SHORTEST_BURST, LONGEST_BURST = 0.4, 2.5
#: How much more than demand the length of what is flown varies: a tenth of one is some seventh of the other [1].
LENGTH_POWER = 1.5
#: A gust lasts so long [s]; what is sampled of it hangs together over several.  Near a landing its parts are flown
#: one by one: what a call hears of the pack's last voltages goes by its strongest seconds.
GUST_S, GUST_PARTS = 10.0, 4
#: So near: charge left over the landing's [1], share of the timer [1], steady voltage over the loaded one [V].
_NEAR_LEFT, _NEAR_TIMER, _NEAR_V = 0.05, 0.95, 0.05
#: No step of steady power, nor of anything else, takes more of the charge than these [1], nor is it shorter [s].
CHARGE_STEP, BURST_STEP, SHORTEST_STEP_S = 1.0 / 400.0, 1.0 / 600.0, 0.02

# Columns of a flight's summary.
END_S = 0
END_REASON = 1
LAND_BY_USED_S = 2
LAND_BY_REST_S = 3
LAND_BY_LOADED_S = 4
FIRST_CLIPPED_S = 5  # steady power asked for but not deliverable
END_CHARGE_LEFT = 6
DELIVERED_WH = 7
HEAT_WH = 8
HOTTEST_C = 9
FLOOR_TOUCHED_S = 10
STEPS = 11  # samples
END_C = 12
PEAK_A = 13
WORST_V = 14  # lowest loaded voltage
FULL_FRESH_A = 15  # what full throttle would draw at the start and at the end
FULL_END_A = 16
CUTOFF_S = 17  # when the ESC's cutoff ends the flight
CUTOFF_TOUCHED_S = 18  # when the loaded voltage is under it first
LANDING_CHARGE_LEFT = 19  # at the first landing rule or cutoff that was reached, else at the end
WORST_CELL_V = 20  # lowest voltage of the weakest cell
LONGEST_STRETCH = 21  # longest burst of work over its nominal length [1]; 0 without any
KNOTS = 22  # how many the flight has, whether there was room for them or not
SUMMARY_COUNT = 23

# Why the march ended.
OUT_OF_TIME = 0
EMPTY = 1
AT_FLOOR = 2

# Rows of the trace of one flight: samples at even distances.
T_LOADED_V = 0
T_CURRENT_A = 1
T_CHARGE_LEFT = 2
T_POLARISATION_V = 3  # of both pairs
T_TEMPERATURE_C = 4
T_REST_V = 5
T_FULL_THROTTLE_A = 6
T_WEAKEST_V = 7  # the weakest cell, at its terminals
T_CRUISE_V = 8  # what the loaded voltage would be at the pattern's steady load
TRACE_COUNT = 9

# Columns of the knots of one flight: every moment between two of its steps, and both sides of it where the load
# jumps.  Between two knots everything runs straight.
N_AT_S = 0
N_BEFORE_V = 1
N_AFTER_V = 2
N_CRUISE_V = 3
N_CHARGE_LEFT = 4
N_BEFORE_A = 5
N_AFTER_A = 6
N_WEAKEST_BEFORE_V = 7
N_WEAKEST_AFTER_V = 8
KNOT_COLUMNS = 9

_N = CHARGE_GRID_INTERVALS
_T_LOW = TEMPERATURE_GRID_LOW_C
_T_HIGH = TEMPERATURE_GRID_HIGH_C
_T_PER_DEGREE = 1.0 / TEMPERATURE_GRID_STEP_C
_T_LAST = round((TEMPERATURE_GRID_HIGH_C - TEMPERATURE_GRID_LOW_C) / TEMPERATURE_GRID_STEP_C) - 1
_NEVER = math.inf
_NOTHING_W = 1e-12


@njit(cache=True, nogil=True, error_model="numpy", fastmath={"contract"})
def _interval(z, cell_table):
    """The stretch of the charge grid around z: its index, and OCV and shape as lines a + b·z (K4)."""
    k = int(z * _N)
    k = 0 if k < 0 else (_N - 1 if k >= _N else k)
    ocv_b = (cell_table[k + 1, 0] - cell_table[k, 0]) * _N
    shape_b = (cell_table[k + 1, 1] - cell_table[k, 1]) * _N
    at = k / _N
    return k, cell_table[k, 0] - ocv_b * at, ocv_b, cell_table[k, 1] - shape_b * at, shape_b


@njit(cache=True, nogil=True, error_model="numpy", fastmath={"contract"})
def _degree(temperature_c, temperature_table, r25):
    """The stretch of the temperature grid around a temperature: resistances (K3, K4) as lines, and its ends.

    Before the shape over charge; beyond the table they keep their last values.
    """
    if temperature_c < _T_LOW:
        return r25 * temperature_table[0, 0], 0.0, r25 * temperature_table[0, 1], 0.0, -_NEVER, _T_LOW
    if temperature_c >= _T_HIGH:
        last = _T_LAST + 1
        return r25 * temperature_table[last, 0], 0.0, r25 * temperature_table[last, 1], 0.0, _T_HIGH, _NEVER
    j = min(int((temperature_c - _T_LOW) * _T_PER_DEGREE), _T_LAST)
    low = _T_LOW + j / _T_PER_DEGREE
    slope = r25 * (temperature_table[j + 1, 0] - temperature_table[j, 0]) * _T_PER_DEGREE
    slow = r25 * (temperature_table[j + 1, 1] - temperature_table[j, 1]) * _T_PER_DEGREE
    return (
        r25 * temperature_table[j, 0] - slope * low,
        slope,
        r25 * temperature_table[j, 1] - slow * low,
        slow,
        low,
        low + 1.0 / _T_PER_DEGREE,
    )


@njit(cache=True, nogil=True, error_model="numpy", fastmath={"contract"})
def _full_throttle_a(e, r_t, c):
    """Current of a fixed propeller at full throttle (K7)."""
    x = 2.0 * c * e * r_t
    return 2.0 * c * e * e / (x + 1.0 + math.sqrt(2.0 * x + 1.0))


@njit(cache=True, nogil=True, error_model="numpy", fastmath={"contract"})
def _demand(kind, value, e, r, r_motor, c, avionics_w):
    """Current drawn, and whether a steady power was asked for that cannot be had (K6, K7)."""
    if kind == 2:  # CURRENT
        return value, False
    if kind == 1:  # FULL_THROTTLE
        i_full = _full_throttle_a(e, r + r_motor, c)
        if value >= 1.0:
            return i_full, False
        p = value * i_full * (e - i_full * r)
    else:
        p = value + avionics_w
    disc = e * e - 4.0 * p * r
    if disc >= 0.0:
        i = 2.0 * p / (e + math.sqrt(disc))
        # At this operating point full throttle would draw c·v_motor²: more is not to be had.
        v_motor = e - i * (r + r_motor)
        if v_motor > 0.0 and i <= c * v_motor * v_motor:
            return i, False
    i_full = _full_throttle_a(e, r + r_motor, c)
    return min(i_full, e / (2.0 * r)), kind == 0


@njit(cache=True, nogil=True, error_model="numpy", fastmath={"contract"})
def _gust_at(t, parts):
    """Which gust blows, or which part of one; one that begins as a stretch does is not missed by the rounding of a
    sum of steps.
    """
    return int((t + 1e-6) / GUST_S * parts) * (GUST_PARTS // parts)


@njit(cache=True, nogil=True, error_model="numpy", fastmath={"contract"})
def _fill(out, first, last, value, change, part, further):
    """Samples of one step: straight from its start to its end."""
    for k in range(last - first):
        out[first + k] = value + change * (part + further * k)


@njit(cache=True, nogil=True, error_model="numpy", fastmath={"contract"})
def _check_arrays(seg_kind, seg_value, seg_s, seg_work_j, trace, knots, max_samples):
    """The door: what is compiled does not look at lengths again, and would write beyond them."""
    m = seg_kind.size
    if m == 0 or seg_value.size != m or seg_s.size != m or seg_work_j.size != m:
        raise ValueError("A load program has one kind, value, length and work for each of its stretches.")
    for k in range(m):
        if not seg_s[k] > 0.0:
            raise ValueError("Each stretch of a load program takes some time.")
    if trace.shape[0] not in (0, 1, TRACE_COUNT) or (trace.shape[0] != 0 and trace.shape[1] < max_samples):
        raise ValueError("A trace has room for every sample of one row or of all, or is empty.")
    if knots.shape[1] not in (0, KNOT_COLUMNS):
        raise ValueError("Knots have all their columns, or are not kept.")


@njit(cache=True, nogil=True, error_model="numpy", fastmath={"contract"})
def march(
    params,
    seg_kind,
    seg_value,
    seg_s,
    seg_work_j,
    gusts,
    cell_table,
    temperature_table,
    sample_s,
    max_samples,
    trace,
    knots,
    summary,
):
    """March one cell until it is empty, at its floor, or out of time.

    Parameters
    ----------
    params : float64 (PARAMETER_COUNT,)
    seg_kind : int64 (m,); seg_value, seg_s, seg_work_j : float64 (m,)
        The load program, repeated: kind and value of the demand, its length [s], and for a burst of work what it
        does per cell beyond flying [J], which then makes its length (K8); 0 for a burst of seconds.
    gusts : float64 (g,) or (0,)
        What steady demand is multiplied by [1], GUST_PARTS values each GUST_S, repeated, of which the first counts
        for all until a landing is near; and, half the array further on,
        what the length of each stretch is multiplied by, to the power LENGTH_POWER.
    cell_table : float64 (1025, 2), temperature_table : float64 (881, 2)
    sample_s : float
        Distance of samples [s].
    max_samples : int
        At most this many; a sample is taken with the load that begins there.
    trace : float64 (TRACE_COUNT, max_samples), (1, max_samples) or (0, 0)
        Samples of everything, of the loaded voltage alone, or none.
    knots : float64 (room, KNOT_COLUMNS) or (0, 0)
        Every moment between two steps, as far as there is room; the last may lie past the end.
    summary : float64 (SUMMARY_COUNT,), written.

    Returns
    -------
    int
        Samples taken.

    Raises
    ------
    ValueError
        When arrays do not belong together.
    """
    _check_arrays(seg_kind, seg_value, seg_s, seg_work_j, trace, knots, max_samples)
    if params.size != PARAMETER_COUNT or summary.size != SUMMARY_COUNT:
        raise ValueError("Parameters and summary have all their columns.")
    capacity = params[CAPACITY_AH]
    r25 = params[R0_OHM]
    r_ext = params[R_EXT_OHM]
    c = params[FULL_THROTTLE_A_V2]
    r_motor = params[R_MOTOR_OHM]
    cooling = params[COOLING_W_K]
    # Below a picowatt there is nothing, and numbers near the smallest are a hundred times slower.
    avionics = params[AVIONICS_W] if params[AVIONICS_W] > _NOTHING_W else 0.0
    cruise_w = params[CRUISE_W] + avionics
    level_w = params[LEVEL_W] + avionics
    floor_v = params[FLOOR_V]
    floor_hold = params[FLOOR_HOLD_S]
    land_used = params[LAND_USED_AH]
    land_left = params[LAND_CHARGE_LEFT]
    land_v = params[LAND_LOADED_V]
    land_timer = params[LAND_TIMER_S]
    land_hold = params[LAND_LOADED_HOLD_S]
    cutoff_v = params[ESC_CUTOFF_V]
    cutoff_steady = params[ESC_STEADY_HOLD_S]
    cutoff_any = params[ESC_ANY_HOLD_S]
    steady_w = params[CRUISE_W] * 1.000001  # what a demand may be and still count as steady
    max_time = min(params[MAX_TIME_S], max_samples * sample_s)
    beyond = 1.0 + params[BEYOND_LANDING]
    weak_r = params[WEAK_RESISTANCE]
    weak_q = 1.0 / params[WEAK_CAPACITY]
    one_cell = weak_r == 1.0 and weak_q == 1.0

    z0 = params[START_CHARGE]
    z = z0
    v1 = 0.0
    v2 = 0.0
    temperature = params[START_C]
    tau1 = params[POLARISATION_TAU_S]
    tau2 = params[DIFFUSION_TAU_S]
    ratio1 = params[POLARISATION_RATIO]
    ratio2 = params[DIFFUSION_RATIO]
    per_a_second = 1.0 / (3600.0 * capacity)
    per_kelvin = cooling / params[HEAT_CAPACITY_J_K]
    air_c = params[AIR_C]
    z_used = z0 - land_used / capacity

    t_used = _NEVER
    t_rest = _NEVER
    t_loaded = _NEVER
    t_clipped = _NEVER
    t_floor_touched = _NEVER
    under_floor_since = _NEVER
    under_land_since = _NEVER
    t_cutoff = _NEVER
    t_cutoff_touched = _NEVER
    under_cutoff_since = _NEVER
    steady_cutoff_since = _NEVER
    t_landed = _NEVER
    z_landed = 0.0
    delivered = 0.0
    heat = 0.0
    hottest = temperature
    reason = OUT_OF_TIME
    t_stop = max_time
    worst_v = 1e9
    worst_cell_v = 1e9
    peak = 0.0
    full_fresh = 0.0
    stretch = 0.0
    keep_v = trace.shape[0] > 0
    keep_trace = trace.shape[0] == TRACE_COUNT
    keep_knots = knots.shape[1] > 0
    room = knots.shape[0]
    knot = 0  # how many there were
    gusty = gusts.size > 0

    # Charge and temperature move slowly through their grids: the lines of the present stretch are kept
    # until it is left.
    k, ocv_a, ocv_b, shape_a, shape_b = _interval(z, cell_table)
    z_low = k / _N if k > 0 else -1e9
    weak_low, weak_a, weak_b, weak_shape_a, weak_shape_b = z_low, ocv_a, ocv_b, shape_a, shape_b
    warm_a, warm_b, slow_a, slow_b, colder_c, warmer_c = _degree(temperature, temperature_table, r25)
    # Most steps pass no limit: two comparisons find the few that might.
    watch_z = max(0.0, z_used, land_left)
    watch_v = max(land_v, cutoff_v)
    z_near, t_near = max(0.0, z_used, land_left) + _NEAR_LEFT, _NEAR_TIMER * land_timer
    v_near = max(land_v, 0.0) + _NEAR_V
    watching = False  # a voltage is under one of its limits

    h_last = -1.0
    decay1 = decay2 = heat_decay = 1.0
    grow1 = grow2 = heat_gain = toward_air = per_a = hours = 0.0
    # The steady current is followed by Newton steps; the first time it is worked out with the root.
    i_cruise = 1e18
    v_cruise = 1e18
    full_a = 0.0
    t = 0.0
    t_end = max_time
    n = 0  # samples taken
    seg = -1
    left_s = 0.0
    kind = 0
    value = 0.0
    first = True
    stopped = False
    running = max_time > 0.0
    while running:
        ocv = ocv_a + ocv_b * z
        e = ocv - v1 - v2
        if not colder_c <= temperature < warmer_c:
            warm_a, warm_b, slow_a, slow_b, colder_c, warmer_c = _degree(temperature, temperature_table, r25)
        warm_ohm = warm_a + warm_b * temperature
        warm_before = warm_ohm
        shape = shape_a + shape_b * z
        r0 = warm_ohm * shape
        r2 = ratio2 * (slow_a + slow_b * temperature) * shape
        r = r0 + r_ext
        r0_before, r2_before = r0, r2
        if left_s <= 0.0:
            seg += 1
            if seg == seg_kind.size:
                seg = 0
            kind = seg_kind[seg]
            value = seg_value[seg] if seg_value[seg] > _NOTHING_W else 0.0
            left_s = seg_s[seg]
            if gusty:
                # Nobody flies a pattern to the second: another draw of the same process, to this power.
                left_s *= gusts[(_gust_at(t, 1) + gusts.size // 2) % gusts.size] ** LENGTH_POWER
            if seg_work_j[seg] > 0.0:
                i_full = _full_throttle_a(e, r + r_motor, c)
                climb_w = value * i_full * (e - i_full * r) - level_w
                times = seg_work_j[seg] / climb_w / seg_s[seg] if climb_w > 0.0 else LONGEST_BURST
                times = min(max(times, SHORTEST_BURST), LONGEST_BURST)
                stretch = max(stretch, times)
                left_s *= times
        piece_s = left_s
        asked = value
        if gusty and kind == 0:
            parts = GUST_PARTS if z < z_near or t > t_near or v_cruise < v_near else 1
            asked = value * gusts[_gust_at(t, parts) % gusts.size]
            if left_s > 1.5 * GUST_S / parts:
                piece_s = GUST_S / parts
        left_s -= piece_s
        i, clipped = _demand(kind, asked, e, r, r_motor, c, avionics)
        v = e - i * r
        if first:
            full_fresh = _full_throttle_a(e, r + r_motor, c)
            full_a = full_fresh
            disc = e * e - 4.0 * cruise_w * r
            i_cruise = 2.0 * cruise_w / (e + math.sqrt(disc)) if disc > 0.0 else e / (2.0 * r)
            v_cruise = e - i_cruise * r
            first = False
        v_weak = v + i * r_ext
        if not one_cell:
            z_weak = z0 - (z0 - z) * weak_q
            weak_ohm = warm_ohm * (weak_shape_a + weak_shape_b * z_weak)
            v_weak = weak_a + weak_b * z_weak - weak_r * (v1 + v2 + i * weak_ohm)
        if keep_knots:
            if knot == 0:
                knot = 1
                if room > 0:
                    knots[0, N_AT_S] = 0.0
                    knots[0, N_BEFORE_V] = v
                    knots[0, N_CRUISE_V] = v_cruise
                    knots[0, N_CHARGE_LEFT] = z
                    knots[0, N_BEFORE_A] = i
                    knots[0, N_WEAKEST_BEFORE_V] = v_weak
            if knot <= room:  # the load jumps here: the other side of the knot
                knots[knot - 1, N_AFTER_V] = v
                knots[knot - 1, N_AFTER_A] = i
                knots[knot - 1, N_WEAKEST_AFTER_V] = v_weak
        if clipped:
            t_clipped = min(t_clipped, t)
        # A limit passed by the jump of the load itself is passed at this very moment.
        if v_weak < floor_v:
            if under_floor_since == _NEVER:
                under_floor_since = t
                t_floor_touched = min(t_floor_touched, under_floor_since)
        else:
            under_floor_since = _NEVER
        if v < land_v:
            if under_land_since == _NEVER:
                under_land_since = t
        else:
            under_land_since = _NEVER
        steady = kind == 0 and value <= steady_w
        if v < cutoff_v:
            if under_cutoff_since == _NEVER:
                under_cutoff_since = t
                t_cutoff_touched = min(t_cutoff_touched, under_cutoff_since)
            if not steady:
                steady_cutoff_since = _NEVER
            elif steady_cutoff_since == _NEVER:
                steady_cutoff_since = t
        else:
            under_cutoff_since = _NEVER
            steady_cutoff_since = _NEVER
        watching = v < watch_v or v_weak < floor_v
        h = (CHARGE_STEP if kind == 0 else BURST_STEP) * 3600.0 * capacity / max(i, 1e-9)
        h = min(params[LONGEST_STEP_S], max(SHORTEST_STEP_S, h))
        count = max(1, math.ceil(piece_s / h - 1e-9))
        h = piece_s / count
        if h != h_last:
            h_last = h
            decay1 = math.exp(-h / tau1)
            grow1 = (1.0 - decay1) * ratio1
            decay2 = math.exp(-h / tau2)
            grow2 = 1.0 - decay2
            # (K5) over one step of constant heat, exactly: stable however light the cell.
            heat_decay = math.exp(-per_kelvin * h)
            heat_gain = (1.0 - heat_decay) / cooling if cooling > 0.0 else h / params[HEAT_CAPACITY_J_K]
            toward_air = air_c * (1.0 - heat_decay)
            per_a = per_a_second * h
            hours = h / 3600.0
        i_before = i
        worst_v = min(worst_v, v)
        worst_cell_v = min(worst_cell_v, v_weak)
        peak = max(peak, i)
        for step in range(count):
            if step == 0:
                # Heun: look at the end of the step with the starting current, resistances and all, then average.
                warm_p = toward_air + temperature * heat_decay + i * (i * r0 + v1 + v2) * heat_gain - temperature
                shape_p = shape - shape_b * i * per_a
                r0_p = max(warm_ohm + warm_b * warm_p, 0.5 * warm_ohm) * shape_p
                r2_p = max(r2 + ratio2 * slow_b * warm_p * shape_p, 0.5 * r2)
                r0_mid, r2_mid = 0.5 * (r0 + r0_p), 0.5 * (r2 + r2_p)
                e_p = (
                    ocv
                    - ocv_b * i * per_a
                    - (v1 * decay1 + i * grow1 * r0_mid)
                    - (v2 * decay2 + i * grow2 * r2_mid)
                )
                i_p, _c = _demand(kind, asked, e_p, r0_p + r_ext, r_motor, c, avionics)
                i_mid = 0.5 * (i + i_p)
            else:
                i_mid = 1.5 * i - 0.5 * i_before
                r0_mid, r2_mid = 1.5 * r0 - 0.5 * r0_before, 1.5 * r2 - 0.5 * r2_before

            z_before = z
            i_start = i
            v_before = v
            v_weak_before = v_weak
            r_before = r
            v1_before = v1
            v2_before = v2
            ocv_before = ocv
            t_before_c = temperature
            z -= i_mid * per_a
            v1 = v1 * decay1 + i_mid * grow1 * r0_mid
            v2 = v2 * decay2 + i_mid * grow2 * r2_mid
            r0_before, r2_before = r0, r2
            # The resistance at the end of this step is extrapolated from its start and the step before: second
            # order, and it takes the slow heat equation off the critical path of the fast one.
            if not colder_c <= temperature < warmer_c:
                warm_a, warm_b, slow_a, slow_b, colder_c, warmer_c = _degree(temperature, temperature_table, r25)
            warm_now = warm_a + warm_b * temperature
            warm_ohm = max(2.0 * warm_now - warm_before, 0.5 * warm_now)
            warm_before = warm_now
            cell_heat = i_mid * (i_mid * r0_mid + 0.5 * (v1 + v1_before + v2 + v2_before))
            temperature = toward_air + temperature * heat_decay + cell_heat * heat_gain
            if step == 0:  # nothing to extrapolate from across the jump
                if not colder_c <= temperature < warmer_c:
                    warm_a, warm_b, slow_a, slow_b, colder_c, warmer_c = _degree(
                        temperature, temperature_table, r25
                    )
                warm_ohm = warm_a + warm_b * temperature

            if z < z_low:
                k, ocv_a, ocv_b, shape_a, shape_b = _interval(z, cell_table)
                z_low = k / _N if k > 0 else -1e9
            ocv = ocv_a + ocv_b * z
            e = ocv - v1 - v2
            shape = shape_a + shape_b * z
            r0 = warm_ohm * shape
            r2 = ratio2 * (slow_a + slow_b * temperature) * shape
            r = r0 + r_ext
            # Constant power from the step before: one Newton step on r·i² − e·i + p = 0 from the
            # extrapolated current is exact to 1e-9 and needs no root.  Anything near the pack's
            # limit, above full throttle, or of another kind goes the long way.
            guess = 2.0 * i - i_before
            slope = e - 2.0 * r * guess
            i_before = i
            if kind == 0 and slope > 0.3 * e and step > 0:
                clipped = False
                i = (asked + avionics - r * guess * guess) / slope
                v = e - i * r
                v_motor = v - i * r_motor
                if v_motor <= 0.0 or i > c * v_motor * v_motor:
                    i, clipped = _demand(kind, asked, e, r, r_motor, c, avionics)
                    v = e - i * r
            else:
                i, clipped = _demand(kind, asked, e, r, r_motor, c, avionics)
                v = e - i * r
            v_weak = v + i * r_ext
            if not one_cell:
                z_weak = z0 - (z0 - z) * weak_q
                if z_weak < weak_low:
                    k, weak_a, weak_b, weak_shape_a, weak_shape_b = _interval(z_weak, cell_table)
                    weak_low = k / _N if k > 0 else -1e9
                weak_ohm = warm_ohm * (weak_shape_a + weak_shape_b * max(z_weak, 0.0))
                v_weak = weak_a + weak_b * z_weak - weak_r * (v1 + v2 + i * weak_ohm)

            t_next = t + h
            share = 1.0  # of this step that is flown
            if z <= watch_z or v < watch_v or v_weak < floor_v or watching or t_next >= land_timer:
                if z <= 0.0:
                    reason = EMPTY
                    share = z_before / (z_before - z)
                    running = False
                # When a voltage came back over its limit inside this step, its hold ran until then.
                if v_weak < floor_v or v_weak_before < floor_v:
                    if under_floor_since == _NEVER:
                        under_floor_since = t + h * (v_weak_before - floor_v) / (v_weak_before - v_weak)
                        t_floor_touched = min(t_floor_touched, under_floor_since)
                    until = t_next
                    if v_weak >= floor_v:
                        until = t + h * (floor_v - v_weak_before) / (v_weak - v_weak_before)
                    if under_floor_since + floor_hold <= until:
                        at_floor = max(0.0, (under_floor_since + floor_hold - t) / h)
                        if running or at_floor < share:
                            reason = AT_FLOOR
                            share = at_floor
                            running = False
                    if v_weak >= floor_v and running:
                        under_floor_since = _NEVER
                if v < land_v or v_before < land_v:
                    if under_land_since == _NEVER:
                        under_land_since = t + h * (v_before - land_v) / (v_before - v)
                    until = t_next if v < land_v else t + h * (land_v - v_before) / (v - v_before)
                    if under_land_since + land_hold <= until and t_loaded == _NEVER:
                        t_loaded = max(under_land_since + land_hold, 0.0)
                    if v >= land_v:
                        under_land_since = _NEVER
                if v < cutoff_v or v_before < cutoff_v:
                    if under_cutoff_since == _NEVER:
                        under_cutoff_since = t + h * (v_before - cutoff_v) / (v_before - v)
                        t_cutoff_touched = min(t_cutoff_touched, under_cutoff_since)
                        if steady:
                            steady_cutoff_since = under_cutoff_since
                    until = t_next if v < cutoff_v else t + h * (cutoff_v - v_before) / (v - v_before)
                    at_cutoff = min(steady_cutoff_since + cutoff_steady, under_cutoff_since + cutoff_any)
                    if at_cutoff <= until and t_cutoff == _NEVER:
                        t_cutoff = at_cutoff
                    if v >= cutoff_v:
                        under_cutoff_since = _NEVER
                        steady_cutoff_since = _NEVER
                watching = v < watch_v or v_weak < floor_v
                if z <= z_used and t_used == _NEVER:
                    t_used = max(0.0, t + h * (z_before - z_used) / (z_before - z))
                if z <= land_left and t_rest == _NEVER:
                    t_rest = max(0.0, t + h * (z_before - land_left) / (z_before - z))
                watch_z = max(0.0, z_used if t_used == _NEVER else 0.0, land_left if t_rest == _NEVER else 0.0)
                earliest = min(t_used, t_rest, t_loaded, t_cutoff)
                if t_next >= land_timer:
                    earliest = min(earliest, land_timer)
                if earliest < t_landed and t_landed == _NEVER:
                    t_landed = earliest
                    z_landed = z_before + (earliest - t) / h * (z - z_before)
                    t_stop = min(t_stop, earliest * beyond)
            if t + share * h > t_stop:
                reason = OUT_OF_TIME
                share = max((t_stop - t) / h, 0.0)
                running = False
                stopped = True
            elif t + share * h == t_stop and running:
                running = False
                stopped = True
            if clipped and running:
                t_clipped = min(t_clipped, t_next)
            # What the pattern's steady load, and full throttle, would ask of the state at the end of this step.
            if keep_trace or keep_knots:
                v_cruise_before = v_cruise
                slope = e - 2.0 * r * i_cruise
                if slope > 0.3 * e:
                    i_cruise = (cruise_w - r * i_cruise * i_cruise) / slope
                else:
                    disc = e * e - 4.0 * cruise_w * r
                    i_cruise = 2.0 * cruise_w / (e + math.sqrt(disc)) if disc > 0.0 else e / (2.0 * r)
                v_cruise = e - i_cruise * r
            if keep_knots:
                if knot < room:
                    knots[knot, N_AT_S] = t_next
                    knots[knot, N_BEFORE_V] = v
                    knots[knot, N_AFTER_V] = v
                    knots[knot, N_CRUISE_V] = v_cruise
                    knots[knot, N_CHARGE_LEFT] = z
                    knots[knot, N_BEFORE_A] = i
                    knots[knot, N_AFTER_A] = i
                    knots[knot, N_WEAKEST_BEFORE_V] = v_weak
                    knots[knot, N_WEAKEST_AFTER_V] = v_weak
                knot += 1
            if keep_v:
                until = t + share * h
                last = min(max_samples, math.ceil((until - 1e-9) / sample_s))
                part = max((n * sample_s - t) / h, 0.0)
                further = sample_s / h
                if last > n:
                    _fill(trace[T_LOADED_V], n, last, v_before, v - v_before, part, further)
                if keep_trace:
                    full_before = full_a
                    full_a = _full_throttle_a(e, r + r_motor, c)
                    if last > n:
                        pole = v1_before + v2_before
                        _fill(
                            trace[T_CRUISE_V], n, last, v_cruise_before, v_cruise - v_cruise_before, part, further
                        )
                        _fill(trace[T_CURRENT_A], n, last, i_start, i - i_start, part, further)
                        _fill(trace[T_CHARGE_LEFT], n, last, z_before, z - z_before, part, further)
                        _fill(trace[T_POLARISATION_V], n, last, pole, v1 + v2 - pole, part, further)
                        _fill(trace[T_TEMPERATURE_C], n, last, t_before_c, temperature - t_before_c, part, further)
                        _fill(trace[T_REST_V], n, last, ocv_before, ocv - ocv_before, part, further)
                        _fill(trace[T_FULL_THROTTLE_A], n, last, full_before, full_a - full_before, part, further)
                        _fill(trace[T_WEAKEST_V], n, last, v_weak_before, v_weak - v_weak_before, part, further)
                    # Sampled flights need no energies.
                    start_loss = i_start * (i_start * r_before + v1_before + v2_before)
                    delivered += 0.5 * (v_before * i_start + v * i) * hours * share
                    heat += 0.5 * (start_loss + i * (i * r + v1 + v2)) * hours * share
                n = max(n, last)
            if not running:
                t_end = t_stop if stopped else t + share * h
                z = z_before + share * (z - z_before)
                temperature = t_before_c + share * (temperature - t_before_c)
                e = (ocv_before - v1_before - v2_before) * (1.0 - share) + share * e
                r = r_before + share * (r - r_before)
                worst_v = min(worst_v, v_before + share * (v - v_before))
                worst_cell_v = min(worst_cell_v, v_weak_before + share * (v_weak - v_weak_before))
                hottest = max(hottest, temperature)
                break
            worst_v = min(worst_v, v)
            worst_cell_v = min(worst_cell_v, v_weak)
            peak = max(peak, i)
            hottest = max(hottest, temperature)
            t = t_next

    if not keep_v:
        n = math.ceil(t_end / sample_s - 1e-9)
    summary[END_S] = t_end
    summary[END_REASON] = reason
    summary[LAND_BY_USED_S] = t_used if t_used <= t_end else _NEVER
    summary[LAND_BY_REST_S] = t_rest if t_rest <= t_end else _NEVER
    summary[LAND_BY_LOADED_S] = t_loaded if t_loaded <= t_end else _NEVER
    summary[CUTOFF_S] = t_cutoff if t_cutoff <= t_end else _NEVER
    summary[CUTOFF_TOUCHED_S] = t_cutoff_touched if t_cutoff_touched <= t_end else _NEVER
    summary[FIRST_CLIPPED_S] = t_clipped
    summary[END_CHARGE_LEFT] = max(z, 0.0)
    summary[LANDING_CHARGE_LEFT] = max(z_landed if t_landed <= t_end else z, 0.0)
    summary[DELIVERED_WH] = delivered if keep_trace else math.nan
    summary[HEAT_WH] = heat if keep_trace else math.nan
    summary[HOTTEST_C] = hottest
    summary[FLOOR_TOUCHED_S] = t_floor_touched if t_floor_touched <= t_end else _NEVER
    summary[STEPS] = n
    summary[END_C] = temperature
    summary[PEAK_A] = peak
    summary[WORST_V] = worst_v
    summary[WORST_CELL_V] = worst_cell_v
    summary[LONGEST_STRETCH] = stretch
    summary[KNOTS] = knot
    summary[FULL_FRESH_A] = full_fresh
    summary[FULL_END_A] = _full_throttle_a(e, r + r_motor, c)
    return n


@njit(cache=True, nogil=True, error_model="numpy", fastmath={"contract"})
def march_many(
    params,
    seg_kind,
    seg_value,
    seg_s,
    seg_work_j,
    gusts,
    cell_tables,
    temperature_tables,
    table_of,
    sample_s,
    max_samples,
    knots,
    summary,
):
    """March many flights of one load program, one after the other, each on its chemistry; see :func:`march`.

    Parameters
    ----------
    params : float64 (k, PARAMETER_COUNT)
    seg_kind : int64 (m,); seg_value, seg_s, seg_work_j : float64 (k, m)
    gusts : float64 (k, g)
    cell_tables : float64 (c, 1025, 2); temperature_tables : float64 (c, 881, 2)
    table_of : int64 (k,)
        Which of the tables each flight takes.
    knots : float64 (k, room, KNOT_COLUMNS) or (k, 0, 0)
    summary : float64 (k, SUMMARY_COUNT), written.

    Raises
    ------
    ValueError
        When arrays do not belong together.
    """
    count = params.shape[0]
    for rows in (
        seg_value.shape[0], seg_s.shape[0], seg_work_j.shape[0], gusts.shape[0], table_of.size, knots.shape[0],
        summary.shape[0],
    ):  # fmt: skip
        if rows != count:
            raise ValueError("Every flight has its row in each array.")
    for k in range(count):
        if not 0 <= table_of[k] < min(cell_tables.shape[0], temperature_tables.shape[0]):
            raise ValueError("Every flight has its tables.")
    no_trace = np.empty((0, 0))
    for k in range(count):
        march(
            params[k],
            seg_kind,
            seg_value[k],
            seg_s[k],
            seg_work_j[k],
            gusts[k],
            cell_tables[table_of[k]],
            temperature_tables[table_of[k]],
            sample_s,
            max_samples,
            no_trace,
            knots[k],
            summary[k],
        )
