"""A drill as it was flown, laid open."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse

from zesty_cell.core.errors import ZestyCellError
from zesty_cell.core.fact import fact
from zesty_cell.core.practice.asked import question
from zesty_cell.core.practice.drills import DRILLS
from zesty_cell.core.practice.flown import play
from zesty_cell.core.practice.score import ideal
from zesty_cell.core.practice.told import (
    hidden,
    judgement,
    lesson,
    told,
)
from zesty_cell.services.practice import kept, next_of, scenario_of, standings
from zesty_cell.store import practice
from zesty_cell.web.drawing.practice_chart import practice_chart
from zesty_cell.web.http import Store, page
from zesty_cell.web.practice.listed import drills_listed
from zesty_cell.words.practice import DECIDED

router = APIRouter(prefix="/practice", include_in_schema=False)


@router.get("/flown/{attempt_id}")
def show_flown(request: Request, session: Store, attempt_id: int) -> HTMLResponse:
    """A drill as it was flown, laid open."""
    row = practice.fetch(session, attempt_id)
    attempt = practice.attempt_of(row)
    try:
        scenario = scenario_of(session, attempt.drill, seed=attempt.seed, sheet_id=attempt.sheet)
    except ZestyCellError:
        gone = fact("typed.drill.no_sheet", drill=attempt.name)
        return drills_listed(request, session, trouble=gone, status=404)
    played = play(scenario, attempt.decisions)
    asked, now = question(played), datetime.now(UTC)
    context: dict[str, Any] = {
        "attempt": attempt, "title": judgement(attempt.drill), "lesson": lesson(attempt.drill),
        "told": told(played), "hidden": hidden(played), "asked": asked, "best": ideal(scenario),
        "chart": practice_chart(played, words=DECIDED), "next": next_of(standings(kept(session), now=now)),
        "titles": {key: judgement(key) for key in DRILLS},
    }  # fmt: skip
    return page(request, "practice_flown.html", context)
