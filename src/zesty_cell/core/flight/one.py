"""One flight in detail."""

from __future__ import annotations

import threading
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.asked.flying import STEP_S, LoadProgram
from zesty_cell.core.asked.landing import LandingReason
from zesty_cell.core.clock import clock
from zesty_cell.core.flight import kernel
from zesty_cell.core.flight.parameters import MAX_FLIGHT_S, kernel_parameters
from zesty_cell.core.flight.setup import Factors, Setup, program_of
from zesty_cell.core.parts.chemistry import (
    cell_table,
    temperature_table,
)


def index_of(*, time_s: float, count: int) -> int:
    """Index of the sample at or just before a time [s], of ``count`` samples a step apart."""
    return min(max(int(time_s / STEP_S + 1e-9), 0), count - 1)


@dataclass(frozen=True, repr=False)
class Flight:
    """One flight in detail; arrays of shape (n,), one sample a step, taken with that step's load on.

    Attributes
    ----------
    series : int
        Cells in series [1], for voltages of the pack.
    holds_ah : float
        Charge of a full pack in this flight [Ah].
    time_s : array
        [s], every :data:`~zesty_cell.core.asked.flying.STEP_S`.
    loaded_v, cruise_v, rest_v : array
        Per cell [V]: under the present load; as it would be at the pattern's steady load with the
        polarisation of the last round; at rest, OCV(z).
    current_a : array
        Whole pack [A].
    used_ah : array
        Whole pack [Ah].
    charge_left : array
        State of charge [0 to 1].
    temperature_c : array
        Cell [°C].
    full_throttle_a : array
        What full throttle would draw at that moment, whole pack [A].
    weakest_v : array
        The weakest cell, at its own terminals [V].
    end_charge_left, end_c : float
        At the end of the march [1, °C].
    end_s, end_reason
        Where the march ended [s] and the kernel's reason.
    landing_s, landing_reason
        The earliest landing rule, or the end where none was reached [s].
    first_clipped_s, floor_touched_s : float
        First moment at which steady power was not to be had, and at which the loaded voltage was
        under the hard floor [s]; infinity for never.
    cutoff_s, cutoff_touched_s : float
        When the ESC's cutoff takes the power away for good, and when the loaded voltage is under it first
        [s]; infinity for never.
    delivered_wh, heat_wh, hottest_c : float
        Over the whole march: energy out of the pack, heat within it [Wh], hottest cell [°C].
    """

    series: int
    holds_ah: float
    time_s: NDArray[np.float64]
    loaded_v: NDArray[np.float64]
    cruise_v: NDArray[np.float64]
    rest_v: NDArray[np.float64]
    current_a: NDArray[np.float64]
    used_ah: NDArray[np.float64]
    charge_left: NDArray[np.float64]
    temperature_c: NDArray[np.float64]
    full_throttle_a: NDArray[np.float64]
    weakest_v: NDArray[np.float64]
    end_charge_left: float
    end_c: float
    end_s: float
    end_reason: int
    landing_s: float
    landing_reason: LandingReason
    first_clipped_s: float
    floor_touched_s: float
    cutoff_s: float
    cutoff_touched_s: float
    delivered_wh: float
    heat_wh: float
    hottest_c: float

    def __repr__(self) -> str:
        return (
            f"<Flight of {clock(self.end_s)}, lands at {clock(self.landing_s)} by {self.landing_reason}, "
            f"{self.time_s.size} samples>"
        )

    def index_at(self, time_s: float) -> int:
        """Index of the sample at or just before a time."""
        return index_of(time_s=time_s, count=self.time_s.size)

    def left_at(self, time_s: float) -> float:
        """Charge left at a time, between samples [1]."""
        return float(np.interp(time_s, self._times, np.append(self.charge_left, self.end_charge_left)))

    def used_at(self, time_s: float) -> float:
        """Charge used at a time, between samples, whole pack [Ah]."""
        end_ah = self.used_ah[0] + (self.charge_left[0] - self.end_charge_left) * self.holds_ah
        return float(np.interp(time_s, self._times, np.append(self.used_ah, end_ah)))

    def temperature_at(self, time_s: float) -> float:
        """Cell temperature at a time, between samples [°C]."""
        return float(np.interp(time_s, self._times, np.append(self.temperature_c, self.end_c)))

    @property
    def _times(self) -> NDArray[np.float64]:
        return np.append(self.time_s, max(self.end_s, float(self.time_s[-1])))

    def low_from(self, cell_v: float) -> int:
        """Index from which the steady voltage stays under a value [V a cell]; past the end for never."""
        return low_for_good(self.cruise_v, limit_v=cell_v)


def low_for_good(volts: NDArray[np.float64], /, *, limit_v: float) -> int:
    """Index from which a voltage of shape (n,) stays under a limit [V]; n for never."""
    over = np.flatnonzero(volts >= limit_v)
    return int(over[-1]) + 1 if over.size else 0


def landing_times_s(*, setup: Setup, summary: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
    """Landing time of each flight, the earliest rule that is on or the end of the march.

    Parameters
    ----------
    summary : float64 array, shape (k, kernel.SUMMARY_COUNT)

    Returns
    -------
    times_s : float64 array, shape (k,) [s]
    which : int64 array, shape (k,)
        0 charge used, 1 rest voltage, 2 loaded voltage, 3 timer, 4 the ESC's cutoff, 5 the march's own end.
    """
    timer_s = setup.sheet.landing.timer_s
    candidates = np.column_stack(
        (
            summary[:, kernel.LAND_BY_USED_S],
            summary[:, kernel.LAND_BY_REST_S],
            summary[:, kernel.LAND_BY_LOADED_S],
            np.full(summary.shape[0], np.inf if timer_s is None else timer_s),
            summary[:, kernel.CUTOFF_S],
            summary[:, kernel.END_S],
        )
    )
    which = np.argmin(candidates, axis=1)
    return candidates[np.arange(candidates.shape[0]), which], which


_END_REASONS: dict[int, LandingReason] = {
    kernel.OUT_OF_TIME: "longest",
    kernel.EMPTY: "empty",
    kernel.AT_FLOOR: "floor",
}
_REASONS: tuple[LandingReason, ...] = ("charge used", "rest voltage", "loaded voltage", "timer", "ESC cutoff")


def landing_reason(*, which: int, end_reason: int) -> LandingReason:
    """What ended a flight, in words: an index of :func:`landing_times_s` [1] and the kernel's reason."""
    return _REASONS[which] if which < len(_REASONS) else _END_REASONS[end_reason]


def _moving_mean(values: NDArray[np.float64], window: int) -> NDArray[np.float64]:
    """Mean over the last ``window`` samples; over what there is at the beginning."""
    window = max(1, min(window, values.size))
    mean = np.cumsum(values)
    mean[window:] = (mean[window:] - mean[:-window]) / window
    mean[:window] /= np.arange(1, window + 1)
    return np.asarray(mean)


_local = threading.local()


def _trace_room() -> NDArray[np.float64]:
    """Room for the longest flight's trace, shape (TRACE_COUNT, samples).

    One per thread and used again, since fresh pages cost more than flying; copy what is to be kept.
    """
    if not hasattr(_local, "room"):
        _local.room = np.empty((kernel.TRACE_COUNT, int(MAX_FLIGHT_S / STEP_S)))
    room: NDArray[np.float64] = _local.room
    return room


#: For a march that keeps neither trace nor knots.
NOTHING_KEPT = np.empty((0, 0))


def _marched(
    setup: Setup, factors: Factors, params: NDArray[np.float64], program: LoadProgram
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Trace, shape (TRACE_COUNT, n), and summary of one flight; the trace lies in room that is used again."""
    trace, summary = _trace_room(), np.empty(kernel.SUMMARY_COUNT)
    n = kernel.march(
        params,
        program.kind,
        program.value[0],
        program.seconds[0],
        program.work_j[0],
        factors.gust_rows()[0],
        cell_table(setup.chemistry),
        temperature_table(setup.chemistry),
        STEP_S,
        trace.shape[1],
        trace,
        NOTHING_KEPT,
        summary,
    )
    return trace[:, :n], summary


def fly(setup: Setup, *, factors: Factors | None = None, program: LoadProgram | None = None) -> Flight:
    """One flight in detail.

    Parameters
    ----------
    setup : Setup
    factors : Factors, optional
        One departure; none by default.
    program : LoadProgram, optional
        What is flown, where it is not the sheet's own pattern: demands per cell [W, 1], as they are.
    """
    factors = Factors.expected() if factors is None else factors
    params = kernel_parameters(setup=setup, factors=factors)[0]
    flown = program_of(setup=setup, factors=factors) if program is None else program
    trace, summary = _marched(setup, factors, params, flown)
    landing_s, which = landing_times_s(setup=setup, summary=summary[None])
    end_reason = int(summary[kernel.END_REASON])
    p = setup.sheet.pack.parallel
    charge_left = trace[kernel.T_CHARGE_LEFT].copy()
    polarisation = trace[kernel.T_POLARISATION_V]
    smooth = _moving_mean(polarisation, round(setup.flying.period_s / STEP_S))
    return Flight(
        series=setup.sheet.pack.series,
        holds_ah=float(params[kernel.CAPACITY_AH]) * p,
        time_s=np.arange(trace.shape[1], dtype=np.float64) * STEP_S,
        loaded_v=trace[kernel.T_LOADED_V].copy(),
        cruise_v=trace[kernel.T_CRUISE_V] + polarisation - smooth,
        rest_v=trace[kernel.T_REST_V].copy(),
        current_a=trace[kernel.T_CURRENT_A] * p,
        used_ah=(setup.sheet.conditions.start_charge - charge_left) * float(params[kernel.CAPACITY_AH]) * p,
        charge_left=charge_left,
        temperature_c=trace[kernel.T_TEMPERATURE_C].copy(),
        full_throttle_a=trace[kernel.T_FULL_THROTTLE_A] * p,
        weakest_v=trace[kernel.T_WEAKEST_V].copy(),
        end_charge_left=float(summary[kernel.END_CHARGE_LEFT]),
        end_c=float(summary[kernel.END_C]),
        end_s=float(summary[kernel.END_S]),
        end_reason=end_reason,
        landing_s=float(landing_s[0]),
        landing_reason=landing_reason(which=int(which[0]), end_reason=end_reason),
        first_clipped_s=float(summary[kernel.FIRST_CLIPPED_S]),
        floor_touched_s=float(summary[kernel.FLOOR_TOUCHED_S]),
        cutoff_s=float(summary[kernel.CUTOFF_S]),
        cutoff_touched_s=float(summary[kernel.CUTOFF_TOUCHED_S]),
        delivered_wh=float(summary[kernel.DELIVERED_WH]) * setup.sheet.pack.cell_count,
        heat_wh=float(summary[kernel.HEAT_WH]) * setup.sheet.pack.cell_count,
        hottest_c=float(summary[kernel.HOTTEST_C]),
    )
