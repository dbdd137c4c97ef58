"""``zesty-cell serve`` and ``demo``: the application, its network and the bench transmitter beside it."""

from __future__ import annotations

import argparse
import ctypes
import gc
import ipaddress
import socket
import subprocess
import sys
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager, nullcontext, suppress
from typing import TYPE_CHECKING

from zesty_cell import __version__

if TYPE_CHECKING:
    from fastapi import FastAPI

    from zesty_cell.network import Network
    from zesty_cell.network.listeners import Beyond
    from zesty_cell.store.database import Database

_BENCH_DELAY_S = 4.0
#: glibc's number for “at most so many heaps”; other C libraries do not know it, and do not mind.
_M_ARENA_MAX = -8


def _warm() -> None:
    from zesty_cell.core.answer.warm import warm

    warm()


def _fill_demo(database: Database) -> None:
    """Put the made-up club into an empty database; its modules are only imported for that."""
    from zesty_cell.store.sheets import is_empty

    with database.session() as session:
        if not is_empty(session):
            return
        from zesty_cell.demo.club import load_club
        from zesty_cell.demo.discharges import load_discharges
        from zesty_cell.demo.faults import load_faults
        from zesty_cell.demo.log import load_log, load_telemetry
        from zesty_cell.demo.practice import load_practice
        from zesty_cell.demo.trials import load_trials

        if load_club(session):
            load_telemetry(session)
            load_log(session)
            load_trials(session)
            load_discharges(session)
            load_faults(session)
            load_practice(session)


def _keep_memory_together() -> None:
    """Let threads share two of the C library's heaps: of one each, what one lets go of the others cannot use."""
    from zesty_cell.services.turns import TURNS

    with suppress(OSError, AttributeError):
        library = ctypes.CDLL(None)
        library.mallopt(_M_ARENA_MAX, 2)
        trim = library.malloc_trim
        TURNS.tidy = lambda: trim(0)  # what a search let go of goes back to the machine


def _listener(arguments: argparse.Namespace) -> socket.socket | None:
    """Bound before anything else is said, so that a taken port is a word and not a trace."""
    host = arguments.host
    try:
        return socket.create_server(
            (host, arguments.port), family=socket.AF_INET6 if ":" in host else socket.AF_INET
        )
    except OSError as error:
        print(f"zesty-cell: cannot listen on {host}, port {arguments.port}: {error.strerror}.", file=sys.stderr)
        print(f"Something else uses it? Choose another: --port {arguments.port + 1}", file=sys.stderr)
        return None


def _network(arguments: argparse.Namespace) -> tuple[Network, Beyond | None]:
    """How it is reached from beyond this machine, as it was started."""
    from zesty_cell.network import Network

    if arguments.lan:
        from zesty_cell.beyond import lan_network

        return lan_network(arguments.database, port=arguments.lan_port, certificate_port=arguments.certificate_port)
    if arguments.behind_proxy:
        from zesty_cell.beyond import open_devices

        return Network(devices=open_devices(arguments.database), proxy=arguments.behind_proxy), None
    return Network(), None


def _say_where(arguments: argparse.Namespace, network: Network) -> None:
    """Where it is, and how a device is paired."""
    shown = f"[{arguments.host}]" if ":" in arguments.host else arguments.host
    print(f"Zesty Cell is at http://{shown}:{arguments.port}/  (Ctrl-C ends it)", flush=True)
    if network.devices is None:
        return
    from zesty_cell.beyond import tell_code

    lan = network.lan
    if lan is None:
        print("Everybody who comes through the proxy is paired first.", flush=True)
        tell_code(network.devices, "everything", url="")
    elif lan.addresses:
        print(f"On your phone, in the same network: {lan.url('/field')}", flush=True)
        tell_code(network.devices, "field", url=lan.url("/pair"), certificate_url=lan.certificate_url)
        print(
            "More codes, and what comes first: Bring it to your phone, at the foot of the field page.", flush=True
        )
    else:
        print("There is no network now: a phone finds this machine once there is one.", flush=True)


def _run(arguments: argparse.Namespace, app: FastAPI, listener: socket.socket, beyond: Beyond | None) -> None:
    """Serve an application until a signal comes."""
    import uvicorn

    from zesty_cell.connections import Bounded

    # Forwarded addresses are no business of uvicorn's: who asks is decided in one place (paired.py).
    config = uvicorn.Config(
        app, log_config=None, access_log=False, server_header=False, ws="none", http=Bounded, proxy_headers=False
    )
    bench = _BenchBeside(arguments.bench_port)
    app.state.start_bench = bench.start  # the callouts' page has a button for it
    try:
        with (
            bench.soon(app.state.quiet.wait)
            if arguments.command == "demo" or arguments.with_bench
            else nullcontext()
        ):
            if beyond is None:
                uvicorn.Server(config).run(sockets=[listener])
            else:
                from zesty_cell.network.listeners import run

                run(config, listener, beyond)
    finally:
        bench.end()


def _application(arguments: argparse.Namespace) -> tuple[FastAPI, Beyond | None]:
    """The application over its database, with the made-up club where that is asked for; ZestyCellError if not."""
    from zesty_cell.guard import LOOPBACK_HOSTS
    from zesty_cell.store.working import sweep
    from zesty_cell.web.app import create_app

    sweep(arguments.database)
    network, beyond = _network(arguments)
    hosts = LOOPBACK_HOSTS | set(arguments.allow_host)
    app = create_app(arguments.database, hosts=hosts, bench_port=arguments.bench_port, network=network)
    if arguments.command == "demo":
        _fill_demo(app.state.database)
    return app, beyond


def serve(arguments: argparse.Namespace) -> int:
    """Serve until a signal comes; returns the exit status."""
    if not ipaddress.ip_address(arguments.host).is_loopback and not arguments.behind_proxy:
        print(
            "zesty-cell: beyond this machine it is served over TLS, to devices that are paired: use --lan, or "
            "--behind-proxy ADDRESS with a reverse proxy. docs/network.md has both.",
            file=sys.stderr,
        )
        return 2
    # The kernel is linked while the web framework is imported: linking lets other threads run.
    warming = threading.Thread(target=_warm, name="warm")
    warming.start()

    import uvicorn  # noqa: F401 - here, while the kernel is linked

    from zesty_cell.core.errors import ZestyCellError
    from zesty_cell.operating import set_up_logging, tell
    from zesty_cell.store.database import HEAD_REVISION

    listener = _listener(arguments)
    if listener is None:
        warming.join()
        return 2
    set_up_logging(level=arguments.log_level, as_json=arguments.log_json)
    try:
        app, beyond = _application(arguments)
    except ZestyCellError as error:
        print(f"zesty-cell: {error}", file=sys.stderr)
        listener.close()
        warming.join()
        return 2
    tell("start", version=__version__, schema=HEAD_REVISION, database=arguments.database.name)
    warming.join()
    _keep_memory_together()
    # What start-up made lives as long as the process: keep the collector away from it.
    gc.freeze()
    # A page makes some ten thousand objects and drops them whole: looking for circles after every 700 costs it 8 %.
    gc.set_threshold(20_000, 20, 20)
    gc.enable()
    _say_where(arguments, app.state.network)
    _run(arguments, app, listener, beyond)
    return 0


def is_free(port: int) -> bool:
    """Whether nobody listens on a port of loopback."""
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", port))
        except OSError:
            return False
        return True


class _BenchBeside:
    """The bench transmitter as a process of its own beside the server, unless one is there already."""

    def __init__(self, port: int) -> None:
        self._port = port
        self._lock = threading.Lock()
        self._started: subprocess.Popen[bytes] | None = None
        self._ended = False

    def start(self) -> None:
        """Start it, where none is."""
        with self._lock:
            running = self._started is not None and self._started.poll() is None
            if self._ended or running or not is_free(self._port):
                return
            port = str(self._port)
            command = [sys.executable, "-m", "zesty_cell", "bench-transmitter", "--port", port, "--until-eof"]
            silent = subprocess.DEVNULL
            # Its input is a pipe that closes with this process, however it ends.
            self._started = subprocess.Popen(  # noqa: S603
                command, stdin=subprocess.PIPE, stdout=silent, stderr=silent
            )

    @contextmanager
    def soon(self, wait: Callable[[], object]) -> Iterator[None]:
        """Start it by itself in a quiet moment: the first pages should not have to share the machine with it."""

        def start() -> None:
            wait()
            self.start()

        timer = threading.Timer(_BENCH_DELAY_S, start)
        timer.daemon = True
        timer.start()
        try:
            yield
        finally:
            timer.cancel()

    def end(self) -> None:
        """End what was started, for good."""
        with self._lock:
            self._ended = True
            if self._started is not None:
                with self._started as process:
                    process.terminate()
                    process.wait(5)
