"""The application factory: the rooms, what guards them, and what is kept while it runs."""

from __future__ import annotations

from collections.abc import AsyncIterator, Iterable
from contextlib import asynccontextmanager
from functools import partial
from pathlib import Path

from anyio.to_thread import current_default_thread_limiter
from fastapi import FastAPI
from fastapi.staticfiles import StaticFiles
from starlette.middleware.gzip import GZipMiddleware
from starlette.responses import Response
from starlette.types import Receive, Scope

from zesty_cell import __version__
from zesty_cell.guard import LOOPBACK_HOSTS, Guard
from zesty_cell.network import Network
from zesty_cell.paired import Paired, shows_token
from zesty_cell.ports import DEFAULT_BENCH_PORT
from zesty_cell.store.database import Database
from zesty_cell.web.home import view as home
from zesty_cell.web.http.errors import handle_errors
from zesty_cell.web.http.kept import Kept, kept_by
from zesty_cell.web.http.limits import by_link, most_bytes
from zesty_cell.web.http.quiet import Noticed, Quiet
from zesty_cell.web.http.slow import TellSlow
from zesty_cell.web.rooms import OpenAfterFirst, Rooms
from zesty_cell.web.sheet import list_view as sheet_list
from zesty_cell.web.sheet import view as sheet

_STATIC = Path(__file__).parent / "static"
#: So many requests are worked on at once; others wait.  They share the interpreter, so more would only cost memory.
_REQUESTS_AT_ONCE = 10


async def _unpaired(scope: Scope, receive: Receive) -> Response:
    """Imported when somebody is not paired: the first page need not wait for it."""
    from zesty_cell.web.phone.pair_view import unpaired

    return await unpaired(scope, receive)


def connect(app: FastAPI, database_path: Path, *, bench_port: int = DEFAULT_BENCH_PORT) -> None:
    """Give an application its database file, and forget what it kept while it had another."""
    app.state.database = Database(database_path)
    app.state.kept = Kept()
    app.state.bench_port = bench_port


def create_app(
    database_path: Path,
    *,
    hosts: Iterable[str] = LOOPBACK_HOSTS,
    bench_port: int = DEFAULT_BENCH_PORT,
    network: Network | None = None,
) -> FastAPI:
    """The application over one database file.

    Parameters
    ----------
    database_path : Path
        Made and migrated when it is missing or older.
    hosts : iterable of str
        Names the server answers to where it is asked from its own machine.
    bench_port : int
        Where on loopback the bench transmitter is looked for.
    network : Network, optional
        How it is reached from beyond its machine; not at all by default.
    """
    network = Network() if network is None else network

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        current_default_thread_limiter().total_tokens = _REQUESTS_AT_ONCE
        yield
        kept_by(app).let_go()
        app.state.database.close()
        if network.devices is not None:
            network.devices.close()

    app = FastAPI(
        title="Zesty Cell", version=__version__, lifespan=lifespan, docs_url=None, redoc_url=None, openapi_url=None
    )
    connect(app, database_path, bench_port=bench_port)
    app.state.network = network
    for page in (home, sheet_list, sheet):
        app.include_router(page.router)
    app.mount("/static", StaticFiles(directory=_STATIC), name="static")
    handle_errors(app)
    app.add_middleware(GZipMiddleware, minimum_size=600, compresslevel=4)
    app.state.quiet = quiet = Quiet()
    app.add_middleware(OpenAfterFirst, rooms=Rooms(app), quiet=quiet)
    app.add_middleware(Noticed, quiet=quiet)
    app.add_middleware(TellSlow)
    app.add_middleware(Paired, devices=network.devices, unpaired=_unpaired, proxy=network.proxy)
    app.add_middleware(
        Guard, hosts=hosts, most_bytes=most_bytes, by_link=by_link,
        any_host=partial(shows_token, proxy=network.proxy),
    )  # fmt: skip
    return app
