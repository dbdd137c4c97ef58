"""What the API takes and gives: described as OpenAPI, and a page to read and to try it."""

from __future__ import annotations

from typing import Any, cast

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from zesty_cell.formats.documents import require_marks
from zesty_cell.web.http import kept_of, page

router = APIRouter(prefix="/api", include_in_schema=False)


class Description:
    """The API as OpenAPI, worked out once."""

    def __init__(self) -> None:
        self._made: dict[str, Any] | None = None

    def of(self, request: Request) -> dict[str, Any]:
        """The description of the application that is asked."""
        if self._made is None:
            self._made = cast(dict[str, Any], require_marks(request.app.openapi()))
        return self._made


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
