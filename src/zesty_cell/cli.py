"""The command line: demo, serve, bench-transmitter, backup, restore, check, forecast, schema."""

from __future__ import annotations

import argparse
import ctypes
import gc
import ipaddress
import json
import os
import signal
import socket
import subprocess
import sys
import threading
from collections.abc import Iterator
from contextlib import contextmanager, nullcontext, suppress
from pathlib import Path
from typing import TYPE_CHECKING

from zesty_cell import __version__
from zesty_cell.operating import LEVELS
from zesty_cell.ports import DEFAULT_BENCH_PORT, DEFAULT_PORT

if TYPE_CHECKING:
    from zesty_cell.store.database import Database

_BENCH_DELAY_S = 4.0
#: glibc's number for “at most so many heaps”; other C libraries do not know it, and do not mind.
_M_ARENA_MAX = -8


def _read_input(name: str) -> bytes:
    return sys.stdin.buffer.read() if name == "-" else Path(name).read_bytes()


def _forecast(arguments: argparse.Namespace) -> int:
    from zesty_cell.core.answer.forecast import forecast
    from zesty_cell.core.errors import OutOfRangeError
    from zesty_cell.formats.errors import FileFormatError
    from zesty_cell.formats.forecast_json import forecast_document
    from zesty_cell.formats.forecast_text import forecast_text
    from zesty_cell.formats.sheet_json import read_sheet

    try:
        result = forecast(read_sheet(_read_input(arguments.sheet)))
    except OSError as error:
        print(f"zesty-cell: cannot read {arguments.sheet}: {error.strerror}", file=sys.stderr)
        return 2
    except (FileFormatError, OutOfRangeError) as error:
        print(f"zesty-cell: {arguments.sheet}: {error}", file=sys.stderr)
        return 2
    if arguments.json:
        print(forecast_document(result).model_dump_json(indent=2))
    else:
        print(forecast_text(result), end="")
    return 0


def _schema(arguments: argparse.Namespace) -> int:
    from zesty_cell.formats.plan_json import plan_schema
    from zesty_cell.formats.sheet_json import sheet_schema

    schema = sheet_schema() if arguments.what == "sheet" else plan_schema()
    print(json.dumps(schema, indent=2, ensure_ascii=False))
    return 0


def _backup(arguments: argparse.Namespace) -> int:
    from zesty_cell.store.backup import BackupError, backup

    try:
        backup(arguments.database, arguments.file)
    except BackupError as error:
        print(f"zesty-cell: {error}", file=sys.stderr)
        return 2
    print(f"{arguments.database} is backed up, whole and checked, as {arguments.file}.")
    return 0


def _restore(arguments: argparse.Namespace) -> int:
    from zesty_cell.store.backup import BackupError, restore

    try:
        contents = restore(arguments.file, arguments.database)
    except BackupError as error:
        print(f"zesty-cell: {error}", file=sys.stderr)
        return 2
    print(f"{arguments.database} holds what {arguments.file} held: {contents.words()}.")
    return 0


def _check(arguments: argparse.Namespace) -> int:
    from zesty_cell.store.database import PlaceError
    from zesty_cell.store.wholeness import faults_of

    if not arguments.database.exists():
        print(f"zesty-cell: there is nothing at {arguments.database}.", file=sys.stderr)
        return 2
    try:
        faults = faults_of(arguments.database)
    except PlaceError as error:
        print(f"zesty-cell: {error}", file=sys.stderr)
        return 2
    for fault in faults:
        print(fault.words())
    if faults:
        print(f"{arguments.database} is not whole: {len(faults)} found.", file=sys.stderr)
        return 1
    print(f"{arguments.database} is whole: its tables, what they refer to, and every document in them.")
    return 0


def _warm(_arguments: argparse.Namespace) -> int:
    from zesty_cell.core.answer.warm import warm

    warm()
    return 0


def _fill_demo(database: Database) -> None:
    """Put the made-up club into an empty database; its modules are only imported for that."""
    from zesty_cell.store.sheets import is_empty

    with database.session() as session:
        if not is_empty(session):
            return
        from zesty_cell.demo.club import load_club
        from zesty_cell.demo.log import load_log, load_telemetry

        if load_club(session):
            load_telemetry(session)
            load_log(session)


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


def _serve(arguments: argparse.Namespace) -> int:
    # The kernel is linked while the web framework is imported: linking lets other threads run.
    warming = threading.Thread(target=_warm, args=(arguments,), name="warm")
    warming.start()

    import uvicorn

    from zesty_cell.connections import Bounded
    from zesty_cell.guard import LOOPBACK_HOSTS
    from zesty_cell.operating import set_up_logging, tell
    from zesty_cell.store.database import HEAD_REVISION, PlaceError
    from zesty_cell.store.working import sweep
    from zesty_cell.web.app import create_app

    listener = _listener(arguments)
    if listener is None:
        warming.join()
        return 2
    set_up_logging(level=arguments.log_level, as_json=arguments.log_json)
    sweep(arguments.database)
    try:
        app = create_app(
            arguments.database,
            hosts=LOOPBACK_HOSTS | set(arguments.allow_host),
            bench_port=arguments.bench_port,
        )
        if arguments.command == "demo":
            _fill_demo(app.state.database)
    except PlaceError as error:
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
    host = arguments.host
    shown = f"[{host}]" if ":" in host else host
    print(f"Zesty Cell is at http://{shown}:{arguments.port}/  (Ctrl-C ends it)", flush=True)
    if not ipaddress.ip_address(host).is_loopback:
        print("It listens beyond this machine and has no passwords: use a network you trust.", flush=True)
    server = uvicorn.Server(
        uvicorn.Config(app, log_config=None, access_log=False, server_header=False, ws="none", http=Bounded)
    )
    bench = _BenchBeside(arguments.bench_port)
    app.state.start_bench = bench.start  # the callouts' page has a button for it
    try:
        with bench.soon() if arguments.command == "demo" or arguments.with_bench else nullcontext():
            server.run(sockets=[listener])
    finally:
        bench.end()
    return 0


def _bench_transmitter(arguments: argparse.Namespace) -> int:
    from zesty_cell.standins.bench_transmitter import serve

    if not _is_free(arguments.port):
        print(f"zesty-cell: port {arguments.port} is taken: another bench transmitter?", file=sys.stderr)
        return 2
    if arguments.until_eof:
        threading.Thread(target=_end_with_input, daemon=True).start()
    print(f"The bench transmitter is at http://127.0.0.1:{arguments.port}/  (Ctrl-C ends it)", flush=True)
    serve(port=arguments.port)
    return 0


def _end_with_input() -> None:
    sys.stdin.buffer.read()
    os.kill(os.getpid(), signal.SIGTERM)


def _is_free(port: int) -> bool:
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

    def start(self) -> None:
        """Start it, where none is."""
        with self._lock:
            running = self._started is not None and self._started.poll() is None
            if running or not _is_free(self._port):
                return
            port = str(self._port)
            command = [sys.executable, "-m", "zesty_cell", "bench-transmitter", "--port", port, "--until-eof"]
            silent = subprocess.DEVNULL
            # Its input is a pipe that closes with this process, however it ends.
            self._started = subprocess.Popen(  # noqa: S603
                command, stdin=subprocess.PIPE, stdout=silent, stderr=silent
            )

    @contextmanager
    def soon(self) -> Iterator[None]:
        """Start it by itself in a moment: the first page should not have to share the machine with it."""
        timer = threading.Timer(_BENCH_DELAY_S, self.start)
        timer.daemon = True
        timer.start()
        try:
            yield
        finally:
            timer.cancel()

    def end(self) -> None:
        """End what was started."""
        with self._lock:
            if self._started is not None:
                with self._started as process:
                    process.terminate()
                    process.wait(5)


def _address(text: str) -> str:
    try:
        return str(ipaddress.ip_address("127.0.0.1" if text == "localhost" else text))
    except ValueError as error:
        raise argparse.ArgumentTypeError(f"{text!r} is not an address such as 127.0.0.1") from error


def _port(text: str) -> int:
    if not text.isdigit() or not 1 <= int(text) <= 65535:
        raise argparse.ArgumentTypeError(f"{text!r} is not a port from 1 to 65535")
    return int(text)


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="zesty-cell", description="Packs, flight time and callouts for pilots.")
    parser.add_argument("--version", action="version", version=__version__)
    commands = parser.add_subparsers(dest="command", required=True)
    for name, words, database in (
        ("demo", "start with the made-up club", Path("data/demo.sqlite")),
        ("serve", "start with your own data", Path("data/zesty-cell.sqlite")),
    ):
        command = commands.add_parser(name, help=words)
        command.add_argument("--host", type=_address, default="127.0.0.1", help="address to listen on")
        command.add_argument("--port", type=_port, default=DEFAULT_PORT)
        command.add_argument("--database", type=Path, default=database, help="SQLite file")
        command.add_argument(
            "--bench-port", type=_port, default=DEFAULT_BENCH_PORT, help="where the bench transmitter is"
        )
        command.add_argument("--with-bench", action="store_true", help="start the bench transmitter beside it")
        command.add_argument("--allow-host", action="append", default=[], help="a further name to answer to")
        command.add_argument("--log-level", choices=LEVELS, default="info", help="what is told on standard error")
        command.add_argument("--log-json", action="store_true", help="tell it as one JSON object a line")
        command.set_defaults(run=_serve)
    for name, words, run in (
        ("backup", "copy your data into a file, whole and checked, while the server runs or not", _backup),
        ("restore", "take a backup into a new or an existing place; what was there is kept beside it", _restore),
    ):
        command = commands.add_parser(name, help=words)
        command.add_argument("file", metavar="FILE", type=Path)
        command.add_argument("--database", type=Path, default=Path("data/zesty-cell.sqlite"), help="SQLite file")
        command.set_defaults(run=run)
    command = commands.add_parser("check", help="say whether a database is whole, and which row is not")
    command.add_argument("--database", type=Path, default=Path("data/zesty-cell.sqlite"), help="SQLite file")
    command.set_defaults(run=_check)
    command = commands.add_parser("forecast", help="forecast a sheet from a file")
    command.add_argument("sheet", metavar="SHEET.json", help="a sheet, or - for standard input")
    command.add_argument("--json", action="store_true", help="print JSON instead of text")
    command.set_defaults(run=_forecast)
    command = commands.add_parser("bench-transmitter", help="start the stand-in that runs callout plans")
    command.add_argument("--port", type=_port, default=DEFAULT_BENCH_PORT)
    command.add_argument("--until-eof", action="store_true", help=argparse.SUPPRESS)
    command.set_defaults(run=_bench_transmitter)
    command = commands.add_parser("schema", help="print a JSON Schema")
    command.add_argument("what", choices=["sheet", "callouts"])
    command.set_defaults(run=_schema)
    command = commands.add_parser("warm", help="compile the kernel into its cache")
    command.set_defaults(run=_warm)
    return parser


def main(argv: list[str] | None = None) -> int:
    """Entry point; returns the exit status."""
    arguments = _parser().parse_args(argv)
    if arguments.run is _serve:
        gc.disable()  # importing makes much and frees nothing: a tenth of the start is saved
    return int(arguments.run(arguments))
