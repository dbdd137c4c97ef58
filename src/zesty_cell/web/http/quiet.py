"""A quiet moment: nobody asks, and nobody has asked just now.  What need not be done at once waits for one."""

from __future__ import annotations

import time

from starlette.types import ASGIApp, Receive, Scope, Send

#: So long nobody has asked in a quiet moment [s]; longer than this nothing waits for one.
QUIET_S, PATIENCE_S = 0.5, 20.0
_LOOK_AGAIN_S = 0.05


class Quiet:
    """Who is being answered, and when the last one was."""

    def __init__(self) -> None:
        self._asking = 0
        self._last_s = -QUIET_S

    def began(self) -> None:
        """Somebody asks."""
        self._asking += 1

    def ended(self) -> None:
        """He was answered."""
        self._asking -= 1
        self._last_s = time.monotonic()

    def is_now(self) -> bool:
        """Whether this is a quiet moment."""
        return not self._asking and time.monotonic() - self._last_s >= QUIET_S

    def wait(self, patience_s: float = PATIENCE_S) -> None:
        """Until a quiet moment; no longer than so [s]."""
        until_s = time.monotonic() + patience_s
        while not self.is_now() and time.monotonic() < until_s:
            time.sleep(_LOOK_AGAIN_S)


class Noticed:
    """ASGI middleware: notices who asks.  In the loop's one thread alone, so that no lock is needed."""

    def __init__(self, app: ASGIApp, quiet: Quiet) -> None:
        self._app, self._quiet = app, quiet

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Answer as before."""
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        self._quiet.began()
        try:
            await self._app(scope, receive, send)
        finally:
            self._quiet.ended()
