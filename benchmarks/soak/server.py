"""The command line's own server over a copy of the club, its memory, and requests as browsers send them."""

from __future__ import annotations

import json
import shutil
import subprocess
import sys
import tempfile
import time
import urllib.error
import urllib.parse
import urllib.request
import uuid
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from tests.e2e.conftest import free_port

from benchmarks.soak.house import club_file


@dataclass
class Running:
    """A server as a process of its own."""

    address: str
    process: subprocess.Popen[bytes]
    database: Path
    log: Path

    def memory_mb(self, what: str = "VmRSS") -> float:
        """Memory now, or its peak with ``VmHWM`` [MB]."""
        text = Path(f"/proc/{self.process.pid}/status").read_text()
        line = next(line for line in text.splitlines() if line.startswith(what))
        return float(line.split()[1]) / 1024.0

    def reset_peak(self) -> None:
        """The peak counts from now on."""
        Path(f"/proc/{self.process.pid}/clear_refs").write_text("5")

    def unforeseen(self) -> int:
        """Lines of its log that tell of errors nobody foresaw."""
        return sum(" error " in line for line in self.log.read_text(errors="replace").splitlines())


def wait_for(address: str, process: subprocess.Popen[bytes], *, within_s: float = 30.0) -> bool:
    """Wait until it answers; False where it ended before."""
    until = time.monotonic() + within_s
    while time.monotonic() < until and process.poll() is None:
        try:
            with urllib.request.urlopen(f"{address}/sheets", timeout=5):
                return True
        except OSError:
            time.sleep(0.05)
    return False


def start(database: Path, log: Path) -> Running:
    """Start it; it may not answer yet."""
    port = free_port()
    command = [sys.executable, "-m", "zesty_cell", "serve", "--port", str(port), "--database", str(database)]
    with log.open("ab") as out:
        process = subprocess.Popen(command, stdout=out, stderr=out)
    return Running(f"http://127.0.0.1:{port}", process, database, log)


@contextmanager
def running() -> Iterator[Running]:
    """One that answers, over its own copy of the club."""
    with tempfile.TemporaryDirectory(prefix="zesty-cell-soak-") as folder:
        database = Path(folder) / "club.sqlite"
        shutil.copy(club_file(), database)
        server = start(database, Path(folder) / "server.log")
        try:
            if not wait_for(server.address, server.process):
                raise RuntimeError(server.log.read_text())
            yield server
        finally:
            server.process.terminate()
            server.process.wait(20)


class _Stay(urllib.request.HTTPRedirectHandler):
    def redirect_request(self, *_args: object) -> None:
        return None


_OPENER = urllib.request.build_opener(_Stay)


def ask(
    url: str, body: bytes | None = None, headers: Mapping[str, str] | None = None, *, timeout_s: float = 60.0
) -> tuple[int, dict[str, str], bytes]:
    """Status, headers and body of an answer, whatever it is."""
    request = urllib.request.Request(url, body, dict(headers or {}))
    try:
        with _OPENER.open(request, timeout=timeout_s) as answer:
            return answer.status, dict(answer.headers), answer.read()
    except urllib.error.HTTPError as error:
        with error:
            return error.code, dict(error.headers), error.read()


def form(values: Mapping[str, str]) -> bytes:
    """A plain form."""
    return urllib.parse.urlencode(values).encode()


def upload(values: Mapping[str, str], *, name: str, file_name: str, data: bytes) -> tuple[bytes, dict[str, str]]:
    """A form with a file, and its headers."""
    mark = uuid.uuid4().hex
    head = "".join(
        f'--{mark}\r\nContent-Disposition: form-data; name="{k}"\r\n\r\n{v}\r\n' for k, v in values.items()
    )
    head += f'--{mark}\r\nContent-Disposition: form-data; name="{name}"; filename="{file_name}"\r\n\r\n'
    body = head.encode() + data + f"\r\n--{mark}--\r\n".encode()
    return body, {"Content-Type": f"multipart/form-data; boundary={mark}"}


def as_json(raw: bytes) -> dict[str, object]:
    """An answer in JSON."""
    found = json.loads(raw)
    return found if isinstance(found, dict) else {}
