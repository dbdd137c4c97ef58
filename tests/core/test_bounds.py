"""What every entity accepts is a promise to the files that hold it: its bounds and defaults are kept in bounds.txt.

A bound that is meant to change is changed there too: `python -m tests.core.test_bounds` writes the file anew.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

from pydantic import BaseModel, TypeAdapter

from zesty_cell.core.asked.learned_factors import LearnedFactors
from zesty_cell.core.asked.sheet import CurrentSensor, Sheet
from zesty_cell.core.callouts.rules import CalloutPlan
from zesty_cell.core.choose.candidates import SearchSpace
from zesty_cell.core.choose.search import SearchLimits
from zesty_cell.core.learn.calibration import CALIBRATION
from zesty_cell.core.learn.flights import LoggedFlight
from zesty_cell.core.learn.log_told import LogTold
from zesty_cell.core.parts.cell import CellModel
from zesty_cell.core.parts.craft import Craft
from zesty_cell.core.parts.ownership import Ownership
from zesty_cell.core.parts.pack import Pack

KEPT = Path(__file__).with_name("bounds.txt")
ENTITIES: tuple[type[BaseModel], ...] = (
    Sheet, Craft, Pack, CellModel, Ownership, CalloutPlan, LoggedFlight, LogTold, LearnedFactors, CurrentSensor,
    SearchLimits, SearchSpace,
)  # fmt: skip
#: What a schema says of a figure beyond its shape.
_SAID = (
    "minimum", "maximum", "exclusiveMinimum", "exclusiveMaximum", "minLength", "maxLength", "pattern", "minItems",
    "maxItems", "default", "enum", "const",
)  # fmt: skip


def _lines(schema: dict[str, Any], at: str) -> list[str]:
    found = [f"{at} {key} {schema[key]!r}" for key in _SAID if key in schema and not isinstance(schema[key], dict)]
    for name, part in schema.get("properties", {}).items():
        found += _lines(part, f"{at}.{name}")
    for key in ("items", "additionalProperties"):
        if isinstance(schema.get(key), dict):
            found += _lines(schema[key], f"{at}[]")
    for key in ("anyOf", "oneOf", "allOf", "prefixItems"):
        for k, part in enumerate(schema.get(key, [])):
            found += _lines(part, at if key != "prefixItems" else f"{at}[{k}]")
    return found


def bounds() -> str:
    """Every bound and default, a line each."""
    schemas = [entity.model_json_schema() for entity in ENTITIES] + [CALIBRATION.json_schema()]
    parts: dict[str, dict[str, Any]] = {}
    for entity, schema in zip([*(e.__name__ for e in ENTITIES), "Calibration"], schemas, strict=True):
        parts |= schema.get("$defs", {}) | {entity: schema}
    return "\n".join(sorted({line for name, part in parts.items() for line in _lines(part, name)})) + "\n"


def test_what_is_accepted_is_what_was_promised():
    assert isinstance(CALIBRATION, TypeAdapter)
    assert bounds().splitlines() == KEPT.read_text().splitlines()


if __name__ == "__main__":
    KEPT.write_text(bounds())
