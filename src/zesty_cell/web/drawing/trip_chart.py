"""Out and back as a line, and the chain from pack to propeller."""

from __future__ import annotations

from dataclasses import dataclass

from zesty_cell.core.choose.chain import Chain
from zesty_cell.core.choose.travel import Trip
from zesty_cell.web.drawing.scale import Scale, Tick, nice_step, ticks

_KM_STEPS = (0.05, 0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0, 20.0, 50.0)


@dataclass(frozen=True)
class TripChart:
    """The line out (above) and back (below); its thickness is the charge left."""

    width: float
    height: float
    home_x: float
    turn_x: float
    out_y: float
    back_y: float
    out: str
    back: str
    arc: str
    arrows: list[str]
    distances: list[Tick]


def trip_chart(trip: Trip, *, capacity_ah: float, km_factor: float, width: float = 640.0) -> TripChart:
    """Geometry of the out-and-back line.

    Parameters
    ----------
    capacity_ah : float
        A full pack [Ah]; the line is as thick as the charge left.
    km_factor : float
        Kilometres as shown, 1 or miles a kilometre.
    """
    height, home, turn = 132.0, 26.0, width - 130.0
    out_y, back_y, most = 40.0, 84.0, 16.0

    def thick(used_ah: float) -> float:
        return most * max(0.08, 1.0 - used_ah / capacity_ah)

    full, at_turn, at_landing = thick(0.0), thick(trip.turn_used_ah), thick(trip.landing_used_ah)
    shown = trip.distance_m / 1000.0 * km_factor
    x = Scale(0.0, shown or 1.0, home, turn)
    step = nice_step(shown or 1.0, 6, _KM_STEPS)
    mid, radius = 0.5 * (home + turn), 0.5 * (back_y - out_y)
    return TripChart(
        width=width,
        height=height,
        home_x=home,
        turn_x=turn,
        out_y=out_y,
        back_y=back_y,
        out=_wedge(home, turn, out_y, full, at_turn),
        back=_wedge(turn, home, back_y, at_turn, at_landing),
        arc=f"M{turn:.1f} {out_y:.1f}A{radius:.1f} {radius:.1f} 0 0 1 {turn:.1f} {back_y:.1f}",
        arrows=[
            f"M{mid:.1f} {out_y - 15:.1f}l9 5l-9 5z",
            f"M{mid:.1f} {back_y + 12:.1f}l-9 5l9 5z",
        ],
        distances=[Tick(x(v), f"{v:g}") for v in ticks(0.0, shown, step)],
    )


def _wedge(start: float, end: float, y: float, thick_start: float, thick_end: float) -> str:
    a, b = thick_start / 2.0, thick_end / 2.0
    return f"M{start:.1f} {y - a:.1f}L{end:.1f} {y - b:.1f}L{end:.1f} {y + b:.1f}L{start:.1f} {y + a:.1f}Z"


@dataclass(frozen=True)
class ChainLink:
    """One link of the drawn chain: how far its bar is filled, of a hundred."""

    fill: float
    over: bool


def chain_bars(chain: Chain) -> list[ChainLink]:
    """Bars of load over limit; a limit fills five sixths of the bar, so that more can be seen."""
    return [
        ChainLink(fill=min(100.0, 100.0 / 1.2 * (link.share or 0.0)), over=(link.share or 0.0) > 1.0)
        for link in chain.links
    ]
