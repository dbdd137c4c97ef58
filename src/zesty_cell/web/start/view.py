"""Start: three questions, the answer that grows beside them, and keeping it."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from sqlalchemy.orm import Session

from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import Words, fact
from zesty_cell.core.parts.craft import Craft
from zesty_cell.core.parts.pack import Pack
from zesty_cell.services.patterns import known_patterns
from zesty_cell.services.starting import FirstAnswer, first_answer, first_sheet, keep
from zesty_cell.store.hangar import CRAFTS, PACKS
from zesty_cell.web.http import PostedForm, Store, page, preferences_of, say
from zesty_cell.web.http.forms import Typed
from zesty_cell.web.start.form import StartForm, in_units, read_start
from zesty_cell.web.start.questions import questions
from zesty_cell.web.start.shown import answer_shown
from zesty_cell.words.face import Face

router = APIRouter(include_in_schema=False)


def _read(session: Session, form: dict[str, str]) -> StartForm:
    def pack_of(pack_id: int) -> Pack | None:
        return PACKS.find(session, pack_id)

    def craft_of(craft_id: int) -> Craft | None:
        return CRAFTS.find(session, craft_id)

    return read_start(form, craft_of=craft_of, pack_of=pack_of, patterns=known_patterns(session))


def _shown(request: Request, session: Session, form: StartForm, *, trouble: Words = "") -> dict[str, Any]:
    face = Face(view := preferences_of(request))
    form = in_units(form, view.units)
    answer: FirstAnswer | None = None
    try:
        answer = first_answer(session, form.asked)
        first = answer.first
    except OutOfRangeError as error:
        first, trouble = first_sheet(form.asked), error.why
    return questions(form, first, session, face) | answer_shown(form, answer, face, why=trouble)


@router.get("/start")
def start(request: Request, session: Store) -> HTMLResponse:
    """Nothing said yet: the usual craft with its usual pack."""
    form = _read(session, Typed({"units": preferences_of(request).units}))
    return page(request, "start.html", _shown(request, session, form))


@router.post("/start")
def answer(request: Request, session: Store, form: PostedForm) -> Response:
    """The answer to what is being typed; kept as craft, pack and sheet where that is asked."""
    read = _read(session, form)
    if form.get("action") != "keep":
        return page(request, "start.html", _shown(request, session, read))
    shown = _shown(request, session, read)
    if shown["answer"] is None or read.errors:
        return page(request, "start.html", shown, status=422)
    row = keep(session, read.asked)
    return say(
        RedirectResponse(f"/sheets/{row.id}", 303),
        fact("said.first.kept"),
    )
