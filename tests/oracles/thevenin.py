"""Independent truth for the kernel: the same equations, written plainly, integrated tightly.

Shares with the kernel only the chemistry's points (not its lookup tables) and the meaning of the
parameters.  Each stretch of constant demand is integrated on its own with DOP853 and dense
output; limits are found by root finding inside the stretch.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from scipy.integrate import solve_ivp
from scipy.interpolate import PchipInterpolator
from scipy.optimize import brentq

from zesty_cell.core.asked.flying import CURRENT, FULL_THROTTLE
from zesty_cell.core.flight import kernel as K
from zesty_cell.core.parts.chemistry import Chemistry


def full_throttle_by_root(e: float, r_t: float, c: float) -> float:
    """Current that satisfies i = c·(e − i·r_t)², found as a root, not by the closed form."""
    return brentq(
        lambda i: i - c * (e - i * r_t) ** 2, 0.0, e / r_t if r_t > 0 else 2.0 * c * e * e + 1.0, xtol=1e-14
    )


@lru_cache
def _pieces(knots):
    return PchipInterpolator(np.linspace(0.0, 1.0, len(knots)), knots).c.T.tolist()


def _smooth(knots, z):
    """SciPy's monotone cubic through the points, evaluated by hand for speed."""
    last = len(knots) - 1
    z = min(max(z, 0.0), 1.0)
    k = min(int(z * last), last - 1)
    x = z - k / last
    a, b, c, d = _pieces(knots)[k]
    return ((a * x + b) * x + c) * x + d


def _rises(x, knee):
    """The integral of a logistic step at the knee, 3.4e-5 per kelvin wide, from x = 0 to x."""
    width = 3.4e-5
    return width * math.log((1.0 + math.exp((x - knee) / width)) / (1.0 + math.exp(-knee / width)))


def arrhenius(chemistry, celsius):
    """R(T)/R(25 °C): slopes of ln R over 1/T for warm, usual and cold, each passing softly into the next."""
    x = 1 / (celsius + 273.15) - 1 / 298.15
    warm, usual, cold = chemistry.arrhenius_warm_b_k, chemistry.arrhenius_b_k, chemistry.arrhenius_cold_b_k
    knee = 1 / 283.15 - 1 / 298.15
    return math.exp(warm * x + (usual - warm) * _rises(x, 0.0) + (cold - usual) * _rises(x, knee))


def diffusion(chemistry, celsius):
    """R2(T)/R2(25 °C): as R0, and a further factor in the cold."""
    x = 1 / (celsius + 273.15) - 1 / 298.15
    return arrhenius(chemistry, celsius) * math.exp(chemistry.diffusion_more_b_k * _rises(x, 0.0))


@dataclass
class OracleFlight:
    """The oracle's answer: end of the charge or floor, landing moments, and the state at any time."""

    end_s: float
    landing_used_s: float
    pieces: list[tuple[float, float, object, int, float]]
    params: np.ndarray
    chemistry: Chemistry

    def loaded_v(self, time_s: float) -> float:
        """Loaded voltage at a time, with the demand that begins there."""
        for start, stop, solution, kind, value in self.pieces:
            if start - 1e-9 <= time_s < stop - 1e-9:
                return _voltage(solution(time_s), kind, value, self.params, self.chemistry)[0]
        start, stop, solution, kind, value = self.pieces[-1]
        return _voltage(solution(min(time_s, stop)), kind, value, self.params, self.chemistry)[0]


def _voltage(state, kind, value, p, chemistry):
    z, v1, celsius, v2 = (float(x) for x in state)
    ocv = _smooth(chemistry.ocv_v, z)
    r0 = p[K.R0_OHM] * _smooth(chemistry.resistance_shape, z) * arrhenius(chemistry, celsius)
    e, r = ocv - v1 - v2, r0 + p[K.R_EXT_OHM]
    if kind == CURRENT:
        i = value
    elif kind == FULL_THROTTLE and value >= 1.0:
        i = full_throttle_by_root(e, r + p[K.R_MOTOR_OHM], p[K.FULL_THROTTLE_A_V2])
    else:
        power = value + p[K.AVIONICS_W]
        if kind == FULL_THROTTLE:
            i_full = full_throttle_by_root(e, r + p[K.R_MOTOR_OHM], p[K.FULL_THROTTLE_A_V2])
            power = value * i_full * (e - i_full * r)
        i = (e - math.sqrt(e * e - 4.0 * power * r)) / (2.0 * r)
    return e - i * r, i, r0


def _cell_v(state, kind, value, p, chemistry):
    """At the cell's own terminals, where its floor is."""
    v, i, _ = _voltage(state, kind, value, p, chemistry)
    return v + i * p[K.R_EXT_OHM]


def _rhs(kind, value, p, chemistry):
    def rhs(_t, y):
        _, i, r0 = _voltage(y, kind, value, p, chemistry)
        heat = i * i * r0 + i * (y[1] + y[3]) - p[K.COOLING_W_K] * (y[2] - p[K.AIR_C])
        r1 = p[K.POLARISATION_RATIO] * r0
        shape = _smooth(chemistry.resistance_shape, float(y[0]))
        r2 = p[K.DIFFUSION_RATIO] * p[K.R0_OHM] * shape * diffusion(chemistry, float(y[2]))
        return [
            -i / p[K.CAPACITY_AH] / 3600.0,
            (i * r1 - y[1]) / p[K.POLARISATION_TAU_S],
            heat / p[K.HEAT_CAPACITY_J_K],
            (i * r2 - y[3]) / p[K.DIFFUSION_TAU_S],
        ]

    return rhs


def fly(*, params, kinds, values, durations_s, chemistry, floor_v) -> OracleFlight:
    """Integrate a repeated load program until the charge or the floor is reached."""
    p = params
    z_used = p[K.START_CHARGE] - p[K.LAND_USED_AH] / p[K.CAPACITY_AH]

    state = np.array([p[K.START_CHARGE], 0.0, p[K.START_C], 0.0])
    t, pieces, landing = 0.0, [], math.inf
    while True:
        for kind, value, duration in zip(kinds, values, durations_s, strict=True):
            if _cell_v(state, kind, value, p, chemistry) <= floor_v:
                # The jump of the load itself passes the floor.
                pieces.append((t, t, lambda _t, s=state: s, kind, value))
                return OracleFlight(t, landing, pieces, p, chemistry)
            stop = t + duration
            run = solve_ivp(
                _rhs(kind, value, p, chemistry),
                (t, stop),
                state,
                method="DOP853",
                rtol=1e-10,
                atol=1e-12,
                dense_output=True,
                max_step=5.0,
            )
            times = np.linspace(t, stop, max(3, int(duration * 20)))
            volts = np.array([_cell_v(run.sol(x), kind, value, p, chemistry) for x in times])
            charge = run.sol(times)[0]
            if landing == math.inf and charge.min() <= z_used:
                k = int(np.argmax(charge <= z_used))
                landing = brentq(lambda x, s=run.sol: s(x)[0] - z_used, times[k - 1], times[k], xtol=1e-10)
            ends = []
            if charge.min() <= 0.0:
                k = int(np.argmax(charge <= 0.0))
                ends.append(brentq(lambda x, s=run.sol: s(x)[0], times[k - 1], times[k], xtol=1e-10))
            if volts.min() <= floor_v:
                k = int(np.argmax(volts <= floor_v))
                ends.append(
                    brentq(
                        lambda x, s=run.sol, a=kind, b=value: _cell_v(s(x), a, b, p, chemistry) - floor_v,
                        times[k - 1],
                        times[k],
                        xtol=1e-10,
                    )
                )
            pieces.append((t, min([stop, *ends]), run.sol, kind, value))
            if ends:
                return OracleFlight(min(ends), landing, pieces, p, chemistry)
            state, t = run.y[:, -1], stop


@dataclass
class OracleLanding:
    """Where a flight lands by the rules of its parameters: moment, state and voltage there, and on the way.

    ``on_the_way`` are moments with the loaded voltage and the temperature of a cell.
    """

    landing_s: float
    charge_left: float
    temperature_c: float
    on_the_way: list[tuple[float, float, float]]


def land(*, params, kinds, values, seconds, works_j, chemistry, longest_s=12_000.0) -> OracleLanding:
    """Integrate a repeated load program, bursts of work included, until one of the landing rules lands it.

    A rule of charge, of rest voltage (as the charge it stands for), of loaded voltage held, and a timer; without
    floor and cutoff.
    """
    p = params
    z_used = p[K.START_CHARGE] - p[K.LAND_USED_AH] / p[K.CAPACITY_AH]
    z_lands = max(z_used, p[K.LAND_CHARGE_LEFT])
    state = np.array([p[K.START_CHARGE], 0.0, p[K.START_C], 0.0])
    t, under_since, seen = 0.0, math.inf, []
    while t < longest_s:
        for kind, value, nominal, work_j in zip(kinds, values, seconds, works_j, strict=True):
            duration = nominal
            if work_j > 0.0:
                v, i, _ = _voltage(state, kind, value, p, chemistry)
                spare_w = v * i - p[K.LEVEL_W] - p[K.AVIONICS_W]
                times = work_j / spare_w / nominal if spare_w > 0.0 else K.LONGEST_BURST
                duration *= min(max(times, K.SHORTEST_BURST), K.LONGEST_BURST)
            stop = t + duration
            run = solve_ivp(
                _rhs(kind, value, p, chemistry), (t, stop), state, method="DOP853", rtol=1e-9, atol=1e-11,
                dense_output=True, max_step=5.0,
            )  # fmt: skip
            times = np.linspace(t, stop, max(3, int(duration * 20) + 1))
            states = run.sol(times)
            lands = []
            if states[0, -1] <= z_lands:
                lands.append(brentq(lambda x, s=run.sol: s(x)[0] - z_lands, t, stop, xtol=1e-10))
            if p[K.LAND_LOADED_V] > 0.0:
                volts = np.array([_voltage(states[:, k], kind, value, p, chemistry)[0] for k in range(times.size)])
                for k, v in enumerate(volts):
                    if v >= p[K.LAND_LOADED_V]:
                        under_since = math.inf
                    elif under_since == math.inf:
                        under_since = (
                            times[k]
                            if k == 0
                            else float(np.interp(-p[K.LAND_LOADED_V], -volts[k - 1 : k + 1], times[k - 1 : k + 1]))
                        )
                    if under_since + p[K.LAND_LOADED_HOLD_S] <= times[k]:
                        lands.append(under_since + p[K.LAND_LOADED_HOLD_S])
                        break
            if p[K.LAND_TIMER_S] <= stop:
                lands.append(p[K.LAND_TIMER_S])
            end = min([*lands, stop])
            for at in (t + 0.3 * duration, t + 0.75 * duration):
                if at < end:
                    here = run.sol(at)
                    seen.append((at, _voltage(here, kind, value, p, chemistry)[0], float(here[2])))
            if lands:
                here = run.sol(end)
                return OracleLanding(end, float(here[0]), float(here[2]), seen)
            state, t = run.y[:, -1], stop
    return OracleLanding(t, float(state[0]), float(state[2]), seen)
