"""What a running application keeps beside its database: made when it is first asked for, let go of at its end."""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Protocol, TypeVar, cast, runtime_checkable

from fastapi import FastAPI, Request

_T = TypeVar("_T")


@runtime_checkable
class LetsGo(Protocol):
    """Something that holds files or threads."""

    def let_go(self) -> None:
        """Give back what is held."""


class Kept:
    """One of each kind of thing."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._things: dict[str, object] = {}

    def thing(self, name: str, make: Callable[[], _T]) -> _T:
        """The one of a name."""
        with self._lock:
            if name not in self._things:
                self._things[name] = make()
            return cast(_T, self._things[name])

    def put(self, name: str, thing: object) -> None:
        """Keep this one under a name, in place of any other."""
        with self._lock:
            self._things[name] = thing

    def let_go(self) -> None:
        """Let go of everything."""
        with self._lock:
            things, self._things = self._things, {}
        for thing in things.values():
            if isinstance(thing, LetsGo):
                thing.let_go()


def kept_by(app: FastAPI) -> Kept:
    """What an application keeps."""
    return cast(Kept, app.state.kept)


def kept_of(request: Request, kind: Callable[[], _T]) -> _T:
    """The application's one thing of a kind, as ``kind`` makes it."""
    return kept_by(request.app).thing(getattr(kind, "__name__", repr(kind)), kind)
