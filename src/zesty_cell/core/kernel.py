"""The compiled stepper: one cell of the pack, marched at a fixed step under a repeated load.

Everything that flies goes through :func:`march`: one flight, a range of flights, a candidate,
a fit.  It is scalar code over plain arrays so that numba can compile it once and cache it; it
holds no rule of the job beyond the circuit, the load laws and the crossing of limits.

Model (per cell; P cells in parallel carry the pack current I_pack = P·i)
-------------------------------------------------------------------------
(K1)  v = OCV(z) − v1 − i·(r0 + r_ext)                       first-order Thévenin, Plett vol. 1 §2
(K2)  dz/dt = −i / Q
(K3)  dv1/dt = (i·r1 − v1)/τ,  r1 = ratio·r0                  exact exponential step over dt
(K4)  r0 = R(25 °C)·shape(z)·arrhenius(T)                     both read from uniform tables
(K5)  m·c·dT/dt = i²·r0 + i·v1 − hA·(T − T_air)               exact over a step of constant heat
(K6)  constant power p:   i = 2p / (e + √(e² − 4·p·r)),  e = OCV − v1, r = r0 + r_ext
(K7)  full throttle:      i = c·(e − i·r_t)²  ⇒  i = 2c·e² / (2c·e·r_t + 1 + √(4c·e·r_t + 1))
      (the closed form of PHYSICS 3 multiplied through by its conjugate: no cancellation, and
      right for r_t = 0)

Charge is stepped with Adams-Bashforth 2 inside a stretch of constant demand and with Heun on its
first step, so it is second order and never extrapolates across a jump of the load.  Voltages are
evaluated on both sides of each jump; a limit is interpolated only between two values of the same
stretch, and a limit passed by the jump itself is passed at that very moment.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from zesty_cell.core.chemistry import (
    CHARGE_GRID_INTERVALS,
    TEMPERATURE_GRID_HIGH_C,
    TEMPERATURE_GRID_LOW_C,
    TEMPERATURE_GRID_STEP_C,
)

# Kinds of demand in a load program.
POWER = 0  # value: propulsive power per cell [W]; avionics power comes on top
FULL_THROTTLE = 1  # value: share of full-throttle power [0 to 1]
CURRENT = 2  # value: current per cell [A]

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
FLOOR_V = 14
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
PARAMETER_COUNT = 25

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
STEPS = 11
END_C = 12
PEAK_A = 13
WORST_V = 14  # lowest loaded voltage
FULL_FRESH_A = 15  # what full throttle would draw at the start and at the end
FULL_END_A = 16
CUTOFF_S = 17  # when the ESC's cutoff ends the flight
CUTOFF_TOUCHED_S = 18  # when the loaded voltage is under it first
SUMMARY_COUNT = 19

# Why the march ended.
OUT_OF_TIME = 0
EMPTY = 1
AT_FLOOR = 2

# Rows of the detailed trace of one flight.
T_CURRENT_A = 0
T_CHARGE_LEFT = 1
T_POLARISATION_V = 2
T_TEMPERATURE_C = 3
T_REST_V = 4
T_FULL_THROTTLE_A = 5
TRACE_COUNT = 6

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
    """The stretch of the temperature grid around a temperature: the resistance (K4) as a line, and its ends.

    Before the shape over charge; beyond the table it keeps its last value.
    """
    if temperature_c < _T_LOW:
        return r25 * temperature_table[0], 0.0, -_NEVER, _T_LOW
    if temperature_c >= _T_HIGH:
        return r25 * temperature_table[_T_LAST + 1], 0.0, _T_HIGH, _NEVER
    j = min(int((temperature_c - _T_LOW) * _T_PER_DEGREE), _T_LAST)
    low = _T_LOW + j / _T_PER_DEGREE
    slope = r25 * (temperature_table[j + 1] - temperature_table[j]) * _T_PER_DEGREE
    return r25 * temperature_table[j] - slope * low, slope, low, low + 1.0 / _T_PER_DEGREE


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
def march(
    params,
    seg_kind,
    seg_value,
    seg_steps,
    cell_table,
    temperature_table,
    dt_s,
    max_steps,
    loaded_v,
    cruise_v,
    charge_left,
    current_a,
    trace,
    summary,
):
    """March one cell until it is empty, at its floor, or out of time.

    Parameters
    ----------
    params : float64 (PARAMETER_COUNT,)
    seg_kind : int64 (m,); seg_value : float64 (m,); seg_steps : int64 (m,)
        The load program, repeated.  All steps are at least 1.
    cell_table : float64 (1025, 2), temperature_table : float64 (881,)
    dt_s : float
        Step [s].
    max_steps : int
        At most this many steps; outputs hold one sample per step, taken at its start with that
        step's load on.
    loaded_v, cruise_v : float32 (max_steps,) or (0,)
        Loaded voltage, and what it would be at the pattern's steady load [V].
    charge_left, current_a : float32 (max_steps,) or (0,)
        Charge left [1] and current [A]; both or neither.
    trace : float64 (TRACE_COUNT, max_steps) or (TRACE_COUNT, 0)
    summary : float64 (SUMMARY_COUNT,), written.

    Returns
    -------
    int
        Steps taken.
    """
    capacity = params[CAPACITY_AH]
    r25 = params[R0_OHM]
    r_ext = params[R_EXT_OHM]
    c = params[FULL_THROTTLE_A_V2]
    r_motor = params[R_MOTOR_OHM]
    cooling = params[COOLING_W_K]
    # Below a picowatt there is nothing, and numbers near the smallest are a hundred times slower.
    avionics = params[AVIONICS_W] if params[AVIONICS_W] > _NOTHING_W else 0.0
    cruise_w = params[CRUISE_W] + avionics
    floor_v = params[FLOOR_V]
    floor_hold = params[FLOOR_HOLD_S]
    land_used = params[LAND_USED_AH]
    land_left = params[LAND_CHARGE_LEFT]
    land_v = params[LAND_LOADED_V]
    land_hold = params[LAND_LOADED_HOLD_S]
    cutoff_v = params[ESC_CUTOFF_V]
    cutoff_steady = params[ESC_STEADY_HOLD_S]
    cutoff_any = params[ESC_ANY_HOLD_S]
    steady_w = params[CRUISE_W] * 1.000001  # what a demand may be and still count as steady
    max_time = params[MAX_TIME_S]
    beyond = 1.0 + params[BEYOND_LANDING]

    z0 = params[START_CHARGE]
    z = z0
    v1 = 0.0
    temperature = params[START_C]
    charge_per_a = dt_s / (3600.0 * capacity)
    decay = math.exp(-dt_s / params[POLARISATION_TAU_S])
    grow_ratio = (1.0 - decay) * params[POLARISATION_RATIO]
    # (K5) over one step of constant heat, exactly: stable however light the cell.
    kelvin_per_w = dt_s / params[HEAT_CAPACITY_J_K]
    heat_decay = math.exp(-cooling * kelvin_per_w)
    heat_gain = (1.0 - heat_decay) / cooling if cooling > 0.0 else kelvin_per_w
    toward_air = params[AIR_C] * (1.0 - heat_decay)
    hours = dt_s / 3600.0
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
    delivered = 0.0
    heat = 0.0
    hottest = temperature
    reason = OUT_OF_TIME
    t_end = max_time
    worst_v = 1e9
    peak = 0.0
    full_fresh = 0.0
    keep_v = loaded_v.size > 0
    keep_charge = charge_left.size > 0
    keep_trace = trace.shape[1] > 0

    # Charge and temperature move slowly through their grids: the lines of the present stretch are kept
    # until it is left.
    k, ocv_a, ocv_b, shape_a, shape_b = _interval(z, cell_table)
    z_low = k / _N if k > 0 else -1e9
    warm_a, warm_b, colder_c, warmer_c = _degree(temperature, temperature_table, r25)
    # Most steps pass no limit: two comparisons find the few that might.
    watch_z = max(0.0, z_used, land_left)
    watch_v = max(floor_v, land_v, cutoff_v)
    watching = False  # a voltage is under one of its limits

    last = min(max_steps, math.ceil(max_time / dt_s - 1e-9))
    i_cruise = 1e18  # so that the first time is worked out with the root
    n = 0
    seg = 0
    running = True
    while running:
        kind = seg_kind[seg]
        value = seg_value[seg] if seg_value[seg] > _NOTHING_W else 0.0
        ocv = ocv_a + ocv_b * z
        e = ocv - v1
        if not colder_c <= temperature < warmer_c:
            warm_a, warm_b, colder_c, warmer_c = _degree(temperature, temperature_table, r25)
        warm_ohm = warm_a + warm_b * temperature
        warm_before = warm_ohm
        r0 = warm_ohm * (shape_a + shape_b * z)
        r = r0 + r_ext
        i, clipped = _demand(kind, value, e, r, r_motor, c, avionics)
        v = e - i * r
        if n == 0:
            full_fresh = _full_throttle_a(e, r + r_motor, c)
        if clipped and n < last:
            t_clipped = min(t_clipped, n * dt_s)
        # A limit passed by the jump of the load itself is passed at this very moment.
        if v < floor_v:
            if under_floor_since == _NEVER:
                under_floor_since = n * dt_s
                t_floor_touched = min(t_floor_touched, under_floor_since)
        else:
            under_floor_since = _NEVER
        if v < land_v:
            if under_land_since == _NEVER:
                under_land_since = n * dt_s
        else:
            under_land_since = _NEVER
        steady = kind == 0 and value <= steady_w
        if v < cutoff_v:
            if under_cutoff_since == _NEVER:
                under_cutoff_since = n * dt_s
                t_cutoff_touched = min(t_cutoff_touched, under_cutoff_since)
            if not steady:
                steady_cutoff_since = _NEVER
            elif steady_cutoff_since == _NEVER:
                steady_cutoff_since = n * dt_s
        else:
            under_cutoff_since = _NEVER
            steady_cutoff_since = _NEVER
        watching = v < watch_v
        i_before = i
        for step in range(seg_steps[seg]):
            if n >= last:
                running = False
                break
            if keep_v:
                loaded_v[n] = v
                slope = e - 2.0 * r * i_cruise
                if slope > 0.3 * e:  # Newton from the step before, as below
                    i_cruise = (cruise_w - r * i_cruise * i_cruise) / slope
                else:
                    disc = e * e - 4.0 * cruise_w * r
                    i_cruise = 2.0 * cruise_w / (e + math.sqrt(disc)) if disc > 0.0 else e / (2.0 * r)
                cruise_v[n] = e - i_cruise * r
            if keep_charge:
                charge_left[n] = z
                current_a[n] = i
            if keep_trace:
                trace[T_CURRENT_A, n] = i
                trace[T_CHARGE_LEFT, n] = z
                trace[T_POLARISATION_V, n] = v1
                trace[T_TEMPERATURE_C, n] = temperature
                trace[T_REST_V, n] = ocv
                trace[T_FULL_THROTTLE_A, n] = _full_throttle_a(e, r + r_motor, c)

            if step == 0:
                # Heun: look at the end of the step with the starting current, then average.
                z_p = z - i * charge_per_a
                v1_p = v1 * decay + i * grow_ratio * r0
                e_p = ocv_a + ocv_b * z_p - v1_p
                i_p, _c = _demand(kind, value, e_p, r, r_motor, c, avionics)
                i_mid = 0.5 * (i + i_p)
            else:
                i_mid = 1.5 * i - 0.5 * i_before

            worst_v = min(worst_v, v)
            peak = max(peak, i)

            z_before = z
            v_before = v
            r_before = r
            v1_before = v1
            z -= i_mid * charge_per_a
            v1_new = v1 * decay + i_mid * grow_ratio * r0
            # The resistance at the end of this step is extrapolated from its start and the step before: second
            # order, and it takes the slow heat equation off the critical path of the fast one.
            if not colder_c <= temperature < warmer_c:
                warm_a, warm_b, colder_c, warmer_c = _degree(temperature, temperature_table, r25)
            warm_now = warm_a + warm_b * temperature
            warm_ohm = max(2.0 * warm_now - warm_before, 0.5 * warm_now)
            warm_before = warm_now
            cell_heat = i_mid * (i_mid * r0 + 0.5 * (v1 + v1_new))
            temperature = toward_air + temperature * heat_decay + cell_heat * heat_gain
            if step == 0:  # nothing to extrapolate from across the jump
                if not colder_c <= temperature < warmer_c:
                    warm_a, warm_b, colder_c, warmer_c = _degree(temperature, temperature_table, r25)
                warm_ohm = warm_a + warm_b * temperature
            v1 = v1_new
            n += 1

            if z < z_low:
                k, ocv_a, ocv_b, shape_a, shape_b = _interval(z, cell_table)
                z_low = k / _N if k > 0 else -1e9
            ocv = ocv_a + ocv_b * z
            e = ocv - v1
            r0 = warm_ohm * (shape_a + shape_b * z)
            r = r0 + r_ext
            # Constant power from the step before: one Newton step on r·i² − e·i + p = 0 from the
            # extrapolated current is exact to 1e-9 and needs no root.  Anything near the pack's
            # limit, above full throttle, or of another kind goes the long way.
            guess = 2.0 * i - i_before
            slope = e - 2.0 * r * guess
            i_before = i
            if kind == 0 and slope > 0.3 * e:
                clipped = False
                i = (value + avionics - r * guess * guess) / slope
                v = e - i * r
                v_motor = v - i * r_motor
                if v_motor <= 0.0 or i > c * v_motor * v_motor:
                    i, clipped = _demand(kind, value, e, r, r_motor, c, avionics)
                    v = e - i * r
            else:
                i, clipped = _demand(kind, value, e, r, r_motor, c, avionics)
                v = e - i * r

            share = 1.0  # of this step that is flown
            if z <= watch_z or v < watch_v or watching:
                t_before = (n - 1) * dt_s
                t = n * dt_s
                if z <= 0.0:
                    reason = EMPTY
                    share = z_before / (z_before - z)
                    running = False
                if v < floor_v:
                    if under_floor_since == _NEVER:
                        under_floor_since = t_before + dt_s * (v_before - floor_v) / (v_before - v)
                        t_floor_touched = min(t_floor_touched, under_floor_since)
                    if under_floor_since + floor_hold <= t:
                        at_floor = max(0.0, (under_floor_since + floor_hold - t_before) / dt_s)
                        if running or at_floor < share:
                            reason = AT_FLOOR
                            share = at_floor
                            running = False
                elif running:
                    under_floor_since = _NEVER
                if v < land_v:
                    if under_land_since == _NEVER:
                        under_land_since = t_before + dt_s * (v_before - land_v) / (v_before - v)
                    if under_land_since + land_hold <= t and t_loaded == _NEVER:
                        t_loaded = max(under_land_since + land_hold, 0.0)
                        last = min(last, math.ceil(min(t_loaded * beyond, max_time) / dt_s))
                else:
                    under_land_since = _NEVER
                if v < cutoff_v:
                    if under_cutoff_since == _NEVER:
                        under_cutoff_since = t_before + dt_s * (v_before - cutoff_v) / (v_before - v)
                        t_cutoff_touched = min(t_cutoff_touched, under_cutoff_since)
                        if steady:
                            steady_cutoff_since = under_cutoff_since
                    at_cutoff = min(steady_cutoff_since + cutoff_steady, under_cutoff_since + cutoff_any)
                    if at_cutoff <= t and t_cutoff == _NEVER:
                        t_cutoff = at_cutoff
                        last = min(last, math.ceil(min(t_cutoff * beyond, max_time) / dt_s))
                else:
                    under_cutoff_since = _NEVER
                    steady_cutoff_since = _NEVER
                watching = v < watch_v
                if z <= z_used and t_used == _NEVER:
                    t_used = max(0.0, t_before + dt_s * (z_before - z_used) / (z_before - z))
                    last = min(last, math.ceil(min(t_used * beyond, max_time) / dt_s))
                if z <= land_left and t_rest == _NEVER:
                    t_rest = max(0.0, t_before + dt_s * (z_before - land_left) / (z_before - z))
                    last = min(last, math.ceil(min(t_rest * beyond, max_time) / dt_s))
                watch_z = max(0.0, z_used if t_used == _NEVER else 0.0, land_left if t_rest == _NEVER else 0.0)
            if clipped and running and n < last:
                t_clipped = min(t_clipped, n * dt_s)

            if keep_trace:  # the sampled flights need no energies
                # i_before already holds this step's starting current
                start_loss = i_before * (i_before * r_before + v1_before)
                delivered += 0.5 * (v_before * i_before + v * i) * hours * share
                heat += 0.5 * (start_loss + i * (i * r + v1)) * hours * share
            if temperature > hottest:
                hottest = temperature
            if not running:
                t_end = (n - 1 + share) * dt_s
                z = z_before + share * (z - z_before)
                break
        seg += 1
        if seg == seg_kind.size:
            seg = 0

    if reason == OUT_OF_TIME:
        t_end = min(max_time, n * dt_s)
    summary[END_S] = t_end
    summary[END_REASON] = reason
    summary[LAND_BY_USED_S] = t_used if t_used <= t_end else _NEVER
    summary[LAND_BY_REST_S] = t_rest if t_rest <= t_end else _NEVER
    summary[LAND_BY_LOADED_S] = t_loaded if t_loaded <= t_end else _NEVER
    summary[CUTOFF_S] = t_cutoff if t_cutoff <= t_end else _NEVER
    summary[CUTOFF_TOUCHED_S] = t_cutoff_touched
    summary[FIRST_CLIPPED_S] = t_clipped
    summary[END_CHARGE_LEFT] = max(z, 0.0)
    summary[DELIVERED_WH] = delivered if keep_trace else math.nan
    summary[HEAT_WH] = heat if keep_trace else math.nan
    summary[HOTTEST_C] = hottest
    summary[FLOOR_TOUCHED_S] = t_floor_touched
    summary[STEPS] = n
    summary[END_C] = temperature
    summary[PEAK_A] = peak
    summary[WORST_V] = worst_v
    summary[FULL_FRESH_A] = full_fresh
    summary[FULL_END_A] = _full_throttle_a(e, r + r_motor, c)
    return n


@njit(cache=True, nogil=True, error_model="numpy", fastmath={"contract"})
def march_many(
    params,
    seg_kind,
    seg_value,
    seg_steps,
    cell_tables,
    temperature_tables,
    table_of,
    dt_s,
    max_steps,
    loaded_v,
    cruise_v,
    charge_left,
    current_a,
    summary,
):
    """March many flights of one load program, one after the other, each on its chemistry; see :func:`march`.

    Parameters
    ----------
    params : float64 (k, PARAMETER_COUNT)
    seg_kind : int64 (m,); seg_value : float64 (k, m); seg_steps : int64 (k, m)
    cell_tables : float64 (c, 1025, 2); temperature_tables : float64 (c, 881)
    table_of : int64 (k,)
        Which of the tables each flight takes.
    loaded_v, cruise_v, charge_left, current_a : float32 (k, max_steps) or (k, 0)
    summary : float64 (k, SUMMARY_COUNT), written.
    """
    no_trace = np.empty((TRACE_COUNT, 0))
    for k in range(params.shape[0]):
        march(
            params[k],
            seg_kind,
            seg_value[k],
            seg_steps[k],
            cell_tables[table_of[k]],
            temperature_tables[table_of[k]],
            dt_s,
            max_steps,
            loaded_v[k],
            cruise_v[k],
            charge_left[k],
            current_a[k],
            no_trace,
            summary[k],
        )
