"""What the sheet page shows, worked out from a sheet: forecast, pictures, facts in words."""

from __future__ import annotations

from dataclasses import dataclass

from zesty_cell.core.answer.check import Check
from zesty_cell.core.answer.forecast import Forecast
from zesty_cell.core.asked.flying import FlyingPattern
from zesty_cell.core.asked.sheet import Sheet, corrected
from zesty_cell.core.flight.setup import set_up
from zesty_cell.core.flight.summary import fly_to_landing
from zesty_cell.core.learn.surer import best_measure
from zesty_cell.core.learn.timer import NextTimer
from zesty_cell.core.parts.craft import MeasuredFullThrottle
from zesty_cell.core.parts.pack import cells_of
from zesty_cell.core.parts.pack_figures import pack_figures
from zesty_cell.services.advice import Advice
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
from zesty_cell.web.drawing.pack_picture import PackPicture, pack_picture
from zesty_cell.words.calls import call_rows
from zesty_cell.words.face import Face
from zesty_cell.words.say import PLAIN
from zesty_cell.words.surer import MeasureWords, measure_words
from zesty_cell.words.units import TEMPERATURE, group

#: Checks worth seeing even when they are fine.
_FIRST_FINE = ("pack_rating", "voltage_callouts", "thrust_fade", "power", "charge_left", "heat")
_SOURCE_WORDS = {
    "learned": "learned from flights",
    "measured": "measured",
    "charge": "from charge put back",
    "rotor": "estimated from its rotors",
    "wing": "estimated from its wing",
    "parts": "estimated from its motors and propellers",
}


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
    plain_s: float | None
    next_measure: MeasureWords | None
    next_range: tuple[float, float]


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


def pattern_summary(pattern: FlyingPattern) -> str:
    """How long a round takes."""
    period = pattern.period_s
    return "1 minute, repeated" if abs(period - 60) < 0.05 else f"{period:g} s, repeated"


def craft_facts(sheet: Sheet, face: Face) -> list[tuple[str, str]]:
    """The craft in a few facts: label and value."""
    figures = pack_figures(sheet.pack)
    steady = sheet.craft.steady
    facts = [
        ("dry", face.mass(sheet.craft.dry_mass_kg)),
        ("ready to fly", face.mass(sheet.craft.dry_mass_kg + figures.mass_kg)),
    ]
    word = "hover" if sheet.craft.kind in ("multirotor", "helicopter") else "cruise"
    if steady.source == "measured":
        facts.append((word, f"{steady.current_a:.1f} A measured"))
    else:
        facts.append((word, _SOURCE_WORDS[steady.source]))
    return facts


def pack_facts(sheet: Sheet) -> list[tuple[str, str]]:
    """The pack in a few facts: value and unit or origin."""
    figures = pack_figures(sheet.pack)
    facts = [(group(sheet.pack.capacity_ah * 1000), "mAh"), (f"{figures.nominal_wh:.1f}", "Wh")]
    milliohm = figures.resistance_ohm * 1000.0
    facts.append((f"{milliohm:.{1 if milliohm < 20 else 0}f}", f"mΩ with leads, {figures.resistance_known}"))
    return facts


def _doubts(result: Forecast, face: Face) -> list[str]:
    """What was estimated, in words: the reason for a wide range."""
    sheet, figures = result.setup.sheet, result.setup.figures
    doubts = []
    if sheet.learned_factors is None and sheet.craft.steady.source in ("rotor", "wing", "parts"):
        doubts.append(
            f"Steady power is {_SOURCE_WORDS[sheet.craft.steady.source]}: measure one point to narrow this."
        )
    if not isinstance(sheet.craft.full_throttle, MeasuredFullThrottle):
        doubts.append("Full-throttle current is estimated.")
    known = sheet.learned_factors is not None and sheet.learned_factors.knows(sheet.pack)
    if figures.resistance_known == "estimated" and not known:
        doubts.append("Pack resistance is estimated from its size and class.")
    if figures.capacity_known != "measured" and not known:
        doubts.append(
            f"Label {face.mah(sheet.pack.capacity_ah)}, counted as {face.mah(figures.capacity_ah)} until measured."
        )
    if figures.mass_known == "estimated":
        doubts.append("Pack weight is estimated.")
    return doubts


def _more(result: Forecast, face: Face) -> list[tuple[str, str]]:
    """The figures one step away: name and value."""
    series, flight = result.setup.sheet.pack.series, result.flight
    per_km = [] if result.mah_per_km is None else [("Charge a kilometre", f"{result.mah_per_km:.0f} mAh")]
    return [
        ("Energy to landing", f"{result.used_wh:.1f} Wh"),
        ("Charge a minute", f"{result.mah_per_minute:.0f} mAh"),
        *per_km,
        ("Mean current", f"{result.mean_a:.1f} A"),
        ("Worst sag", f"{face.volts(result.at_landing.worst_v, series)} at {face.time(result.worst_s)}"),
        ("At rest on landing", face.volts(float(flight.rest_v[flight.index_at(flight.landing_s)]), series)),
        ("Left at landing", face.mah(result.reserve_ah)),
        ("Full-throttle thrust left", f"{100 * result.at_landing.thrust_share:.0f} %"),
        (
            "Honest current",
            f"{result.honest.current_a:.0f} A, by {'heat' if result.honest.limited_by == 'heat' else 'sag'}",
        ),
        ("Ready to fly", face.mass(result.setup.all_up_mass_kg)),
    ]


#: Tone of an activity in the strip, by its share of steady power.
_TONES = ((0.6, "calm"), (1.2, "steady"), (1.8, "brisk"), (float("inf"), "hard"))
REASON_WORDS = {
    "charge used": "by charge used",
    "rest voltage": "by rest voltage",
    "loaded voltage": "by loaded voltage",
    "timer": "by your timer",
    "ESC cutoff": "the ESC takes the power away",
    "floor": "the cells are at their floor",
    "empty": "the pack is empty",
    "longest": "we look no further than three hours",
}


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


def _room(advice: Advice, plan: PlanNow) -> int:
    """How many checks a laptop's height leaves: four, fewer where calls or the plan need lines of their own."""
    rows = call_rows(plan.written, series=plan.written.series)
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
    shown = _first_checks(result, room=_room(advice, plan))
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
        doubts=_doubts(result, face),
        shown_checks=shown,
        more=_more(result, face),
        # Without the log: one flight more, and only where there is one.
        plain_s=None if sheet.learned_factors is None else fly_to_landing(set_up(corrected(sheet, None))).landing_s,
        folded_checks=tuple(c for c in result.checks if c not in shown),
        next_measure=None if following is None else measure_words(following.key, craft=sheet.craft),
        next_range=(0.0, 0.0) if following is None else (following.low_s, following.high_s),
    )


def picture_of(sheet: Sheet) -> PackPicture:
    """The pack's picture."""
    return pack_picture(sheet.pack)


def pack_kind(sheet: Sheet) -> str:
    """Layout and chemistry in short."""
    chemistry = cells_of(sheet.pack)
    return f"{sheet.pack.series}S{sheet.pack.parallel}P, {chemistry.short_name}"
