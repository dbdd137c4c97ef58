"""A log of ten thousand flights, and an hour of telemetry: the server as its own process, over loopback."""

from __future__ import annotations

import re
import subprocess
import sys
import tempfile
import time
import urllib.request
import uuid
from pathlib import Path

import numpy as np
from playwright.sync_api import sync_playwright
from tests.e2e.conftest import CHROMIUM_FLAGS, free_port
from tests.web.test_import import season

from benchmarks.choosing import _wait
from benchmarks.server import AS_INSTALLED, _memory_mb
from benchmarks.timing import Row, Timed
from zesty_cell.core.learn.flights import LoggedFlight
from zesty_cell.demo.club import load_club
from zesty_cell.standins.craft import SimulatedCraft
from zesty_cell.store import flights, sheets
from zesty_cell.store.database import Database

_ROWS = 10_000


def hour_csv(path: Path) -> bytes:
    """An hour at ten lines a second, twenty columns, of the club's wing."""
    database = Database(path)
    with database.session() as session:
        row = next(r for r in sheets.all_sheets(session) if r.craft.name == "Plover")
        craft = SimulatedCraft(sheets.as_sheet(row), seed=8)
    database.close()
    lines = craft.log_csv(craft.fly(3584.0), rate_hz=10).decode().splitlines()
    rng = np.random.default_rng(1)
    extra = [[f"{v:.2f}" for v in 20.0 + rng.normal(size=len(lines)).cumsum() / 50.0] for _ in range(13)]
    names = lines[0] + "," + ",".join(f"Extra {k} (x)" for k in range(13))
    rows = [f"{line},{','.join(column[k] for column in extra)}" for k, line in enumerate(lines[1:])]
    return ("\n".join([names, *rows]) + "\n").encode()


def _post_file(url: str, data: bytes, name: str) -> str:
    """Send a file as a form does; where it leads."""
    edge = uuid.uuid4().hex
    head = f'--{edge}\r\nContent-Disposition: form-data; name="file"; filename="{name}"\r\n\r\n'.encode()
    request = urllib.request.Request(url, head + data + f"\r\n--{edge}--\r\n".encode())
    request.add_header("Content-Type", f"multipart/form-data; boundary={edge}")
    with urllib.request.urlopen(request, timeout=120) as response:
        response.read()
        return str(response.geturl())


def _read(url: str) -> str:
    with urllib.request.urlopen(url, timeout=60) as response:
        return response.read().decode()


def _finished(url: str) -> str:
    while 'data-running="yes"' in (text := _read(url)):
        time.sleep(0.02)
    return text


def _pages(address: str, path: str) -> Timed:
    times = []
    for _ in range(3):
        _read(address + path)
    for _ in range(30):
        start = time.perf_counter()
        _read(address + path)
        times.append((time.perf_counter() - start) * 1e3)
    return Timed(tuple(sorted(times)))


def _attached_flight(path: Path) -> int:
    """A flight of the wing, and a short log of the same columns whose meaning is confirmed."""
    database = Database(path)
    with database.session() as session:
        row = next(r for r in sheets.all_sheets(session) if r.craft.name == "Plover")
        flight = LoggedFlight.model_validate(
            {"landed_at": "2026-11-20T12:00:00Z", "duration_s": 3584, "pattern": row.flying["name"]}
        )
        flight_id = flights.add(session, flight, craft_id=row.craft_id, pack=row.pack, entry="hour").id
    database.close()
    return flight_id


def log() -> list[Row]:
    """Import, pages, memory, telemetry."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "many.sqlite"
        database = Database(path)
        with database.session() as session:
            load_club(session)
        database.close()
        flight_id, hour = _attached_flight(path), hour_csv(path)
        port = free_port()
        command = [sys.executable, "-c", AS_INSTALLED, "serve", "--port", str(port), "--database", str(path)]
        server = subprocess.Popen(command, stdout=subprocess.DEVNULL)
        address = f"http://127.0.0.1:{port}"
        try:
            _wait(f"{address}/sheets")
            many = season(_ROWS).encode()
            start = time.perf_counter()
            where = _post_file(f"{address}/log/import", many, "many.csv")
            looked = _finished(where)
            looked_s = time.perf_counter() - start
            if f"{_ROWS:,}".replace(",", "\u2009") not in looked:
                raise RuntimeError("the import does not see its lines")
            start = time.perf_counter()
            urllib.request.urlopen(where, b"", timeout=60).read()
            _finished(where)
            wrote_s = time.perf_counter() - start
            log_page, field_page = _pages(address, "/log"), _pages(address, "/field?craft=1")
            found, health = _pages(address, "/log?craft=1&air=cool"), _pages(address, "/hangar/health")
            sent_s, drawn_s = _telemetry(address, flight_id, hour)
            memory = _memory_mb(server.pid)
        finally:
            server.terminate()
            server.wait(10)
    mb = len(hour) / 1e6
    return [
        Row(
            f"Import of {_ROWS} flights",
            f"{looked_s + wrote_s:.1f} s: {looked_s:.1f} to look at every line, {wrote_s:.1f} to log them",
            "5 s",
            looked_s + wrote_s <= 5.0,
            "file sent, lines read and judged, confirmed, written in one transaction, pages read",
        ),
        Row(
            f"The log page with {_ROWS} flights",
            f"{log_page.median_ms:.0f} ms median, {log_page.p95_ms:.0f} p95; filtered {found.median_ms:.0f}",
            "100 ms",
            log_page.median_ms <= 100.0,
            "GET /log over loopback: a hundred flights with what they used, corrected, odd ones marked",
        ),
        Row(
            f"The field page with {_ROWS} flights",
            f"{field_page.median_ms:.0f} ms median, {field_page.p95_ms:.0f} p95",
            "100 ms",
            field_page.median_ms <= 100.0,
            "GET /field over loopback: timer, learned correction, voltages, queue, reminders",
        ),
        Row(
            f"The health page with {_ROWS} flights",
            f"{health.median_ms:.0f} ms median, {health.p95_ms:.0f} p95",
            "–",
            True,
            "GET /hangar/health over loopback, after the first look",
        ),
        Row(
            f"An hour of telemetry, {mb:.1f} MB in 20 columns",
            f"{sent_s + drawn_s:.1f} s: {sent_s:.1f} to parse and store, {drawn_s:.1f} until it is drawn",
            "2 s",
            sent_s + drawn_s <= 2.0,
            "file sent and attached; page opened in Chromium, fitted, its 36 000 lines drawn with forecast and fit",
        ),
        Row(
            "Memory of the server after all this", f"{memory:.0f} MB at its peak", "500 MB", memory < 500.0, "VmHWM"
        ),
    ]


def _telemetry(address: str, flight_id: int, hour: bytes) -> tuple[float, float]:
    """Seconds to send and attach an hour's log, and until it is drawn; its columns were confirmed before."""
    rows = hour.split(b"\n")
    where = _post_file(f"{address}/log/{flight_id}/telemetry", b"\n".join(rows[:4000]) + b"\n", "short.csv")
    page = _read(where)
    form = {}
    for key, options in re.findall(r'<select[^>]*name="([^"]+)".*?>(.*?)</select>', page, re.S):
        chosen = re.search(r'value="([^"]*)" selected', options)
        form[key] = chosen[1] if chosen else ""
    body = "&".join(f"{k}={urllib.request.quote(v)}" for k, v in (form | {"action": "confirm"}).items())
    with urllib.request.urlopen(where, body.encode(), timeout=60) as answer:
        short = answer.geturl()
    start = time.perf_counter()
    where = _post_file(f"{address}/log/{flight_id}/telemetry", hour, "hour.csv")
    both_s = time.perf_counter() - start
    if "/telemetry/" not in where:
        raise RuntimeError("the columns were not remembered")
    # Sending followed to the page once; the browser opens it again and draws.
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=CHROMIUM_FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.goto(short)  # what is drawn before is code that is there
        page.wait_for_selector("#panels[data-drawn=yes]")
        start = time.perf_counter()
        page.goto(where)
        page.wait_for_selector("#panels[data-drawn=yes]")
        drawn_s = time.perf_counter() - start
        browser.close()
    start = time.perf_counter()
    _read(where)
    return max(both_s - (time.perf_counter() - start), 0.0), drawn_s
