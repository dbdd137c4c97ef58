"""Host check, same-site protection for every unsafe request, and the security headers."""

from __future__ import annotations

import logging
from collections.abc import Iterable
from urllib.parse import urlsplit

from starlette.datastructures import Headers, MutableHeaders
from starlette.responses import PlainTextResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from zesty_cell.operating import tell

LOOPBACK_HOSTS = frozenset({"127.0.0.1", "localhost", "[::1]"})
_SAFE_METHODS = frozenset({"GET", "HEAD", "OPTIONS"})
#: Largest body taken; a sheet is a few kB.
MAX_BODY_BYTES = 1_000_000
#: Files that are larger by their nature, by the end of the path they are sent to: telemetry and sound.
MAX_FILE_BYTES = {
    "/logs": 25_000_000,
    "/own-voice": 9_000_000,
    "/log/import": 25_000_000,
    "/telemetry": 25_000_000,
    "/backup/restore": 510_000_000,
}

_POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self'; "
    "media-src 'self'; connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'; "
    "manifest-src 'self'"
)
_HEADERS = {
    "Content-Security-Policy": _POLICY,
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Cross-Origin-Resource-Policy": "same-origin",
    "X-Frame-Options": "DENY",
}


def _host_name(host: str) -> str:
    """Host header without its port; IPv6 keeps its brackets."""
    if host.startswith("["):
        return host.partition("]")[0] + "]"
    return host.partition(":")[0].lower()


def cross_site(method: str, headers: Headers) -> bool:
    """Does a browser send this change from another site?

    Browsers say so in Sec-Fetch-Site; older ones give at least an Origin.  A client that sends
    neither is no browser and carries nobody's cookies.
    """
    if method in _SAFE_METHODS:
        return False
    site = headers.get("sec-fetch-site")
    if site is not None:
        return site not in ("same-origin", "none")
    origin = headers.get("origin")
    if origin is None:
        return False
    try:
        return urlsplit(origin).netloc != headers.get("host", "")
    except ValueError:  # no address at all: not ours
        return True


#: Why a request was refused, by the status it was answered with.
_WHY = {421: "foreign host", 403: "another site", 413: "too large", 411: "no length"}


class Guard:
    """ASGI middleware: refuses foreign hosts, cross-site changes and oversized bodies; adds headers."""

    def __init__(self, app: ASGIApp, hosts: Iterable[str]) -> None:
        self.app = app
        self.hosts = frozenset(hosts)

    def _refusal(self, scope: Scope, headers: Headers) -> PlainTextResponse | None:
        if _host_name(headers.get("host", "")) not in self.hosts:
            return PlainTextResponse(
                "This address is not one the server answers to. Start it with --allow-host NAME to add it.\n", 421
            )
        if cross_site(scope["method"], headers):
            return PlainTextResponse("This change came from another site and was refused.\n", 403)
        length = headers.get("content-length", "0")
        most = next((m for end, m in MAX_FILE_BYTES.items() if scope["path"].endswith(end)), MAX_BODY_BYTES)
        if not length.isdigit() or int(length) > most:
            words = f"That is more than this page takes ({most // 1_000_000} MB). Nothing was read.\n"
            return PlainTextResponse(words, 413)
        if scope["method"] not in _SAFE_METHODS and "transfer-encoding" in headers:
            return PlainTextResponse("Send the length of the body, please.\n", 411)
        return None

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return

        async def send_guarded(message: Message) -> None:
            if message["type"] == "http.response.start":
                headers = MutableHeaders(scope=message)
                for name, value in _HEADERS.items():
                    headers[name] = value
                # Static files may be kept but are asked about again, so that an update is seen at once.
                headers["Cache-Control"] = "no-cache" if scope["path"].startswith("/static/") else "no-store"
            await send(message)

        refusal = self._refusal(scope, Headers(scope=scope))
        if refusal is not None:
            tell("refused", level=logging.WARNING, method=scope["method"], why=_WHY[refusal.status_code])
        await (self.app if refusal is None else refusal)(scope, receive, send_guarded)
