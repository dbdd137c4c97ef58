"""A flight's telemetry: attached, looked at with the forecast laid over it, fitted, its pattern taken."""

from __future__ import annotations

import json
import math
from dataclasses import dataclass
from typing import Annotated, Any

import numpy as np
from fastapi import APIRouter, Form, Request, UploadFile
from fastapi.responses import RedirectResponse, Response
from numpy.typing import NDArray
from pydantic import ValidationError
from sqlalchemy.orm import Session

from zesty_cell.core.answer.forecast import Forecast
from zesty_cell.core.asked.flying import FlyingPattern
from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.callouts.dry_run import DryRun
from zesty_cell.core.callouts.profiles import facing
from zesty_cell.core.callouts.rules import CalloutPlan
from zesty_cell.core.callouts.schools import FIRST_SCHOOL, write_plan
from zesty_cell.core.callouts.telemetry import Telemetry, on_telemetry
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.flight.setup import set_up
from zesty_cell.core.flight.summary import full_throttle_at_landing_a
from zesty_cell.core.learn.calibration import corrected_log
from zesty_cell.core.learn.flights import LoggedFlight
from zesty_cell.core.learn.log_pattern import LogPattern, pattern_from_log
from zesty_cell.core.learn.log_plausibility import log_doubts
from zesty_cell.core.learn.log_told import LogFit
from zesty_cell.formats.csv_table import read_table
from zesty_cell.formats.errors import FileFormatError
from zesty_cell.formats.telemetry_columns import guess_mapping
from zesty_cell.formats.telemetry_csv import read_telemetry
from zesty_cell.services.forecasts import flown
from zesty_cell.services.learning import as_flown
from zesty_cell.services.log_fits import (
    FlownLog,
    fit_of,
    flown_log,
    keep_fits,
    read_packed,
    remember_read,
    taught_by,
)
from zesty_cell.services.sheet_for import sheet_for
from zesty_cell.store import callouts, logs, sheets
from zesty_cell.store import flights as store
from zesty_cell.store.errors import MissingRecordError
from zesty_cell.store.hangar import PACKS
from zesty_cell.store.tables import FlightRow, LogRow, SheetRow
from zesty_cell.web.http.database import Store
from zesty_cell.web.http.forms import whole_number
from zesty_cell.web.http.messages import say
from zesty_cell.web.http.posted import PostedForm
from zesty_cell.web.http.templating import page
from zesty_cell.words.units import read_number

router = APIRouter(prefix="/log/{flight_id}/telemetry", include_in_schema=False)
_DATA = "application/octet-stream"


def sheet_of(session: Session, row: FlightRow) -> SheetRow | None:
    """The sheet that tells most of a flight."""
    return sheet_for(session, craft_id=row.craft_id, pack=row.pack, pattern=row.pattern)


@dataclass(frozen=True)
class Opened:
    """A log of a flight, its numbers corrected by the calibrations made after it."""

    log: FlownLog
    row: LogRow
    flight_row: FlightRow
    flight: LoggedFlight
    telemetry: Telemetry
    notes: tuple[str, ...]
    sheet_row: SheetRow | None
    sheet: Sheet | None
    result: Forecast | None


def _opened(session: Session, flight_id: int, log_id: int) -> Opened:
    row, flight_row = logs.fetch(session, log_id), store.fetch(session, flight_id)
    log = flown_log(session, row, flight_row)
    if row.flight_id != flight_id or log is None:
        raise MissingRecordError("log of this flight", log_id)
    read = read_packed(logs.packed_of(row), log.mapping)
    flight = log.flight
    telemetry, notes = corrected_log(read.telemetry, calibrations=log.made, at=flight.landed_at)
    sheet_row = sheet_of(session, flight_row)
    sheet, result = None, None
    if sheet_row is not None:
        sheet = as_flown(session, sheet_row, pack=flight_row.pack)
        if flight.air_c is not None:
            air = sheet.conditions.model_copy(update={"air_c": flight.air_c, "pack_c": None})
            sheet = sheet.model_copy(update={"conditions": air})
        try:
            result = flown(sheet)
        except OutOfRangeError:
            result = None
    doubts = tuple(d.words for d in log_doubts(read.telemetry, pack=PACKS.thing(flight_row.pack)))
    return Opened(log, row, flight_row, flight, telemetry, (*read.notes, *notes, *doubts), sheet_row, sheet, result)


def _pattern(opened: Opened) -> LogPattern | str:
    """What the log was flown like, or why that cannot be told."""
    if opened.sheet is None:
        return "A sheet of this craft is needed: its steady power tells what is cruise and what a climb."
    try:
        name = f"{opened.flight_row.craft.name}, {opened.flight.landed_at:%-d %B}"
        return pattern_from_log(
            opened.telemetry,
            name=name[:80],
            series=opened.sheet.pack.series,
            setup=set_up(opened.sheet),
        )
    except OutOfRangeError as error:
        return str(error)


def _dry_run(telemetry: Telemetry, plan: CalloutPlan, sheet: Sheet) -> DryRun:
    full_a = full_throttle_at_landing_a(sheet)
    return on_telemetry(telemetry, plan=plan, pack=sheet.pack, full_throttle_a=full_a)[0]


def _plan(session: Session, opened: Opened) -> CalloutPlan | None:
    if opened.sheet_row is None or opened.result is None:
        return None
    row = callouts.for_sheet(session, opened.sheet_row)
    pack = opened.result.setup.sheet.pack
    return facing(callouts.plan_of(row), pack) if row else write_plan(opened.result, school=FIRST_SCHOOL).plan


@router.post("")
def attach(
    request: Request,
    session: Store,
    flight_id: int,
    file: Annotated[UploadFile | None, Form()] = None,
    log: Annotated[str, Form(max_length=12)] = "",
) -> Response:
    """Attach a log that is kept already, or a new one from a file."""
    flight_row = store.fetch(session, flight_id)
    if file is None or not file.filename:
        row = logs.fetch(session, whole_number(log))
        row.flight_id = flight_id
        session.flush()
        keep_fits(session, flight_row)
        return RedirectResponse(f"/log/{flight_id}/telemetry/{row.id}", 303)
    data = file.file.read()
    try:
        table = read_table(data)
    except FileFormatError as error:
        return say(RedirectResponse(f"/log/{flight_id}", 303), f"Not attached: {error}"[:400])
    row = logs.add(session, data, table, name=file.filename, craft_id=flight_row.craft_id)
    row.flight_id = flight_id
    known = logs.remembered(session, table)
    mapping = known or guess_mapping(table, series=flight_row.pack.series)
    sheet = sheet_of(session, flight_row)
    try:
        read = read_telemetry(table, mapping)
        remember_read(logs.packed_of(row), mapping, read)
    except FileFormatError as error:
        if sheet is None:
            session.rollback()
            return say(RedirectResponse(f"/log/{flight_id}", 303), f"Not attached: {error}"[:400])
        return RedirectResponse(f"/callouts/{sheet.id}/logs/{row.id}", 303)
    wrong = any(d.impossible for d in log_doubts(read.telemetry, pack=PACKS.thing(flight_row.pack)))
    if (known is None or wrong) and sheet is not None:  # a new source: its columns are confirmed once
        return RedirectResponse(f"/callouts/{sheet.id}/logs/{row.id}", 303)
    logs.confirm(session, row, mapping)
    keep_fits(session, flight_row)
    return RedirectResponse(f"/log/{flight_id}/telemetry/{row.id}", 303)


def _gathered(events: list[tuple[float, str]]) -> list[tuple[float, str, int, float]]:
    """Words with how often they came one after the other: from, words, times, until [s]."""
    found: list[tuple[float, str, int, float]] = []
    for at, words in events:
        if found and found[-1][1] == words:
            found[-1] = (found[-1][0], words, found[-1][2] + 1, at)
        else:
            found.append((at, words, 1, at))
    return found


@router.get("/{log_id}")
def explore(request: Request, session: Store, flight_id: int, log_id: int) -> Response:
    """The log with its forecast, what it tells of the pack, how it was flown, what would have been heard."""
    opened = _opened(session, flight_id, log_id)
    return _show(request, session, opened)


def _show(
    request: Request,
    session: Session,
    opened: Opened,
    *,
    typed: dict[str, str] | None = None,
    error: str = "",
    status: int = 200,
) -> Response:
    plan = _plan(session, opened)
    events: list[tuple[float, str]] = []
    if plan is not None and opened.sheet is not None:
        run = _dry_run(opened.telemetry, plan, opened.sheet)
        events = [(e.time_s, e.say) for e in run.ran.events if e.say and e.kind == "rule"]
    context: dict[str, Any] = {
        "opened": opened,
        "fit": fit_of(opened.log),
        "taught": taught_by(session, opened.log, opened.flight_row),
        "pattern": _pattern(opened),
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


def _series(opened: Opened, fit: LogFit | str, pattern: LogPattern | str) -> list[dict[str, Any]]:
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


@router.get("/{log_id}/data")
def data(session: Store, flight_id: int, log_id: int) -> Response:
    """The numbers as they are drawn: a line of JSON that says what they are, then 32-bit floats by column."""
    opened = _opened(session, flight_id, log_id)
    fit, pattern = fit_of(opened.log), _pattern(opened)
    panels = _series(opened, fit, pattern)
    plan = _plan(session, opened)
    events: list[dict[str, Any]] = []
    if plan is not None and opened.sheet is not None:
        run = _dry_run(opened.telemetry, plan, opened.sheet)
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
    opened = _opened(session, flight_id, log_id)
    pattern = _pattern(opened)
    sheet_row = sheets.fetch(session, whole_number(form.get("sheet", "")))
    if isinstance(pattern, str):
        return say(RedirectResponse(f"/log/{flight_id}/telemetry/{log_id}", 303), pattern)
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
                    return _show(request, session, opened, typed=form, error=words, status=422)
        if changed["duration_s"] > 0.0:
            activities.append(changed)
    try:
        flying = FlyingPattern.model_validate(
            {"name": form.get("name", pattern.pattern.name), "activities": activities}
        )
    except ValidationError as error:
        problem = error.errors(include_url=False, include_input=False)[0]
        words = str(problem["msg"]).removeprefix("Value error, ")
        return _show(request, session, opened, typed=form, error=words, status=422)
    sheet = sheets.as_sheet(sheet_row).model_copy(update={"flying": flying})
    sheets.change(
        session, sheet_row.id, sheet_row.version, sheet, craft_id=sheet_row.craft_id, pack_id=sheet_row.pack_id
    )
    return say(RedirectResponse(f"/sheets/{sheet_row.id}", 303), f"“{sheet_row.name}” is flown as this log was.")


@router.post("/{log_id}/detach")
def detach(session: Store, flight_id: int, log_id: int) -> Response:
    """Take a log off a flight; it is kept."""
    row = logs.fetch(session, log_id)
    row.flight_id = None
    session.flush()
    return say(RedirectResponse(f"/log/{flight_id}", 303), f"{row.name} is taken off this flight; it is kept.")
