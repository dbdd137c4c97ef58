"""Timing: warm first, measure many times, report the middle and the 95th percentile."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True)
class Timed:
    """Times of one thing [ms], sorted."""

    runs_ms: tuple[float, ...]

    @property
    def median_ms(self) -> float:
        return self.runs_ms[len(self.runs_ms) // 2]

    @property
    def p95_ms(self) -> float:
        return self.runs_ms[min(len(self.runs_ms) - 1, int(0.95 * len(self.runs_ms)))]

    @property
    def best_ms(self) -> float:
        return self.runs_ms[0]


def measure(work: Callable[[], object], *, runs: int, warm: int = 3) -> Timed:
    """Call ``work`` some times unmeasured, then ``runs`` times measured."""
    for _ in range(warm):
        work()
    times = []
    for _ in range(runs):
        start = time.perf_counter()
        work()
        times.append((time.perf_counter() - start) * 1e3)
    return Timed(tuple(sorted(times)))


@dataclass(frozen=True)
class Row:
    """One line of the report."""

    what: str
    measured: str
    asked: str
    met: bool
    inside: str
