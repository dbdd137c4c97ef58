"""Attaching a telemetry log to a flight, and taking it off."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Form, Request, UploadFile
from fastapi.responses import RedirectResponse, Response

from zesty_cell.core.fact import fact
from zesty_cell.formats.errors import FileFormatError
from zesty_cell.services import attached_logs
from zesty_cell.services.log_fits import keep_fits
from zesty_cell.services.opened_log import sheet_of
from zesty_cell.store import flights as store
from zesty_cell.store import logs
from zesty_cell.web.http import Store, said_to, say, whole_number

router = APIRouter(prefix="/log/{flight_id}/telemetry", include_in_schema=False)


def _not_attached(request: Request, flight_id: int, error: FileFormatError | None) -> Response:
    why = "" if error is None else said_to(request, error.why)
    return say(RedirectResponse(f"/log/{flight_id}", 303), fact("said.telemetry.not_attached", why=why))


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
    try:
        attached = attached_logs.attach(session, file.file.read(), name=file.filename, flight_row=flight_row)
    except FileFormatError as error:
        return _not_attached(request, flight_id, error)
    sheet, row = sheet_of(session, flight_row), attached.row
    if attached.read is None and sheet is None:
        session.rollback()
        return _not_attached(request, flight_id, attached.error)
    # A new source: its columns are confirmed once.
    if sheet is not None and not (attached.known and attached.sound):
        return RedirectResponse(f"/callouts/{sheet.id}/logs/{row.id}", 303)
    attached_logs.confirm(session, attached, flight_row)
    return RedirectResponse(f"/log/{flight_id}/telemetry/{row.id}", 303)


@router.post("/{log_id}/detach")
def detach(session: Store, flight_id: int, log_id: int) -> Response:
    """Take a log off a flight; it is kept."""
    row = logs.fetch(session, log_id)
    row.flight_id = None
    session.flush()
    return say(RedirectResponse(f"/log/{flight_id}", 303), fact("said.telemetry.off", name=row.name))
