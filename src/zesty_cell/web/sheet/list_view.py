"""The list of sheets: a new one, one from a file."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Form, Request, UploadFile
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from sqlalchemy.orm import Session

from zesty_cell.core.answer.plausibility import sheet_doubts
from zesty_cell.formats.errors import FileFormatError
from zesty_cell.formats.sheet_json import read_sheet
from zesty_cell.store import sheets as store
from zesty_cell.store import unreadable
from zesty_cell.web.drawing.pack_picture import pack_picture
from zesty_cell.web.http import Store, page, preferences_of, say
from zesty_cell.words.say import say as say_fact

router = APIRouter(include_in_schema=False)


@router.get("/sheets")
def list_sheets(request: Request, session: Store) -> HTMLResponse:
    """Every sheet, newest change first."""
    return _list_page(request, session)


def _list_page(request: Request, session: Session, *, error: str = "", status: int = 200) -> HTMLResponse:
    rows = sorted(store.all_sheets(session), key=lambda r: r.updated_at, reverse=True)
    items = [
        (row, sheet, pack_picture(sheet.pack, width=104.0)) for row in rows for sheet in (store.as_sheet(row),)
    ]
    context = {
        "items": items,
        "import_error": error,
        "cannot_be_read": unreadable.count(session),
    }
    return page(request, "sheets.html", context, status=status)


@router.post("/sheets/import")
def import_sheet(request: Request, session: Store, file: Annotated[UploadFile, Form()]) -> Response:
    """Load a sheet from a file."""
    try:
        sheet = read_sheet(file.file.read())
    except FileFormatError as error:
        return _list_page(request, session, error=str(error), status=422)
    row = store.bring_in(session, sheet)
    odd = " ".join(say_fact(d.why, preferences_of(request)) for d in sheet_doubts(sheet))
    words = f"Loaded. Unlikely in it: {odd}"[:400] if odd else "Loaded."
    return say(RedirectResponse(f"/sheets/{row.id}", 303), words)
