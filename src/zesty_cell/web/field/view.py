"""The field page: pick, set the timer, land; then what the pilot has, and the charger's word."""

from __future__ import annotations

import math
import uuid
from typing import Annotated, Any

from fastapi import APIRouter, Query, Request
from fastapi.responses import JSONResponse, RedirectResponse, Response
from sqlalchemy.orm import Session

from zesty_cell.services.learning import current_sensor
from zesty_cell.store.errors import MissingRecordError
from zesty_cell.web.drawing.timer_chart import TimerChart, timer_chart
from zesty_cell.web.field.desk import FieldDesk
from zesty_cell.web.field.entries import CHARGED, DETAILS, Taken, take_entry
from zesty_cell.web.health.view import storage_reminders
from zesty_cell.web.http.database import Store
from zesty_cell.web.http.messages import say
from zesty_cell.web.http.posted import PostedForm
from zesty_cell.web.http.templating import page
from zesty_cell.words.sensors import sensor_words

router = APIRouter(include_in_schema=False)
_SAID = {"landed": "Landed.", "details": "Kept.", "charged": "Charged."}


def _chart(desk: FieldDesk) -> TimerChart | None:
    if desk.timer is None or desk.expects is None:
        return None
    share, low, _ = desk.expects
    down_s = desk.timer.down_s
    sigma = math.log(share / low) / 1.96
    return timer_chart(desk.rates, desk.timer, landing_used=desk.landing_used, rate=share / down_s, sigma=sigma)


def _page(
    request: Request, session: Session, *, craft: int, pack: int, as_it_is: bool = False,
    taken: Taken | None = None, form: dict[str, str] | None = None, status: int = 200,
) -> Response:  # fmt: skip
    desk = FieldDesk(session, craft_id=craft, pack_id=pack, as_it_is=as_it_is)
    context: dict[str, Any] = {
        "desk": desk,
        "result": desk.result,
        "chart": _chart(desk),
        # A pack stands in one place: what waits for the charger, or is in hand, is not told of again.
        "store": storage_reminders(
            session,
            [c.row for c in desk.packs if not c.flown and (desk.pack is None or c.row.id != desk.pack.id)],
        ),
        "sensor": ""
        if desk.craft is None
        else sensor_words(current_sensor(session, desk.craft.id), sensor="current"),
        "details": DETAILS,
        "charged": CHARGED,
        "errors": taken.errors if taken else {},
        "asked": " ".join(taken.asked) if taken else "",
        "typed": form or {},
        "names": [uuid.uuid4().hex for _ in range(2 + len(desk.waiting))],
    }
    return page(request, "field.html", context, status=status)


@router.get("/field")
def field(
    request: Request,
    session: Store,
    craft: Annotated[int, Query(ge=0)] = 0,
    pack: Annotated[int, Query(ge=0)] = 0,
    as_it_is: Annotated[str, Query(max_length=1)] = "",
) -> Response:
    """The craft and pack in hand; ``as_it_is`` flies one that is not full by what is in it."""
    return _page(request, session, craft=craft, pack=pack, as_it_is=as_it_is == "1")


@router.post("/field/entries")
def entries(request: Request, session: Store, form: PostedForm) -> Response:
    """Take one entry, from the form itself or from what the browser kept while the line was down."""
    try:
        taken = take_entry(session, form)
    except MissingRecordError as error:
        taken = Taken(errors={"": str(error)})
    if taken.errors:
        session.rollback()
    else:
        session.commit()  # acknowledged only once it is on disk
    if "application/json" in request.headers.get("accept", ""):
        return JSONResponse(
            {"flight": taken.flight_id, "errors": taken.errors, "asked": list(taken.asked)},
            status_code=422 if taken.errors else 200,
        )
    if taken.errors:
        return _page(request, session, craft=0, pack=0, taken=taken, form=form, status=422)
    return say(RedirectResponse("/field", 303), _SAID[form["kind"]])
