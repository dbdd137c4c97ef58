"""The voltage of a dry run in small: what was received, the values waited for, the words where they fell."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from zesty_cell.core.callouts.dry_run import DryRun
from zesty_cell.core.callouts.rules import CalloutPlan
from zesty_cell.core.callouts.sensors import PACK_VOLTAGES
from zesty_cell.web.drawing.scale import Scale, path, sparse

_WIDTH, _HEIGHT, _EDGE = 300, 84, 4


@dataclass(frozen=True)
class Line:
    """A value waited for: its role for the colour."""

    role: str
    y: float


@dataclass(frozen=True)
class Mark:
    """A word: its role for the colour."""

    role: str
    x: float


@dataclass(frozen=True)
class RunTrace:
    """Pixels of the picture; ``curves`` has a path for each stretch without a gap."""

    width: int
    height: int
    curves: tuple[str, ...]
    lines: tuple[Line, ...]
    marks: tuple[Mark, ...]
    high_v: float
    low_v: float


def run_trace(run: DryRun, plan: CalloutPlan, *, series: int) -> RunTrace | None:
    """The picture of a run; None where no voltage was received."""
    time_s, volts = run.frames.time_s, run.frames.pack_v
    known = np.flatnonzero(~np.isnan(volts))
    if known.size < 2:
        return None
    waited = [
        (rule.role, value * series)
        for rule in plan.rules
        if rule.on
        and any(c.sensor in PACK_VOLTAGES for c in rule.conditions)
        and (value := plan.calls_below_v(rule, series=series)) is not None
    ]
    high_v = float(volts[known].max())
    low_v = min(float(volts[known].min()), *(v for _, v in waited), high_v - 0.1)
    across = Scale(0.0, max(float(time_s[-1]), 0.1), 0.0, _WIDTH)
    down = Scale(high_v, low_v, _EDGE, _HEIGHT - _EDGE)
    breaks = np.flatnonzero(np.diff(time_s[known]) > max(plan.lost_after_s, 0.25)) + 1
    curves = []
    for part in np.split(known, breaks):
        shown = part[sparse(part.size, 500)]
        curves.append(path(across.many(time_s[shown]), down.many(volts[shown])))
    marks = []
    for event in run.ran.events:
        rule = plan.rule(event.key) if event.kind == "rule" else None
        marks.append(Mark(rule.role if rule else "timer", round(across(event.time_s), 1)))
    return RunTrace(
        width=_WIDTH,
        height=_HEIGHT,
        curves=tuple(curves),
        lines=tuple(Line(role, round(down(v), 1)) for role, v in waited),
        marks=tuple(marks),
        high_v=high_v,
        low_v=low_v,
    )
