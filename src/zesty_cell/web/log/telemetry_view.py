"""A flight's telemetry: attached, looked at with the forecast laid over it, fitted, its pattern taken."""

from __future__ import annotations

import json
from typing import Any

import numpy as np
from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response
from pydantic import ValidationError

from zesty_cell.core.asked.flying import FlyingPattern
from zesty_cell.core.fact import fact
from zesty_cell.core.learn.log_pattern import LogPattern
from zesty_cell.services.log_fits import (
    fit_of,
)
from zesty_cell.services.opened_log import open_log
from zesty_cell.store import sheets
from zesty_cell.web.http import PostedForm, Store, said_to, say, whole_number
from zesty_cell.web.log.explored import series_of, show_log
from zesty_cell.web.log.flown_as import dry_run_of, pattern_of, plan_of_log
from zesty_cell.words.units import read_number

router = APIRouter(prefix="/log/{flight_id}/telemetry", include_in_schema=False)
_DATA = "application/octet-stream"


@router.get("/{log_id}")
def explore(request: Request, session: Store, flight_id: int, log_id: int) -> Response:
    """The log with its forecast, what it tells of the pack, how it was flown, what would have been heard."""
    opened = open_log(session, flight_id, log_id)
    return show_log(request, session, opened)


@router.get("/{log_id}/data")
def data(session: Store, flight_id: int, log_id: int) -> Response:
    """The numbers as they are drawn: a line of JSON that says what they are, then 32-bit floats by column."""
    opened = open_log(session, flight_id, log_id)
    fit, pattern = fit_of(opened.log), pattern_of(opened)
    panels = series_of(opened, fit, pattern)
    plan = plan_of_log(session, opened)
    events: list[dict[str, Any]] = []
    if plan is not None and opened.sheet is not None:
        run = dry_run_of(opened.telemetry, plan, opened.sheet)
        events = [{"t": round(e.time_s, 2), "say": e.say} for e in run.ran.events if e.kind == "rule" and e.say]
    time_s = opened.telemetry.time_s - opened.telemetry.time_s[0]
    columns = [time_s]
    for panel in panels:
        for line in panel["lines"]:
            columns.append(line.pop("values"))
    head = json.dumps({"rows": int(time_s.size), "panels": panels, "events": events}, ensure_ascii=False)
    # The numbers begin at a multiple of four, where a typed array can begin.
    text = head.encode() + b"\n"
    text = b" " * (-len(text) % 4) + text
    body = text + b"".join(np.asarray(c, dtype="<f4").tobytes() for c in columns)
    return Response(body, media_type=_DATA)


@router.post("/{log_id}/pattern")
def take_pattern(request: Request, session: Store, flight_id: int, log_id: int, form: PostedForm) -> Response:
    """Fly a sheet the way this log was flown, with what was adjusted."""
    opened = open_log(session, flight_id, log_id)
    pattern = pattern_of(opened)
    sheet_row = sheets.fetch(session, whole_number(form.get("sheet", "")))
    if not isinstance(pattern, LogPattern):
        said = said_to(request, pattern)
        return say(RedirectResponse(f"/log/{flight_id}/telemetry/{log_id}", 303), said)
    activities = []
    for k, activity in enumerate(pattern.pattern.activities):
        changed = activity.model_dump()
        for name, factor in (("share", 0.01), ("duration_s", 1.0)):
            text = form.get(f"{name}_{k}", "")
            if text.strip():
                try:
                    changed[name] = round(read_number(text) * factor, 4)
                except ValueError as error:
                    words = f"{activity.name}: {error}"
                    return show_log(request, session, opened, typed=form, error=words, status=422)
        if changed["duration_s"] > 0.0:
            activities.append(changed)
    try:
        flying = FlyingPattern.model_validate(
            {"name": form.get("name", pattern.pattern.name), "activities": activities}
        )
    except ValidationError as error:
        problem = error.errors(include_url=False, include_input=False)[0]
        words = str(problem["msg"]).removeprefix("Value error, ")
        return show_log(request, session, opened, typed=form, error=words, status=422)
    sheet = sheets.as_sheet(sheet_row).model_copy(update={"flying": flying})
    sheets.change(
        session, sheet_row.id, sheet_row.version, sheet, craft_id=sheet_row.craft_id, pack_id=sheet_row.pack_id
    )
    return say(RedirectResponse(f"/sheets/{sheet_row.id}", 303), fact("said.flown_as_log", name=sheet_row.name))
