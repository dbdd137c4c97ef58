"""A drill laid open: the voltage at rest and under load, what was said, what was decided, what was best."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from zesty_cell.core.callouts.engine import Event
from zesty_cell.core.clock import clock
from zesty_cell.core.practice.flown import Played
from zesty_cell.core.practice.score import ideal
from zesty_cell.web.drawing.scale import Scale, Tick, nice_step, path, ticks

_WIDTH, _HEIGHT = 860.0, 440.0
_LEFT, _RIGHT, _TOP, _BOTTOM = 46.0, 846.0, 40.0, 402.0
_POINTS = 420
_MINUTES = (30.0, 60.0, 120.0, 300.0, 600.0, 1200.0)
#: Words take so much room on a line, and stand there again after so much.
_APART, _AGAIN = 66.0, 190.0


@dataclass(frozen=True)
class Mark:
    """Something at a moment: where, its words, and on which line of them."""

    x: float
    y: float
    words: str
    line: int = 0


@dataclass(frozen=True)
class PracticeChart:
    """What is drawn, in places on the picture."""

    width: float
    height: float
    left: float
    right: float
    top: float
    bottom: float
    rest: str
    loaded: str
    volts: tuple[Tick, ...]
    times: tuple[Tick, ...]
    said: tuple[Mark, ...]
    decided: tuple[Mark, ...]
    best_x: float
    best_lands_x: float
    reserve_x: float | None
    ends_x: float


def practice_chart(played: Played, /, *, words: dict[str, str]) -> PracticeChart:
    """The picture of a drill; ``words`` says each action."""
    flight, ending, best = played.flight, played.ending, ideal(played.scenario)
    until_s = max(ending.at_s, best.ending.at_s)
    stop = flight.index_at(ending.at_s) + 1
    at = np.unique(np.linspace(0, stop - 1, _POINTS).round().astype(int))
    x = Scale(0.0, until_s, _LEFT, _RIGHT)
    low = float(np.floor(min(np.min(flight.loaded_v[at]), np.min(flight.rest_v[at])) * 10.0) / 10.0)
    high = float(np.ceil(np.max(flight.rest_v[at]) * 10.0) / 10.0)
    y = Scale(low, high, _BOTTOM, _TOP)
    volt_step = nice_step(high - low, 6, (0.1, 0.2, 0.5, 1.0))
    under = np.flatnonzero(flight.charge_left[:stop] <= played.scenario.reserve)
    said = _apart([Mark(x(e.time_s), y(_rest_v(played, e.time_s)), e.say) for e in _spoken(played)])
    decided = [
        Mark(x(d.at_s), y(_rest_v(played, d.at_s)), words[d.action])
        for d in played.decisions
        if d.at_s <= ending.at_s
    ]
    return PracticeChart(
        _WIDTH, _HEIGHT, _LEFT, _RIGHT, _TOP, _BOTTOM,
        rest=path(x.many(flight.time_s[at]), y.many(flight.rest_v[at])),
        loaded=path(x.many(flight.time_s[at]), y.many(flight.loaded_v[at])),
        volts=tuple(Tick(y(v), f"{v:.1f}") for v in ticks(low, high, volt_step)),
        times=tuple(Tick(x(t), clock(t)) for t in ticks(0.0, until_s, nice_step(until_s, 8, _MINUTES))),
        said=tuple(said), decided=tuple(decided), best_x=x(best.turn_s), best_lands_x=x(best.ending.at_s),
        reserve_x=x(float(flight.time_s[under[0]])) if under.size else None, ends_x=x(ending.at_s),
    )  # fmt: skip


def _rest_v(played: Played, time_s: float) -> float:
    flight = played.flight
    return float(flight.rest_v[flight.index_at(min(time_s, played.ending.at_s))])


def _spoken(played: Played) -> list[Event]:
    return [e for e in played.events if e.kind in ("rule", "end") and e.say]


def _apart(marks: list[Mark]) -> list[Mark]:
    """Marks with words where there is room for them, on two lines; the same words again only far behind."""
    found: list[Mark] = []
    ends = [-math.inf, -math.inf]
    again: dict[str, float] = {}
    for mark in marks:
        line = next((k for k, end in enumerate(ends) if mark.x - end >= _APART), None)
        if line is None or mark.x < again.get(mark.words, -math.inf) or mark.x > _RIGHT - _APART / 2.0:
            found.append(Mark(mark.x, mark.y, ""))
            continue
        ends[line], again[mark.words] = mark.x, mark.x + _AGAIN
        found.append(Mark(mark.x, mark.y, mark.words, line))
    return found
