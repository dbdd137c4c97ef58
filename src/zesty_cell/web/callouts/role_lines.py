"""What each column of a telemetry log is taken for, and what its numbers become."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.answer.plausibility import Doubt
from zesty_cell.core.fact import Words, fact
from zesty_cell.formats.telemetry_columns import ROLES, ColumnChoice, Mapping, Role
from zesty_cell.formats.telemetry_csv import ReadLog
from zesty_cell.words.face import Face
from zesty_cell.words.units import ALTITUDE, TEMPERATURE, span_words


@dataclass(frozen=True)
class RoleLine:
    """A row of the page: a role, what was chosen for it, what its numbers become."""

    role: Role
    column: str
    unit: str
    becomes: Words
    doubt: Words


_SHOWN_IN = {"current_a": ("A", 1), "latitude_deg": ("°", 4), "longitude_deg": ("°", 4)}
_SHOWN_AS = {"temperature_c": TEMPERATURE, "altitude_m": ALTITUDE}


def _becomes(role: Role, values: NDArray[np.float64], face: Face) -> Words:
    """What a column's numbers are once read, so that a wrong unit is seen at a glance."""
    if role.key == "time_s":
        rate = float(1.0 / np.median(np.diff(values)))
        often = fact("column.every", apart=1.0 / rate)
        if rate >= 0.95:
            often = fact("column.a_second", rate=f"{rate:.{0 if rate >= 9.5 else 1}f}")
        return fact("column.paced", long_s=float(values[-1] - values[0]), lines=values.size, often=often)
    if role.key == "armed":
        return fact("column.armed", armed_share=float(np.nanmean(values)))
    if role.key == "lap_mark":
        return fact("column.rises", times=int((np.diff(values[~np.isnan(values)]) > 0.0).sum()))
    if role.key == "used_ah":
        return span_words(1000.0 * values, "mAh", 0)
    if role.key == "throttle":
        return span_words(100.0 * values, "%", 0)
    if role.key in _SHOWN_AS:
        return face.span(_SHOWN_AS[role.key], values)
    unit, digits = _SHOWN_IN.get(role.key, ("V", 2))
    return span_words(values, unit, digits)


def role_lines(mapping: Mapping, read: ReadLog | None, said: Sequence[Doubt], face: Face) -> list[RoleLine]:
    lines = []
    doubts = {d.field: d.why for d in said}
    for role in ROLES:
        choice = mapping.of(role.key)
        if choice is None:
            lines.append(RoleLine(role, "", role.units[0].key, "", ""))
            continue
        becomes = "" if read is None else _becomes(role, getattr(read.telemetry, role.key), face)
        lines.append(RoleLine(role, str(choice.column), choice.unit, becomes, doubts.get(role.key, "")))
    return lines


def posted_mapping(form: dict[str, str]) -> Mapping:
    """The columns as chosen on the page.

    Raises
    ------
    ValidationError
    """
    columns = []
    for role in ROLES:
        column = form.get(f"{role.key}.column", "")
        if column:
            unit = form.get(f"{role.key}.unit", role.units[0].key)
            columns.append(ColumnChoice.model_validate({"role": role.key, "column": column, "unit": unit}))
    part = form.get("part", "") or None
    return Mapping.model_validate({"columns": columns, "part": part, "lenient": bool(form.get("lenient"))})
