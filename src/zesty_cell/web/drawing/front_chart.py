"""The search's picture: landing time against what is to spare at landing, mass as the mark's size."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from zesty_cell.core.choose.search import Found
from zesty_cell.web.drawing.flight_chart import MINUTE_STEPS
from zesty_cell.web.drawing.scale import Scale, Tick, nice_step, path, ticks

_SPARE_STEPS = (0.2, 0.25, 0.5, 1.0, 2.0, 5.0, 10.0, 20.0)
#: More marks than this only make a blot: the front and an even choice of the rest are drawn.
_MOST_MARKS = 900
#: One tone for each chemistry, as in the legend.
_TONES = {"lipo": 0, "lihv": 1, "liion_power": 2, "liion_energy": 3, "lifepo4": 4, "nimh": 5}


@dataclass(frozen=True)
class Mark:
    """A candidate."""

    x: float
    y: float
    radius: float
    tone: int
    front: bool
    index: int
    title: str


@dataclass(frozen=True)
class FrontChart:
    """Everything the front's picture draws; the four limits map the brush back to time and thrust."""

    width: float
    height: float
    left: float
    right: float
    top: float
    bottom: float
    time_high_s: float
    spare_high: float
    times: list[Tick]
    spares: list[Tick]
    marks: list[Mark]
    front: str
    tones: list[tuple[int, str]]


def front_chart(
    found: Found, *, names: dict[str, str], width: float = 760.0, height: float = 400.0
) -> FrontChart | None:
    """Geometry of the front; None where nothing meets the limits.

    Parameters
    ----------
    names : dict
        Short name of each chemistry, for the legend.
    """
    good = found.order
    if good.size == 0:
        return None
    left, right, top, bottom = 40.0, width - 12.0, 12.0, height - 30.0
    time_high = 1.05 * float(found.landing_s[good].max())
    spare_high = 1.08 * float(found.to_spare[good].max())
    x, y = Scale(0.0, time_high, left, right), Scale(0.0, spare_high, bottom, top)
    on_front = good[found.front[good]]
    rest = good[~found.front[good]]
    step = max(1, int(np.ceil(rest.size / max(1, _MOST_MARKS - on_front.size))))
    shown = np.concatenate((np.sort(rest)[::step], on_front))
    heaviest = float(found.mass_kg[good].max())
    marks = [
        Mark(
            x=x(float(found.landing_s[k])),
            y=y(float(found.to_spare[k])),
            # Area goes with mass.
            radius=2.2 + 8.0 * float(found.mass_kg[k] / heaviest) ** 0.5,
            tone=_TONES[found.packs[k].chemistry],
            front=bool(found.front[k]),
            index=int(k),
            title=found.packs[k].name,
        )
        for k in shown
    ]
    line = on_front[np.argsort(found.landing_s[on_front])]
    minute = nice_step(time_high, 9, MINUTE_STEPS)
    spare = nice_step(spare_high, 7, _SPARE_STEPS)
    kinds: Sequence[str] = sorted({found.packs[k].chemistry for k in good}, key=lambda c: _TONES[c])
    return FrontChart(
        width=width,
        height=height,
        left=left,
        right=right,
        top=top,
        bottom=bottom,
        time_high_s=time_high,
        spare_high=spare_high,
        times=[Tick(x(t), f"{t / 60:.0f}") for t in ticks(0.0, time_high, minute)],
        spares=[Tick(y(v), f"{v:g}") for v in ticks(0.0, spare_high, spare)],
        marks=marks,
        front=path(x.many(found.landing_s[line]), y.many(found.to_spare[line])),
        tones=[(_TONES[c], names[c]) for c in kinds],
    )
