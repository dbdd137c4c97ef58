"""Fit, to be watched, or to be retired."""

from __future__ import annotations

from typing import Literal

Verdict = Literal["fit", "watch", "retire"]


def judge(value: float, /, *, watch: float, retire: float, higher_is_worse: bool = True) -> Verdict:
    """A figure against its two limits, all in its own unit."""
    sign = 1.0 if higher_is_worse else -1.0
    if sign * value >= sign * retire:
        return "retire"
    return "watch" if sign * value >= sign * watch else "fit"
