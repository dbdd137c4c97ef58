"""What the page of a telemetry log shows."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from fastapi import Request
from fastapi.responses import Response
from numpy.typing import NDArray
from sqlalchemy.orm import Session

from zesty_cell.core.fact import Words
from zesty_cell.core.learn.log_pattern import LogPattern
from zesty_cell.core.learn.log_told import LogFit
from zesty_cell.services.log_fits import (
    fit_of,
    taught_by,
)
from zesty_cell.services.opened_log import Opened
from zesty_cell.store import sheets
from zesty_cell.web.http import page
from zesty_cell.web.log.flown_as import dry_run_of, pattern_of, plan_of_log


def _gathered(events: list[tuple[float, str]]) -> list[tuple[float, str, int, float]]:
    """Words with how often they came one after the other: from, words, times, until [s]."""
    found: list[tuple[float, str, int, float]] = []
    for at, words in events:
        if found and found[-1][1] == words:
            found[-1] = (found[-1][0], words, found[-1][2] + 1, at)
        else:
            found.append((at, words, 1, at))
    return found


def show_log(
    request: Request,
    session: Session,
    opened: Opened,
    *,
    typed: dict[str, str] | None = None,
    error: str = "",
    status: int = 200,
) -> Response:
    plan = plan_of_log(session, opened)
    events: list[tuple[float, str]] = []
    if plan is not None and opened.sheet is not None:
        run = dry_run_of(opened.telemetry, plan, opened.sheet)
        events = [(e.time_s, e.say) for e in run.ran.events if e.say and e.kind == "rule"]
    context: dict[str, Any] = {
        "opened": opened,
        "fit": fit_of(opened.log),
        "taught": taught_by(session, opened.log, opened.flight_row),
        "pattern": pattern_of(opened),
        "is_fit": lambda value: isinstance(value, LogFit),
        "is_pattern": lambda value: isinstance(value, LogPattern),
        "events": _gathered(events),
        "sheets": [r for r in sheets.all_sheets(session) if r.craft_id == opened.flight_row.craft_id],
        "typed": typed or {},
        "error": error,
    }
    return page(request, "telemetry.html", context, status=status)


def _over(grid: NDArray[np.float64], at: NDArray[np.float64], values: NDArray[np.float64]) -> NDArray[np.float64]:
    """Values over another grid of times; NaN outside of them."""
    out = np.interp(grid, at, values)
    out[(grid < at[0]) | (grid > at[-1])] = math.nan
    return out


def series_of(opened: Opened, fit: LogFit | Words, pattern: LogPattern | Words) -> list[dict[str, Any]]:
    """What is drawn: panels of lines, each with its numbers on the log's own times."""
    log = opened.telemetry
    time_s = log.time_s - log.time_s[0]
    result, take_off_s = opened.result, pattern.from_s if isinstance(pattern, LogPattern) else 0.0
    forecast: dict[str, NDArray[np.float64]] = {}
    if result is not None:
        flight = result.flight
        at = flight.time_s + take_off_s
        forecast = {
            "pack_v": _over(time_s, at, flight.loaded_v * flight.series),
            "current_a": _over(time_s, at, flight.current_a),
            "used_ah": _over(time_s, at, flight.used_ah * 1000.0),
            "temperature_c": _over(time_s, at, flight.temperature_c),
        }
    panels: list[dict[str, Any]] = []

    def panel(key: str, title: str, unit: str, values: NDArray[np.float64] | None, digits: int) -> None:
        if values is None:
            return
        lines = [{"name": "logged", "tone": key, "values": values}]
        if key in forecast:
            lines.append({"name": "forecast", "tone": "forecast", "values": forecast[key]})
        if key == "pack_v" and isinstance(fit, LogFit):
            lines.append({"name": "fitted", "tone": "fitted", "values": _over(time_s, fit.time_s, fit.model_v)})
        panels.append({"key": key, "title": title, "unit": unit, "digits": digits, "lines": lines})

    panel("pack_v", "Voltage", "V", log.pack_v if log.pack_v is not None else log.cell_v, 2)
    panel("current_a", "Current", "A", log.current_a, 1)
    panel("used_ah", "Charge used", "mAh", None if log.used_ah is None else log.used_ah * 1000.0, 0)
    panel("throttle", "Throttle", "%", None if log.throttle is None else log.throttle * 100.0, 0)
    panel("temperature_c", "Temperature", "°C", log.temperature_c, 0)
    panel("altitude_m", "Altitude", "m", log.altitude_m, 0)
    return panels
