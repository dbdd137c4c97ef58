"""The columns of a telemetry log, proposed and confirmed."""

from __future__ import annotations

from typing import Any

from fastapi import Request
from fastapi.responses import Response
from sqlalchemy.orm import Session

from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.learn.log_plausibility import log_doubts
from zesty_cell.formats.csv_table import Table, read_table
from zesty_cell.formats.errors import FileFormatError
from zesty_cell.formats.telemetry_columns import Mapping
from zesty_cell.formats.telemetry_csv import time_parts
from zesty_cell.services.log_fits import read_open
from zesty_cell.store import logs as store
from zesty_cell.store import sheets as sheet_store
from zesty_cell.store.tables import LogRow
from zesty_cell.web.callouts.log_flight import flight_proposed
from zesty_cell.web.callouts.role_lines import role_lines
from zesty_cell.web.field.entries import Taken
from zesty_cell.web.http import page, preferences_of
from zesty_cell.words.face import Face

_SEPARATOR_WORDS = {",": "commas", ";": "semicolons", "\t": "tabs", "|": "|"}
_SHOWN_ROWS = 6


def show_columns(
    request: Request,
    row: LogRow,
    sheet_id: int,
    sheet: Sheet,
    table: Table,
    mapping: Mapping,
    *,
    session: Session,
    asked: bool = False,
    flight: tuple[dict[str, str], Taken] | None = None,
) -> Response:
    """The page of a log's columns; with ``asked`` a mapping that cannot be read is an error, not a proposal."""
    read, error = None, None
    try:
        read = read_open(store.packed_of(row), table, mapping)
    except FileFormatError as problem:
        error = problem
    said = () if read is None else log_doubts(read.telemetry, pack=sheet.pack)
    refused = error is not None or any(d.impossible for d in said)
    face = Face(preferences_of(request))
    proposed = None if refused else flight_proposed(session, row, sheet_id, read, face)
    if proposed is not None and flight is not None:
        form, taken = flight
        proposed |= {"texts": form, "errors": taken.errors, "sure": " ".join(taken.asked)}
    context: dict[str, Any] = {
        "proposed": proposed,
        "row": row,
        "sheet": sheet,
        "address": f"/callouts/{sheet_id}",
        "table": table,
        "separator": _SEPARATOR_WORDS[table.separator],
        "lines": role_lines(mapping, read, said, face),
        "mapping": mapping,
        "parts": time_parts(table, mapping),
        "notes": read.notes if read else table.notes,
        "error": error,
        "shown": list(zip(table.lines[:_SHOWN_ROWS], table.first[:_SHOWN_ROWS], strict=True)),
    }
    return page(request, "log.html", context, status=422 if (asked and refused) or flight is not None else 200)


def open_table(session: Session, sheet_id: int, log_id: int) -> tuple[LogRow, Sheet, Table]:
    row = store.fetch(session, log_id)
    sheet = sheet_store.as_sheet(sheet_store.fetch(session, sheet_id))
    return row, sheet, read_table(store.data_of(row))
