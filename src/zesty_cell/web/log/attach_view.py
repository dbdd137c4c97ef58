"""Attaching a telemetry log to a flight, and taking it off."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Form, Request, UploadFile
from fastapi.responses import RedirectResponse, Response

from zesty_cell.core.learn.log_plausibility import log_doubts
from zesty_cell.formats.csv_table import read_table
from zesty_cell.formats.errors import FileFormatError
from zesty_cell.formats.telemetry_columns import guess_mapping
from zesty_cell.formats.telemetry_csv import read_telemetry
from zesty_cell.services.log_fits import (
    keep_fits,
    remember_read,
)
from zesty_cell.store import flights as store
from zesty_cell.store import logs
from zesty_cell.store.hangar import PACKS
from zesty_cell.web.http import Store, say, whole_number
from zesty_cell.web.log.opened import sheet_of

router = APIRouter(prefix="/log/{flight_id}/telemetry", include_in_schema=False)


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


@router.post("/{log_id}/detach")
def detach(session: Store, flight_id: int, log_id: int) -> Response:
    """Take a log off a flight; it is kept."""
    row = logs.fetch(session, log_id)
    row.flight_id = None
    session.flush()
    return say(RedirectResponse(f"/log/{flight_id}", 303), f"{row.name} is taken off this flight; it is kept.")
