"""A flying pattern as a form: rows of activities, each a share, a burst, or a height; added, moved, taken away."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Final

from pydantic import ValidationError

from zesty_cell.core.asked.flying import Activity, FlyingPattern
from zesty_cell.core.fact import Words, fact
from zesty_cell.web.http.forms import Field, form_units, words_of
from zesty_cell.words.units import ALTITUDE, SECONDS, SHARE, Quantity, System, typed

#: What an activity may be: its key, how it is called, and what is typed of it beside its name.
KINDS: Final[tuple[tuple[str, str], ...]] = (
    ("steady", "flying, share of steady power"),
    ("hover", "hovering, share of steady power"),
    ("full", "burst, share of full throttle"),
    ("height", "climb at full throttle, by height"),
)
_KEYS: Final = tuple(key for key, _ in KINDS)
MOST_ACTIVITIES: Final = 24
#: A climb that is given as a height is drawn so long [s]: what it takes is the craft's.
_DRAWN_CLIMB_S: Final = 3.0
_STEP: Final = re.compile(r"^(add|copy|remove|up|down|longer|shorter):(\d{1,2})$")
#: A key stretches an activity by so much [s].
_STRETCH_S: Final = 0.5
_QUANTITIES: Final[dict[str, Quantity]] = {"share": SHARE, "seconds": SECONDS, "height": ALTITUDE}
_NEW: Final = {"name": "cruise", "kind": "steady", "share": "100", "seconds": "10", "height": ""}


@dataclass
class PatternForm:
    """What was typed, the pattern it makes, and what is wrong, by field."""

    name: str
    rows: list[dict[str, str]]
    units: System
    pattern: FlyingPattern | None = None
    errors: dict[str, Words] = field(default_factory=dict)


def rows_of(pattern: FlyingPattern, units: System) -> list[dict[str, str]]:
    """A pattern's activities as they are typed."""
    return [
        {
            "name": a.name,
            "kind": _kind_of(a),
            "share": typed(a.share, SHARE, units),
            "seconds": "" if a.height_m is not None else typed(a.duration_s, SECONDS, units),
            "height": "" if a.height_m is None else typed(a.height_m, ALTITUDE, units),
        }
        for a in pattern.activities
    ]


def _kind_of(activity: Activity) -> str:
    if activity.height_m is not None:
        return "height"
    if activity.of == "full throttle":
        return "full"
    return "hover" if activity.regime == "hover" else "steady"


def _typed_rows(form: Mapping[str, str]) -> list[dict[str, str]]:
    rows = []
    for k in range(MOST_ACTIVITIES):
        if f"a.{k}.name" not in form and f"a.{k}.seconds" not in form:
            break
        rows.append({part: form.get(f"a.{k}.{part}", "")[:80] for part in _NEW})
    return rows


def _stepped(rows: list[dict[str, str]], step: str) -> list[dict[str, str]]:
    """Rows after one was added, copied, taken away, moved or stretched; as they are for anything else."""
    found = _STEP.match(step)
    if found is None:
        return rows
    act, k, rows = found[1], int(found[2]), list(rows)
    if act == "add" and len(rows) < MOST_ACTIVITIES:
        rows.insert(min(k, len(rows)), dict(_NEW))
    elif k >= len(rows):
        return rows
    elif act == "copy" and len(rows) < MOST_ACTIVITIES:
        rows.insert(k + 1, dict(rows[k]))
    elif act == "remove" and len(rows) > 1:
        del rows[k]
    elif act in ("up", "down"):
        other = k - 1 if act == "up" else k + 1
        if 0 <= other < len(rows):
            rows[k], rows[other] = rows[other], rows[k]
    elif act in ("longer", "shorter"):
        rows[k] = _stretched(rows[k], _STRETCH_S if act == "longer" else -_STRETCH_S)
    return rows


def _stretched(row: dict[str, str], by_s: float) -> dict[str, str]:
    try:
        seconds = SECONDS.read(row["seconds"], "metric") + by_s
    except ValueError:
        return row
    return row | {"seconds": f"{min(max(seconds, 0.1), 3600.0):.1f}".rstrip("0").rstrip(".")}


def read_pattern(form: Mapping[str, str]) -> PatternForm:
    """A pattern from its form, after the step that was asked for with it."""
    units = form_units(form)
    read = PatternForm(
        form.get("name", "")[:80], _stepped(_typed_rows(form), form.get("do", "")) or [dict(_NEW)], units
    )
    activities = [_activity(row, k, read) for k, row in enumerate(read.rows)]
    if not read.name.strip():
        read.errors["name"] = fact("typed.needed")
    if (read.errors and set(read.errors) != {"name"}) or any(a is None for a in activities):
        return read
    try:
        read.pattern = FlyingPattern.model_validate(
            {"name": read.name.strip() or "pattern", "activities": [a for a in activities if a]}
        )
    except ValidationError as error:
        _note(read, error)
    return read


def _note(read: PatternForm, error: ValidationError, at: str = "") -> None:
    for problem in error.errors(include_url=False, include_input=False):
        place = [str(part) for part in problem["loc"]]
        last = {"duration_s": "seconds", "height_m": "height", "of": "kind"}.get(place[-1] if place else "", "")
        last = last or (place[-1] if place else "share")
        key = "name" if not at and last == "name" else f"{at or 'a.0.'}{last}"
        read.errors.setdefault(key, words_of(problem, Field(key, last, _QUANTITIES.get(last)), read.units))


def _number(read: PatternForm, row: dict[str, str], k: int, part: str, quantity: Quantity) -> float | None:
    text = row[part].strip()
    if not text:
        read.errors[f"a.{k}.{part}"] = fact("typed.needed")
        return None
    try:
        return quantity.read(text, read.units)
    except ValueError as error:
        read.errors[f"a.{k}.{part}"] = str(error)
        return None


def _activity(row: dict[str, str], k: int, read: PatternForm) -> dict[str, Any] | None:
    kind = row["kind"] if row["kind"] in _KEYS else "steady"
    values: dict[str, Any] = {"name": row["name"].strip() or dict(KINDS)[kind].partition(",")[0]}
    if kind == "height":
        height_m = _number(read, row, k, "height", ALTITUDE)
        values |= {"of": "full throttle", "share": 1.0, "duration_s": _DRAWN_CLIMB_S, "height_m": height_m}
    else:
        share, seconds = _number(read, row, k, "share", SHARE), _number(read, row, k, "seconds", SECONDS)
        values |= {"of": "full throttle" if kind == "full" else "steady", "share": share}
        values["duration_s"] = None if seconds is None else round(seconds, 1)
        values["regime"] = "hover" if kind == "hover" else None
    if any(f"a.{k}.{part}" in read.errors for part in _NEW):
        return None
    try:
        return Activity.model_validate(values).model_dump()
    except ValidationError as error:
        _note(read, error, f"a.{k}.")
        return None
