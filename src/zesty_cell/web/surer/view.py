"""What would make a sheet's answer surer: where its width comes from, what to measure next, and the results."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session
from sqlalchemy.orm.exc import StaleDataError

from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import Words, fact
from zesty_cell.core.learn.surer import surer
from zesty_cell.services.advice import advise
from zesty_cell.services.measuring import keep_result
from zesty_cell.store import sheets as store
from zesty_cell.store.errors import EditConflictError
from zesty_cell.store.tables import SheetRow
from zesty_cell.web.http import NOT_STORED, PostedForm, Store, page, preferences_of, say
from zesty_cell.web.http.forms import Typed, form_units
from zesty_cell.web.surer.results import RESULTS, InputReader, causes_shown, measures_shown, read_results

router = APIRouter(prefix="/sheets", include_in_schema=False)


def _context(
    request: Request, session: Session, row: SheetRow, *, texts: dict[str, str], errors: dict[str, Words]
) -> dict[str, Any]:
    context: dict[str, Any] = {"row": row, "sheet": store.as_sheet(row), "trouble": ""}
    try:
        result = advise(session, row).result
    except OutOfRangeError as error:
        return context | {"trouble": error.why}
    found = surer(result)
    units = form_units(texts) if texts else preferences_of(request).units
    return context | {
        "result": result,
        "units": units,
        "measures": measures_shown(found.measures, result=result, texts=Typed(texts), errors=errors, units=units),
        "causes": causes_shown(found.causes),
        "pack_id": row.pack_id,
    }


@router.get("/{sheet_id}/surer")
def show(request: Request, session: Store, sheet_id: int) -> HTMLResponse:
    """Where the width of a sheet's answer comes from, and what to measure next."""
    row = store.fetch(session, sheet_id)
    return page(request, "surer.html", _context(request, session, row, texts={}, errors={}))


@router.post("/{sheet_id}/surer")
def take(request: Request, session: Store, sheet_id: int, form: PostedForm) -> Response:
    """Take the result of one measurement into craft or pack."""
    row = store.fetch(session, sheet_id)
    reader = InputReader(form, form_units(form))
    results = read_results(reader)
    key = form.get("measure", "")
    errors: dict[str, Words] = dict(reader.errors)
    if key in RESULTS and key not in results and not errors:
        errors[key] = fact("typed.reading.none")
    trouble: Words | None = None
    if not errors and key in results:
        try:
            trouble = keep_result(session, row, key, results[key])
            session.commit()
        except (EditConflictError, StaleDataError, OperationalError):
            session.rollback()
            row, trouble = store.fetch(session, sheet_id), NOT_STORED
    if trouble is not None:
        errors[key] = trouble
    if errors:
        return page(request, "surer.html", _context(request, session, row, texts=form, errors=errors), status=422)
    said = fact("said.reading.taken") if key in results else fact("said.reading.none")
    return say(RedirectResponse(f"/sheets/{sheet_id}/surer", 303), said)
