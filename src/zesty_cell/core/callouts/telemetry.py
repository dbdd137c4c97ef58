"""A flight as it was logged, seen by the transmitter again: what a log lacks is derived, and said."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, fields, replace

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.answer.thresholds import in_earnest_s
from zesty_cell.core.callouts.dry_run import DryRun, judged, resting_switches
from zesty_cell.core.callouts.engine import Frames, frames
from zesty_cell.core.callouts.rules import FULL_TOLERANCE_V, CalloutPlan, Rule
from zesty_cell.core.fact import Fact, fact
from zesty_cell.core.flight.one import low_for_good
from zesty_cell.core.parts.chemistries import CHEMISTRIES
from zesty_cell.core.parts.pack import Pack

#: A transmitter takes this many frames a second at most [Hz].
MOST_RATE_HZ = 50.0
#: Throttle, or the root of the share of the highest current, above which a craft counts as flying [1].
_ABOVE_IDLE = 0.15
#: What stands for it where nothing tells: hardly above idle, so that rules which count under a share count [1].
_STEADY_THROTTLE = 0.16
#: The steady voltage of a log is the median over so long [s].
_STEADY_S = 31
#: A pause longer than this, and than three usual steps of the log, is a gap: nothing was received [s].
_GAP_S = 1.5
#: The transmitter goes on through a pause: a frame so often [s], for so long at most [s].
_FILL_S, _MOST_FILL_S = 0.5, 120.0


@dataclass(frozen=True)
class Telemetry:
    """What a log holds; every array has one entry a line, None where the log has no such column.

    Attributes
    ----------
    time_s : float64 (n,)
        Rising [s].
    pack_v, cell_v, receiver_v : float64 (n,) or None
        Pack, lowest cell and receiver battery [V]; NaN where a line has none.
    used_ah, current_a : float64 (n,) or None
        [Ah, A].
    throttle : float64 (n,) or None
        Above idle [0 to 1].
    armed : float64 (n,) or None
        0 or 1; NaN: as before.
    temperature_c, altitude_m : float64 (n,) or None
        [°C, m]; only looked at.
    latitude_deg, longitude_deg : float64 (n,) or None
        Where it was [°]; NaN where a line has none.  Laps are found by it.
    lap_mark : float64 (n,) or None
        A switch or a counter that rises as each lap begins [1]; NaN: as before.
    """

    time_s: NDArray[np.float64]
    pack_v: NDArray[np.float64] | None = None
    cell_v: NDArray[np.float64] | None = None
    receiver_v: NDArray[np.float64] | None = None
    used_ah: NDArray[np.float64] | None = None
    current_a: NDArray[np.float64] | None = None
    throttle: NDArray[np.float64] | None = None
    armed: NDArray[np.float64] | None = None
    temperature_c: NDArray[np.float64] | None = None
    altitude_m: NDArray[np.float64] | None = None
    latitude_deg: NDArray[np.float64] | None = None
    longitude_deg: NDArray[np.float64] | None = None
    lap_mark: NDArray[np.float64] | None = None

    def __len__(self) -> int:
        return int(self.time_s.size)

    def at(self, chosen: NDArray[np.int64], /) -> Telemetry:
        """Only some of the lines."""
        held = {f.name: getattr(self, f.name) for f in fields(self)}
        return replace(self, **{name: values[chosen] for name, values in held.items() if values is not None})


@dataclass(frozen=True)
class SeenLog:
    """A log as frames.

    Attributes
    ----------
    frames : Frames
        From the first line, at :data:`MOST_RATE_HZ` or less [s, V, Ah, A].
    landed_s : float
        The last moment above idle [s].
    notes : tuple of Fact
        What was derived, thinned or missing, in sentences.
    """

    frames: Frames
    landed_s: float
    notes: tuple[Fact, ...]


def last_heard(values: NDArray[np.float64], /) -> NDArray[np.float64]:
    """Each value, or the last known one before it, shape (n,), in its own unit; NaN before the first."""
    known = np.where(np.isnan(values), -1, np.arange(values.size))
    latest = np.maximum.accumulate(known)
    return np.where(latest < 0, np.nan, values[np.maximum(latest, 0)])


def thinned(log: Telemetry, /) -> Telemetry:
    """At most :data:`MOST_RATE_HZ` lines a second, the first of each slot [s]."""
    slots = np.floor((log.time_s - log.time_s[0]) * MOST_RATE_HZ + 1e-6)
    return log.at(np.flatnonzero(np.diff(slots, prepend=-1.0) > 0))


def has_gaps(log: Telemetry, /) -> bool:
    """Whether there were moments in which nothing was received, by a log's own pace [s]."""
    return bool(_gaps(log.time_s).size)


def _gaps(time_s: NDArray[np.float64]) -> NDArray[np.int64]:
    """Lines after which a gap begins."""
    steps = np.diff(time_s)
    if not steps.size:
        return np.zeros(0, dtype=np.int64)
    return np.flatnonzero(steps > max(_GAP_S, 3.0 * float(np.median(steps))))


def filled(log: Telemetry, /) -> Telemetry:
    """The log with frames in its pauses, where the transmitter's clock went on [s].

    A slow log's values stand until its next line; in a gap nothing is received.
    """
    steps = np.diff(log.time_s)
    gaps = _gaps(log.time_s)
    pauses = np.flatnonzero(steps > _FILL_S + 1e-9)
    if not pauses.size:
        return log
    extra = [
        np.arange(log.time_s[k] + _FILL_S, min(log.time_s[k + 1], log.time_s[k] + _MOST_FILL_S) - 1e-9, _FILL_S)
        for k in pauses
    ]
    sizes = [e.size for e in extra]
    of_gap, after = np.repeat(np.isin(pauses, gaps), sizes), np.repeat(pauses, sizes)
    order = np.argsort(np.concatenate((log.time_s, *extra)), kind="stable")

    def widened(name: str, values: NDArray[np.float64]) -> NDArray[np.float64]:
        if name == "time_s":
            return np.concatenate((values, *extra))[order]
        # Sticks and switch are the transmitter's own: they stay known.
        known = last_heard(values)[after]
        new = known if name in ("throttle", "armed") else np.where(of_gap, np.nan, known)
        return np.concatenate((values, new))[order]

    held = {f.name: getattr(log, f.name) for f in fields(log)}
    return Telemetry(**{name: widened(name, values) for name, values in held.items() if values is not None})


def _used_ah(log: Telemetry) -> NDArray[np.float64] | None:
    """Charge used [Ah], summed from the current where the log has none."""
    if log.used_ah is not None or log.current_a is None:
        return log.used_ah
    current = np.nan_to_num(last_heard(log.current_a))
    steps_s = np.diff(log.time_s, prepend=log.time_s[0])
    return np.asarray(np.cumsum(np.maximum(current, 0.0) * steps_s) / 3600.0, dtype=np.float64)


def _throttle(log: Telemetry, full_throttle_a: float | None = None) -> NDArray[np.float64]:
    """Above idle [0 to 1]: logged, else the root of the current's share of full throttle, else steady flight's.

    A log's own highest current is full throttle only where the craft's is not known, or less.
    """
    if log.throttle is not None:
        return np.clip(np.nan_to_num(last_heard(log.throttle)), 0.0, 1.0)
    if log.current_a is None:
        return np.full(len(log), _STEADY_THROTTLE)
    current = np.clip(np.nan_to_num(last_heard(log.current_a)), 0.0, None)
    return np.sqrt(current / max(float(current.max(initial=0.0)), full_throttle_a or 0.0, 1e-9))


def _flown(log: Telemetry, throttle: NDArray[np.float64]) -> tuple[int, int]:
    """First and last line above idle."""
    flying = np.flatnonzero(throttle > (_ABOVE_IDLE if log.throttle is None else 0.05))
    return (int(flying[0]), int(flying[-1])) if flying.size else (0, len(log) - 1)


@dataclass(frozen=True)
class FlightSeen:
    """The flight that a log is of.

    Attributes
    ----------
    duration_s : float
        From the first to the last moment above idle [s].
    landed_s : float
        That last moment, on the log's own clock [s].
    shown_ah : float or None
        Charge used by then, as the sensor shows it [Ah].
    """

    duration_s: float
    landed_s: float
    shown_ah: float | None


def flight_seen(log: Telemetry, /) -> FlightSeen | None:
    """The flight that a log is of [s, Ah]; None where nothing in it tells flying from standing."""
    if log.throttle is None and log.current_a is None:
        return None
    first, last = _flown(log, _throttle(log))
    used = _used_ah(log)
    shown = None if used is None else float(last_heard(used)[last])
    if shown is not None and not shown > 0.0:
        shown = None
    duration_s = float(log.time_s[last] - log.time_s[first])
    return FlightSeen(duration_s, float(log.time_s[last]), shown) if duration_s > 0.0 else None


def see_log(log: Telemetry, /, *, plan: CalloutPlan, pack: Pack, full_throttle_a: float | None = None) -> SeenLog:
    """What the transmitter would have received of a logged flight.

    Parameters
    ----------
    log : Telemetry
        n lines [s, V, Ah, A].
    plan : CalloutPlan
        Its switches are as in flight.
    pack : Pack
        That was flown: its cells tell whether a voltage can be true.
    full_throttle_a : float, optional
        Of the craft on that pack at landing [A]: what the throttle is a share of where only the current is logged.
    """
    notes: list[Fact] = []
    lines = len(log)
    log = thinned(log)
    if len(log) < lines:
        notes.append(fact("log.thinned", lines=lines, seen=len(log), most_hz=MOST_RATE_HZ))
    if (gaps := _gaps(log.time_s)).size:
        lasts = np.diff(log.time_s)[gaps]
        begins_s = int(log.time_s[gaps[int(lasts.argmax())]] - log.time_s[0])
        key = "log.gaps" if gaps.size > 1 else "log.gap"
        more = {"gaps": int(gaps.size)} if gaps.size > 1 else {}
        notes.append(fact(key, **more, seconds=float(lasts.max()), begins_s=float(begins_s)))
    log = filled(log)
    throttle = _throttle(log, full_throttle_a)
    first, last = _flown(log, _throttle(log))
    if log.armed is not None:
        armed = (np.nan_to_num(last_heard(log.armed)) > 0.5).astype(np.int8)
    else:
        armed = np.zeros(len(log), dtype=np.int8)
        armed[first : last + 1] = 1
    if log.throttle is None:
        notes.append(fact("log.no_throttle.current" if log.current_a is not None else "log.no_throttle.steady"))
    if log.armed is None:
        notes.append(fact("log.no_armed"))
    if log.used_ah is None:
        notes.append(fact("log.no_charge.summed" if log.current_a is not None else "log.no_charge.silent"))
    if log.pack_v is None:
        notes.append(fact("log.no_volts"))
    elif (doubt := doubted_voltage(log.pack_v, pack=pack)) is not None:
        notes.append(doubt)
    received = {"pack_v": log.pack_v, "cell_v": log.cell_v, "receiver_v": log.receiver_v}
    received |= {"used_ah": _used_ah(log), "current_a": log.current_a}
    seen = frames(
        time_s=log.time_s - log.time_s[0],
        throttle=throttle,
        armed=armed,
        switches=np.tile(resting_switches(plan, series=pack.series), (len(log), 1)),
        **{name: values for name, values in received.items() if values is not None},
    )
    return SeenLog(seen, float(seen.time_s[last]), tuple(notes))


def doubted_voltage(pack_v: NDArray[np.float64], /, *, pack: Pack) -> Fact | None:
    """Why a logged voltage cannot be this pack's (n,) [V]; None where it can."""
    known = pack_v[~np.isnan(pack_v)]
    if not known.size:
        return fact("doubt.log_volts.empty")
    full_v = CHEMISTRIES[pack.chemistry].full_v
    highest = float(np.quantile(known, 0.99))
    if highest > (full_v + FULL_TOLERANCE_V) * pack.series:
        return fact("doubt.log_volts.over", highest=highest, cells=pack.series, full=full_v * pack.series)
    middle = float(np.median(known))
    if middle < CHEMISTRIES[pack.chemistry].loaded_floor_v * pack.series * 0.9:
        return fact("doubt.log_volts.under", middle=middle, cells=pack.series)
    return None


def steady_pack_v(seen: SeenLog, /) -> NDArray[np.float64]:
    """The voltage of a log without its bursts, once a second: the median over half a minute, shape (m,) [V]."""
    at = np.arange(0.0, max(seen.landed_s, 1.0), 1.0)
    index = np.searchsorted(seen.frames.time_s, at, side="right") - 1
    volts = last_heard(seen.frames.pack_v)[np.maximum(index, 0)]
    half = _STEADY_S // 2
    padded = np.pad(volts, half, mode="symmetric")
    return np.asarray(np.median(np.lib.stride_tricks.sliding_window_view(padded, _STEADY_S), axis=1))


def _false_by(seen: SeenLog, plan: CalloutPlan, pack: Pack) -> Callable[[Rule, float], bool]:
    """Whether a call came while the steady voltage was still above its value for long."""
    steady_v = steady_pack_v(seen)

    def false(rule: Rule, time_s: float) -> bool:
        cell_v = plan.calls_below_v(rule, series=pack.series)
        if cell_v is None or np.isnan(steady_v).all():
            return False
        low_from = np.array([low_for_good(steady_v, limit_v=cell_v * pack.series)])
        return time_s < float(in_earnest_s(low_from=low_from, step_s=1.0)[0])

    return false


def on_telemetry(
    log: Telemetry, /, *, plan: CalloutPlan, pack: Pack, full_throttle_a: float | None = None
) -> tuple[DryRun, tuple[Fact, ...]]:
    """A plan on a logged flight, judged by where it landed [s, V, Ah, A]; with what was derived, in sentences.

    Raises nothing: a log without what a rule needs leaves it silent, which is what a transmitter would do.
    """
    seen = see_log(log, plan=plan, pack=pack, full_throttle_a=full_throttle_a)
    used = last_heard(seen.frames.used_ah)

    def left(time_s: float) -> float | None:
        used_ah = float(used[max(int(np.searchsorted(seen.frames.time_s, time_s, side="right")) - 1, 0)])
        return None if np.isnan(used_ah) else max(1.0 - used_ah / pack.capacity_ah, 0.0)

    run = judged(
        plan=plan, frames=seen.frames, landing_s=seen.landed_s, is_false=_false_by(seen, plan, pack), left_at=left
    )
    return run, seen.notes
