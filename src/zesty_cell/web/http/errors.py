"""What people, and programs, see when something is wrong."""

from __future__ import annotations

import logging
import re
import secrets
import threading
from contextlib import suppress

from fastapi import FastAPI, Request
from fastapi.exception_handlers import http_exception_handler, request_validation_exception_handler
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse, RedirectResponse, Response
from sqlalchemy.exc import IntegrityError, OperationalError
from sqlalchemy.orm.exc import StaleDataError
from starlette.concurrency import run_in_threadpool
from starlette.exceptions import HTTPException
from starlette.requests import ClientDisconnect
from starlette.routing import Match, Mount

from zesty_cell.core.errors import ZestyCellError
from zesty_cell.core.fact import Words, fact
from zesty_cell.operating import tell
from zesty_cell.services.turns import BusyError
from zesty_cell.store import unreadable
from zesty_cell.store.errors import (
    EditConflictError,
    InUseError,
    MissingRecordError,
    UnreadableError,
    UnstorableError,
)
from zesty_cell.web.http.database import database_of
from zesty_cell.web.http.messages import said_to, say
from zesty_cell.web.http.slow import route_of
from zesty_cell.web.http.templating import page


def _wants_json(request: Request) -> bool:
    """JSON asked, JSON answered."""
    accept = request.headers.get("accept", "")
    return request.url.path.startswith("/api") or ("application/json" in accept and "text/html" not in accept)


def _trouble(
    request: Request, status: int, title: str, words: Words, *, see: tuple[str, str] = ("/sheets", "All sheets")
) -> Response:
    if _wants_json(request):
        return JSONResponse({"detail": said_to(request, words)}, status)
    again = "/" + request.url.path.lstrip("/\\")  # never another site's
    context = {"title": title, "words": words, "see": see, "typed": _typed(request), "again": again}
    return page(request, "trouble.html", context | {"anew": getattr(request.state, "anew", "")}, status=status)


#: What a form carries for itself: sent again with it, and not shown.
_NOT_SHOWN = frozenset({"version", "units", "action", "back", "sure", "entry", "kind", "zone"})
#: The unit in a field's name is the core's: what is typed may be in another.
_UNIT = re.compile(r"(_per_cell|_m_s|_kg|_ah|_ohm|_mm2|_[avwcms])+$")
#: More than this of a text is not shown; it is sent again as it was.
_SHOWN_LETTERS = 300


def _typed(request: Request) -> list[dict[str, object]]:
    """What was typed into the form that could not be taken."""
    typed: dict[str, str] = getattr(request.state, "typed", None) or {}
    return [
        {"name": name, "text": text, "shown": bool(text.strip()) and name not in _NOT_SHOWN,
         "label": _UNIT.sub("", name).replace(".", " · ").replace("_", " ")[:60], "short": text[:_SHOWN_LETTERS]}
        for name, text in typed.items()
    ]  # fmt: skip


def _is_set_aside(request: Request, error: MissingRecordError) -> bool:
    with suppress(Exception), database_of(request).session() as session:
        return unreadable.is_set_aside(session, error.what, error.record_id)
    return False


async def _missing(request: Request, error: Exception) -> Response:
    assert isinstance(error, MissingRecordError)  # noqa: S101 - registered for this class alone
    is_aside = await run_in_threadpool(_is_set_aside, request, error)
    if is_aside:
        words = fact("error.set_aside", what=error.what)
        return _trouble(request, 404, "Cannot be read", words, see=("/unreadable", "See why, and mend it"))
    return _trouble(request, 404, "Not here", error.why)


async def _conflict(request: Request, error: Exception) -> Response:
    words = error.why if isinstance(error, ZestyCellError) else fact("error.saved_elsewhere")
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
        404: fact("error.no_page"),
        405: fact("error.no_method"),
    }.get(error.status_code, str(error.detail))
    answer = _trouble(request, error.status_code, "Not here", words)
    answer.headers.update(error.headers or {})
    return answer


async def _invalid(request: Request, error: Exception) -> Response:
    assert isinstance(error, RequestValidationError)  # noqa: S101 - registered for this class alone
    if _wants_json(request):
        return await request_validation_exception_handler(request, _without_input(error))
    return _trouble(request, 422, "Not understood", fact("error.not_understood"))


def _without_input(error: RequestValidationError) -> RequestValidationError:
    """The same errors without echoing what was sent: it may be long, or not even JSON (NaN)."""
    return RequestValidationError(
        [{k: v for k, v in e.items() if k in ("loc", "msg", "type")} for e in error.errors()]
    )


async def _gone_meanwhile(request: Request, error: Exception) -> Response:
    """What a change refers to went while it was made: deleted elsewhere, or another place restored."""
    tell("gone meanwhile", level=logging.WARNING, route=route_of(request.scope))
    words = fact("error.gone_meanwhile")
    return _trouble(request, 409, "Changed elsewhere", words)


async def _broken_off(request: Request, error: Exception) -> Response:
    """Whoever sent it is gone: nobody reads the answer."""
    tell("broken off", route=route_of(request.scope))
    return Response(status_code=400)


async def _full(request: Request, error: Exception) -> Response:
    """The line of heavy work is full."""
    tell("refused", level=logging.WARNING, route=route_of(request.scope), why="busy")
    answer = _trouble(request, 503, "Busy", str(error))
    answer.headers["Retry-After"] = "3"
    return answer


async def _busy(request: Request, error: Exception) -> Response:
    tell("database did not take it", level=logging.WARNING, route=route_of(request.scope), why=type(error).__name__)
    words = fact("error.not_taken")
    return _trouble(request, 503, "Try again", words)


_ONE_AT_A_TIME = threading.Lock()


def _set_aside(request: Request) -> int:
    """Set aside what cannot be read; how many rows were found."""
    # Hardly ever needed, and it knows every model there is.
    from zesty_cell.store.setting_aside import set_aside

    with _ONE_AT_A_TIME, database_of(request).session() as session:
        return set_aside(session)


def _without(request: Request, found: int) -> Response:
    """Once rows were set aside: the page asked for again without them; a change is to be sent again."""
    words = fact("error.one_set_aside") if found == 1 else fact("error.some_set_aside", found=found)
    if request.method == "GET" and not _wants_json(request):
        again = request.url.path + (f"?{request.url.query}" if request.url.query else "")
        return say(RedirectResponse(again, 303), words)
    return _trouble(
        request,
        503,
        "Try again",
        fact("error.send_again", why=words),
        see=("/unreadable", "See why, and mend it"),
    )


async def _unreadable(request: Request, error: Exception) -> Response:
    found = await run_in_threadpool(_set_aside, request)
    return _without(request, found) if found else _trouble(request, 422, "Cannot be read", str(error))


async def _unstorable(request: Request, error: Exception) -> Response:
    return _trouble(request, 422, "Cannot be kept", str(error))


async def _unknown(request: Request, error: Exception) -> Response:
    # A row that is not even of its kind ends in errors of many kinds.
    with suppress(Exception):
        found = await run_in_threadpool(_set_aside, request)
        if found:
            return _without(request, found)
    reference = secrets.token_hex(4)
    tell(
        "unforeseen", level=logging.ERROR, error=error, reference=reference, method=request.method,
        route=route_of(request.scope),
    )  # fmt: skip
    words = fact("error.unforeseen", reference=reference)
    return _trouble(request, 500, "Trouble", words)


def handle_errors(app: FastAPI) -> None:
    """Tell an application what to answer when something is wrong."""
    app.add_exception_handler(MissingRecordError, _missing)
    for conflict in (EditConflictError, InUseError, StaleDataError):
        app.add_exception_handler(conflict, _conflict)
    app.add_exception_handler(HTTPException, _http)
    app.add_exception_handler(RequestValidationError, _invalid)
    app.add_exception_handler(OperationalError, _busy)
    app.add_exception_handler(ClientDisconnect, _broken_off)
    app.add_exception_handler(BusyError, _full)
    app.add_exception_handler(IntegrityError, _gone_meanwhile)
    app.add_exception_handler(UnreadableError, _unreadable)
    app.add_exception_handler(UnstorableError, _unstorable)
    app.add_exception_handler(Exception, _unknown)
