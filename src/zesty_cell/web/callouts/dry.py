"""What the page shows and plays of a dry run."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from zesty_cell.core.callouts.dry_run import DryRun
from zesty_cell.core.callouts.engine import Event
from zesty_cell.core.callouts.rules import CalloutPlan
from zesty_cell.words.heard import on_to, why_heard
from zesty_cell.words.units import minutes

_SAMPLES = 900


@dataclass(frozen=True)
class Heard:
    """One line of what was heard; repeats of a rule stand together."""

    time: str
    time_s: float
    why: str
    say: str
    mark: str
    times: int


def _mark(event: Event, plan: CalloutPlan) -> str:
    if event.kind in ("time", "last", "end"):
        return "timer"
    rule = plan.rule(event.key)
    if event.kind != "rule" or rule is None:
        return "wrong" if event.kind == "wrong profile" else "profile"
    return rule.role


def heard(run: DryRun, plan: CalloutPlan) -> list[Heard]:
    """What was heard, in order; a rule that goes on repeating is told once, with how often."""
    lines: list[Heard] = []
    last_key = ""
    for event in run.ran.events:
        say = event.say or (f"{event.vibrate} shake" if event.vibrate else "")
        if event.kind in ("rule", "time") and event.key == last_key:
            first = lines[-1]
            why = on_to(event.time_s) if event.kind == "time" else first.why
            lines[-1] = replace(first, why=why, times=first.times + 1)
            continue
        last_key = event.key if event.kind in ("rule", "time") else ""
        lines.append(Heard(minutes(event.time_s), event.time_s, why_heard(event, plan), say, _mark(event, plan), 1))
    return lines


def player(run: DryRun, plan: CalloutPlan, *, series: int) -> dict[str, Any]:
    """What the bench transmitter's display needs to play the run: thinned frames, events, spells of each rule."""
    frames = run.frames
    n = len(frames)
    some = np.unique(np.linspace(0, n - 1, min(n, _SAMPLES)).round().astype(int)) if n else np.arange(0)

    def thin(values: Any, digits: int) -> list[float]:
        kept: list[float] = np.asarray(values, dtype=np.float64)[some].round(digits).tolist()
        return kept

    def shown(values: Any, digits: int, unit: str, nothing: str) -> list[str]:
        return [f"{v:.{digits}f}{unit}" if math.isfinite(v) else nothing for v in thin(values, digits)]

    # The timer shown is the flown pack's; of several the first.
    on = [t for t in plan.timers if t.on]
    flown = {t.key for t in plan.flown_with(series=series).timers}
    timers = run.ran.timers_s[[k for k, t in enumerate(on) if t.key in flown]]
    return {
        "time": thin(frames.time_s, 2),
        "volts": shown(frames.pack_v, 2, "", "no signal"),
        "used": shown(1000.0 * frames.used_ah, 0, " mAh", "–"),
        "armed": [int(v) for v in frames.armed[some]],
        "timer": thin(timers[0], 1) if timers.shape[0] else [],
        "events": [
            {"t": round(e.time_s, 2), "say": e.say, "mark": _mark(e, plan), "shake": e.vibrate or ""}
            for e in run.ran.events
        ],
        "rules": _spells(run, plan),
        "end": float(frames.time_s[-1]) if n else 0.0,
    }


@dataclass(frozen=True)
class Spent:
    """How long a rule waited for its hold, and was true: in all and how often."""

    name: str
    mark: str
    waited_s: float
    waits: int
    true_s: float
    trues: int


def spent(run: DryRun, plan: CalloutPlan) -> list[Spent]:
    """The time each rule was pending and true [s]."""
    time_s = run.frames.time_s
    # A frame stands until the next one.
    lasts = np.diff(time_s, append=time_s[-1:]) if time_s.size else time_s
    found = []
    for rule, states in zip((r for r in plan.rules if r.on), run.ran.states, strict=True):
        of = {k: states == k for k in (1, 2)}
        begun = {k: int((np.diff(of[k].astype(np.int8), prepend=0) > 0).sum()) for k in of}
        waited, true = (float(lasts[of[k]].sum()) for k in of)
        found.append(Spent(rule.name, rule.role, waited, begun[1], true, begun[2]))
    return found


def _spells(run: DryRun, plan: CalloutPlan) -> list[dict[str, Any]]:
    """When each rule was pending and true: stretches of [from, to, state] in seconds."""
    found = []
    rules = [r for r in plan.rules if r.on]
    for rule, states in zip(rules, run.ran.states, strict=True):
        edges = np.flatnonzero(np.diff(states)) + 1
        starts, ends = np.concatenate(([0], edges)), np.concatenate((edges, [states.size]))
        spells = [
            [round(float(run.frames.time_s[a]), 2), round(float(run.frames.time_s[b - 1]), 2), int(states[a])]
            for a, b in zip(starts, ends, strict=True)
            if b > a and states[a]
        ]
        if len(spells) > 400:
            spells = spells[:400]
        found.append({"key": rule.key, "name": rule.name, "spells": spells})
    return found
