"""Up to six telemetry logs side by side, and what each fell by in its climbs."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query, Request
from fastapi.responses import HTMLResponse

from zesty_cell.core.learn.climbs import BEGINNINGS, Beginning
from zesty_cell.services.logs_beside import MOST_LOGS, logs_beside, offered
from zesty_cell.web.drawing.logs_chart import logs_chart
from zesty_cell.web.http import Store, page, whole_number

router = APIRouter(prefix="/tests/logs", include_in_schema=False)


@router.get("")
def show_logs(
    request: Request,
    session: Store,
    log: Annotated[list[str], Query(max_length=60)] = [],  # noqa: B006 - FastAPI's way of a list in an address
    begin: Annotated[str, Query(max_length=12)] = "take-off",
) -> HTMLResponse:
    """The chosen logs from one moment on."""
    beginning: Beginning = begin if begin in BEGINNINGS else "take-off"
    ids = [whole_number(text) for text in log]
    beside, trouble = logs_beside(session, ids, beginning=beginning)
    context = {
        "offered": offered(session), "beside": beside, "trouble": trouble, "beginning": beginning,
        "chosen": {b.of.row.id for b in beside}, "chart": logs_chart(beside), "too_many": len(set(ids)) > MOST_LOGS,
        "beginnings": BEGINNINGS,
    }  # fmt: skip
    return page(request, "logs_beside.html", context)
