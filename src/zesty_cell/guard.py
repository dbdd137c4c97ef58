"""Host check, same-site protection for every unsafe request, and the security headers."""

from __future__ import annotations

import logging
from collections.abc import Callable, Iterable
from urllib.parse import urlsplit

from starlette.datastructures import Headers, MutableHeaders
from starlette.responses import PlainTextResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from zesty_cell.operating import tell

LOOPBACK_HOSTS = frozenset({"127.0.0.1", "localhost", "[::1]"})
_SAFE_METHODS = frozenset({"GET", "HEAD", "OPTIONS"})
_POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self'; "
    "media-src 'self'; connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'; "
    "manifest-src 'self'"
)
SECURITY_HEADERS = {
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
    site = headers.get("sec-fetch-site")
    if method in _SAFE_METHODS:
        return False
    if site is not None:
        return site not in ("same-origin", "none")
    origin = headers.get("origin")
    if origin is None:
        return False
    try:
        return urlsplit(origin).netloc != headers.get("host", "")
    except ValueError:  # no address at all: not ours
        return True


def led_from_elsewhere(headers: Headers, *, by_link: bool) -> bool:
    """Does another site make a browser read this?

    A link that somebody follows is well where ``by_link`` says so; a picture, a frame or a script of another site
    that is one of our pages is not.
    """
    if headers.get("sec-fetch-site", "none") in ("same-origin", "none"):
        return False
    follows = headers.get("sec-fetch-mode") == "navigate" and headers.get("sec-fetch-dest") == "document"
    return not (follows and by_link)


#: Why a request was refused, by the status it was answered with.
_WHY = {421: "foreign host", 403: "another site", 413: "too large", 411: "no length"}


class Guard:
    """ASGI middleware: refuses foreign hosts, cross-site changes and oversized bodies; adds headers."""

    def __init__(
        self,
        app: ASGIApp,
        hosts: Iterable[str],
        most_bytes: Callable[[str], int],
        by_link: Callable[[str], bool] = lambda _path: True,
        any_host: Callable[[Scope], bool] = lambda _scope: False,
    ) -> None:
        """Guard an application.

        Parameters
        ----------
        hosts : iterable of str
            Names it answers to.
        most_bytes, by_link : callable
            Of a path: the largest body it takes, and whether a link of another site may lead to it.
        any_host : callable
            Of a request: whether the name it was asked by says nothing, because who asks shows a token.  Where an
            address alone is trusted, a page of another site could come by a name of its own (DNS rebinding).
        """
        self.app = app
        self.hosts = frozenset(hosts)
        self._most_bytes, self._by_link, self._any_host = most_bytes, by_link, any_host

    def _refusal(self, scope: Scope, headers: Headers) -> PlainTextResponse | None:
        if _host_name(headers.get("host", "")) not in self.hosts and not self._any_host(scope):
            return PlainTextResponse(
                "This address is not one the server answers to. Start it with --allow-host NAME to add it.\n", 421
            )
        if cross_site(scope["method"], headers):
            return PlainTextResponse("This change came from another site and was refused.\n", 403)
        if scope["method"] in _SAFE_METHODS and led_from_elsewhere(headers, by_link=self._by_link(scope["path"])):
            return PlainTextResponse("Another site asked for this: open it in Zesty Cell itself.\n", 403)
        length = headers.get("content-length", "0")
        most = self._most_bytes(scope["path"])
        if not (length.isascii() and length.isdigit()) or len(length) > 15 or int(length) > most:
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
                for name, value in SECURITY_HEADERS.items():
                    headers[name] = value
                # Static files may be kept but are asked about again, so that an update is seen at once.
                headers["Cache-Control"] = "no-cache" if scope["path"].startswith("/static/") else "no-store"
            await send(message)

        refusal = self._refusal(scope, Headers(scope=scope))
        if refusal is not None:
            tell("refused", level=logging.WARNING, method=scope["method"], why=_WHY[refusal.status_code])
        await (self.app if refusal is None else refusal)(scope, receive, send_guarded)
