"""The phone's page, and the day that it takes along."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Request
from fastapi.responses import JSONResponse, Response
from pydantic import BaseModel, Field

from zesty_cell.services.pocket import Pocket
from zesty_cell.web.field.entries import CHARGED, DETAILS, KINDS, RESTS, ForetoldLately, take_several
from zesty_cell.web.http import Store, database_of, kept_of, page, preferences_of
from zesty_cell.web.pocket.day import FORM, day_of
from zesty_cell.words.say import say

router = APIRouter(include_in_schema=False)

#: So many entries come together at most, each with so many fields of such a length.
MOST_ENTRIES = 50
_Text = Annotated[str, Field(max_length=20_000)]


class Entries(BaseModel):
    """Entries of a phone, in the order in which they were made."""

    entries: Annotated[list[Annotated[dict[_Text, _Text], Field(max_length=40)]], Field(max_length=MOST_ENTRIES)]


@router.post("/pocket/entries")
def entries(request: Request, session: Store, several: Entries) -> JSONResponse:
    """Take entries in order, each once; what became of each."""
    reader = preferences_of(request)
    foretold = kept_of(request, ForetoldLately).now()
    # What the phone flew by was worked out already; only what it lacks is foretold here.
    for where, ready in kept_of(request, Pocket).foretold().items():
        foretold.setdefault(where, ready)
    found = take_several(session, several.entries, foretold)
    return JSONResponse(
        {
            "taken": [
                {
                    "flight": taken.flight_id,
                    "errors": {name: say(words, reader) for name, words in taken.errors.items()},
                    "asked": list(taken.asked),
                }
                for taken in found
            ]
        }
    )


@router.get("/pocket")
def shell(request: Request) -> Response:
    """The page itself: the same for everybody, filled from what the phone took along."""
    labels = {item.path: item.label for item in (*DETAILS, *CHARGED)}
    context = {
        "details": DETAILS,
        "charged": CHARGED,
        "rests": RESTS[0],
        "labels": labels,
        "kinds": KINDS,
        "form": FORM,
    }
    return page(request, "pocket.html", context)


@router.get("/pocket/day")
def day(request: Request, session: Store) -> Response:
    """Every craft with its packs, as it is known now; 304 for a phone that has just that."""
    found = day_of(
        session, kept_of(request, Pocket), preferences_of(request), sessions=database_of(request).session
    )
    headers = {"ETag": f'"{found.mark}"'}
    if found.mark in request.headers.get("if-none-match", ""):
        return Response(status_code=304, headers=headers)
    return Response(found.body, media_type="application/json", headers=headers)
