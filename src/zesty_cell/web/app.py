"""The application factory: routes, guards, and what people see when something is wrong."""

from __future__ import annotations

import logging
import secrets
from collections.abc import AsyncIterator, Iterable
from contextlib import asynccontextmanager
from pathlib import Path

from anyio.to_thread import current_default_thread_limiter
from fastapi import FastAPI, Request
from fastapi.exception_handlers import http_exception_handler, request_validation_exception_handler
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse, Response
from fastapi.staticfiles import StaticFiles
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm.exc import StaleDataError
from starlette.exceptions import HTTPException
from starlette.middleware.gzip import GZipMiddleware

from zesty_cell import __version__
from zesty_cell.store.database import Database
from zesty_cell.store.errors import EditConflictError, InUseError, MissingRecordError
from zesty_cell.web.api import view as api
from zesty_cell.web.backup import view as backup
from zesty_cell.web.builder import view as builder
from zesty_cell.web.calibrate import view as calibrate_page
from zesty_cell.web.callouts import logs_view as callouts_logs
from zesty_cell.web.callouts import view as callouts_page
from zesty_cell.web.callouts import voices_view as callouts_voices
from zesty_cell.web.callouts.transmitter import DEFAULT_BENCH_PORT, BenchTransmitter
from zesty_cell.web.choose import buys_view as choose_buys
from zesty_cell.web.choose import compare_view as choose_compare
from zesty_cell.web.choose import search_view as choose_search
from zesty_cell.web.choose.jobs import Jobs
from zesty_cell.web.field import view as field_page
from zesty_cell.web.hangar import view as hangar
from zesty_cell.web.health import view as health
from zesty_cell.web.home import view
from zesty_cell.web.http import page
from zesty_cell.web.http.security import LOOPBACK_HOSTS, Guard
from zesty_cell.web.log import imports_view as flight_imports
from zesty_cell.web.log import telemetry_view as flight_telemetry
from zesty_cell.web.log import view as flight_log
from zesty_cell.web.log.importing import Imports
from zesty_cell.web.pair import view as pair
from zesty_cell.web.sheet import view as sheets
from zesty_cell.web.taught import view as taught

_LOG = logging.getLogger("zesty_cell")
_STATIC = Path(__file__).parent / "static"


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


async def _http(request: Request, error: Exception) -> Response:
    assert isinstance(error, HTTPException)  # noqa: S101 - registered for this class alone
    if _wants_json(request):
        return await http_exception_handler(request, error)
    words = {
        404: "There is no page at this address.",
        405: "This address does not take that kind of request.",
    }.get(error.status_code, str(error.detail))
    return _trouble(request, error.status_code, "Not here", words)


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
    _LOG.warning("database: %s", error)
    words = "The database did not take this just now (locked, or the disk is full). Nothing was stored: try again."
    return _trouble(request, 503, "Try again", words)


async def _unknown(request: Request, error: Exception) -> Response:
    reference = secrets.token_hex(4)
    _LOG.error("reference %s: %s %s", reference, request.method, request.url.path, exc_info=error)
    words = f"Something went wrong that we did not foresee. It is in the log under the reference {reference}."
    return _trouble(request, 500, "Trouble", words)


#: So many requests are worked on at once; others wait.  They share the interpreter, so more would only cost memory.
_REQUESTS_AT_ONCE = 10


def connect(app: FastAPI, database_path: Path, *, bench_port: int = DEFAULT_BENCH_PORT) -> None:
    """Give an application its database file, and everything it keeps while it runs, from the start."""
    app.state.database = Database(database_path)
    app.state.searches = Jobs()
    app.state.imports = Imports()
    app.state.restores = backup.Restores()
    app.state.bench = BenchTransmitter(bench_port)


def create_app(
    database_path: Path, *, hosts: Iterable[str] = LOOPBACK_HOSTS, bench_port: int = DEFAULT_BENCH_PORT
) -> FastAPI:
    """The application over one database file.

    Parameters
    ----------
    database_path : Path
        Made and migrated when it is missing or older.
    hosts : iterable of str
        Names the server answers to.
    bench_port : int
        Where on loopback the bench transmitter is looked for.
    """

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        current_default_thread_limiter().total_tokens = _REQUESTS_AT_ONCE
        yield
        app.state.restores.let_go()
        app.state.database.close()

    app = FastAPI(
        title="Zesty Cell",
        version=__version__,
        lifespan=lifespan,
        docs_url=None,
        redoc_url=None,
        openapi_url="/api/openapi.json",
    )
    connect(app, database_path, bench_port=bench_port)
    for module in (
        view, sheets, taught, callouts_voices, callouts_page, callouts_logs, pair, health, builder, hangar,
        field_page, backup, flight_imports, flight_telemetry, flight_log, calibrate_page, choose_search,
        choose_buys, choose_compare, api,
    ):  # fmt: skip
        app.include_router(module.router)
    app.include_router(callouts_logs.entrance)
    app.mount("/static", StaticFiles(directory=_STATIC), name="static")
    app.add_exception_handler(MissingRecordError, _missing)
    for conflict in (EditConflictError, InUseError, StaleDataError):
        app.add_exception_handler(conflict, _conflict)
    app.add_exception_handler(HTTPException, _http)
    app.add_exception_handler(RequestValidationError, _invalid)
    app.add_exception_handler(OperationalError, _busy)
    app.add_exception_handler(Exception, _unknown)
    app.add_middleware(GZipMiddleware, minimum_size=600, compresslevel=5)
    app.add_middleware(Guard, hosts=hosts)
    return app
