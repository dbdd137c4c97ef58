"""The sheet page and the list of sheets."""

from __future__ import annotations

from typing import Annotated
from urllib.parse import quote

from fastapi import APIRouter, Query, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm.exc import StaleDataError

from zesty_cell.core.fact import fact
from zesty_cell.formats.sheet_json import write_sheet
from zesty_cell.store import sheets as store
from zesty_cell.store.errors import EditConflictError
from zesty_cell.web.http import PostedForm, Store, page, say
from zesty_cell.web.sheet.context import sheet_context
from zesty_cell.web.sheet.typed import read_typed
from zesty_cell.words.calls import card_plan

router = APIRouter(include_in_schema=False)


@router.get("/sheets/{sheet_id}")
def show_sheet(
    request: Request,
    session: Store,
    sheet_id: int,
    also_try: Annotated[str, Query(alias="try", max_length=30)] = "",
    land_at: Annotated[float | None, Query(ge=0.8, le=4.35)] = None,
) -> HTMLResponse:
    """One sheet; ``try`` names a change to look at, ``land_at`` a loaded voltage to land at: not saved yet."""
    row = store.fetch(session, sheet_id)
    return page(
        request, "sheet.html", sheet_context(request, session, row, None, also_try=also_try, land_at_v=land_at)
    )


@router.post("/sheets/{sheet_id}")
def change_sheet(request: Request, session: Store, sheet_id: int, form: PostedForm) -> Response:
    """Look at a change, or save it: the same form either way."""
    row = store.fetch(session, sheet_id)
    read = read_typed(session, form, store.as_sheet(row))
    if form.get("action") != "save":
        return page(request, "sheet.html", sheet_context(request, session, row, read))
    context = sheet_context(request, session, row, read)
    if read.sheet is None or context["errors"] or read.craft_id is None or read.pack_id is None:
        return page(request, "sheet.html", context, status=422)
    try:
        store.change(session, sheet_id, read.version, read.sheet, craft_id=read.craft_id, pack_id=read.pack_id)
        session.commit()  # here, not after the handler: a full disk must not cost what was typed
    except EditConflictError as error:
        return page(request, "sheet.html", context | {"conflict": error.why}, status=409)
    except (StaleDataError, OperationalError):
        # Two saves in the same moment, or a database that is locked or full: what was typed stays.
        session.rollback()
        words = fact("typed.not_stored.save")
        return page(request, "sheet.html", context | {"conflict": words}, status=503)
    return say(RedirectResponse(f"/sheets/{sheet_id}", 303), fact("said.saved"))


@router.post("/sheets/{sheet_id}/copy")
def save_as_copy(request: Request, session: Store, sheet_id: int, form: PostedForm) -> Response:
    """Keep what is being typed as a new sheet; from the list, where nothing is typed, the stored one."""
    row = store.fetch(session, sheet_id)
    if "craft_id" not in form:
        copy = store.duplicate(session, sheet_id)
        return say(RedirectResponse(f"/sheets/{copy.id}", 303), fact("said.copy"))
    read = read_typed(session, form, store.as_sheet(row))
    if read.sheet is None or read.craft_id is None or read.pack_id is None:
        return page(request, "sheet.html", sheet_context(request, session, row, read), status=422)
    copy = store.add_copy(session, read.sheet, of=sheet_id, craft_id=read.craft_id, pack_id=read.pack_id)
    return say(RedirectResponse(f"/sheets/{copy.id}", 303), fact("said.kept_as_copy"))


@router.post("/sheets/{sheet_id}/delete")
def delete_sheet(session: Store, sheet_id: int) -> Response:
    """Delete, with undo."""
    row = store.delete(session, sheet_id)
    return say(
        RedirectResponse("/sheets", 303),
        fact("said.named.deleted", name=row.name),
        undo=f"/sheets/{sheet_id}/undelete",
    )


@router.post("/sheets/{sheet_id}/undelete")
def undelete_sheet(session: Store, sheet_id: int) -> Response:
    """Undo a delete."""
    row = store.restore(session, sheet_id)
    return say(RedirectResponse(f"/sheets/{sheet_id}", 303), fact("said.named.back", name=row.name))


@router.get("/sheets/{sheet_id}/card")
def setup_card(
    request: Request, session: Store, sheet_id: int, sides: Annotated[str, Query(max_length=1)] = "2"
) -> HTMLResponse:
    """The setup card: one A5 side to fly by, and a second one to set the transmitter by."""
    row = store.fetch(session, sheet_id)
    context = sheet_context(request, session, row, None)
    now = context["plan"]
    card = card_plan(now.plan, series=context["sheet"].pack.series) if now else None
    return page(request, "card.html", context | {"callouts": card, "sides": 1 if sides == "1" else 2})


@router.get("/sheets/{sheet_id}/export")
def export_sheet(session: Store, sheet_id: int) -> Response:
    """The sheet as open JSON."""
    row = store.fetch(session, sheet_id)
    plain = (
        "".join(c if c.isascii() and (c.isalnum() or c in "-_") else "-" for c in row.name).strip("-") or "sheet"
    )
    names = f"attachment; filename=\"{plain}.json\"; filename*=UTF-8''{quote(row.name, safe='')}.json"
    return Response(
        write_sheet(store.as_sheet(row)), media_type="application/json", headers={"Content-Disposition": names}
    )
