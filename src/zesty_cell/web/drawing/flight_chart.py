"""The voltage picture, the ribbon under it, and the three small charts, on one time axis."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from zesty_cell.core.answer.forecast import Forecast
from zesty_cell.core.callouts.dry_run import first_heard_s
from zesty_cell.core.callouts.schools import write_plan
from zesty_cell.core.flight.one import Flight
from zesty_cell.web.drawing.scale import Scale, Tick, envelope, nice_step, path, sparse, ticks
from zesty_cell.words.pictures import burst_words, current_words, steady_words, used_words
from zesty_cell.words.units import group, minutes

MINUTE_STEPS = (30.0, 60.0, 120.0, 240.0, 300.0, 600.0, 1200.0, 1800.0)
VOLT_STEPS = (0.05, 0.1, 0.2, 0.4, 0.5, 1.0, 2.0, 4.0, 5.0, 10.0)


@dataclass(frozen=True)
class Rung:
    """A threshold line with the words it carries."""

    key: str
    y: float
    x_end: float
    text: str
    text_y: float


@dataclass(frozen=True)
class Words:
    """A label inside the picture."""

    x: float
    y: float
    text: str
    anchor: str = "start"


@dataclass(frozen=True)
class VoltagePicture:
    """Everything the voltage picture draws, in its own coordinates."""

    width: float
    height: float
    left: float
    right: float
    top: float
    bottom: float
    rest: str
    cruise: str
    gap: str
    hairs: str
    volts: list[Tick]
    times: list[Tick]
    rungs: list[Rung]
    landing_x: float
    words: list[Words]
    reserve: Words
    reserve_text: str


@dataclass(frozen=True)
class Mark:
    """A callout on the ribbon."""

    key: str
    x: float
    text: str
    anchor: str


@dataclass(frozen=True)
class Ribbon:
    """What will be heard, on the time axis of the voltage picture."""

    width: float
    left: float
    right: float
    landing_x: float
    dots: list[tuple[float, bool]]
    spoken: list[Words]
    marks: list[Mark]


@dataclass(frozen=True)
class SmallChart:
    """A small chart: an area and its line, with the landing marked."""

    key: str
    title: str
    text: str
    width: float
    height: float
    line: str
    area: str
    landing_x: float


@dataclass(frozen=True)
class Shape:
    """Size of the voltage picture: wide for the bench, narrow for a phone."""

    width: float
    height: float
    left: float = 44.0


WIDE = Shape(width=688.0, height=434.0)
NARROW = Shape(width=358.0, height=300.0, left=38.0)


def _time_scale(flight: Flight, shape: Shape) -> Scale:
    return Scale(0.0, max(flight.end_s, 1.0), shape.left, shape.width - 14.0)


def time_label(seconds: float) -> str:
    return minutes(seconds)


def _voltage_scale(forecast: Forecast, top: float, bottom: float) -> Scale:
    flight = forecast.flight
    stop = flight.index_at(flight.landing_s) + 1
    plan = forecast.callouts
    lowest = float(flight.loaded_v[:stop].min())
    if plan.land_now.stands != "off":
        lowest = min(lowest, plan.land_now.threshold.cell_v)
    span = float(flight.rest_v[0]) - lowest
    return Scale(lowest - 0.12 * span, float(flight.rest_v[0]) + 0.05 * span, bottom, top)


def _rungs(forecast: Forecast, x: Scale, y: Scale, *, as_pack: bool) -> list[Rung]:
    """The voltages that are called: each a line from take-off to where it is spoken."""
    flight, plan, series = forecast.flight, forecast.callouts, forecast.setup.sheet.pack.series
    rungs = []
    for key, callout, name, above in (
        ("pack_low", plan.pack_low, "pack low", True),
        ("land_now", plan.land_now, "land now" if plan.land_now.stands == "calls" else "last guard", False),
    ):
        if callout.stands == "off":
            continue
        line_y = y(callout.threshold.cell_v)
        volts_text = (
            f"{callout.threshold.pack_v:.{1 if series > 1 else 2}f}"
            if as_pack
            else f"{callout.threshold.cell_v:.2f}"
        )
        spoken = callout.trial.spoken_s[1] if callout.trial.spoken_s else flight.end_s
        rungs.append(
            Rung(
                key=key,
                y=line_y,
                x_end=min(x(max(spoken, callout.threshold.wanted_s)), x.stop),
                text=f"{name} {volts_text}, held {callout.hold_s:g} s",
                text_y=line_y - 5.0 if above else line_y + 14.0,
            )
        )
    return rungs


def voltage_picture(forecast: Forecast, *, shape: Shape, as_pack: bool) -> VoltagePicture:
    """Geometry of the voltage picture.

    Parameters
    ----------
    as_pack : bool
        Label the axis in pack volts instead of volts per cell; the curves are the same.
    """
    flight = forecast.flight
    series = forecast.setup.sheet.pack.series
    top, bottom = 14.0, shape.height - 26.0
    x, y = _time_scale(flight, shape), _voltage_scale(forecast, top, bottom)
    some = sparse(flight.time_s.size, 180)
    xs = x.many(flight.time_s[some])
    rest_y, cruise_y = y.many(flight.rest_v[some]), y.many(flight.cruise_v[some])
    keep = cruise_y < bottom + 60.0
    gap = path(xs, rest_y) + "L" + path(xs[::-1], np.minimum(cruise_y, bottom + 60.0)[::-1])[1:] + "Z"
    columns = int(x.stop - x.start)
    low, high = envelope(flight.loaded_v, columns)
    hair_x = np.linspace(x.start, x.stop, low.size)
    hairs = path(np.repeat(hair_x, 2), y.many(np.column_stack((high, low)).ravel()))
    factor = series if as_pack else 1
    step = nice_step((y.high - y.low) * factor, 7, VOLT_STEPS)
    decimals = 2 if step < 0.1 else 1
    volts = [Tick(y(v / factor), f"{v:.{decimals}f}") for v in ticks(y.low * factor, y.high * factor, step)]
    most = 8 if shape is WIDE else 5
    time_step = nice_step(flight.end_s, most, MINUTE_STEPS)
    times = [Tick(x(t), time_label(t)) for t in ticks(0.0, flight.end_s, time_step)]
    landing_x = x(flight.landing_s)
    words = _curve_words(forecast, x, y, shape)
    wide_enough = x.stop - landing_x > 62.0
    reserve = Words(
        x=landing_x + 8.0 if wide_enough else landing_x - 8.0,
        y=top + 16.0,
        text="reserve",
        anchor="start" if wide_enough else "end",
    )
    return VoltagePicture(
        width=shape.width,
        height=shape.height,
        left=x.start,
        right=x.stop,
        top=top,
        bottom=bottom,
        rest=path(xs, rest_y),
        cruise=path(xs[keep], cruise_y[keep]),
        gap=gap,
        hairs=hairs,
        volts=volts,
        times=times,
        rungs=_rungs(forecast, x, y, as_pack=as_pack),
        landing_x=landing_x,
        words=words,
        reserve=reserve,
        reserve_text=f"{group(forecast.reserve_ah * 1000)} mAh",
    )


def _curve_words(forecast: Forecast, x: Scale, y: Scale, shape: Shape) -> list[Words]:
    """Labels beside the curves: rest above its line, cruise below its own, bursts under their tips."""
    flight = forecast.flight

    def at(share: float) -> tuple[float, int]:
        seconds = share * flight.end_s
        return x(seconds), flight.index_at(seconds)

    rest_x, rest_k = at(0.46)
    cruise_x, _ = at(0.2)
    # The curve falls: the label must clear it at the label's right end.
    cruise_k = flight.index_at(0.2 * flight.end_s + 66.0 / (x.stop - x.start) * flight.end_s)
    pattern = forecast.setup.sheet.flying
    words = [
        Words(rest_x, y(float(flight.rest_v[rest_k])) - 10.0, "at rest"),
        Words(cruise_x, y(float(flight.cruise_v[cruise_k])) + 17.0, steady_words(pattern.steady_activity().name)),
    ]
    bursts = [a for a in pattern.activities if a.of == "full throttle"]
    if bursts:
        burst = max(bursts, key=lambda a: a.share)
        text = burst_words(burst, lengthens=forecast.at_landing.longest_stretch > _LONGER)
        words.append(Words((x.start + x(flight.landing_s)) / 2.0, shape.height - 34.0, text, "middle"))
    return words


#: A burst that takes so many times its nominal length is said to take longer [1].
_LONGER = 1.25


def ribbon(
    forecast: Forecast, *, shape: Shape, timer_s: float | None = None, heard_s: dict[str, float] | None = None
) -> Ribbon:
    """Geometry of what will be heard, with the timer that is set now [s]; the sheet's own without one.  ``heard_s``
    is what :func:`voltage_calls_s` gave, for whoever draws two.

    Minute calls are small dots; those spoken in full words every five minutes (every minute on a
    short flight) are named below, where no callout needs the room.
    """
    flight, plan = forecast.flight, forecast.callouts
    x = _time_scale(flight, shape)
    timer_s = plan.timers.timer_s if timer_s is None else timer_s
    big = 300.0 if timer_s >= 600.0 else 120.0 if timer_s >= 360.0 else 60.0
    small = 60.0 if timer_s <= 2400.0 else 300.0
    dots = [(x(t), abs(t % big) < 1e-6) for t in ticks(small, timer_s - 1.0, small)]
    marks = [Mark("timer", x(timer_s), f"“time, land” {minutes(timer_s)}", "middle")]
    heard_s = voltage_calls_s(forecast) if heard_s is None else heard_s
    low_s = heard_s.get("pack_low")
    if low_s is not None:
        marks.append(Mark("pack_low", x(low_s), f"“pack low” {minutes(low_s)}", "end"))
    land_s = _land_now_s(forecast, heard_s)
    if land_s is not None:
        now_s = land_s
        room = x.stop - x(now_s) > 40.0
        marks.append(Mark("land_now", x(now_s), minutes(now_s), "start" if room else "end"))
    step = big
    while (x(step) - x(0.0)) < 86.0:
        step += big
    timer_x = x(timer_s)
    spoken = [
        Words(x(t), 0.0, f"“{t / 60.0:.0f} minute{'s' if t > 60.0 else ''}”", "middle")
        for t in ticks(step, timer_s - 1.0, step)
        if timer_x - x(t) > 96.0
    ]
    return Ribbon(
        width=shape.width,
        left=x.start,
        right=x.stop,
        landing_x=x(flight.landing_s),
        dots=dots,
        spoken=spoken,
        marks=marks,
    )


def voltage_calls_s(forecast: Forecast) -> dict[str, float]:
    """When each voltage call is first heard on the flight drawn [s]: as the callouts' dry run has it."""
    calls = {"pack_low": forecast.callouts.pack_low, "land_now": forecast.callouts.land_now}
    recommended = {key for key, call in calls.items() if call.stands == "calls"}
    if not recommended:
        return {}
    plan = write_plan(forecast, school="loaded voltage").plan
    return first_heard_s(plan=plan, result=forecast, keys=recommended)


def _land_now_s(forecast: Forecast, heard_s: dict[str, float]) -> float | None:
    """When “land now” is heard, by what leads [s]; None where only the timer calls."""
    plan = forecast.callouts
    if plan.leads == "voltage":
        return heard_s.get("land_now")
    if plan.leads == "charge used" and plan.charge is not None:
        return plan.charge.trial.spoken_s[1] if plan.charge.trial.spoken_s else None
    return None


SMALL_WIDTH, SMALL_HEIGHT = 218.0, 84.0


def small_charts(forecast: Forecast, *, temperature: tuple[float, float, str]) -> list[SmallChart]:
    """Current, charge used and pack temperature.

    Parameters
    ----------
    temperature : tuple of float, float, str
        Cell temperature at take-off and at landing as shown, and the unit's label.
    """
    flight = forecast.flight
    stop = flight.index_at(flight.landing_s) + 1
    bottom = SMALL_HEIGHT - 4.0
    x = Scale(0.0, flight.end_s, 0.0, SMALL_WIDTH)
    charts = []
    used_mah = flight.used_ah * 1000.0
    share = forecast.at_landing.used_ah / forecast.setup.figures.capacity_ah
    rows = (
        (
            "current",
            "Current",
            current_words(forecast.cruise_a, forecast.at_landing.peak_a),
            flight.current_a,
            0.0,
        ),
        (
            "used",
            "Used",
            used_words(forecast.at_landing.used_ah, share),
            used_mah,
            0.0,
        ),
        (
            "temperature",
            "Pack temperature",
            f"{temperature[0]:.0f} → {temperature[1]:.0f} {temperature[2]}",
            flight.temperature_c,
            float(flight.temperature_c.min()) - 2.0,
        ),
    )
    for key, title, text, values, low in rows:
        # Charge and heat go on to the end of the charge; a current after landing may leave the picture.
        shown = values[:stop] if key == "current" else values
        high = max(float(shown.max()) * 1.04, low + 1.0)
        y = Scale(low, high, bottom, 4.0)
        lows, highs = envelope(np.minimum(values, high), int(SMALL_WIDTH))
        xs = x.many(np.linspace(0.0, flight.end_s, lows.size))
        line = path(np.repeat(xs, 2), y.many(np.column_stack((lows, highs)).ravel())) if key == "current" else ""
        line = line or path(xs[::2], y.many(highs[::2]))
        area = f"{path(xs[::2], y.many(lows[::2]))}L{xs[-1]:.1f} {bottom:.1f}L0 {bottom:.1f}Z"
        charts.append(SmallChart(key, title, text, SMALL_WIDTH, SMALL_HEIGHT, line, area, x(flight.landing_s)))
    return charts
