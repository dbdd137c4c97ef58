"""The phone's page, and the day that it takes along."""

from __future__ import annotations

from fastapi import APIRouter, Request
from fastapi.responses import Response

from zesty_cell.services.pocket import Pocket
from zesty_cell.web.field.entries import CHARGED, DETAILS
from zesty_cell.web.http import Store, database_of, kept_of, page, preferences_of
from zesty_cell.web.pocket.day import FORM, day_of

router = APIRouter(include_in_schema=False)


@router.get("/pocket")
def shell(request: Request) -> Response:
    """The page itself: the same for everybody, filled from what the phone took along."""
    labels = {item.path: item.label for item in (*DETAILS, *CHARGED)}
    context = {"details": DETAILS, "charged": CHARGED, "labels": labels, "form": FORM}
    return page(request, "pocket.html", context)


@router.get("/pocket/day")
def day(request: Request, session: Store) -> Response:
    """Every craft with its packs, as it is known now; 304 for a phone that has just that."""
    found = day_of(
        session, kept_of(request, Pocket), preferences_of(request), sessions=database_of(request).session
    )
    headers = {"ETag": f'"{found.mark}"'}
    if found.mark in request.headers.get("if-none-match", ""):
        return Response(status_code=304, headers=headers)
    return Response(found.body, media_type="application/json", headers=headers)
