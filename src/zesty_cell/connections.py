"""Connections that do not come to an end: bounded in number, and in the time they may take to ask.

A browser sends its headers at once and a file as fast as it can.  Who dribbles, or opens hundreds and says nothing,
is let go of, before the machine runs out of descriptors for the others.
"""

from __future__ import annotations

import asyncio
import logging
import socket
from collections import Counter
from contextlib import suppress
from typing import Final

import h11
from uvicorn.protocols.http.h11_impl import H11Protocol

from zesty_cell.operating import tell

#: Open connections in all, and of one address: a browser keeps six.
MOST_OPEN: Final = 200
MOST_OF_ONE: Final = 100
#: Headers are there within this, of a body some more comes within that, and all of it within a quarter of an hour,
#: as the largest telemetry file does over the slowest line that anybody waits for [s].
HEADERS_S: Final = 10.0
BODY_S: Final = 20.0
WHOLE_BODY_S: Final = 900.0


def _at_once(transport: asyncio.BaseTransport) -> None:
    """Send what is written when it is written, not once the other side has confirmed what went before.

    Headers and body are written apart: on a connection that a browser keeps, the body would wait for the headers'
    confirmation, which comes 40 ms late.  asyncio sees to it for listeners of its own making only.
    """
    if (connection := transport.get_extra_info("socket")) is not None:
        with suppress(OSError):  # it may be gone already
            connection.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)


class Bounded(H11Protocol):
    """uvicorn's HTTP with bounds on how many and how slow."""

    headers_s: float = HEADERS_S
    body_s: float = BODY_S
    whole_body_s: float = WHOLE_BODY_S
    most_open: int = MOST_OPEN
    most_of_one: int = MOST_OF_ONE
    _timer: asyncio.TimerHandle | None = None
    _body_until: float | None = None

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
        """Take it, or let go of it at once where there are too many."""
        super().connection_made(transport)
        _at_once(transport)
        address = self.client[0] if self.client else ""
        of = Counter(c.client[0] if c.client else "" for c in self.connections if isinstance(c, H11Protocol))
        if len(self.connections) > self.most_open or of[address] > self.most_of_one:
            self._let_go("too many connections")
            return
        self._watch()

    def data_received(self, data: bytes) -> None:
        """Some more came."""
        super().data_received(data)
        self._watch()

    def on_response_complete(self) -> None:
        """Between two requests uvicorn's own timeout counts."""
        super().on_response_complete()
        self._body_until = None
        self._unwatch()

    def connection_lost(self, exc: Exception | None) -> None:
        """It is over."""
        self._unwatch()
        super().connection_lost(exc)

    def _unwatch(self) -> None:
        if self._timer is not None:
            self._timer.cancel()
            self._timer = None

    def _watch(self) -> None:
        """Wait for what must come next: for headers once, for a body anew with each part of it."""
        if self.conn.their_state is h11.IDLE:
            if self._timer is None:
                self._timer = self.loop.call_later(self.headers_s, self._too_slow, "headers")
            return
        self._unwatch()
        if self.conn.their_state is not h11.SEND_BODY:
            self._body_until = None
            return
        now = self.loop.time()
        self._body_until = self._body_until or now + self.whole_body_s
        at = min(now + self.body_s, self._body_until)
        self._timer = self.loop.call_at(at, self._too_slow, "body")

    def _too_slow(self, what: str) -> None:
        self._timer = None
        if self.flow.read_paused:  # it is we who do not read
            self._body_until = None
            self._watch()
            return
        self._let_go(f"slow {what}")

    def _let_go(self, why: str) -> None:
        tell("connection let go", level=logging.WARNING, why=why)
        self.transport.abort()
