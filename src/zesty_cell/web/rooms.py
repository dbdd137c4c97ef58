"""Which page is where.  A room is opened when somebody knocks: its modules are imported, its routes added.

Most pages are not looked at in the first second, so the first page need not wait for them; once it was sent the
rest is opened behind it.
"""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable
from importlib import import_module

from fastapi import FastAPI
from starlette.concurrency import run_in_threadpool
from starlette.types import ASGIApp, Receive, Scope, Send

from zesty_cell.operating import tell
from zesty_cell.web.http.quiet import Quiet

#: The first part of an address, and the modules whose routes begin with it, in the order in which they are asked.
ROOMS: dict[str, tuple[str, ...]] = {
    "start": ("start.view",),
    "find": ("find.view",),
    "sheets": ("taught.view", "surer.view"),
    "callouts": ("callouts.voices_view", "callouts.plans_view", "callouts.view", "callouts.logs_view"),
    "telemetry": ("callouts.entrance_view",),
    "hangar": (
        "match.view",
        "propellers.compare_view",
        "propellers.view",
        "patterns.view",
        "pair.view",
        "health.view",
        "health.pack_view",
        "builder.view",
        "hangar.list_view",
        "hangar.view",
    ),
    "field": ("field.view",),
    "pocket": ("pocket.view",),
    "sw.js": ("pocket.install_view",),
    "manifest.webmanifest": ("pocket.install_view",),
    "backup": ("backup.view",),
    "phone": ("phone.view",),
    "pair": ("phone.pair_view",),
    "unreadable": ("unreadable.view",),
    "log": ("log.imports_view", "log.attach_view", "log.telemetry_view", "log.view"),
    "calibrate": ("calibrate.view",),
    "tests": (
        "plugs.view",
        "thrust.view",
        "logs_beside.view",
        "discharge.take_view",
        "discharge.pack_view",
        "discharge.view",
        "trials.new_view",
        "trials.thrust_view",
        "trials.runs_view",
        "trials.view",
    ),
    "off": ("faults.view",),
    "practice": ("practice.flown_view", "practice.view"),
    "choose": ("choose.search_view", "choose.buys_view", "choose.open_view", "choose.compare_view"),
    "api": (
        "api.docs_view",
        "api.sheets_view",
        "api.plans_view",
        "api.hangar_view",
        "api.cells_view",
        "api.patterns_view",
        "api.telemetry_view",
        "api.flights_view",
        "api.choosing_view",
        "api.calibrations_view",
        "api.trials_view",
        "api.faults_view",
    ),
}
_ASKED_AGAIN = "zesty_cell.asked_again"


class Rooms:
    """The rooms of an application that are still closed.

    In Starlette's words it is the router's ``default``: what answers where no route that is known does.
    """

    def __init__(self, app: FastAPI) -> None:
        self._app, self._lock = app, threading.Lock()
        self._closed = dict(ROOMS)
        self._opened: set[str] = set()
        self._nothing_here: ASGIApp = app.router.default
        app.router.default = self

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Open the room that is asked for, and ask it; say that there is nothing where there is none."""
        room = str(scope.get("path", "")).lstrip("/").partition("/")[0]
        # Asked again once at most, and even where another thread has opened the room since the first time.
        if scope["type"] != "http" or room not in ROOMS or scope.get(_ASKED_AGAIN):
            await self._nothing_here(scope, receive, send)
            return
        await run_in_threadpool(self.open, room)
        scope[_ASKED_AGAIN] = True
        await self._app.router(scope, receive, send)

    def open(self, room: str) -> None:
        """Open a room, or wait until it is open."""
        with self._lock:
            modules = [import_module(f"zesty_cell.web.{name}") for name in self._closed.get(room, ())]
            for module in modules:
                if module.__name__ not in self._opened:  # some answer at two addresses
                    self._app.include_router(module.router)
                    self._opened.add(module.__name__)
            self._closed.pop(room, None)

    def open_all(self, *, wait: Callable[[], object] = bool) -> None:
        """Open every room; one that cannot be opened is told of, and tried again when somebody knocks.

        Parameters
        ----------
        wait : callable
            Called before each module: to import it takes both time and the interpreter.
        """
        for room, modules in ROOMS.items():
            try:
                for name in modules:
                    wait()
                    import_module(f"zesty_cell.web.{name}")
                self.open(room)
            except Exception as error:
                tell("room not opened", level=logging.ERROR, error=error, room=room)


class OpenAfterFirst:
    """Opens all rooms behind the first answer, in quiet moments: who changes a sheet at once is not held up."""

    def __init__(self, app: ASGIApp, rooms: Rooms, quiet: Quiet) -> None:
        self._app, self._rooms, self._quiet, self._begun = app, rooms, quiet, False

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Answer, and then open the rest in a thread of its own."""
        await self._app(scope, receive, send)
        if scope["type"] == "http" and not self._begun:
            self._begun = True
            threading.Thread(target=self._open, name="rooms", daemon=True).start()

    def _open(self) -> None:
        self._rooms.open_all(wait=self._quiet.wait)
