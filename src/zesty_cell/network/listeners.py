"""The servers of one process: the application on loopback, and beyond it over TLS, with a plain one that gives the
authority's certificate and nothing else."""

from __future__ import annotations

import asyncio
import contextlib
import logging
import socket
import ssl
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from typing import Final

import uvicorn
from uvicorn.config import HTTPProtocolType
from uvicorn.server import ServerState

from zesty_cell.network.addresses import present_addresses, present_names
from zesty_cell.network.authority import Authority, ServerFiles
from zesty_cell.operating import tell

#: Who does not finish a handshake within this is let go of [s].
HANDSHAKE_S: Final = 5.0
#: The machine's addresses are looked at again so often [s]: a laptop walks from its home to a hotspot.
LOOK_AGAIN_S: Final = 20.0


@dataclass
class Lan:
    """The network as it is now: the authority, what it vouches for, and the ports."""

    authority: Authority
    port: int
    certificate_port: int
    files: ServerFiles = field(init=False)
    context: ssl.SSLContext = field(init=False)

    def __post_init__(self) -> None:
        self.context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
        self.context.minimum_version = ssl.TLSVersion.TLSv1_2
        self.context.set_alpn_protocols(["http/1.1"])
        self.files = self._load()

    def _load(self) -> ServerFiles:
        files = self.authority.server_files(addresses=present_addresses(), names=present_names())
        self.context.load_cert_chain(files.certificate, files.key)  # new connections show it
        return files

    @property
    def addresses(self) -> tuple[str, ...]:
        """Where phones reach this machine, the likeliest first; empty without a network."""
        good = set(self.files.addresses)
        return tuple(a for a in present_addresses() if a in good)

    def url(self, path: str = "", *, address: str = "") -> str:
        """An address of the application on this network; empty where there is no network."""
        at = address or next(iter(self.addresses), "")
        return f"https://{at}:{self.port}{path}" if at else ""

    def by_name(self) -> str:
        """The application by the machine's own name, which stays when its address changes; empty without one."""
        name = next((n for n in self.files.names if n.endswith(".local")), "")
        return self.url(address=name) if name else ""

    @property
    def certificate_url(self) -> str:
        """Where the authority's certificate is, plainly."""
        at = next(iter(self.addresses), "")
        return f"http://{at}:{self.certificate_port}/" if at else ""

    def look_again(self) -> bool:
        """Have a new certificate where addresses or names changed, or the old one is nearly over; say whether."""
        before = self.files
        self.files = self._load()
        if self.files == before:
            return False
        tell("certificate renewed", addresses=len(self.files.addresses), until=self.files.until.date())
        return True


class _Main(uvicorn.Server):
    """The server that hears signals; those beside it end before it does."""

    def __init__(self, config: uvicorn.Config) -> None:
        super().__init__(config)
        self.beside: list[asyncio.Task[None]] = []
        self.others: list[_Beside] = []

    async def shutdown(self, sockets: list[socket.socket] | None = None) -> None:
        """First the others, so that nobody asks an application that has let go of its database."""
        for other in self.others:
            other.should_exit = True
        for task in self.beside:
            await asyncio.wait([task])
        await super().shutdown(sockets=sockets)


class _Beside(uvicorn.Server):
    """A server without signals of its own, and with TLS where it is given a context."""

    def __init__(self, config: uvicorn.Config, context: ssl.SSLContext | None = None) -> None:
        super().__init__(config)
        self._context = context

    @contextlib.contextmanager
    def capture_signals(self) -> Iterator[None]:
        """None: the main server hears them."""
        yield

    async def startup(self, sockets: list[socket.socket] | None = None) -> None:
        """As uvicorn does, with a bound on the handshake."""
        loop = asyncio.get_running_loop()

        def protocol() -> asyncio.Protocol:
            kind: HTTPProtocolType = self.config.http_protocol_class  # type: ignore[assignment]
            return kind(config=self.config, server_state=self._state(), app_state={}, _loop=loop)  # type: ignore

        timeout_s = HANDSHAKE_S if self._context is not None else None
        self.servers = [
            await loop.create_server(
                protocol, sock=one, ssl=self._context, ssl_handshake_timeout=timeout_s, backlog=self.config.backlog
            )
            for one in sockets or []
        ]
        self.started = True

    def _state(self) -> ServerState:
        return self.server_state


async def _renew(lan: Lan) -> None:
    while True:
        await asyncio.sleep(LOOK_AGAIN_S)
        try:
            await asyncio.to_thread(lan.look_again)
        except Exception as error:
            tell("certificate not renewed", level=logging.ERROR, error=error)


async def _serve(
    main: _Main, listener: socket.socket, beside: Sequence[tuple[_Beside, socket.socket]], lan: Lan
) -> None:
    renewing = asyncio.create_task(_renew(lan))
    main.others = [server for server, _ in beside]
    main.beside = [asyncio.create_task(server.serve(sockets=[at])) for server, at in beside]
    try:
        await main.serve(sockets=[listener])
    finally:
        renewing.cancel()


@dataclass(frozen=True)
class Beyond:
    """What is served beyond loopback: the network, its two listeners, and the plain application that gives the
    certificate."""

    lan: Lan
    secure: socket.socket
    plain: socket.socket
    certificate_app: uvicorn.config.ASGIApplication  # type: ignore[name-defined]


def run(config: uvicorn.Config, listener: socket.socket, beyond: Beyond) -> None:
    """Serve on loopback as ``config`` says, and beyond it, until a signal comes."""
    main = _Main(config)

    def beside(app: object, context: ssl.SSLContext | None) -> _Beside:
        return _Beside(
            uvicorn.Config(
                app,  # type: ignore[arg-type]
                log_config=None, access_log=False, server_header=False, ws="none", http=config.http, lifespan="off",
                proxy_headers=False,
            ),
            context,
        )  # fmt: skip

    both = [
        (beside(config.app, beyond.lan.context), beyond.secure),
        (beside(beyond.certificate_app, None), beyond.plain),
    ]
    asyncio.run(_serve(main, listener, both, beyond.lan))
