"""The hover-down chart: its form, the curve, its knee, and what the schools would set."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime

from pydantic import ValidationError

from zesty_cell.core.answer.plausibility import cell_volts_doubt, pack_volts_doubt
from zesty_cell.core.callouts.schools import SCHOOLS, write_plan
from zesty_cell.core.callouts.telemetry import Telemetry
from zesty_cell.core.clock import clock
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import fact
from zesty_cell.core.learn.calibration import HoverDown
from zesty_cell.core.learn.hover_down import hover_curve, steady_points
from zesty_cell.web.calibrate.bench import Bench, Made, refused
from zesty_cell.web.drawing.calibration_charts import hover_chart
from zesty_cell.web.http.forms import Field, read_fields
from zesty_cell.words.say import say
from zesty_cell.words.units import DURATION, VOLTAGE

HOVER_ROWS = 12
HOVER_FIELDS = tuple(
    (Field(f"time_{k}", "At", DURATION), Field(f"volts_{k}", "Voltage", VOLTAGE)) for k in range(1, HOVER_ROWS + 1)
)


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
            made.errors.setdefault((at if time_s is None else volts).path, fact("typed.hover.both"))
    if not points and not made.errors:
        made.errors["time_1"] = fact("typed.hover.four")
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
        return refused(error, made, frozenset(), "volts_1")
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
