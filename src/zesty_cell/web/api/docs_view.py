"""What the API takes and gives: described as OpenAPI, and a page to read and to try it."""

from __future__ import annotations

from typing import Any, cast

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from zesty_cell.demo.club import club_sheets
from zesty_cell.formats.documents import require_marks
from zesty_cell.formats.sheet_json import SheetDocument
from zesty_cell.web.http import kept_of, page

#: What the parts of the API are, in the order in which they are read.
_PARTS = {
    "sheets": "A craft, a pack, a way of flying, the air and a landing rule; and what follows.",
    "hangar": "Crafts and packs, whose they are and where they stand.",
    "callout plans": "What the transmitter says and when.",
    "choosing": "Packs compared and searched, and one input moved through several values.",
    "flights": "The log: flights put right, set aside, charged.",
    "telemetry": "Logs of flights, their numbers, and the pack as a fit finds it.",
    "calibrations": "What was checked of a craft's sensors and a pack's cells.",
    "tests": "Fair tests: their order, their runs, and the verdict once it is looked at.",
    "what is off": "From signs and readings to causes, and the check that tells most next.",
}

router = APIRouter(prefix="/api", include_in_schema=False)


class Description:
    """The API as OpenAPI, worked out once."""

    def __init__(self) -> None:
        self._made: dict[str, Any] | None = None

    def of(self, request: Request) -> dict[str, Any]:
        """The description of the application that is asked."""
        if self._made is None:
            self._made = _readable(cast(dict[str, Any], require_marks(request.app.openapi())))
        return self._made


def _readable(description: dict[str, Any]) -> dict[str, Any]:
    """The same with each operation called by the first sentence that says what it does, part by part."""
    paths = {
        path: {method: operation | _called(operation) for method, operation in operations.items()}
        for path, operations in description["paths"].items()
    }
    parts = [{"name": name, "description": words} for name, words in _PARTS.items()]
    # Something to try it with: a sheet of the made-up club.
    example = SheetDocument(**dict(club_sheets()[0])).model_dump(mode="json")
    schemas = {
        name: schema | {"examples": [example]} if name.startswith("SheetDocument") else schema
        for name, schema in description["components"]["schemas"].items()
    }
    components = description["components"] | {"schemas": schemas}
    return description | {"paths": paths, "tags": parts, "components": components}


def _called(operation: dict[str, Any]) -> dict[str, str]:
    """What an operation does, and in short: docstrings mark what is code as their own tools want it."""
    words = str(operation.get("description", "")).replace("``", "`")
    return {"description": words, "summary": words.partition("\n")[0].replace("`", "")}


@router.get("")
def begin() -> Response:
    """To the page that describes it."""
    return RedirectResponse("/api/docs", 303)


@router.get("/openapi.json")
def openapi(request: Request) -> dict[str, Any]:
    """What this API takes and gives, as OpenAPI."""
    return kept_of(request, Description).of(request)


@router.get("/docs")
def docs(request: Request) -> Response:
    """A page to read and to try it, without any network."""
    return page(request, "api.html", {})
