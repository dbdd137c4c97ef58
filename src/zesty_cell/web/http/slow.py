"""Requests that took long are told of, with what they asked."""

from __future__ import annotations

import logging
import time

from starlette.types import ASGIApp, Message, Receive, Scope, Send

from zesty_cell.operating import tell

#: A request that takes longer is told of [s].
SLOW_S = 1.0


def route_of(scope: Scope) -> str:
    """The route that was asked, without the numbers in its address."""
    route = getattr(scope.get("route"), "path", None)
    return str(route) if route else "/" + str(scope.get("path", "")).lstrip("/").partition("/")[0]


class TellSlow:
    """ASGI middleware: times each request until its last byte."""

    def __init__(self, app: ASGIApp, slow_s: float = SLOW_S) -> None:
        self._app, self._slow_s = app, slow_s

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Answer, and tell where that took long."""
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        began, status = time.monotonic(), 0

        async def noted(message: Message) -> None:
            nonlocal status
            status = message.get("status", status)
            await send(message)

        try:
            await self._app(scope, receive, noted)
        finally:
            took = time.monotonic() - began
            if took > self._slow_s:
                tell(
                    "slow request",
                    level=logging.WARNING,
                    method=scope["method"],
                    route=route_of(scope),
                    seconds=round(took, 2),
                    status=status,
                )
