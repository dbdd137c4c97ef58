"""The field page: pick, set the timer, land; then what the pilot has, and the charger's word."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query, Request
from fastapi.responses import JSONResponse, RedirectResponse, Response

from zesty_cell.store.errors import MissingRecordError
from zesty_cell.web.field.entries import Taken, take_entry
from zesty_cell.web.field.shown import _SAID, field_page
from zesty_cell.web.http import PostedForm, Store, preferences_of, say
from zesty_cell.words.say import say as say_fact

router = APIRouter(include_in_schema=False)


@router.get("/field")
def field(
    request: Request,
    session: Store,
    craft: Annotated[int, Query(ge=0)] = 0,
    pack: Annotated[int, Query(ge=0)] = 0,
    as_it_is: Annotated[str, Query(max_length=1)] = "",
) -> Response:
    """The craft and pack in hand; ``as_it_is`` flies one that is not full by what is in it."""
    return field_page(request, session, craft=craft, pack=pack, as_it_is=as_it_is == "1")


@router.post("/field/entries")
def entries(request: Request, session: Store, form: PostedForm) -> Response:
    """Take one entry, from the form itself or from what the browser kept while the line was down."""
    try:
        taken = take_entry(session, form)
    except MissingRecordError as error:
        taken = Taken(errors={"": error.why})
    if taken.errors:
        session.rollback()
    else:
        session.commit()  # acknowledged only once it is on disk
    if "application/json" in request.headers.get("accept", ""):
        return JSONResponse(
            {
                "flight": taken.flight_id,
                "errors": {k: say_fact(w, preferences_of(request)) for k, w in taken.errors.items()},
                "asked": list(taken.asked),
            },
            status_code=422 if taken.errors else 200,
        )
    if taken.errors:
        return field_page(request, session, craft=0, pack=0, taken=taken, form=form, status=422)
    return say(RedirectResponse("/field", 303), _SAID[form["kind"]])
