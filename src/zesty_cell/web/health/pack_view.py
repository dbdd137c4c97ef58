"""The health of one pack over its life, and the results of tests that are taken into it."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response
from pydantic import ValidationError
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

from zesty_cell.core.fact import Words, fact
from zesty_cell.core.faults import named
from zesty_cell.core.learn.health import (
    CAPACITY_RETIRE,
    CAPACITY_WATCH,
    RESISTANCE_RETIRE,
    RESISTANCE_WATCH,
)
from zesty_cell.core.parts.ownership import charge_now
from zesty_cell.core.parts.pack import after_tests
from zesty_cell.core.parts.results_line import ResultsRead, read_results
from zesty_cell.services.pack_health import healths
from zesty_cell.store import calibrations, cases
from zesty_cell.store.errors import EditConflictError
from zesty_cell.store.hangar import PACKS, ownership_of
from zesty_cell.web.drawing.health_chart import life_chart
from zesty_cell.web.drawing.pack_picture import pack_picture
from zesty_cell.web.http import NOT_STORED, PostedForm, Store, page, preferences_of, say, whole_number
from zesty_cell.web.http.forms import words_of
from zesty_cell.words.say import say as in_words

router = APIRouter(prefix="/hangar/health", include_in_schema=False)

#: So many cases of a pack stand on its page.
_CASES = 8


@router.get("/{pack_id}")
def show(request: Request, session: Store, pack_id: int) -> Response:
    """One pack over its life."""
    return _life(request, session, pack_id)


@router.post("/{pack_id}/results")
def take_results(request: Request, session: Store, pack_id: int, form: PostedForm) -> Response:
    """Test results of a pack, as they came, into its figures; what says nothing is told, and nothing is lost."""
    row = PACKS.fetch(session, pack_id)
    pack, line = PACKS.thing(row), form.get("results", "")
    read = read_results(line, pack=pack)
    if not read.tests or read.left_out:
        return _life(request, session, pack_id, line=line, read=read, status=422)
    try:
        tests = pack.tests.model_copy(update=read.tests)
        changed = after_tests(pack, tests)
        PACKS.change(session, pack_id, whole_number(form.get("version", "")), changed)
        session.commit()
    except ValidationError as error:
        session.rollback()
        trouble = words_of(error.errors(include_url=False)[0])
        return _life(request, session, pack_id, line=line, read=read, trouble=trouble, status=422)
    except (EditConflictError, OperationalError) as error:
        session.rollback()
        status, words = (503, NOT_STORED) if isinstance(error, OperationalError) else (409, error.why)
        return _life(request, session, pack_id, line=line, read=read, trouble=words, status=status)
    words = "; ".join(in_words(one, preferences_of(request)) for one in read.understood)
    return say(RedirectResponse(f"/hangar/health/{pack_id}", 303), fact("said.health.kept", what=words))


def _life(
    request: Request,
    session: Session,
    pack_id: int,
    *,
    line: str = "",
    read: ResultsRead | None = None,
    trouble: Words = "",
    status: int = 200,
) -> Response:
    row = PACKS.fetch(session, pack_id)
    pack = PACKS.thing(row)
    of = healths(session, [row]).get(row.id)
    dry = () if of is None or of.weakest is None else (of.weakest,)
    charge = charge_now(pack=pack, ownership=ownership_of(row))
    context: dict[str, Any] = {
        "row": row,
        "pack": pack,
        "health": of,
        "charge": 1.0 if charge is None else charge,
        "picture": pack_picture(pack, width=216.0, dry=dry),
        "capacity": None
        if of is None
        else life_chart(of.capacity, watch=CAPACITY_WATCH, retire=CAPACITY_RETIRE, unit="mAh"),
        "resistance": None
        if of is None
        else life_chart(of.resistance, watch=RESISTANCE_WATCH, retire=RESISTANCE_RETIRE, unit="mΩ"),
        "checks": [made for made in calibrations.of_pack(session, pack_id) if made.kind == "cells"][::-1],
    }
    context |= {"was_off": cases.all_cases(session, pack_id=pack_id)[:_CASES], "was": named.was}
    context |= {"line": line, "read": read, "trouble": trouble}
    return page(request, "health_pack.html", context, status=status)
