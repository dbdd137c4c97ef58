"""The drawer of discharge runs, and up to a dozen of them over one another."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from zesty_cell.core.fact import fact
from zesty_cell.store import discharges
from zesty_cell.web.discharge.shown import drawer
from zesty_cell.web.http import Store, page, say

router = APIRouter(prefix="/tests/discharges", include_in_schema=False)
_Chosen = Annotated[list[str], Query(max_length=200)]


@router.get("")
def show_drawer(
    request: Request,
    session: Store,
    run: _Chosen = [],  # noqa: B006 - FastAPI's way of a list in an address
    against: Annotated[str, Query(max_length=12)] = "charge",
    cutoff: Annotated[str, Query(max_length=12)] = "",
) -> HTMLResponse:
    """Every run by its pack; the chosen ones drawn, with what each gives to the cutoff."""
    shown = drawer(session, ids=run, query={"against": against, "cutoff": cutoff})
    return page(request, "discharges.html", {"drawer": shown})


@router.get("/found/{run_id}")
def show_run(session: Store, run_id: int) -> Response:
    """One run, chosen in the drawer."""
    row = discharges.fetch(session, run_id)
    return RedirectResponse(f"/tests/discharges?run={row.id}", 303)


@router.post("/{run_id}/delete")
def delete_run(session: Store, run_id: int) -> Response:
    """Delete a run; the message offers to undo it."""
    row = discharges.delete(session, run_id)
    undo = f"/tests/discharges/{run_id}/restore"
    return say(RedirectResponse("/tests/discharges", 303), fact("said.named.deleted", name=row.name), undo=undo)


@router.post("/{run_id}/restore")
def restore_run(session: Store, run_id: int) -> Response:
    """Undo a delete."""
    row = discharges.restore(session, run_id)
    return say(RedirectResponse("/tests/discharges", 303), fact("said.named.back", name=row.name))
