"""Minutes against pack weight: the curve of one chemistry, its knee, and the packs in view on it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from zesty_cell.core.choose.knee import Knee
from zesty_cell.core.fact import Fact, Words, fact
from zesty_cell.web.drawing.flight_chart import MINUTE_STEPS
from zesty_cell.web.drawing.scale import Scale, Tick, nice_step, path, ticks
from zesty_cell.words.units import MASS, System, group

_MASS_STEPS = (1.0, 2.0, 5.0, 10.0, 20.0, 50.0, 100.0, 200.0, 250.0, 500.0, 1000.0, 2000.0, 5000.0)


@dataclass(frozen=True)
class Dot:
    """A pack in view, at its weight and landing time."""

    x: float
    y: float
    name: str
    same: bool
    anchor: str
    text_x: float
    text_y: float


@dataclass(frozen=True)
class KneeChart:
    """Everything the knee chart draws."""

    width: float
    height: float
    left: float
    right: float
    top: float
    bottom: float
    curve: str
    area: str
    knee_x: float | None
    knee_y: float
    knee_text: Words
    masses: list[Tick]
    gains: list[Tick]
    gain_words: Fact
    times: list[Tick]
    dots: list[Dot]


def knee_chart(
    knee: Knee,
    *,
    packs: Sequence[tuple[str, float, float, bool]],
    units: System,
    width: float = 400.0,
    height: float = 252.0,
) -> KneeChart:
    """Geometry of the knee.

    Parameters
    ----------
    packs : sequence of (name, mass [kg], landing time [s], of this chemistry)
    units : System
        In which the masses are written.
    """
    left, right, top, bottom = 34.0, width - 10.0, 18.0, height - 50.0
    heaviest = max([1.05 * (knee.knee_kg or 0.0) * 1.6, *(1.12 * mass for _, mass, _, _ in packs), knee.mass_kg[3]])
    shown = knee.mass_kg <= max(heaviest, float(knee.mass_kg[4]))
    mass, time = knee.mass_kg[shown], knee.landing_s[shown]
    high_s = 1.12 * max(float(time.max()), *(t for _, _, t, _ in packs), 1.0)
    x = Scale(0.0, float(mass[-1]), left, right)
    y = Scale(0.0, high_s, bottom, top)
    xs, ys = x.many(mass), y.many(time)
    unit = MASS.unit(units)
    mass_step = nice_step(unit.show(x.high), 6, _MASS_STEPS)
    minute = nice_step(high_s, 4, MINUTE_STEPS)
    # The last tick leaves its place to the unit's name.
    shown_masses = [v for v in ticks(0.0, unit.show(x.high), mass_step) if x(v / unit.factor) < right - 34.0]
    knee_text: Words = ""
    more = f"{group(unit.show(0.1), unit.decimals)} {unit.label}"
    if knee.knee_kg is not None and knee.knee_kg <= x.high:
        gain = knee.gain_at(knee.knee_kg)
        knee_text = fact("knee.here", more=more, gain=gain)
    return KneeChart(
        width=width,
        height=height,
        left=left,
        right=right,
        top=top,
        bottom=bottom,
        curve=path(xs, ys),
        area=f"{path(np.append(xs, [xs[-1], xs[0]]), np.append(ys, [bottom, bottom]))}Z",
        knee_x=x(knee.knee_kg) if knee_text and knee.knee_kg is not None else None,
        knee_y=y(knee.knee_s or 0.0),
        knee_text=knee_text,
        masses=[Tick(x(v / unit.factor), group(v)) for v in shown_masses],
        gains=[
            Tick(x(v / unit.factor), f"{knee.gain_at(v / unit.factor):+.0f} s".replace("-", "−"))
            for v in shown_masses
            if v / unit.factor >= mass[0]
        ],
        gain_words=fact("knee.further", more=more),
        times=[Tick(y(t), f"{t / 60:.0f}") for t in ticks(0.0, high_s, minute)],
        dots=_dots(packs, x, y),
    )


def _dots(packs: Sequence[tuple[str, float, float, bool]], x: Scale, y: Scale) -> list[Dot]:
    """Marks with their names: above left where there is room, below right where one already stands there."""
    dots: list[Dot] = []
    for name, mass, time, same in sorted(packs, key=lambda p: p[1]):
        at = (x(mass), y(time))
        right = at[0] + 8 + 6.4 * len(name) < x.stop
        places = [
            (at[0] + 8, at[1] + 14, "start"),
            (at[0] - 8, at[1] - 8, "end"),
            (at[0] + 8, at[1] - 8, "start"),
            (at[0] - 8, at[1] + 16, "end"),
            (at[0] + 8, at[1] + 28, "start"),
        ]
        if not right:
            places = places[1:2] + places[3:4] + places[:1]
        free = (p for p in places if not any(_near(p, d, len(name)) for d in dots))
        tx, ty, anchor = next(free, places[0])
        dots.append(Dot(at[0], at[1], name, same, anchor, tx, ty))
    return dots


def _near(place: tuple[float, float, str], dot: Dot, letters: int) -> bool:
    """Whether a name put there would cover another's name or mark."""
    start = place[0] if place[2] == "start" else place[0] - 6.4 * letters
    end = start + 6.4 * letters
    wide = 6.4 * len(dot.name)
    other = dot.text_x if dot.anchor == "start" else dot.text_x - wide
    covers_name = start < other + wide and other < end and abs(place[1] - dot.text_y) < 13.0
    covers_mark = start - 6 < dot.x < end + 6 and abs(place[1] - 4 - dot.y) < 9.0
    return covers_name or covers_mark
