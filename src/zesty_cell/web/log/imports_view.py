"""Flights from a CSV: looked at first, line by line, then logged whole or not at all."""

from __future__ import annotations

import secrets
from datetime import UTC, tzinfo
from typing import Annotated, Any
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from fastapi import APIRouter, Form, Request, UploadFile
from fastapi.responses import RedirectResponse, Response

from zesty_cell.core.fact import fact
from zesty_cell.web.http import database_of, kept_of, page, say
from zesty_cell.web.log.importing import _PATIENCE_S, Import, Imports, look, write

router = APIRouter(prefix="/log/import", include_in_schema=False)
#: Lines listed on the page; the counts are of all.
SHOWN = 200


def _zone(name: str) -> tuple[tzinfo, str]:
    """A time zone by its name; UTC for one that this machine does not know."""
    try:
        return ZoneInfo(name), name
    except (ZoneInfoNotFoundError, ValueError, OSError):
        return UTC, "UTC"


@router.post("")
def bring_in(
    request: Request, file: Annotated[UploadFile, Form()], zone: Annotated[str, Form(max_length=60)] = "UTC"
) -> Response:
    """Look at a file; its lines are shown before anything is logged."""
    named, zone_name = _zone(zone)
    one = Import(secrets.token_hex(8), (file.filename or "flights.csv")[:80], named, zone_name)
    imports = kept_of(request, Imports)
    data, database = file.file.read(), database_of(request)
    imports.run(one, lambda: look(one, data, database), state="reading")
    imports.begin(one)
    return RedirectResponse(f"/log/import/{one.token}", 303)


@router.get("/{token}")
def show(request: Request, token: str) -> Response:
    """How far it is, or its lines with what becomes of each."""
    one = kept_of(request, Imports).get(token)
    if one is None:
        return say(RedirectResponse("/log", 303), fact("said.import.gone"))
    if one.running:
        one.over.wait(_PATIENCE_S)
    order = {"wrong": 0, "new": 1, "known": 2}
    listed = sorted(one.lines, key=lambda j: order[j.verdict])[:SHOWN] if not one.running else []
    context: dict[str, Any] = {"one": one, "listed": listed}
    return page(request, "import.html", context)


@router.post("/{token}/stop")
def stop(request: Request, token: str) -> Response:
    """Stop one that waits or is being read."""
    one = kept_of(request, Imports).get(token)
    if one is not None:
        one.stop()
        one.over.wait(_PATIENCE_S)
    return RedirectResponse(f"/log/import/{token}", 303)


@router.post("/{token}")
def confirm(request: Request, token: str) -> Response:
    """Log the new lines."""
    imports = kept_of(request, Imports)
    one = imports.get(token)
    if one is not None and one.state == "read":
        database = database_of(request)
        imports.run(one, lambda: write(one, database), state="writing")
    return RedirectResponse(f"/log/import/{token}", 303)
