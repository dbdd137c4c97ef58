"""A telemetry log from the log of flights, where the sheet is chosen with the file."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Form, Request, UploadFile
from fastapi.responses import Response

from zesty_cell.web.callouts.log_taking import take_log
from zesty_cell.web.http import Store

router = APIRouter(prefix="/telemetry", include_in_schema=False)


@router.post("")
def bring_in(
    request: Request, session: Store, sheet: Annotated[int, Form(ge=1)], file: Annotated[UploadFile, Form()]
) -> Response:
    """Take a log whose flight is not logged yet: its page proposes the flight."""
    return take_log(request, session, sheet, file)
