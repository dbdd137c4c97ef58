"""What its flights taught about a sheet: the forecast before and after, each figure, each flight; on or off."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from zesty_cell.core.asked.sheet import corrected
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import fact
from zesty_cell.services.forecasts import flown
from zesty_cell.services.learning import corrected_sheet, learned_from, lessons, sensor_of, with_its_pack
from zesty_cell.store import sheets as store
from zesty_cell.web.http import PostedForm, Store, page, say
from zesty_cell.web.taught.lesson import lessons_shown

router = APIRouter(prefix="/sheets", include_in_schema=False)


@router.get("/{sheet_id}/taught")
def show(request: Request, session: Store, sheet_id: int) -> Response:
    """The forecast without and with the log, and what each flight taught."""
    row = store.fetch(session, sheet_id)
    sheet = with_its_pack(row)
    of = lessons(session, sheet, craft_id=row.craft_id, pack=row.pack)
    learned = learned_from(of, sheet=sheet)
    context: dict[str, Any] = {
        "row": row,
        "sheet": sheet,
        "learned": None,
        "trouble": "",
        "by_others": None if of else corrected_sheet(session, row).learned_factors,
    }
    if learned is None:
        return page(request, "taught.html", context)
    learned_factors = learned.learned_factors(str(row.pack_id))
    try:
        sensor = sensor_of(session, row.craft_id)
        before, after = (flown(corrected(sheet, by, sensor=sensor)) for by in (None, learned_factors))
    except OutOfRangeError as error:
        return page(request, "taught.html", context | {"trouble": error.why})
    context |= lessons_shown(of, learned, learned_factors, sheet, before, after)
    return page(request, "taught.html", context)


@router.post("/{sheet_id}/taught")
def switch(session: Store, sheet_id: int, form: PostedForm) -> Response:
    """Let the sheet go by its log, or by itself."""
    row = store.fetch(session, sheet_id)
    row.from_log = form.get("from_log") == "1"
    session.flush()
    words = fact("said.taught.by_log") if row.from_log else fact("said.taught.by_sheet")
    return say(RedirectResponse(f"/sheets/{sheet_id}/taught", 303), words)
