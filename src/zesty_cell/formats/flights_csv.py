"""The log of flights as CSV: one line a flight, units in the names of the columns."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable
from dataclasses import dataclass

from zesty_cell.core.learn.flights import LoggedFlight

COLUMNS = (
    "landed at (UTC)", "craft", "pack", "pattern", "flew (s)", "timer (s)", "rest (V a cell)", "shown (mAh)",
    "put back (mAh)", "charged to (V a cell)", "cells (V)", "air (°C)", "how", "note", "set aside",
)  # fmt: skip


@dataclass(frozen=True)
class NamedFlight:
    """A flight with the names of its craft and pack."""

    craft: str
    pack: str
    flight: LoggedFlight


def _text(words: str) -> str:
    """Words that no spreadsheet takes for a formula."""
    return f"'{words}" if words[:1] in ("=", "+", "-", "@") else words


def _number(value: float | None, factor: float = 1.0, digits: int = 3) -> str:
    return "" if value is None else f"{value * factor:.{digits}f}".rstrip("0").rstrip(".")


def write_flights(flights: Iterable[NamedFlight]) -> str:
    """A log as CSV with commas and decimal points."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(COLUMNS)
    for named in flights:
        flight = named.flight
        writer.writerow(
            (
                flight.landed_at.strftime("%Y-%m-%d %H:%M:%S"),
                _text(named.craft),
                _text(named.pack),
                _text(flight.pattern),
                _number(flight.duration_s, digits=1),
                _number(flight.timer_s, digits=1),
                _number(flight.rest_v_per_cell),
                _number(flight.shown_ah, 1000.0),
                _number(flight.put_back_ah, 1000.0),
                _number(flight.charged_v_per_cell),
                " ".join(_number(v) for v in flight.cells_v),
                _number(flight.air_c, digits=1),
                flight.how,
                _text(flight.note),
                _text(flight.set_aside or ""),
            )
        )
    return out.getvalue()
