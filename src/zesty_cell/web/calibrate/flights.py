"""The way to the craft's lamp, the hover-down chart, and the cells of a resting pack."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from pydantic import ValidationError

from zesty_cell.core.answer.plausibility import cell_volts_doubt, pack_volts_doubt
from zesty_cell.core.callouts.schools import SCHOOLS, write_plan
from zesty_cell.core.callouts.telemetry import Telemetry
from zesty_cell.core.clock import clock
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.learn.calibration import CellCheck, HoverDown, LineLossTest
from zesty_cell.core.learn.cell_spread import cell_spread, cells_doubt, over_full
from zesty_cell.core.learn.hover_down import hover_curve, steady_points
from zesty_cell.core.learn.line_loss import TEST_UNDER_FULL_V
from zesty_cell.core.learn.plausibility import lamp_doubts
from zesty_cell.core.parts.pack_figures import pack_figures
from zesty_cell.web.calibrate.bench import Bench, Made, weighed
from zesty_cell.web.drawing.calibration_charts import cell_bars, hover_chart, lamp_chart
from zesty_cell.web.http.forms import Field, read_fields, words_of
from zesty_cell.words.say import say
from zesty_cell.words.units import CURRENT, DURATION, MILLIOHM, VOLTAGE

LAMP_FIELDS = (
    Field("alarm_v", "The lamp came on at", VOLTAGE, required=True),
    Field("rest_v", "A minute after landing", VOLTAGE, required=True),
    Field("current_a", "Current in cruise", CURRENT),
    Field("wanted_rest_v", "Lamp wanted at a rest voltage of", VOLTAGE, required=True),
)
HOVER_ROWS = 12
HOVER_FIELDS = tuple(
    (Field(f"time_{k}", "At", DURATION), Field(f"volts_{k}", "Voltage", VOLTAGE)) for k in range(1, HOVER_ROWS + 1)
)
CELL_FIELDS = (
    Field("cells_v", "Each cell", VOLTAGE, required=True, several=True, hint="3.81 3.80 3.79"),
    Field("resistance_ohm", "Resistance of a cell, where it was read", MILLIOHM),
)


def _refuse(error: ValidationError, made: Made, fields: frozenset[str], first: str) -> Made:
    for problem in error.errors(include_url=False, include_input=False):
        name = str(problem["loc"][0]) if problem["loc"] else first
        made.errors.setdefault(name if name in fields else first, words_of(problem))
    return made


def lamp_first(bench: Bench) -> dict[str, str]:
    """What the form begins with: the test's own threshold, and what is known of craft and pack."""
    texts = {
        "alarm_v": f"{pack_figures(bench.pack).full_v - TEST_UNDER_FULL_V:.1f}",
        "wanted_rest_v": f"{bench.chemistry.landing_rest_v:.2f}",
    }
    if bench.forecast is not None:
        texts["current_a"] = f"{bench.forecast.cruise_a:.1f}"
    return texts


def read_lamp(bench: Bench, form: Mapping[str, str], now: datetime) -> Made:
    """A line-loss test from its form, with what follows from it."""
    values, state = read_fields(LAMP_FIELDS, form)
    made = Made(errors=state.errors)
    if made.errors:
        return made
    told: dict[str, Any] = {f.path: values.get(f.path) for f in LAMP_FIELDS}
    cruise_a = None if bench.forecast is None else bench.forecast.cruise_a
    if not weighed(lamp_doubts(**told, pack=bench.pack, cruise_a=cruise_a), form, made):
        return made
    given: dict[str, Any] = values | {"made_at": now, "series": bench.pack.series}
    if form.get("landing_stage") in ("keep", "off"):
        given["landing_stage"] = form["landing_stage"]
    try:
        kept = LineLossTest.model_validate(given)
        loss = kept.loss()
    except ValidationError as error:
        return _refuse(error, made, frozenset(f.path for f in LAMP_FIELDS), "alarm_v")
    except OutOfRangeError as error:
        made.errors["rest_v"] = error.why
        return made
    made.calibration = kept
    made.shown = {"loss": loss, "chart": lamp_chart(kept, loss, full_v=pack_figures(bench.pack).full_v)}
    return made


def hover_first(bench: Bench, telemetry: Telemetry | None) -> dict[str, str]:
    """What the form begins with: nothing, or readings of a log at steady load."""
    texts = {"loaded": "yes"}
    if telemetry is not None:
        series = bench.pack.series
        for k, (time_s, cell_v) in enumerate(steady_points(telemetry, series=series, count=HOVER_ROWS), start=1):
            texts[f"time_{k}"] = clock(int(time_s))
            texts[f"volts_{k}"] = f"{cell_v:.3f}".rstrip("0")
    return texts


def read_hover(bench: Bench, form: Mapping[str, str], now: datetime) -> Made:
    """A hover-down chart from its form: the curve, its knee, and what the schools would set."""
    values, state = read_fields(tuple(f for row in HOVER_FIELDS for f in row), form)
    made = Made(errors=state.errors)
    per_pack = form.get("volts") == "pack"
    points: list[tuple[float, float]] = []
    for at, volts in HOVER_FIELDS:
        time_s, read_v = values.get(at.path), values.get(volts.path)
        if time_s is not None and read_v is not None:
            doubt = (pack_volts_doubt if per_pack else cell_volts_doubt)(read_v, pack=bench.pack, field=volts.path)
            if doubt is not None:
                made.errors.setdefault(volts.path, doubt.why)
            points.append((time_s, read_v / bench.pack.series if per_pack else read_v))
        elif time_s is not None or read_v is not None:
            made.errors.setdefault((at if time_s is None else volts).path, "Minute and voltage, both.")
    if not points and not made.errors:
        made.errors["time_1"] = "At least four readings, spread over the flight, draw a curve."
    if made.errors:
        return made
    loaded = form.get("loaded") != "no"
    try:
        if len(points) >= 4:
            kept = HoverDown.model_validate(
                {"made_at": now, "loaded": loaded, "series": bench.pack.series, "points": points}
            )
        curve = hover_curve(points, chemistry=bench.chemistry, series=bench.pack.series)
    except ValidationError as error:
        return _refuse(error, made, frozenset(), "volts_1")
    except OutOfRangeError as error:
        made.errors["time_1"] = error.why
        return made
    calls: dict[float, list[str]] = {}
    result = bench.forecast
    if result is not None and loaded:
        for school in SCHOOLS:
            plan = write_plan(result, school=school.school).plan
            for rule in plan.rules:
                value = plan.calls_below_v(rule, series=bench.pack.series) if rule.on else None
                if value is not None and rule.role == "land_now":
                    calls.setdefault(value, []).append(say(school.title))
    others = sorted(calls.items())
    made.calibration = kept
    made.shown = {"curve": curve, "others": others, "loaded": loaded, "chart": hover_chart(points, curve, others)}
    return made


def cells_first(bench: Bench) -> dict[str, str]:
    """The form begins empty: readings are taken now."""
    return {}


def read_cells(bench: Bench, form: Mapping[str, str], now: datetime) -> Made:
    """A cell check from its form, with its verdict."""
    values, state = read_fields(CELL_FIELDS, form)
    made = Made(errors=state.errors)
    if made.errors:
        return made
    doubt = cells_doubt(values["cells_v"], pack=bench.pack)
    if doubt is not None:
        made.errors["cells_v"] = doubt
        return made
    try:
        kept = CellCheck.model_validate(values | {"made_at": now})
    except ValidationError as error:
        return _refuse(error, made, frozenset(("cells_v", "resistance_ohm")), "cells_v")
    spread = cell_spread(kept.cells_v, chemistry=bench.chemistry)
    made.calibration = kept
    made.shown = {
        "over": over_full(kept.cells_v, chemistry=bench.chemistry),
        "spread": spread,
        "chart": cell_bars(kept.cells_v, chemistry=bench.chemistry),
        "kept": kept,
    }
    return made
