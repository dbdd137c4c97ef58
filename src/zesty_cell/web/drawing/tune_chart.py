"""The trade of tuning: early and false calls against late ones, over every threshold and hold."""

from __future__ import annotations

import math
from dataclasses import dataclass

from zesty_cell.core.callouts.tune import Tuned
from zesty_cell.web.drawing.scale import Scale, Tick, nice_step, ticks
from zesty_cell.words.pictures import setting_words

_STEPS = (0.01, 0.02, 0.05, 0.1, 0.2, 0.5)


@dataclass(frozen=True)
class Setting:
    """One threshold and hold."""

    x: float
    y: float
    kind: str
    title: str
    pack_v: float
    hold_s: float


@dataclass(frozen=True)
class TuneChart:
    """Everything the trade draws; shares grow to the right and upwards, so the best lies low and left."""

    width: float
    height: float
    left: float
    right: float
    top: float
    bottom: float
    xs: list[Tick]
    ys: list[Tick]
    line: str
    settings: list[Setting]
    limit_x: float
    limit_y: float


def tune_chart(
    tuned: Tuned, *, most_false: float, most_late: float, width: float = 520.0, height: float = 250.0
) -> TuneChart:
    """Geometry of the trade: all settings as dots, those that no other beats joined, now and best marked."""
    left, right, top, bottom = 48.0, width - 14.0, 12.0, height - 40.0
    places = {*tuned.front, tuned.now, tuned.best}
    high_false = min(1.0, 1.15 * max([*(float(tuned.early[p]) for p in places), 2.0 * most_false, 0.05]))
    high_late = min(1.0, 1.15 * max([*(float(tuned.late[p]) for p in places), 2.0 * most_late, 0.05]))
    x, y = Scale(0.0, high_false, left, right), Scale(0.0, high_late, bottom, top)
    settings = []
    for i in range(tuned.thresholds_v.size):
        for j, hold_s in enumerate(tuned.holds_s):
            place = (i, j)
            early, late = float(tuned.early[place]), float(tuned.late[place])
            if early > high_false or late > high_late:
                continue
            kind = "best" if place == tuned.best else "now" if place == tuned.now else "front" if (
                place in tuned.front) else "other"  # fmt: skip
            volts = float(tuned.thresholds_v[i])
            settings.append(
                Setting(
                    x=x(early),
                    y=y(late),
                    kind=kind,
                    title=setting_words(volts, hold_s, early=early, late=late),
                    pack_v=volts,
                    hold_s=hold_s,
                )
            )
    order = {"other": 0, "front": 1, "now": 2, "best": 3}
    settings.sort(key=lambda s: order[s.kind])
    front = [(x(float(tuned.early[p])), y(float(tuned.late[p]))) for p in tuned.front]
    return TuneChart(
        width=width,
        height=height,
        left=left,
        right=right,
        top=top,
        bottom=bottom,
        xs=[Tick(x(v), f"{100 * v:.0f} %") for v in ticks(0.0, high_false, nice_step(high_false, 6, _STEPS))],
        ys=[Tick(y(v), f"{100 * v:.0f} %") for v in ticks(0.0, high_late, nice_step(high_late, 5, _STEPS))],
        line="M" + "L".join(f"{a:.1f} {b:.1f}" for a, b in front) if front else "",
        settings=settings,
        limit_x=x(min(most_false, high_false)),
        limit_y=y(min(most_late, high_late)),
    )


def in_flights(share: float, flights: int) -> str:
    """A share of flights in words."""
    count = math.floor(share * flights + 0.5)
    return "none" if count == 0 else f"{count} of {flights}"
