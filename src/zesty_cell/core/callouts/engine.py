"""The rule engine: frames in, what is said out.  The same for dry runs, scores and the bench transmitter.

Semantics, each proved by a table of cases and against a slow reference in the tests:

- A rule is *true* once its conditions and guards have held without a break for its hold; it speaks on
  becoming true, then every ``every_s`` while it stays true, and is ready again when it is false.
- A value is known for ``lost_after_s`` after it was heard; a condition on an unknown value is false.
- Nothing reaches across a gap between frames longer than that, nor across a clock that steps back.
- The profile is chosen when armed; a voltage it cannot have is said once.
- A timer for one profile runs with it, and while no profile is known.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.callouts.conditions import POSITIONS, SWITCHES, Condition, Switch
from zesty_cell.core.callouts.rules import FULL_TOLERANCE_V, CalloutPlan, Rule, Timer
from zesty_cell.core.callouts.sensors import RECEIVED, SENSORS
from zesty_cell.core.callouts.spoken import spoken_time, spoken_value
from zesty_cell.core.flight import watch_kernel as kernel

_COMPARISON = {
    "below": kernel.BELOW, "above": kernel.ABOVE, "missing": kernel.MISSING, "present": kernel.PRESENT,
}  # fmt: skip
_RUNS = {"throttle": kernel.BY_THROTTLE, "armed": kernel.BY_ARMED, "always": kernel.ALWAYS}
CHOOSE = {"one": kernel.ONE, "switch": kernel.BY_SWITCH, "automatic": kernel.BY_VOLTAGE}

EventKind = Literal["rule", "time", "last", "end", "profile", "wrong profile"]
_KINDS: tuple[EventKind, ...] = ("rule", "time", "last", "end", "profile", "wrong profile")


@dataclass(frozen=True)
class Frames:
    """What a transmitter knows, moment by moment; all arrays have one entry a frame.

    Attributes
    ----------
    time_s : float64 (n,) [s]
    pack_v, cell_v, receiver_v : float64 (n,)
        Pack, lowest cell and receiver battery [V]; NaN where nothing was received.
    used_ah, current_a : float64 (n,)
        Charge used [Ah] and current [A]; NaN where nothing was received.
    throttle : float64 (n,)
        Above idle [0 to 1].
    armed : int8 (n,)
    switches : int8 (n, 8)
        −1 up, 0 middle, 1 down.
    """

    time_s: NDArray[np.float64]
    pack_v: NDArray[np.float64]
    cell_v: NDArray[np.float64]
    receiver_v: NDArray[np.float64]
    used_ah: NDArray[np.float64]
    current_a: NDArray[np.float64]
    throttle: NDArray[np.float64]
    armed: NDArray[np.int8]
    switches: NDArray[np.int8]

    def __len__(self) -> int:
        return int(self.time_s.size)

    def sensors(self) -> NDArray[np.float64]:
        """The received values as the kernel takes them, shape (n, kernel.RECEIVED) [V, V, V, Ah, A]."""
        return np.column_stack((self.pack_v, self.cell_v, self.receiver_v, self.used_ah, self.current_a))


def frames(
    *,
    time_s: NDArray[np.float64],
    armed: NDArray[np.int8] | None = None,
    throttle: NDArray[np.float64] | None = None,
    switches: Mapping[str, str] | NDArray[np.int8] | None = None,
    **received: NDArray[np.float64],
) -> Frames:
    """Frames from what there is: what is not given was not received; armed and above idle throughout.

    Parameters
    ----------
    time_s : float64 (n,) [s]
    armed : int8 (n,), throttle : float64 (n,), optional
    switches : mapping of names to positions, or int8 (n, 8), optional
        All up where not given.
    received : float64 (n,)
        ``pack_v``, ``cell_v``, ``receiver_v`` [V], ``used_ah`` [Ah], ``current_a`` [A].
    """
    n = time_s.size
    nothing = np.full(n, np.nan)
    if isinstance(switches, np.ndarray):
        positions = switches
    else:
        row = np.full(len(SWITCHES), POSITIONS["up"], dtype=np.int8)
        for name, position in (switches or {}).items():
            row[SWITCHES.index(name)] = POSITIONS[position]  # type: ignore[index]
        positions = np.tile(row, (n, 1))
    return Frames(
        time_s=time_s,
        throttle=np.ones(n) if throttle is None else throttle,
        armed=np.ones(n, dtype=np.int8) if armed is None else armed,
        switches=positions,
        **{name: received.get(name, nothing) for name in RECEIVED},
    )


@dataclass(frozen=True)
class Event:
    """Something said, or shaken.

    Attributes
    ----------
    time_s : float
        [s].
    kind : EventKind
    key : str
        Of the rule, timer or profile; empty for a voltage that fits no profile.
    say : str
        All the words, numbers included; empty where it only vibrates.
    vibrate : str or None
    value : float or None
        Of the sensor that made it true [V, Ah, A, s]; of a timer the seconds counted.
    """

    time_s: float
    kind: EventKind
    key: str
    say: str
    vibrate: str | None
    value: float | None


@dataclass(frozen=True)
class Ran:
    """A dry run.

    Attributes
    ----------
    events : tuple of Event
    states : int8 (rules, n)
        0 quiet, 1 pending, 2 true, at each frame; (rules, 0) where not asked for.
    timers_s : float32 (timers, n)
        What each timer shows counted [s]; (timers, 0) where not asked for.
    """

    events: tuple[Event, ...]
    states: NDArray[np.int8]
    timers_s: NDArray[np.float32]


def _switch(switch: Switch | None) -> tuple[float, float]:
    return (-1.0, 0.0) if switch is None else (SWITCHES.index(switch.name), POSITIONS[switch.position])


def _rule_row(rule: Rule, plan: CalloutPlan) -> list[float]:
    guards = rule.guards
    profile = next((k for k, p in enumerate(plan.profiles) if p.key == guards.profile), -1)
    return [
        rule.hold_s,
        float(guards.armed),
        -1.0 if guards.throttle_over is None else guards.throttle_over,
        *_switch(guards.switch),
        float(profile),
        np.inf if rule.every_s is None else rule.every_s,
        rule.quiet_s,
        float(rule.join == "any"),
        -1.0 if rule.read is None else float(SENSORS[rule.read].number),
        2.0 if guards.throttle_under is None else guards.throttle_under,
        float(POSITIONS[guards.positions()[-1]]) if guards.switch else 0.0,
    ]


def _timer_row(timer: Timer, plan: CalloutPlan) -> list[float]:
    every = np.inf if timer.every_s is None else timer.every_s
    # Counting down, whole times *left* are spoken: the first comes after the odd part.
    first = every if timer.counts == "up" or np.isinf(every) else timer.at_s % every or every
    return [
        timer.at_s,
        float(_RUNS[timer.runs]),
        timer.throttle_over,
        every,
        first,
        float(timer.last_s),
        np.inf if timer.end_every_s is None else timer.end_every_s,
        *_switch(timer.reset),
        np.inf if timer.reset_disarmed_s is None else timer.reset_disarmed_s,
        float(next((k for k, p in enumerate(plan.profiles) if p.key == timer.profile), -1)),
    ]


def _limits(condition: Condition, plan: CalloutPlan) -> list[float]:
    """The threshold of a condition by profile; NaN where it belongs to another."""
    if not plan.profiles:
        return [condition.threshold(series=plan.series)]
    return [
        condition.threshold(series=p.series) if condition.profile in (None, p.key) else np.nan
        for p in plan.profiles
    ]


@dataclass(frozen=True)
class Made:
    """A plan as the kernel takes it; shapes as in :func:`~zesty_cell.core.flight.watch_kernel.run_plan`."""

    rules: NDArray[np.float64]
    first_condition: NDArray[np.int64]
    condition_kind: NDArray[np.int64]
    condition_sensor: NDArray[np.int64]
    condition_value: NDArray[np.float64]
    timers: NDArray[np.float64]
    profiles: NDArray[np.float64]


def _make(plan: CalloutPlan) -> Made:
    rules = [r for r in plan.rules if r.on]
    conditions = [c for r in rules for c in r.conditions]
    profiles = [
        [*_switch(p.switch), p.floor_v * p.series - 1e-9, (p.full_v + FULL_TOLERANCE_V) * p.series, p.series]
        for p in plan.profiles
    ]
    return Made(
        rules=np.array([_rule_row(r, plan) for r in rules]).reshape(-1, kernel.RULE_COLUMNS),
        first_condition=np.cumsum([0, *(len(r.conditions) for r in rules)]).astype(np.int64),
        condition_kind=np.array([_COMPARISON[c.comparison] for c in conditions], dtype=np.int64),
        condition_sensor=np.array([SENSORS[c.sensor].number for c in conditions], dtype=np.int64),
        condition_value=np.array([_limits(c, plan) for c in conditions]).reshape(-1, max(1, len(plan.profiles))),
        timers=np.array([_timer_row(t, plan) for t in plan.timers if t.on]).reshape(-1, kernel.TIMER_COLUMNS),
        profiles=np.array(profiles).reshape(-1, kernel.PROFILE_COLUMNS),
    )


class Engine:
    """A plan made ready, with its state between frames: the only thing in the core that remembers.

    A fresh one stands for a transmitter just switched on.
    """

    def __init__(self, plan: CalloutPlan, /) -> None:
        self.plan = plan
        self.made = _make(plan)
        self._rules = [r for r in plan.rules if r.on]
        self._timers = [t for t in plan.timers if t.on]
        self.restart()

    def restart(self) -> None:
        """Switch off and on again; a timer that is kept keeps what it has counted."""
        kept = getattr(self, "_timer_state", None)
        self._globals = np.full(kernel.GLOBALS, np.nan)
        self._globals[kernel.G_LOWEST_V] = np.inf
        self._globals[kernel.G_PROFILE] = -2.0
        self._globals[kernel.G_JUDGED] = 0.0
        self._heard_v = np.full(kernel.RECEIVED, np.nan)
        self._heard_s = np.full(kernel.RECEIVED, -np.inf)
        self._rule_state = np.full((len(self._rules), 2), np.nan)
        self._timer_state = np.zeros((len(self._timers), kernel.TIMER_STATES))
        self._timer_state[:, kernel.K_END_S] = np.nan
        if kept is not None:
            for k, timer in enumerate(self._timers):
                if timer.kept:
                    self._timer_state[k, : kernel.K_RUNNING] = kept[k, : kernel.K_RUNNING]

    @property
    def profile(self) -> str | None:
        """Key of the profile in use."""
        index = int(self._globals[kernel.G_PROFILE])
        return self.plan.profiles[index].key if index >= 0 else None

    @property
    def timers_s(self) -> dict[str, float]:
        """What each timer has counted [s]."""
        return {t.key: float(self._timer_state[k, kernel.K_ELAPSED_S]) for k, t in enumerate(self._timers)}

    def feed(self, new: Frames, *, keep: bool = False) -> Ran:
        """Take further frames and say what is to be said.

        Parameters
        ----------
        new : Frames
            n frames [s, V, Ah, A].
        keep : bool
            Also keep every rule's state and every timer at each frame.
        """
        rows, states, shown = self._run(new, keep)
        return Ran(tuple(self._event(row) for row in rows), states, shown)

    def feed_rows(self, new: Frames) -> NDArray[np.float64]:
        """As :meth:`feed`, but the events as the kernel writes them, shape (events, kernel.EVENT_COLUMNS) [s]."""
        return self._run(new, keep=False)[0]

    def _run(self, new: Frames, keep: bool) -> tuple[NDArray[np.float64], NDArray[np.int8], NDArray[np.float32]]:
        room = 512
        sensors, kept = new.sensors(), len(new) if keep else 0
        before = [a.copy() for a in self._state]
        states = np.zeros((len(self._rules), kept), dtype=np.int8)
        shown = np.zeros((len(self._timers), kept), dtype=np.float32)
        while True:
            events = np.empty((room, kernel.EVENT_COLUMNS))
            count = int(
                kernel.run_plan(
                    new.time_s,
                    sensors,
                    new.throttle,
                    new.armed,
                    new.switches,
                    self.made.rules,
                    self.made.first_condition,
                    self.made.condition_kind,
                    self.made.condition_sensor,
                    self.made.condition_value,
                    self.made.timers,
                    self.made.profiles,
                    CHOOSE[self.plan.choose],
                    self.plan.lost_after_s,
                    self._globals,
                    self._heard_v,
                    self._heard_s,
                    self._rule_state,
                    self._timer_state,
                    events,
                    states,
                    shown,
                )
            )
            if count <= room:
                return events[:count], states, shown
            room = count  # again from the same state, with room for all
            for array, was in zip(self._state, before, strict=True):
                array[...] = was

    @property
    def _state(self) -> tuple[NDArray[np.float64], ...]:
        return self._globals, self._heard_v, self._heard_s, self._rule_state, self._timer_state

    def _event(self, row: NDArray[np.float64]) -> Event:
        time_s, kind, index, value = float(row[0]), _KINDS[int(row[1])], int(row[2]), float(row[3])
        known = None if np.isnan(value) else value
        if kind == "rule":
            rule = self._rules[index]
            say = rule.say or ""
            if rule.read is not None:
                read = spoken_value(sensor=rule.read, value=float(row[4]), series=self.plan.series_of(rule))
                say = f"{say} {read}".strip()
            return Event(time_s, kind, rule.key, say, rule.vibrate, known)
        if kind in ("profile", "wrong profile"):
            profile = self.plan.profiles[index] if index >= 0 else None
            say = self.plan.wrong_profile if kind == "wrong profile" else (profile.say if profile else "")
            return Event(time_s, kind, profile.key if profile else "", say, None, known)
        timer = self._timers[index]
        if kind == "time":
            left = timer.at_s - value
            say = spoken_time(value) if timer.counts == "up" else f"{spoken_time(left)} left"
        else:
            say = f"{value:.0f}" if kind == "last" else timer.end
        return Event(time_s, kind, timer.key, say, None, known)
