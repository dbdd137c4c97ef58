"""What people, and programs, see when something is wrong."""

from __future__ import annotations

import logging
import secrets

from fastapi import FastAPI, Request
from fastapi.exception_handlers import http_exception_handler, request_validation_exception_handler
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse, Response
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm.exc import StaleDataError
from starlette.exceptions import HTTPException
from starlette.routing import Match, Mount

from zesty_cell.operating import tell
from zesty_cell.store.errors import EditConflictError, InUseError, MissingRecordError
from zesty_cell.web.http.slow import route_of
from zesty_cell.web.http.templating import page


def _wants_json(request: Request) -> bool:
    return request.url.path.startswith("/api")


def _trouble(request: Request, status: int, title: str, words: str) -> Response:
    if _wants_json(request):
        return JSONResponse({"detail": words}, status)
    return page(request, "trouble.html", {"title": title, "words": words}, status=status)


async def _missing(request: Request, error: Exception) -> Response:
    return _trouble(request, 404, "Not here", str(error))


async def _conflict(request: Request, error: Exception) -> Response:
    words = (
        str(error) if not isinstance(error, StaleDataError) else "It was saved from another tab at the same moment."
    )
    return _trouble(request, 409, "Saved elsewhere", words)


_METHODS = ("GET", "HEAD", "POST", "PUT", "PATCH", "DELETE")


def _methods_of(request: Request) -> str:
    """All methods an address takes: Starlette's own refusal names those of the first of its routes alone."""
    routes = [route for route in request.app.router.routes if not isinstance(route, Mount)]
    asked = dict(request.scope)
    takes = [m for m in _METHODS if any(r.matches(asked | {"method": m})[0] is Match.FULL for r in routes)]
    return ", ".join(takes or ("GET", "HEAD"))


async def _http(request: Request, error: Exception) -> Response:
    assert isinstance(error, HTTPException)  # noqa: S101 - registered for this class alone
    if error.status_code == 405:
        error = HTTPException(405, error.detail, headers={"Allow": _methods_of(request)})
    if _wants_json(request):
        return await http_exception_handler(request, error)
    words = {
        404: "There is no page at this address.",
        405: "This address does not take that kind of request.",
    }.get(error.status_code, str(error.detail))
    answer = _trouble(request, error.status_code, "Not here", words)
    answer.headers.update(error.headers or {})
    return answer


async def _invalid(request: Request, error: Exception) -> Response:
    assert isinstance(error, RequestValidationError)  # noqa: S101 - registered for this class alone
    if _wants_json(request):
        return await request_validation_exception_handler(request, _without_input(error))
    return _trouble(request, 422, "Not understood", "Part of this address or form is not what the page takes.")


def _without_input(error: RequestValidationError) -> RequestValidationError:
    """The same errors without echoing what was sent: it may be long, or not even JSON (NaN)."""
    return RequestValidationError(
        [{k: v for k, v in e.items() if k in ("loc", "msg", "type")} for e in error.errors()]
    )


async def _busy(request: Request, error: Exception) -> Response:
    tell("database did not take it", level=logging.WARNING, route=route_of(request.scope), why=type(error).__name__)
    words = "The database did not take this just now (locked, or the disk is full). Nothing was stored: try again."
    return _trouble(request, 503, "Try again", words)


async def _unknown(request: Request, error: Exception) -> Response:
    reference = secrets.token_hex(4)
    tell(
        "unforeseen", level=logging.ERROR, error=error, reference=reference, method=request.method,
        route=route_of(request.scope),
    )  # fmt: skip
    words = f"Something went wrong that we did not foresee. It is in the log under the reference {reference}."
    return _trouble(request, 500, "Trouble", words)


def handle_errors(app: FastAPI) -> None:
    """Tell an application what to answer when something is wrong."""
    app.add_exception_handler(MissingRecordError, _missing)
    for conflict in (EditConflictError, InUseError, StaleDataError):
        app.add_exception_handler(conflict, _conflict)
    app.add_exception_handler(HTTPException, _http)
    app.add_exception_handler(RequestValidationError, _invalid)
    app.add_exception_handler(OperationalError, _busy)
    app.add_exception_handler(Exception, _unknown)
