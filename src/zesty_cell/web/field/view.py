"""The field page: pick, set the timer, land; then what the pilot has, and the charger's word."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query, Request
from fastapi.responses import JSONResponse, RedirectResponse, Response

from zesty_cell.core.choose.fits import could_fly
from zesty_cell.core.fact import fact
from zesty_cell.paired import right_of
from zesty_cell.services.starting import sheet_with
from zesty_cell.store.hangar import CRAFTS, PACKS
from zesty_cell.web.field.entries import take_one
from zesty_cell.web.field.shown import _SAID, field_page
from zesty_cell.web.http import PostedForm, Store, said_to, say, whole_number

router = APIRouter(include_in_schema=False)


@router.get("/field")
def field(
    request: Request,
    session: Store,
    craft: Annotated[int, Query(ge=0)] = 0,
    pack: Annotated[int, Query(ge=0)] = 0,
    as_it_is: Annotated[str, Query(max_length=1)] = "",
) -> Response:
    """The craft and pack in hand; ``as_it_is`` flies one that is not full by what is in it.

    A device that is paired for the field alone has the phone's page: links lead on from this one to all others.
    """
    if right_of(request.scope) == "field":
        return RedirectResponse("/pocket", 303)
    return field_page(request, session, craft=craft, pack=pack, as_it_is=as_it_is == "1")


@router.post("/field/sheet")
def first_sheet(session: Store, form: PostedForm) -> Response:
    """A sheet for a craft and a pack that have none together yet, and back to the field with it."""
    craft = CRAFTS.fetch(session, whole_number(form.get("craft", "")))
    pack = PACKS.fetch(session, whole_number(form.get("pack", "")))
    back = f"/field?craft={craft.id}&pack={pack.id}"
    if not could_fly(CRAFTS.thing(craft), PACKS.thing(pack)):
        return say(RedirectResponse(back, 303), fact("said.field.does_not_take", craft=craft.name, pack=pack.name))
    row = sheet_with(session, craft, pack)
    session.commit()
    return say(RedirectResponse(back, 303), fact("said.field.sheet", name=row.name))


@router.post("/field/entries")
def entries(request: Request, session: Store, form: PostedForm) -> Response:
    """Take one entry, from the form itself or from what the browser kept while the line was down."""
    taken = take_one(session, form)
    if "application/json" in request.headers.get("accept", ""):
        return JSONResponse(
            {
                "flight": taken.flight_id,
                "errors": {k: said_to(request, w) for k, w in taken.errors.items()},
                "asked": list(taken.asked),
            },
            status_code=422 if taken.errors else 200,
        )
    if taken.errors:
        return field_page(request, session, craft=0, pack=0, taken=taken, form=form, status=422)
    return say(RedirectResponse("/field", 303), _SAID.get(form.get("kind", ""), fact("said.taken_before")))
