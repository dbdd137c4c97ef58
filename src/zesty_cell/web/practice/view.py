"""Practice: which drill comes next, one as it is flown, and one as it was."""

from __future__ import annotations

import secrets
from typing import Annotated, Any

from fastapi import APIRouter, Query, Request
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse, Response
from sqlalchemy.exc import OperationalError

from zesty_cell.core.errors import OutOfRangeError, ZestyCellError
from zesty_cell.core.fact import fact
from zesty_cell.core.practice.drills import DRILLS
from zesty_cell.core.practice.flown import play
from zesty_cell.core.practice.shown import times_life
from zesty_cell.core.practice.told import (
    judgement,
    task,
)
from zesty_cell.services.practice import keep
from zesty_cell.web.drawing.practice_air import air
from zesty_cell.web.http import NOT_STORED, PostedForm, Store, page, preferences_of, said_to, whole_number
from zesty_cell.web.practice.listed import drills_listed
from zesty_cell.web.practice.shown import played_json
from zesty_cell.web.practice.typed import decisions_of, drill_of, moment_s_of
from zesty_cell.words.face import Face
from zesty_cell.words.practice import actions_of

router = APIRouter(prefix="/practice", include_in_schema=False)


@router.get("")
def list_drills(request: Request, session: Store) -> HTMLResponse:
    """Every drill with how one stands, and which comes next."""
    return drills_listed(request, session)


@router.get("/{key}")
def show_drill(
    request: Request, session: Store, key: str,
    seed: Annotated[str, Query(max_length=12)] = "", sheet: Annotated[str, Query(max_length=12)] = "",
) -> Response:  # fmt: skip
    """A drill, ready to begin; its truth is drawn anew where no seed is given."""
    number = whole_number(seed) or 1 + secrets.randbelow(999_999_998)
    if key == "own" and not sheet:
        return drills_listed(request, session, trouble=fact("typed.drill.sheet"), status=422)
    try:
        scenario, sheet_id = drill_of(session, key, {"seed": str(number), "sheet": sheet})
    except OutOfRangeError as error:
        return drills_listed(
            request, session, trouble=error.why, status=404 if key not in (*DRILLS, "own") else 422
        )
    place = (DRILLS.index(scenario.key) + 1) if scenario.key in DRILLS else None
    context: dict[str, Any] = {
        "scenario": scenario, "title": judgement(scenario.key), "task": task(scenario.key), "place": place,
        "count": len(DRILLS), "sheet_id": sheet_id, "air": air(scenario.mission.out_m),
        "actions": actions_of(scenario), "speed": times_life(scenario.turn_s),
        "rotor": scenario.believed.craft.lifts_itself(),
    }  # fmt: skip
    return page(request, "practice_drill.html", context)


@router.post("/{key}/play")
def fly_on(request: Request, session: Store, key: str, form: PostedForm) -> Response:
    """The drill with the decisions made so far, from the last one on."""
    try:
        scenario, _ = drill_of(session, key, form)
        decisions = decisions_of(form)
        from_s = moment_s_of(form.get("from", "0"))
    except (ValueError, ZestyCellError):
        return JSONResponse({"trouble": said_to(request, fact("typed.drill.not_flown_on"))}, status_code=422)
    face = Face(preferences_of(request))
    return JSONResponse(played_json(play(scenario, decisions), face, from_s=from_s))


@router.post("/{key}/done")
def end_drill(request: Request, session: Store, key: str, form: PostedForm) -> Response:
    """Score a drill that is over, and keep it."""
    answer = form.get("answer", "")
    try:
        scenario, sheet_id = drill_of(session, key, form)
        decisions = decisions_of(form)
    except (ValueError, ZestyCellError):
        return drills_listed(request, session, trouble=fact("typed.drill.not_scored"), status=422)
    try:
        told_answer = int(answer) if answer.isascii() and answer.isdigit() and len(answer) == 1 else None
        row = keep(session, scenario, decisions, answer=told_answer, sheet_id=sheet_id)
        session.commit()
    except OperationalError:
        session.rollback()
        return drills_listed(request, session, trouble=NOT_STORED, status=503)
    return RedirectResponse(f"/practice/flown/{row.id}", 303)
