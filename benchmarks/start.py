"""The first minute as a browser has it: the answer to each key, the weight of the page, the list of many sheets."""

from __future__ import annotations

import re
import subprocess
import sys
import tempfile
import time
import urllib.parse
import urllib.request
from pathlib import Path

from tests.e2e.conftest import free_port

from benchmarks.server import AS_INSTALLED, _get, _text
from benchmarks.timing import Row, Timed
from zesty_cell.services.starting import Asked, keep
from zesty_cell.store import sheets
from zesty_cell.store.database import Database

_LINES = ("6s 1300 120c 214g", "2s1p 18650 3000mAh 30A", "22.2V 5000mAh 75c", "4s 650 lihv")
_KINDS = ("freestyle", "small_quad", "long_range", "plane")
_SHEETS, _LOOKS = 200, 25


def _keys(address: str) -> Timed:
    """Every key of a few labels on a few silhouettes: form posted to page read [ms]."""
    times = []
    for kind, line in zip(_KINDS, _LINES, strict=True):
        for k in range(len(line) + 1):
            form = {"units": "metric", "kind": kind, "label": line[:k]}
            begin = time.perf_counter()
            body = urllib.parse.urlencode(form).encode()
            with urllib.request.urlopen(f"{address}/start", body, timeout=30) as page:
                # What does not fly is an answer too, and a line that is half typed may mean one.
                if b'class="answer-time"' not in page.read():
                    raise RuntimeError(f"the answer is missing: {kind} {line[:k]!r}")
            times.append((time.perf_counter() - begin) * 1e3)
    return Timed(tuple(sorted(times)))


def _weight(address: str) -> tuple[int, int]:
    """Bytes of the page with all that it loads, as sent, and how many files."""
    page = _get(f"{address}/start")
    parts = set(re.findall(r'(?:src|href)="(/static/[^"]+)"', _text(page)))
    css = _text(_get(f"{address}/static/app.css"))
    parts |= {f"/static/fonts/{font}" for font in re.findall(r"/static/fonts/([\w.-]+)", css)}
    seen: set[str] = set()
    while waiting := {p.partition("?")[0] for p in parts} - seen:
        for part in waiting:
            seen.add(part)
            if part.endswith(".js"):
                here = part.rpartition("/")[0]
                text = _text(_get(address + part))
                names = re.findall(r'^import [^;]*?from "\./([^"]+)"', text, re.MULTILINE)
                parts |= {f"{here}/{name}" for name in names}
    return len(page) + sum(len(_get(address + part)) for part in seen), len(seen)


def _many_sheets(path: Path) -> None:
    database = Database(path)
    with database.session() as session:
        rows = [keep(session, Asked(kind=kind, line=line)) for kind, line in zip(_KINDS, _LINES, strict=True)]
        for k in range(_SHEETS - len(rows)):
            sheets.duplicate(session, rows[k % len(rows)].id)
    database.close()


def _list(address: str) -> tuple[Timed, float]:
    """The list of many sheets once all was worked out, page asked to page read [ms]; and how long that took [s]."""
    begin = time.perf_counter()
    while 'data-pending="yes"' in _text(_get(f"{address}/sheets")):
        time.sleep(0.2)
    settled_s = time.perf_counter() - begin
    times = []
    for _ in range(_LOOKS):
        begin = time.perf_counter()
        _get(f"{address}/sheets")
        times.append((time.perf_counter() - begin) * 1e3)
    return Timed(tuple(sorted(times))), settled_s


def first_minute() -> list[Row]:
    """Everything measured on one server over two hundred sheets."""
    with tempfile.TemporaryDirectory() as folder:
        path, port = Path(folder) / "start.sqlite", free_port()
        _many_sheets(path)
        command = [sys.executable, "-c", AS_INSTALLED, "serve", "--port", str(port), "--database", str(path)]
        process = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        address = f"http://127.0.0.1:{port}"
        try:
            while True:
                try:
                    _get(f"{address}/start")
                    break
                except OSError:
                    time.sleep(0.05)
            _keys(address)
            keys, (weight, files) = _keys(address), _weight(address)
            looked, settled_s = _list(address)
        finally:
            process.terminate()
            process.wait(10)
    return [
        Row(
            "An answer to each key on Start",
            f"{keys.p95_ms:.0f} ms at the 95th percentile, {keys.median_ms:.0f} median",
            "150 ms",
            keys.p95_ms + 15.0 <= 150.0,
            "form posted to page read, every key of four labels; the browser waits 15 ms before it asks",
        ),
        Row(
            "Start at first load",
            f"{weight / 1000:.0f} kB",
            "200 kB",
            weight < 200_000,
            f"page and {files} files, fonts and scripts included, as sent",
        ),
        Row(
            f"The list of {_SHEETS} sheets",
            f"{looked.median_ms:.0f} ms, {looked.p95_ms:.0f} at the 95th percentile",
            "100 ms",
            looked.median_ms <= 100.0,
            f"page asked to page read, fifty on it; their answers were worked out behind in {settled_s:.0f} s",
        ),
    ]
