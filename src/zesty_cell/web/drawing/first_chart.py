"""The first voltage picture: rest, cruise and the sag between them, and a pale band for what is not known yet."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from zesty_cell.core.answer.forecast import Forecast
from zesty_cell.web.drawing.flight_chart import MINUTE_STEPS, VOLT_STEPS
from zesty_cell.web.drawing.scale import Scale, Tick, nice_step, path, sparse, ticks
from zesty_cell.words.units import minutes


@dataclass(frozen=True)
class FirstPicture:
    """Everything the first picture draws, in its own coordinates."""

    width: float
    height: float
    left: float
    right: float
    top: float
    bottom: float
    band: str
    gap: str
    rest: str
    cruise: str
    volts: list[Tick]
    times: list[Tick]
    landing_x: float
    landing_anchor: str
    left_words: str
    call_y: float | None
    call: str


def first_picture(result: Forecast, *, as_pack: bool, width: float, height: float) -> FirstPicture:
    """Geometry of the first voltage picture.

    Parameters
    ----------
    as_pack : bool
        Label the axis in pack volts.
    width, height : float
        Of the picture, in its own units.
    """
    flight, series = result.flight, result.setup.sheet.pack.series
    left, right, top, bottom = 34.0, width - 8.0, 12.0, height - 18.0
    stretch_low, stretch_high = (
        min(max(edge / max(flight.landing_s, 1.0), 0.3), 3.0) for edge in (result.range.low_s, result.range.high_s)
    )
    x = Scale(0.0, max(flight.end_s * stretch_high, 1.0), left, right)
    some = sparse(flight.time_s.size, 90)
    time_s, rest_v, cruise_v = flight.time_s[some], flight.rest_v[some], flight.cruise_v[some]
    lowest = float(np.percentile(cruise_v, 4))
    call = result.callouts.land_now
    calls = call.stands != "off"
    if calls:
        lowest = min(lowest, call.threshold.cell_v)
    span = max(float(rest_v[0]) - lowest, 0.05)
    y = Scale(lowest - 0.10 * span, float(rest_v[0]) + 0.06 * span, bottom, top)
    xs = x.many(time_s)
    rest_y, cruise_y = y.many(np.maximum(rest_v, y.low)), y.many(np.maximum(cruise_v, y.low))
    early = path(x.many(time_s * stretch_low), cruise_y)
    late = path(x.many(time_s[::-1] * stretch_high), rest_y[::-1])
    factor = series if as_pack else 1
    step = nice_step((y.high - y.low) * factor, 4, VOLT_STEPS)
    times = ticks(0.0, x.high, nice_step(x.high, 7, MINUTE_STEPS))
    volts = f"{call.threshold.pack_v:.{1 if series > 1 else 2}f}" if as_pack else f"{call.threshold.cell_v:.2f}"
    landing_x = x(flight.landing_s)
    room = right - landing_x > 110.0
    return FirstPicture(
        width=width,
        height=height,
        left=left,
        right=right,
        top=top,
        bottom=bottom,
        band=f"{early}L{late[1:]}Z",
        gap=f"{path(xs, rest_y)}L{path(xs[::-1], cruise_y[::-1])[1:]}Z",
        rest=path(xs, rest_y),
        cruise=path(xs[cruise_v > y.low], cruise_y[cruise_v > y.low]),
        volts=[
            Tick(y(v / factor), f"{v:.{2 if step < 0.1 else 1}f}")
            for v in ticks(y.low * factor, y.high * factor, step)
        ],
        times=[Tick(x(t), minutes(t)) for t in times],
        landing_x=landing_x,
        landing_anchor="start" if room else "end",
        left_words=f"{100.0 * max(result.reserve_ah, 0.0) / result.setup.figures.capacity_ah:.0f} % left",
        call_y=y(call.threshold.cell_v) if calls else None,
        call=f"{'land now' if call.stands == 'calls' else 'last guard'} {volts}",
    )
