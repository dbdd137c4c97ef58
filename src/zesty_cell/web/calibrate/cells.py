"""The cells of a resting pack: their form, and the verdict."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime

from pydantic import ValidationError

from zesty_cell.core.learn.calibration import CellCheck
from zesty_cell.core.learn.cell_spread import cell_spread, cells_doubt, over_full
from zesty_cell.web.calibrate.bench import Bench, Made, refused
from zesty_cell.web.drawing.calibration_charts import cell_bars
from zesty_cell.web.http.forms import Field, read_fields
from zesty_cell.words.units import MILLIOHM, VOLTAGE

CELL_FIELDS = (
    Field("cells_v", "Each cell", VOLTAGE, required=True, several=True, hint="3.81 3.80 3.79"),
    Field("resistance_ohm", "Resistance of a cell, where it was read", MILLIOHM),
)


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
        return refused(error, made, frozenset(("cells_v", "resistance_ohm")), "cells_v")
    spread = cell_spread(kept.cells_v, chemistry=bench.chemistry)
    made.calibration = kept
    made.shown = {
        "over": over_full(kept.cells_v, chemistry=bench.chemistry),
        "spread": spread,
        "chart": cell_bars(kept.cells_v, chemistry=bench.chemistry),
        "kept": kept,
    }
    return made
