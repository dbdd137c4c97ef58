"""Who may ask: this machine itself, and from beyond it devices that are paired, each as far as its right goes."""

from __future__ import annotations

import re
from collections.abc import Awaitable, Callable
from dataclasses import dataclass
from typing import Final

from anyio.to_thread import run_sync
from starlette.datastructures import Headers, MutableHeaders
from starlette.requests import cookie_parser
from starlette.responses import PlainTextResponse, Response
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from zesty_cell.network.addresses import is_loopback
from zesty_cell.network.devices import FORGOTTEN_S, Device, Devices
from zesty_cell.operating import tell

#: The prefix binds it, in the browser, to this very host, to TLS and to the whole of it (RFC 6265bis).
COOKIE: Final = "__Host-zesty_device"
#: Where a request says who asks: a device or nobody, and how far it may go; this machine itself may everything.
ASKED_BY: Final = "zesty_cell.device"
_RIGHT: Final = "zesty_cell.right"
#: The one page that needs no pairing, and what it is drawn with.
OPEN_TO_ALL: Final = re.compile(r"/pair|/static/(app\.css|icon[a-z0-9-]*\.(svg|png)|fonts/[a-z0-9-]+\.woff2)")
#: What the right *field* is for: looking and entering at the field, cards and voices.  All else needs *everything*.
FIELD_READS: Final = re.compile(
    r"/|/field|/pair|/sheets/\d+/card|/callouts/say\.wav|/static/.*|/pocket(/.*)?|/sw\.js|/manifest\.webmanifest"
)
FIELD_WRITES: Final = re.compile(r"/(field|pocket)/entries|/view|/pair")
#: A proxy, however local, says so; without --behind-proxy it would make everybody this machine.
_FORWARDED: Final = ("forwarded", "x-forwarded-for", "x-forwarded-host", "x-real-ip", "via")


@dataclass(frozen=True)
class Asker:
    """Who asks, how: the peer's address, whether over TLS, and whether it may go without pairing."""

    address: str
    secure: bool
    itself: bool


def may(device: Device, *, method: str, path: str) -> bool:
    """Whether a device's right goes as far as a request."""
    if device.right == "everything":
        return True
    allowed = FIELD_READS if method in ("GET", "HEAD") else FIELD_WRITES if method == "POST" else None
    return allowed is not None and allowed.fullmatch(path) is not None


def right_of(scope: Scope) -> str:
    """How far whoever asks may go: “everything”, “field”, or “nothing” before it is paired."""
    return str(scope.get(_RIGHT, "everything"))


def token_of(headers: Headers) -> str:
    """The token that a request shows; empty without one."""
    return cookie_parser(headers.get("cookie", "")[:4000]).get(COOKIE, "")


def keep_token(response: Response, token: str) -> None:
    """Have a browser keep a token: for this host over TLS, for no script, with no request of another site."""
    response.set_cookie(
        COOKIE, token, max_age=int(FORGOTTEN_S), path="/", secure=True, httponly=True, samesite="strict"
    )


def shows_token(scope: Scope, *, proxy: str = "") -> bool:
    """Whether whoever sends a request is known by a token, and not by the address alone."""
    return bool(proxy) or not is_loopback(str((scope.get("client") or ("",))[0]))


class Paired:
    """ASGI middleware: requests from beyond this machine need a paired device, by the peer's address."""

    def __init__(
        self,
        app: ASGIApp,
        devices: Devices | None,
        unpaired: Callable[[Scope, Receive], Awaitable[Response]],
        proxy: str = "",
    ) -> None:
        """Guard an application.

        Parameters
        ----------
        devices : Devices or None
            None where nobody may ask from beyond this machine.
        unpaired : callable
            Of a request for a page: what a browser without pairing is shown, with status 401.
        proxy : str
            Address of a reverse proxy that everybody comes through; empty without one.
        """
        self._app, self._devices, self._unpaired, self._proxy = app, devices, unpaired, proxy

    def asker(self, scope: Scope) -> Asker | PlainTextResponse:
        """Who asks; or why nobody is answered this way."""
        peer = str((scope.get("client") or ("",))[0])
        secure = scope.get("scheme") == "https"
        headers = Headers(scope=scope)
        if self._proxy:
            if peer.removeprefix("::ffff:") != self._proxy:
                return PlainTextResponse("This server is asked through its proxy.\n", 403)
            # The proxy adds the address it was asked from at the end; what stands before it anybody can write.
            secure = headers.get("x-forwarded-proto", "").rpartition(",")[2].strip() == "https"
            peer = headers.get("x-forwarded-for", "").rpartition(",")[2].strip()
            if not secure:
                return PlainTextResponse("Only over TLS: the proxy says that this was not.\n", 403)
            return Asker(peer, secure, itself=False)
        if is_loopback(peer):
            if any(name in headers for name in _FORWARDED):
                return PlainTextResponse("A proxy asks: start this server with --behind-proxy.\n", 403)
            return Asker(peer, secure, itself=True)
        if not secure:
            return PlainTextResponse("Only over TLS from beyond this machine: start it with --lan.\n", 403)
        return Asker(peer, secure, itself=False)

    async def _refusal(self, scope: Scope, receive: Receive) -> tuple[Response | None, str]:
        """What is answered instead, and a token that is to be kept longer."""
        asker = self.asker(scope)
        scope[ASKED_BY], scope[_RIGHT] = None, "everything"
        if isinstance(asker, PlainTextResponse):
            return asker, ""
        if asker.itself:
            return None, ""
        method, path, headers = scope["method"], scope["path"], Headers(scope=scope)
        token = token_of(headers)
        if self._devices is None:
            return PlainTextResponse("Nobody is answered from beyond this machine: start it with --lan.\n", 403), ""
        device = await run_sync(self._devices.of_token, token) if token else None
        scope[ASKED_BY], scope[_RIGHT] = device, device.right if device else "nothing"
        if OPEN_TO_ALL.fullmatch(path) and method in ("GET", "HEAD", "POST"):
            return None, ""
        if device is None:
            if method == "GET" and "text/html" in headers.get("accept", ""):
                return await self._unpaired(scope, receive), ""
            return PlainTextResponse("This device is not paired.\n", 401), ""
        if not may(device, method=method, path=path):
            words = "This device is paired for the field only. Pair it anew with the right “everything” for this.\n"
            return PlainTextResponse(words, 403), ""
        # Half a year counts from the last use: the cookie is given again, with the pages and not with every file.
        return None, token if method == "GET" and not path.startswith("/static/") else ""

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Let by or refuse."""
        if scope["type"] != "http":
            if scope["type"] == "lifespan":
                await self._app(scope, receive, send)
            return
        refusal, again = await self._refusal(scope, receive)
        if refusal is not None:
            tell("not let in", method=scope["method"], status=refusal.status_code)
            await refusal(scope, receive, send)
            return

        async def send_again(message: Message) -> None:
            if message["type"] == "http.response.start" and again:
                response = Response()
                keep_token(response, again)
                MutableHeaders(scope=message).append("set-cookie", response.headers["set-cookie"])
            await send(message)

        await self._app(scope, receive, send_again if again else send)
