"""What the sheet page shows, worked out from a sheet: forecast, pictures, facts in words."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from zesty_cell.core.answer.check import Check
from zesty_cell.core.answer.forecast import Forecast
from zesty_cell.core.learn.surer import best_measure
from zesty_cell.core.learn.timer import NextTimer
from zesty_cell.services.advice import Advice, without_log_s
from zesty_cell.services.plans import PlanNow
from zesty_cell.web.drawing.cursor import cursor_data
from zesty_cell.web.drawing.flight_chart import (
    NARROW,
    WIDE,
    Ribbon,
    SmallChart,
    VoltagePicture,
    ribbon,
    small_charts,
    voltage_calls_s,
    voltage_picture,
)
from zesty_cell.words.calls import CallRow, call_rows
from zesty_cell.words.face import Face
from zesty_cell.words.sheet import REASON_WORDS, doubts_of, more_of
from zesty_cell.words.surer import MeasureWords, measure_words
from zesty_cell.words.units import TEMPERATURE

#: Checks worth seeing even when they are fine.
_FIRST_FINE = ("pack_rating", "voltage_callouts", "thrust_fade", "power", "charge_left", "heat")


@dataclass(frozen=True)
class RangeBar:
    """The range under the answer: all places in percent of the bar."""

    low: float
    high: float
    middle: float


@dataclass(frozen=True)
class Figures:
    """Everything live on the sheet page."""

    forecast: Forecast
    timer: NextTimer
    wide: VoltagePicture
    narrow: VoltagePicture
    ribbon_wide: Ribbon
    ribbon_narrow: Ribbon
    small: list[SmallChart]
    cursor: dict[str, object]
    bar: RangeBar
    reason: str
    doubts: list[str]
    shown_checks: tuple[Check, ...]
    folded_checks: tuple[Check, ...]
    more: list[tuple[str, str]]
    calls: list[CallRow]
    plain_s: float | None
    next_measure: MeasureWords | None
    next_range: tuple[float, float]


def _bar(result: Forecast) -> RangeBar:
    """Place the range on a bar that leaves a third of its width on both sides together."""
    low, high = result.range.low_s, result.range.high_s
    span = max(high - low, 0.06 * high)
    start = low - 0.4 * span
    whole = 1.8 * span

    def place(seconds: float) -> float:
        return round(100.0 * (seconds - start) / whole, 1)

    return RangeBar(low=place(low), high=place(high), middle=place(result.flight.landing_s))


def _first_checks(result: Forecast, *, room: int) -> tuple[Check, ...]:
    """What stands in view: every stop, what is worth a look, then fine ones that matter, as there is room."""
    stops = [c for c in result.checks if c.status == "stop"]
    looks = [c for c in result.checks if c.status == "look"]
    # A trouble takes more height than what is fine: what is only worth a look may be one step away.
    troubles = [*stops, *looks[: max(0 if stops else 1, room - len(stops) - (len(stops) > 0))]]
    fine = sorted(
        (c for c in result.checks if c.status == "ok" and c.key in _FIRST_FINE),
        key=lambda c: _FIRST_FINE.index(c.key),
    )
    return (*troubles, *fine[: max(0, room - (len(troubles) > 1) - len(troubles))])


def _room(advice: Advice, plan: PlanNow, rows: Sequence[CallRow]) -> int:
    """How many checks a laptop's height leaves: four, fewer where calls or the plan need lines of their own."""
    conditions = sum(1 for row in rows if row.how and row.mark != "charge")
    asked = advice.sheet.craft.shows is None
    corrected_by = (
        advice.result.setup.sheet.learned_factors is not None
    )  # that line takes the height of half a check
    return 4 - (conditions > 1) - (2 if plan.stale else 0) - (asked or bool(advice.by_itself)) - corrected_by


def figures_of(advice: Advice, plan: PlanNow, face: Face) -> Figures:
    """What was worked out, drawn and in words."""
    result = advice.result
    sheet = result.setup.sheet
    as_pack = face.view.volts == "pack"
    unit = TEMPERATURE.unit(face.view.units)
    temperature = (unit.show(result.setup.start_c), unit.show(result.at_landing.landing_c), unit.label)
    rows = call_rows(plan.written, series=plan.written.series)
    shown = _first_checks(result, room=_room(advice, plan, rows))
    heard_s = voltage_calls_s(result)  # by a dry run: once for both ribbons
    following = best_measure(result)
    return Figures(
        forecast=result,
        timer=advice.timer,
        wide=voltage_picture(result, shape=WIDE, as_pack=as_pack),
        narrow=voltage_picture(result, shape=NARROW, as_pack=as_pack),
        ribbon_wide=ribbon(result, shape=WIDE, timer_s=advice.timer.timer_s, heard_s=heard_s),
        ribbon_narrow=ribbon(result, shape=NARROW, timer_s=advice.timer.timer_s, heard_s=heard_s),
        small=small_charts(result, temperature=temperature),
        cursor=cursor_data(result, face),
        bar=_bar(result),
        reason=REASON_WORDS[result.flight.landing_reason],
        doubts=doubts_of(result, face),
        shown_checks=shown,
        more=more_of(result, face),
        calls=rows,
        plain_s=without_log_s(sheet),
        folded_checks=tuple(c for c in result.checks if c not in shown),
        next_measure=None if following is None else measure_words(following.key, craft=sheet.craft),
        next_range=(0.0, 0.0) if following is None else (following.low_s, following.high_s),
    )
