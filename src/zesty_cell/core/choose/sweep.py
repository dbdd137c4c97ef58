"""One input of a sheet moved through several values, everything else as it is."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import ValidationError

from zesty_cell.core.answer.forecast import Forecast, forecast
from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.errors import OutOfRangeError, UnknownNameError
from zesty_cell.core.fact import fact

#: Values of one sweep: some seconds of both cores.
MOST_VALUES = 200


@dataclass(frozen=True, repr=False)
class Sweep:
    """Forecasts of one sheet over values of one input; arrays of shape (n,), NaN where it cannot be flown.

    Attributes
    ----------
    field : str
        Dotted path of the input, such as “conditions.air_c”.
    values : tuple
        As given, in the unit of the field's name.
    landing_s, low_s, high_s, timer_s : float64 array
        The landing expected, its 5th and 95th percentile, and the timer to set [s].
    used_ah, reserve_ah : float64 array
        At landing [Ah].
    land_now_v : float64 array
        Voltage of “land now”, whole pack [V].
    worst_v, hottest_c, to_spare : float64 array
        Lowest loaded voltage [V a cell], hottest cell [°C], thrust over weight at landing [1].
    reasons : tuple of str
        Why a value cannot be flown; empty where it can.
    """

    field: str
    values: tuple[Any, ...]
    landing_s: NDArray[np.float64]
    low_s: NDArray[np.float64]
    high_s: NDArray[np.float64]
    timer_s: NDArray[np.float64]
    used_ah: NDArray[np.float64]
    reserve_ah: NDArray[np.float64]
    land_now_v: NDArray[np.float64]
    worst_v: NDArray[np.float64]
    hottest_c: NDArray[np.float64]
    to_spare: NDArray[np.float64]
    reasons: tuple[str, ...]

    def __repr__(self) -> str:
        flown = sum(not reason for reason in self.reasons)
        return f"<Sweep of {self.field}, {len(self.values)} values, {flown} flown>"


#: Columns of a sweep, in the order of its fields.
COLUMNS = (
    "landing_s", "low_s", "high_s", "timer_s", "used_ah", "reserve_ah", "land_now_v", "worst_v", "hottest_c",
    "to_spare",
)  # fmt: skip


def _row(result: Forecast) -> tuple[float, ...]:
    at_landing, spread, calls = result.at_landing, result.range, result.callouts
    return (
        result.flight.landing_s, spread.low_s, spread.high_s, calls.timers.timer_s, at_landing.used_ah,
        result.reserve_ah, calls.land_now.threshold.pack_v, at_landing.worst_v, at_landing.hottest_c,
        at_landing.to_spare,
    )  # fmt: skip


def _with(document: Any, path: Sequence[str], value: Any, field: str) -> Any:
    """A document with one value put in its place, which is there already."""
    head, *rest = path
    if isinstance(document, Mapping) and head in document:
        return {**document, head: _with(document[head], rest, value, field) if rest else value}
    if isinstance(document, list | tuple) and head.isdigit() and int(head) < len(document):
        items = list(document)
        items[int(head)] = _with(items[int(head)], rest, value, field) if rest else value
        return items
    raise UnknownNameError(fact("refused.sweep.no_such_input", field=field[:80]), name=field)


def sweep(sheet: Sheet, /, *, field: str, values: Sequence[Any]) -> Sweep:
    """Forecast a sheet at each value of one of its inputs [s, Ah, V, °C].

    Parameters
    ----------
    field : str
        Dotted path as in a sheet's file: “conditions.air_c”, “craft.dry_mass_kg”, “flying.activities.0.share”.
    values : sequence
        In the unit of the field's name.

    Raises
    ------
    UnknownNameError
        When a sheet has no such input.
    OutOfRangeError
        When there are more than :data:`MOST_VALUES`.
    """
    if len(values) > MOST_VALUES:
        raise OutOfRangeError(
            fact("refused.sweep.too_many", count=len(values), most=MOST_VALUES),
            field="values", value=len(values), limit=MOST_VALUES,
        )  # fmt: skip
    document = {name: getattr(sheet, name) for name in type(sheet).model_fields}
    whole = sheet.model_dump()
    part = field.partition(".")[0]
    rows, reasons = [], []
    for value in values:
        moved = _with(whole, field.split("."), value, field)
        try:
            rows.append(_row(forecast(type(sheet).model_validate({**document, part: moved[part]}))))
            reasons.append("")
        except (OutOfRangeError, ValidationError) as error:
            rows.append((np.nan,) * len(COLUMNS))
            first = error.errors(include_url=False)[0]["msg"] if isinstance(error, ValidationError) else str(error)
            reasons.append(first.removeprefix("Value error, "))
    table = np.array(rows, dtype=np.float64).reshape(len(rows), len(COLUMNS))
    columns: dict[str, Any] = {name: table[:, k].copy() for k, name in enumerate(COLUMNS)}
    return Sweep(field=field, values=tuple(values), reasons=tuple(reasons), **columns)
