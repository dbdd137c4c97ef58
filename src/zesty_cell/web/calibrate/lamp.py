"""The way to the craft's own lamp: what its form begins with, and what follows from it."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from pydantic import ValidationError

from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.learn.calibration import LineLossTest
from zesty_cell.core.learn.line_loss import TEST_UNDER_FULL_V
from zesty_cell.core.learn.plausibility import lamp_doubts
from zesty_cell.core.parts.pack_figures import pack_figures
from zesty_cell.web.calibrate.bench import Bench, Made, refused, weighed
from zesty_cell.web.drawing.calibration_charts import lamp_chart
from zesty_cell.web.http.forms import Field, read_fields
from zesty_cell.words.units import CURRENT, VOLTAGE

LAMP_FIELDS = (
    Field("alarm_v", "The lamp came on at", VOLTAGE, required=True),
    Field("rest_v", "A minute after landing", VOLTAGE, required=True),
    Field("current_a", "Current in cruise", CURRENT),
    Field("wanted_rest_v", "Lamp wanted at a rest voltage of", VOLTAGE, required=True),
)


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
        return refused(error, made, frozenset(f.path for f in LAMP_FIELDS), "alarm_v")
    except OutOfRangeError as error:
        made.errors["rest_v"] = error.why
        return made
    made.calibration = kept
    made.shown = {"loss": loss, "chart": lamp_chart(kept, loss, full_v=pack_figures(bench.pack).full_v)}
    return made
