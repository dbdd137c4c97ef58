"""A flying pattern as a strip, calm light and hard dark."""

from __future__ import annotations

from dataclasses import dataclass

from zesty_cell.core.asked.flying import FlyingPattern
from zesty_cell.words.face import Face
from zesty_cell.words.say import PLAIN

#: Tone of an activity in the strip, by its share of steady power.
_TONES = ((0.6, "calm"), (1.2, "steady"), (1.8, "brisk"), (float("inf"), "hard"))


@dataclass(frozen=True)
class Strip:
    """One activity in the pattern's strip."""

    x: float
    width: float
    tone: str
    text: str


def pattern_strip(pattern: FlyingPattern, width: float = 220.0, *, face: Face | None = None) -> list[Strip]:
    """The pattern as a strip, calm light and hard dark, to its true time scale; a climb by its height."""
    strips, x = [], 0.0
    for activity in pattern.activities:
        wide = activity.duration_s / pattern.period_s * width
        if activity.of == "full throttle":
            tone = "full"
        else:
            tone = next(name for limit, name in _TONES if activity.share <= limit)
        height_m = activity.height_m
        long = f"{activity.duration_s:g} s" if height_m is None else (face or Face(PLAIN)).altitude(height_m)
        strips.append(Strip(x, wide, tone, f"{activity.name} {long}"))
        x += wide
    return strips
