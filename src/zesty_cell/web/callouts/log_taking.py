"""Taking a telemetry log: its columns are confirmed on its own page."""

from __future__ import annotations

from fastapi import Request, UploadFile
from fastapi.responses import RedirectResponse, Response
from sqlalchemy.orm import Session

from zesty_cell.formats.csv_table import read_table
from zesty_cell.formats.errors import FileFormatError
from zesty_cell.store import logs, sheets
from zesty_cell.web.callouts.shown import log_refused


def take_log(request: Request, session: Session, sheet_id: int, file: UploadFile) -> Response:
    """Keep a log of a sheet's craft and go to its columns; what is wrong with it is said where it was chosen."""
    data = file.file.read()
    try:
        table = read_table(data)
    except FileFormatError as error:
        return log_refused(request, session, sheet_id, error.why)
    craft_id = sheets.fetch(session, sheet_id).craft_id
    row = logs.add(session, data, table, name=file.filename or "log", craft_id=craft_id)
    return RedirectResponse(f"/callouts/{sheet_id}/logs/{row.id}", 303)
