"""Search: thousands of imagined packs under the pilot's limits, the front, the best of them."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Form, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from zesty_cell.core.choose.candidates import MOST_CANDIDATES, SearchSpace, candidate_count, candidates, narrowed
from zesty_cell.core.choose.search import Found, SearchLimits, search
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.flight.setup import set_up
from zesty_cell.services.turns import BusyError
from zesty_cell.web.choose.base import Origin, base_context, origin_of
from zesty_cell.web.choose.hits import BRUSH, found_context
from zesty_cell.web.choose.jobs import Job, Jobs
from zesty_cell.web.choose.question import (
    ARRANGEMENTS,
    LIMIT_FIELDS,
    SPACE_FIELDS,
    narrowed_query,
    read_question,
    search_key,
)
from zesty_cell.web.http import Store, kept_of, page, preferences_of
from zesty_cell.words.face import Face
from zesty_cell.words.landing import CHEMISTRY_WORDS

router = APIRouter(prefix="/choose", include_in_schema=False)


@router.get("/{sheet_id}/search")
def search_page(request: Request, session: Store, sheet_id: int) -> HTMLResponse:
    """Ask, wait a moment, show what was found or how far it is."""
    view = preferences_of(request)
    face = Face(view)
    origin = origin_of(session, sheet_id)
    question = read_question(origin, request, view.units)
    context: dict[str, Any] = base_context(origin, face, "/search") | {
        "title": f"Search a pack for {origin.sheet.craft.name}",
        "question": question,
        "texts": question.state.texts,
        "errors": question.state.errors,
        "units_used": question.state.units,
        "space_fields": {f.path: f for f in SPACE_FIELDS},
        "limit_fields": LIMIT_FIELDS,
        "chemistry_words": CHEMISTRY_WORDS,
        "arrangement_words": ARRANGEMENTS,
        "job": None,
        "found": None,
        "too_many": None,
        "trouble": "",
        "count": None,
        "query": request.query_params,
        "most": MOST_CANDIDATES,
        "brush": {name: request.query_params.get(name, "")[:20] for name in BRUSH},
    }
    if question.space is None or question.limits is None:
        return page(request, "choose_search.html", context, status=422)
    count = candidate_count(question.space)
    context["count"] = count
    if count > MOST_CANDIDATES:
        smaller = narrowed(question.space)
        context["too_many"] = {
            "count": count,
            "space": smaller,
            "smaller": candidate_count(smaller),
            "query": narrowed_query(request, smaller, question.state.units),
        }
        return page(request, "choose_search.html", context, status=422)
    try:
        set_up(origin.sheet)
    except OutOfRangeError as error:  # what the sheet cannot do, none of its packs can
        return page(request, "choose_search.html", context | {"trouble": error.why}, status=422)
    try:
        job = _start(request, origin, question.space, question.limits)
    except BusyError as error:  # what was asked stays in the form
        return page(request, "choose_search.html", context | {"trouble": error.why}, status=503)
    context["job"] = job
    if job.error:
        question.state.errors["chemistries"] = job.error
        return page(request, "choose_search.html", context, status=422)
    if job.found is not None:
        context |= found_context(job.found, origin, context["brush"])
    return page(request, "choose_search.html", context)


def _start(request: Request, origin: Origin, space: SearchSpace, limits: SearchLimits) -> Job:
    jobs = kept_of(request, Jobs)
    sheet = origin.sheet

    def work(job: Job) -> Found:
        packs = tuple(candidates(space, like=sheet.pack))
        return search(sheet, packs=packs, limits=limits, progress=job.progress, cancelled=job.stopped)

    return jobs.start(search_key(origin, space, limits), work)


@router.post("/{sheet_id}/search/cancel")
def cancel_search(request: Request, sheet_id: int, key: Annotated[str, Form(max_length=40)]) -> Response:
    """End a search that runs."""
    jobs = kept_of(request, Jobs)
    jobs.cancel(key)
    return RedirectResponse(f"/choose/{sheet_id}", 303)
