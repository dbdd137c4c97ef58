"""Fit of a telemetry log: a pack's resistance, polarisation, capacity, starting charge, voltage scale (PHYSICS 6).

The kernel is driven with the logged current; Levenberg-Marquardt (Marquardt 1963) finds the parameters whose loaded
voltage is nearest to the logged one, with wide log-normal priors so that what a log cannot tell stays where it was.
A parameter is told only where its interval is well inside its prior's.  The current's own scale divides out of the
equations (k·I, R/k and k·Q give the same voltages): it is told by the charge put back alone, which then corrects
the current before the fit.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.asked.flying import CURRENT
from zesty_cell.core.callouts.telemetry import Telemetry, last_heard
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import fact
from zesty_cell.core.flight import kernel
from zesty_cell.core.flight.one import NOTHING_KEPT
from zesty_cell.core.flight.parameters import pack_parameters
from zesty_cell.core.learn.log_told import KEYS, PRIOR, Z95, Fitted, LogFit, Slow
from zesty_cell.core.parts.chemistry import cell_table, temperature_table
from zesty_cell.core.parts.estimates import Cooling
from zesty_cell.core.parts.pack import Pack, cells_of
from zesty_cell.core.parts.pack_figures import pack_figures

#: What the model itself may be out by, of each: no cell follows its chemistry's curve to the millivolt, and
#: other cells polarise otherwise [1].
MODEL = np.array([0.05, 0.15, 0.055, 0.010, 0.004, 0.30])
#: A misfit so many times the sensor's noise is the model's, and is said [1].
MISFIT = 3.0
#: A parameter is told where the log narrows it to this share of the prior, and to this at most [1].
TOLD_SHARE, TOLD_MOST = 0.5, 0.15
#: A current sensor that is out by more is another unit or another flight [1].
MOST_SCALE = 3.0
#: More drawn than this share of the capacity is another pack, or another unit [1].
MOST_OVER = 1.5
#: Steps of the march [s]: the log's own where it is slower.
_STEP_S, _MOST_STEPS = 0.1, 12_000
_ROUNDS, _STILL = 25, 1e-7
#: Less than this a cell is no misfit [V].
_MISFIT_V = 0.012
#: A flight through less of its charge tells no capacity [1].
_LEAST_SPAN = 0.35
_LEAST_S, _LEAST_SWING = 60.0, 0.15
#: The slow part of the voltage is told by flights of this length on [s], between these times its chemistry's [1].
_LEAST_SLOW_S, _LEAST_SLOW, _MOST_SLOW = 120.0, 0.05, 20.0
#: It is looked at in packs that hold so much more than the fit says, as a logarithm [1].
_FULLER = (-0.05, 0.05, 0.15, 0.25, 0.35)
#: And in a pack that resists so much less, as a logarithm [1].
_LESS = 0.10
#: In the end of a log, and a while before, to see where it is going [1 of its time].
_END, _BEFORE = (7.0 / 8.0, 1.0), (5.0 / 8.0, 6.0 / 8.0)
_DIFFERENCE = 1e-3


class _Model:
    """The kernel driven with a log's current, for one pack in one air."""

    def __init__(
        self, log: Telemetry, pack: Pack, air_c: float, cooling: Cooling, put_back_ah: float | None
    ) -> None:
        if log.current_a is None:
            raise OutOfRangeError(fact("refused.log.no_current"), field="current_a", value=0, limit=1)
        volts = log.pack_v if log.pack_v is not None else None
        if volts is None and log.cell_v is not None:
            volts = log.cell_v * pack.series
        if volts is None:
            raise OutOfRangeError(fact("refused.log.no_voltage"), field="pack_v", value=0, limit=1)
        self.chemistry, self.figures, self.pack = cells_of(pack), pack_figures(pack), pack
        time_s = log.time_s - log.time_s[0]
        whole_s = float(time_s[-1])
        if whole_s < _LEAST_S:
            raise OutOfRangeError(
                fact("refused.log.too_short", length_s=whole_s), field="time_s", value=whole_s,
                limit=_LEAST_S,
            )  # fmt: skip
        step_s = float(np.clip(np.median(np.diff(time_s)), _STEP_S, 1.0))
        self.step_s = max(step_s, whole_s / _MOST_STEPS)
        self.time_s = np.arange(0.0, whole_s, self.step_s)
        current = np.maximum(np.nan_to_num(last_heard(log.current_a)), 0.0)
        drawn_ah = float(np.sum(np.interp(self.time_s, time_s, current)) * self.step_s / 3600.0)
        self.current_scale = drawn_ah / put_back_ah if put_back_ah else None
        if self.current_scale is not None and not 1.0 / MOST_SCALE < self.current_scale < MOST_SCALE:
            raise OutOfRangeError(
                fact("refused.log.other_charge", drawn_ah=drawn_ah, put_back_ah=put_back_ah or 0),
                field="put_back_ah", value=self.current_scale, limit=MOST_SCALE,
            )  # fmt: skip
        current = current / (self.current_scale or 1.0)
        self.cell_a = np.interp(self.time_s, time_s, current) / pack.parallel
        heard = np.isfinite(volts)
        if float(np.ptp(current)) < _LEAST_SWING * max(float(current.max()), 1e-9) or int(heard.sum()) < 20:
            raise OutOfRangeError(
                fact("refused.log.steady_current"),
                field="current_a", value=float(np.ptp(current)), limit=_LEAST_SWING,
            )  # fmt: skip
        self.seen_v = np.interp(self.time_s, time_s[heard], volts[heard])
        # What was not received within two seconds is not fitted to.
        nearest = np.searchsorted(time_s[heard], self.time_s)
        after = time_s[heard][np.minimum(nearest, int(heard.sum()) - 1)]
        before = time_s[heard][np.maximum(nearest - 1, 0)]
        self.weight = (np.minimum(np.abs(after - self.time_s), np.abs(self.time_s - before)) <= 2.0).astype(float)
        self.air_c, self.cooling = air_c, cooling
        self.used_ah = float(np.sum(self.cell_a) * self.step_s / 3600.0)  # of one cell
        self._kind = np.full(self.time_s.size, CURRENT, dtype=np.int64)
        self._seconds = np.full(self.time_s.size, self.step_s)
        self._no_work = np.zeros(self.time_s.size)
        self._trace = np.empty((1, self.time_s.size))

    def volts(self, theta: NDArray[np.float64]) -> NDArray[np.float64] | None:
        """Pack voltage as the sensor would show it [V]; None where the pack would be empty before the end."""
        resistance, ratio, capacity, start, scale, slow = theta
        params = pack_parameters(pack=self.pack, figures=self.figures, cooling=self.cooling, air_c=self.air_c)
        params[kernel.CAPACITY_AH] *= math.exp(capacity)
        params[kernel.R0_OHM] *= math.exp(resistance)
        params[kernel.POLARISATION_RATIO] *= math.exp(ratio)
        params[kernel.DIFFUSION_RATIO] *= math.exp(slow)
        params[kernel.FULL_THROTTLE_A_V2] = 1e6
        params[kernel.START_CHARGE] = min(1.0 + start, 1.0)
        params[kernel.FLOOR_V], params[kernel.FLOOR_HOLD_S] = -10.0, 1e9
        params[kernel.MAX_TIME_S] = self.time_s.size * self.step_s
        n = kernel.march(
            params, self._kind, self.cell_a, self._seconds, self._no_work, np.empty(0), cell_table(self.chemistry),
            temperature_table(self.chemistry), self.step_s, self.time_s.size, self._trace, NOTHING_KEPT,
            np.empty(kernel.SUMMARY_COUNT),
        )  # fmt: skip
        if n < self.time_s.size:
            return None
        return np.asarray(self._trace[kernel.T_LOADED_V] * (self.pack.series * math.exp(scale)))


def _start(model: _Model) -> NDArray[np.float64]:
    """Where the search begins: as estimated, with room in the pack for what was drawn."""
    theta = np.zeros(len(KEYS))
    room = model.figures.capacity_ah / model.pack.parallel
    if model.used_ah > 0.97 * room:
        theta[2] = math.log(model.used_ah / (0.97 * room))
    return theta


def _better(
    model: _Model,
    theta: NDArray[np.float64],
    normal: tuple[NDArray[np.float64], NDArray[np.float64], float],
    counted: tuple[NDArray[np.float64], float],
    damping: float,
) -> tuple[NDArray[np.float64], NDArray[np.float64], float] | None:
    """A step that misses less (Levenberg-Marquardt): where it leads, its volts, and the next damping.

    ``normal`` are the normal matrix with its prior, the gradient and the cost here; ``counted`` the weights of the
    samples and the variance that they are held against.
    """
    (matrix, gradient, cost), (weights, variance) = normal, counted
    for _ in range(8):
        step = np.linalg.solve(matrix + damping * np.diag(np.diag(matrix)), gradient)
        new = theta + np.clip(step, -0.4, 0.4)
        new[3] = min(new[3], 0.0)
        there = model.volts(new)
        if there is not None:
            new_cost = float(np.sum(weights * (model.seen_v - there) ** 2)) / variance
            new_cost += float(np.sum((new / PRIOR) ** 2))
            if new_cost <= cost:
                return new, there, max(damping * 0.3, 1e-9)
        damping *= 4.0
    return None


def fit_log(
    log: Telemetry, /, *, pack: Pack, air_c: float, cooling: Cooling = "airflow",
    put_back_ah: float | None = None,
) -> LogFit:  # fmt: skip
    """Fit a logged flight of a pack that took off charged.

    Parameters
    ----------
    log : Telemetry
        One flight, with current and voltage [s, V, A].
    pack : Pack
    air_c : float
        [°C].
    cooling : Cooling
        Of the pack in its craft.
    put_back_ah : float, optional
        By the charger afterwards [Ah]: it tells the current sensor's scale.

    Raises
    ------
    OutOfRangeError
        A log that cannot tell: no current, no voltage, too short, a current that hardly changes.
    """
    model = _Model(log, pack, air_c, cooling, put_back_ah)
    theta = _start(model)
    sigma_v = 0.02 * pack.series
    best = model.volts(theta)
    if best is None or theta[2] > math.log(MOST_OVER):
        raise OutOfRangeError(
            fact("refused.log.over_capacity"),
            field="used_ah", value=model.used_ah * pack.parallel, limit=pack_figures(pack).capacity_ah,
        )  # fmt: skip
    damping = 1e-2
    jacobian = np.zeros((best.size, len(KEYS)))
    for _ in range(_ROUNDS):
        misses = model.seen_v - best
        scale_v = max(float(np.median(np.abs(misses[model.weight > 0]))) * 1.4826, 1e-4)
        weights = model.weight * np.minimum(1.0, 2.0 * scale_v / np.maximum(np.abs(misses), 1e-12))
        sigma_v = max(math.sqrt(float(np.sum(weights * misses**2) / max(float(weights.sum()), 1.0))), 0.002)
        for k in range(len(KEYS)):
            moved = theta.copy()
            moved[k] -= _DIFFERENCE  # downwards: the starting charge cannot be over full
            other = model.volts(moved)
            jacobian[:, k] = 0.0 if other is None else (best - other) / _DIFFERENCE
        # Neighbouring samples miss alike: they count as fewer.
        apart = _independent(misses[model.weight > 0])
        normal = jacobian.T @ (weights[:, None] * jacobian) / (sigma_v**2 * apart)
        gradient = jacobian.T @ (weights * misses) / (sigma_v**2 * apart) - theta / PRIOR**2
        prior = np.diag(PRIOR**-2.0)
        cost = float(np.sum(weights * misses**2)) / (sigma_v**2 * apart) + float(np.sum((theta / PRIOR) ** 2))
        better = _better(model, theta, (normal + prior, gradient, cost), (weights, sigma_v**2 * apart), damping)
        if better is None:
            break
        moved_on = float(np.abs(better[0] - theta).max()) > _STILL
        theta, best, damping = better
        if not moved_on:
            break
    covariance = np.linalg.inv(normal + prior)
    return _result(model, theta, covariance, best)


def _independent(misses: NDArray[np.float64]) -> float:
    """How many neighbouring residuals count as one [1]: the integrated autocorrelation, 1 + 2·Σρ_k, at least 1.

    What a model leaves over has structure: its misses hang together for minutes, and then a flight tells little
    more than as many figures as it has such stretches (Sokal, *Monte Carlo Methods in Statistical Mechanics*,
    1997: the sum ends where it is five times shorter than its window).
    """
    centred = misses - misses.mean()
    if centred.size < 8 or float(centred @ centred) <= 0.0:
        return 1.0
    size = 1 << (2 * centred.size - 1).bit_length()
    spectrum = np.fft.rfft(centred, size)
    rho = np.fft.irfft(spectrum * np.conj(spectrum), size)[: centred.size // 2]
    sums = 2.0 * np.cumsum(rho / rho[0]) - 1.0
    ends = np.flatnonzero(np.arange(sums.size) >= 5.0 * sums)
    return max(float(sums[ends[0] if ends.size else -1]), 1.0)


def _slow(model: _Model, theta: NDArray[np.float64], spans: float) -> Slow | None:
    """What the end of a log says of the slow polarisation, for all that the pack may hold.

    A flight's end is what its landing and its calls by volts go by, and no pair of time constants is just that of
    a cell: what the end shows is kept, whatever the shape on the way.  It is the end as the sensor shows it: what
    the fit lays to the sensor or to the charge at take-off goes no further than this log.
    """
    if float(model.time_s[-1]) < _LEAST_SLOW_S or spans < _LEAST_SPAN:
        return None
    fitted_ah = model.figures.capacity_ah * math.exp(float(theta[2]))
    found = []
    for fuller in _FULLER:
        capacity = theta[2] + fuller
        here, before = (_slow_factor(model, theta[0], capacity, part) for part in (_END, _BEFORE))
        less = _slow_factor(model, theta[0] - _LESS, capacity, _END)
        if here is not None and before is not None and less is not None:
            found.append((fitted_ah * math.exp(fuller), here, (here - less) / _LESS, here - before))
    if not found:
        return None
    holds_ah, factors, per, later = zip(*found, strict=True)
    ohm = model.figures.cell_resistance_ohm * math.exp(float(theta[0]))
    # Charge runs nearly straight in time.
    end, before = (sum(part) / 2.0 * model.used_ah * model.pack.parallel for part in (_END, _BEFORE))
    return Slow(
        resistance_ohm=ohm, capacity_ah=holds_ah, factor=factors, per_resistance=per, used_ah=end,
        per_ah=tuple(of / (end - before) for of in later),
    )  # fmt: skip


def _slow_factor(model: _Model, resistance: float, capacity: float, part: tuple[float, float]) -> float | None:
    """Slow polarisation over the chemistry's that gives the mean voltage of a part of the log [1]; secant."""
    at_share = model.time_s / model.time_s[-1]
    among = (model.weight > 0) & (at_share >= part[0]) & (at_share <= part[1])
    if not among.any():
        return None

    def over(slow: float) -> float | None:
        volts = model.volts(np.array([resistance, 0.0, capacity, 0.0, 0.0, math.log(slow)]))
        return None if volts is None else float(np.mean((volts - model.seen_v)[among]))

    at, other = 1.0, 1.3
    miss, other_miss = over(at), over(other)
    for _ in range(8):
        if miss is None or other_miss is None or abs(miss - other_miss) < 1e-9:
            return None
        nearer = min(max(other - other_miss * (other - at) / (other_miss - miss), _LEAST_SLOW), _MOST_SLOW)
        at, miss, other = other, other_miss, nearer
        if abs(other - at) < 1e-3:
            break
        other_miss = over(other)
    return other


def _result(
    model: _Model,
    theta: NDArray[np.float64],
    covariance: NDArray[np.float64],
    best: NDArray[np.float64],
) -> LogFit:
    figures, chemistry = model.figures, model.chemistry
    expected = (
        figures.cell_resistance_ohm, chemistry.polarisation_ratio, figures.capacity_ah, 1.0, 1.0,
        chemistry.diffusion_ratio,
    )  # fmt: skip
    found = []
    spans = model.used_ah * model.pack.parallel / (figures.capacity_ah * math.exp(float(theta[2])))
    for k, key in enumerate(KEYS):
        sigma = math.hypot(math.sqrt(float(covariance[k, k])), float(MODEL[k]))
        told = sigma <= TOLD_SHARE * float(PRIOR[k]) and sigma <= TOLD_MOST
        # A capacity is told by the curve that was flown through; a piece of it is also another start.
        told = told and (key != "capacity" or spans >= _LEAST_SPAN)
        if key == "start":
            value, low, high = (min(1.0 + float(theta[k]) + z * sigma, 1.0) for z in (0.0, -Z95, Z95))
        else:
            value, low, high = (expected[k] * math.exp(float(theta[k]) + z * sigma) for z in (0.0, -Z95, Z95))
        found.append(Fitted(key, value, low, high, expected[k], told))
    heard = model.weight > 0
    rmse = math.sqrt(float(np.mean((model.seen_v - best)[heard] ** 2))) / model.pack.series
    jumps = np.diff((model.seen_v - best)[heard])
    noise_v = float(np.median(np.abs(jumps))) * 1.4826 / math.sqrt(2.0) / model.pack.series if jumps.size else 0.0
    return LogFit(
        slow=_slow(model, theta, spans),
        noise_v=noise_v,
        misfits=rmse > max(MISFIT * noise_v, _MISFIT_V),
        parameters=tuple(found),
        rmse_v=rmse,
        time_s=model.time_s,
        model_v=best,
        current_scale=model.current_scale,
        current_error=0.015,
        seconds=float(model.time_s[-1]),
    )
