"""The command line: demo, serve, bench-transmitter, backup, restore, check, forecast, schema."""

from __future__ import annotations

import argparse
import gc
import ipaddress
import json
import os
import signal
import sys
import threading
from pathlib import Path

from zesty_cell import __version__
from zesty_cell.operating import LEVELS
from zesty_cell.ports import (
    DEFAULT_BENCH_PORT,
    DEFAULT_CERTIFICATE_PORT,
    DEFAULT_DISCHARGER_PORT,
    DEFAULT_LAN_PORT,
    DEFAULT_PORT,
)


def _read_input(name: str) -> bytes:
    return sys.stdin.buffer.read() if name == "-" else Path(name).read_bytes()


def _forecast(arguments: argparse.Namespace) -> int:
    from zesty_cell.core.answer.forecast import forecast
    from zesty_cell.core.errors import OutOfRangeError
    from zesty_cell.formats.errors import FileFormatError
    from zesty_cell.formats.forecast_json import forecast_document
    from zesty_cell.formats.sheet_json import read_sheet
    from zesty_cell.words.forecast_text import forecast_text

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
    from zesty_cell.formats.curve_json import curve_schema
    from zesty_cell.formats.plan_json import plan_schema
    from zesty_cell.formats.sheet_json import sheet_schema
    from zesty_cell.formats.trial_json import trial_schema

    schemas = {"sheet": sheet_schema, "callouts": plan_schema, "test": trial_schema, "curve": curve_schema}
    schema = schemas[arguments.what]()
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
    from zesty_cell.words.say import say

    try:
        contents = restore(arguments.file, arguments.database)
    except BackupError as error:
        print(f"zesty-cell: {error}", file=sys.stderr)
        return 2
    print(f"{arguments.database} holds what {arguments.file} held: {say(contents.words())}.")
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


def _pair(arguments: argparse.Namespace) -> int:
    from zesty_cell.beyond import open_devices, tell_code
    from zesty_cell.network import BeyondError

    if not arguments.database.exists():
        print(f"zesty-cell: there is nothing at {arguments.database}.", file=sys.stderr)
        return 2
    try:
        tell_code(open_devices(arguments.database), arguments.right, url="")
    except BeyondError as error:
        print(f"zesty-cell: {error}", file=sys.stderr)
        return 2
    return 0


def _serve(arguments: argparse.Namespace) -> int:
    from zesty_cell.serving import serve

    return serve(arguments)


def _bench_transmitter(arguments: argparse.Namespace) -> int:
    from zesty_cell.serving import is_free
    from zesty_cell.standins.bench_transmitter import serve

    if not is_free(arguments.port):
        print(f"zesty-cell: port {arguments.port} is taken: another bench transmitter?", file=sys.stderr)
        return 2
    if arguments.until_eof:
        threading.Thread(target=_end_with_input, daemon=True).start()
    print(f"The bench transmitter is at http://127.0.0.1:{arguments.port}/  (Ctrl-C ends it)", flush=True)
    serve(port=arguments.port)
    return 0


def _discharger(arguments: argparse.Namespace) -> int:
    from zesty_cell.serving import is_free
    from zesty_cell.standins.discharger_server import serve

    if not is_free(arguments.port):
        print(f"zesty-cell: port {arguments.port} is taken: another discharger?", file=sys.stderr)
        return 2
    print(f"The discharger is at http://127.0.0.1:{arguments.port}/  (Ctrl-C ends it)", flush=True)
    serve(port=arguments.port)
    return 0


def _end_with_input() -> None:
    sys.stdin.buffer.read()
    os.kill(os.getpid(), signal.SIGTERM)


def _address(text: str) -> str:
    try:
        return str(ipaddress.ip_address("127.0.0.1" if text == "localhost" else text))
    except ValueError as error:
        raise argparse.ArgumentTypeError(f"{text!r} is not an address such as 127.0.0.1") from error


def _port(text: str) -> int:
    if not text.isdigit() or not 1 <= int(text) <= 65535:
        raise argparse.ArgumentTypeError(f"{text!r} is not a port from 1 to 65535")
    return int(text)


def _add_serving(commands: argparse._SubParsersAction[argparse.ArgumentParser]) -> None:
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
        reached = command.add_mutually_exclusive_group()
        reached.add_argument("--lan", action="store_true", help="over TLS for paired devices of your network too")
        reached.add_argument(
            "--behind-proxy", type=_address, default=None, metavar="ADDRESS", help="a proxy that everybody uses"
        )
        command.add_argument("--lan-port", type=_port, default=DEFAULT_LAN_PORT, help="with --lan: over TLS")
        command.add_argument(
            "--certificate-port", type=_port, default=DEFAULT_CERTIFICATE_PORT, help="with --lan: the certificate"
        )
        command.add_argument("--allow-host", action="append", default=[], help="a further name to answer to")
        command.add_argument("--log-level", choices=LEVELS, default="info", help="what is told on standard error")
        command.add_argument("--log-json", action="store_true", help="tell it as one JSON object a line")
        command.set_defaults(run=_serve)


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="zesty-cell", description="Packs, flight time and callouts for pilots.")
    parser.add_argument("--version", action="version", version=__version__)
    commands = parser.add_subparsers(dest="command", required=True)
    _add_serving(commands)
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
    command = commands.add_parser("pair", help="give a code to pair a device with")
    command.add_argument("--right", choices=["field", "everything"], default="field", help="what it may do")
    command.add_argument("--database", type=Path, default=Path("data/zesty-cell.sqlite"), help="SQLite file")
    command.set_defaults(run=_pair)
    command = commands.add_parser("forecast", help="forecast a sheet from a file")
    command.add_argument("sheet", metavar="SHEET.json", help="a sheet, or - for standard input")
    command.add_argument("--json", action="store_true", help="print JSON instead of text")
    command.set_defaults(run=_forecast)
    command = commands.add_parser("bench-transmitter", help="start the stand-in that runs callout plans")
    command.add_argument("--port", type=_port, default=DEFAULT_BENCH_PORT)
    command.add_argument("--until-eof", action="store_true", help=argparse.SUPPRESS)
    command.set_defaults(run=_bench_transmitter)
    command = commands.add_parser("discharger", help="start the stand-in that discharges hidden packs")
    command.add_argument("--port", type=_port, default=DEFAULT_DISCHARGER_PORT)
    command.set_defaults(run=_discharger)
    command = commands.add_parser("schema", help="print a JSON Schema")
    command.add_argument("what", choices=["sheet", "callouts", "test", "curve"])
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
