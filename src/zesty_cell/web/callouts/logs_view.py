"""A telemetry log for the dry run: brought in, its columns proposed, confirmed by the pilot."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Form, Request, UploadFile
from fastapi.responses import RedirectResponse, Response
from pydantic import ValidationError

from zesty_cell.core.fact import fact
from zesty_cell.core.learn.log_plausibility import log_doubts
from zesty_cell.formats.errors import FileFormatError
from zesty_cell.formats.telemetry_columns import guess_mapping
from zesty_cell.formats.telemetry_csv import read_telemetry
from zesty_cell.services.log_fits import keep_fits
from zesty_cell.store import flights
from zesty_cell.store import logs as store
from zesty_cell.store.flights import is_there
from zesty_cell.web.callouts.log_columns import open_table, show_columns
from zesty_cell.web.callouts.log_taking import take_log
from zesty_cell.web.callouts.role_lines import posted_mapping
from zesty_cell.web.field.entries import take_entry
from zesty_cell.web.http import PostedForm, Store, say

router = APIRouter(prefix="/callouts/{sheet_id}/logs", include_in_schema=False)


@router.post("")
def bring_in(request: Request, session: Store, sheet_id: int, file: Annotated[UploadFile, Form()]) -> Response:
    """Take a log; its columns are confirmed on its own page."""
    return take_log(request, session, sheet_id, file)


@router.get("/{log_id}")
def show(request: Request, session: Store, sheet_id: int, log_id: int) -> Response:
    """What the columns are: as confirmed, as confirmed for the same source before, or as guessed."""
    row, sheet, table = open_table(session, sheet_id, log_id)
    mapping = store.mapping_of(row) or store.remembered(session, table)
    mapping = mapping or guess_mapping(table, series=sheet.pack.series)
    return show_columns(request, row, sheet_id, sheet, table, mapping, session=session)


@router.post("/{log_id}")
def confirm(request: Request, session: Store, sheet_id: int, log_id: int, form: PostedForm) -> Response:
    """Look at another choice of columns, or confirm it and run the plan on the log."""
    row, sheet, table = open_table(session, sheet_id, log_id)
    try:
        mapping = posted_mapping(form)
    except ValidationError:  # no page of ours posts that
        guessed = guess_mapping(table, series=sheet.pack.series)
        return show_columns(request, row, sheet_id, sheet, table, guessed, session=session)
    if form.get("action") != "confirm":
        return show_columns(request, row, sheet_id, sheet, table, mapping, session=session)
    try:
        read = read_telemetry(table, mapping)
    except FileFormatError:
        return show_columns(request, row, sheet_id, sheet, table, mapping, session=session, asked=True)
    if any(d.impossible for d in log_doubts(read.telemetry, pack=sheet.pack)):
        return show_columns(request, row, sheet_id, sheet, table, mapping, session=session, asked=True)
    store.confirm(session, row, mapping)
    if is_there(session, row.flight_id):
        keep_fits(session, flights.fetch(session, row.flight_id or 0))
        return RedirectResponse(f"/log/{row.flight_id}/telemetry/{row.id}", 303)
    return RedirectResponse(f"/callouts/{sheet_id}?run=log-{row.id}", 303)


@router.post("/{log_id}/flight")
def put_in_the_log(request: Request, session: Store, sheet_id: int, log_id: int, form: PostedForm) -> Response:
    """Log the flight that a log is of, with the log attached to it; what cannot be is said at its field."""
    row, sheet, table = open_table(session, sheet_id, log_id)
    mapping = store.mapping_of(row) or store.remembered(session, table)
    mapping = mapping or guess_mapping(table, series=sheet.pack.series)
    if is_there(session, row.flight_id):
        return RedirectResponse(f"/log/{row.flight_id}", 303)
    told: dict[str, str] = {
        k: form[k] for k in ("pack", "duration_s", "shown_ah", "landed_local", "sure") if k in form
    }
    entry = told | {"kind": "landed", "entry": f"telemetry-{row.id}-{row.flight_id or 0}", "sheet": str(sheet_id)}
    taken = take_entry(session, entry)
    if taken.errors:
        return show_columns(request, row, sheet_id, sheet, table, mapping, session=session, flight=(told, taken))
    try:
        read_telemetry(table, mapping)
    except FileFormatError:
        return RedirectResponse(f"/log/{taken.flight_id}", 303)
    store.confirm(session, row, mapping)
    row.flight_id = taken.flight_id
    session.flush()
    keep_fits(session, flights.fetch(session, row.flight_id or 0))
    return say(RedirectResponse(f"/log/{row.flight_id}/telemetry/{row.id}", 303), fact("said.flight.in_log"))


@router.post("/{log_id}/delete")
def delete(session: Store, sheet_id: int, log_id: int) -> Response:
    """Let go of a log; with undo."""
    store.delete(session, store.fetch(session, log_id))
    undo = f"/callouts/{sheet_id}/logs/{log_id}/undelete"
    return say(RedirectResponse(f"/callouts/{sheet_id}", 303), fact("said.telemetry.deleted"), undo=undo)


@router.post("/{log_id}/undelete")
def undelete(session: Store, sheet_id: int, log_id: int) -> Response:
    """Undo :func:`delete`."""
    store.restore(session, log_id)
    return say(RedirectResponse(f"/callouts/{sheet_id}?run=log-{log_id}", 303), fact("said.telemetry.back"))
