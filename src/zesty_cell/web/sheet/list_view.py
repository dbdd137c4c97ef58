"""The list of sheets: what each answers, before one opens it; one from a file."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Form, Query, Request, UploadFile
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from sqlalchemy.orm import Session

from zesty_cell.core.answer.plausibility import sheet_doubts
from zesty_cell.core.fact import Words, fact
from zesty_cell.formats.errors import FileFormatError
from zesty_cell.formats.sheet_json import read_sheet
from zesty_cell.services.sheet_answers import SheetAnswers
from zesty_cell.store import sheets as store
from zesty_cell.store import unreadable
from zesty_cell.web.http import Store, database_of, kept_of, page, said_to, say, whole_number
from zesty_cell.web.sheet.listed import ORDERS, Wanted, listed

router = APIRouter(include_in_schema=False)


@router.get("/sheets")
def list_sheets(
    request: Request,
    session: Store,
    q: Annotated[str, Query(max_length=80)] = "",
    order: Annotated[str, Query(max_length=12)] = "",
    at: Annotated[str, Query(max_length=6)] = "",
) -> HTMLResponse:
    """Every sheet with what it answers: found by words, in an order, fifty a page."""
    wanted = Wanted(words=q.strip(), order=order if order in ORDERS else "changed", page=max(whole_number(at), 1))
    return _list_page(request, session, wanted)


def _list_page(
    request: Request, session: Session, wanted: Wanted, *, error: Words = "", status: int = 200
) -> HTMLResponse:
    rows = store.heads(session)
    answers = kept_of(request, SheetAnswers).known(session, rows, sessions=database_of(request).session)
    context = {
        "listed": listed(session, rows, answers, wanted),
        "wanted": wanted,
        "orders": ORDERS,
        "any": bool(rows),
        "pending": len(answers) < len(rows),
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
        return _list_page(request, session, Wanted(), error=error.why, status=422)
    row = store.bring_in(session, sheet)
    odd = " ".join(said_to(request, d.why) for d in sheet_doubts(sheet))
    words = fact("said.loaded.odd", odd=odd) if odd else fact("said.loaded")
    return say(RedirectResponse(f"/sheets/{row.id}", 303), words)
