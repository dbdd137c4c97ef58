"""What every screen needs: where one begins, and the view a person prefers."""

from __future__ import annotations

from typing import Annotated
from urllib.parse import urlsplit

from fastapi import APIRouter, Form, Request
from fastapi.responses import RedirectResponse, Response

from zesty_cell.paired import right_of
from zesty_cell.store import sheets as sheet_store
from zesty_cell.web.http import Store, preferences_of
from zesty_cell.web.http.preferences import remember

router = APIRouter(include_in_schema=False)


@router.get("/")
def home(request: Request, session: Store) -> Response:
    """The sheet changed last; the first questions while there is none; the phone's page, on one for the field."""
    if right_of(request.scope) == "field":
        return RedirectResponse("/pocket", 303)
    rows = sheet_store.all_sheets(session)
    if not rows:
        return RedirectResponse("/start", 303)
    newest = max(rows, key=lambda row: (row.updated_at, row.id))
    return RedirectResponse(f"/sheets/{newest.id}", 303)


def _way_back(referer: str) -> str:
    """Path and question of the page somebody came from; never to another site."""
    try:
        came_from = urlsplit(referer)
    except ValueError:
        return "/"
    if not came_from.path.startswith("/") or came_from.path.startswith(("//", "/\\")):
        return "/"
    return came_from.path + (f"?{came_from.query}" if came_from.query else "")


@router.post("/view")
def change_view(
    request: Request,
    name: Annotated[str, Form(max_length=20)],
    value: Annotated[str, Form(max_length=20)],
) -> Response:
    """Remember one choice of units, volts or theme, and go back to the page it was made on."""
    response = RedirectResponse(_way_back(request.headers.get("referer", "/")), 303)
    remember(response, preferences_of(request).changed(name, value))
    return response
