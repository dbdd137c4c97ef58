"""The server as its own process: start, live changes, memory, weight of the first page."""

from __future__ import annotations

import gzip
import http.client
import os
import re
import subprocess
import sys
import tempfile
import threading
import time
import urllib.parse
import urllib.request
from pathlib import Path

from tests.e2e.conftest import free_port

from benchmarks.timing import Row, Timed

FIRST_LOAD_LIMIT = 350_000
#: SciPy comes with the test requirements only; where it is there numba imports it, so hide it.
AS_INSTALLED = "import sys; sys.modules['scipy'] = None; from zesty_cell.cli import main; sys.exit(main())"


def _get(url: str) -> bytes:
    """Fetch as a browser would: compressed; returns the bytes as they came over the wire."""
    request = urllib.request.Request(url, headers={"Accept-Encoding": "gzip"})
    with urllib.request.urlopen(request, timeout=30) as response:
        return response.read()


def _text(raw: bytes) -> str:
    return (gzip.decompress(raw) if raw[:2] == b"\x1f\x8b" else raw).decode()


def _form(html: str) -> dict[str, str]:
    form = html.split('id="sheet-form"', 1)[1].split("</form>", 1)[0]
    values = {}
    for tag in re.findall(r"<input[^>]*>", form):
        name, value = re.search(r'name="([^"]+)"', tag), re.search(r'value="([^"]*)"', tag)
        if name and not ('type="checkbox"' in tag and "checked" not in tag):
            values[name[1]] = value[1] if value else "on"
    for select in re.findall(r"<select.*?</select>", form, re.DOTALL):
        name, value = re.search(r'name="([^"]+)"', select), re.search(r'value="([^"]+)" selected', select)
        if name and value:
            values[name[1]] = value[1]
    return values


def _typed(form: dict[str, str], number: int) -> bytes:
    """The form with another air for each of two hundred changes."""
    return urllib.parse.urlencode(form | {"conditions.air_c": f"{5 + number % 200 / 10:.1f}"}).encode()


def _change(url: str, form: dict[str, str], number: int) -> float:
    """One live change, answered and read; milliseconds."""
    body = _typed(form, number)
    start = time.perf_counter()
    with urllib.request.urlopen(url, body, timeout=60) as response:
        if b"Be on the ground at" not in response.read():
            raise RuntimeError("the answer is missing")
    return (time.perf_counter() - start) * 1e3


def _changes_as_a_browser(port: int, form: dict[str, str], count: int) -> Timed:
    """Live changes one after the other on a connection that is kept, compressed, each answered and read."""
    times, connection = [], http.client.HTTPConnection("127.0.0.1", port, timeout=60)
    headers = {"Content-Type": "application/x-www-form-urlencoded", "Accept-Encoding": "gzip"}
    for number in range(count):
        body = _typed(form, number)
        start = time.perf_counter()
        connection.request("POST", "/sheets/8", body, headers)
        answer = connection.getresponse().read()
        times.append((time.perf_counter() - start) * 1e3)
        if "Be on the ground at" not in _text(answer):
            raise RuntimeError("the answer is missing")
    connection.close()
    return Timed(tuple(sorted(times)))


def _crowd(url: str, form: dict[str, str], clients: int, each: int) -> tuple[Timed, int]:
    times: list[float] = []
    errors: list[Exception] = []

    def client(k: int) -> None:
        for j in range(each):
            try:
                times.append(_change(url, form, 37 * k + j))
            except Exception as error:
                errors.append(error)

    threads = [threading.Thread(target=client, args=(k,)) for k in range(clients)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return Timed(tuple(sorted(times))), len(errors)


def _memory_mb(pid: int) -> float:
    status = Path(f"/proc/{pid}/status").read_text()
    peak = re.search(r"VmHWM:\s+(\d+) kB", status)
    return int(peak[1]) / 1024.0 if peak else float("nan")


def run() -> list[Row]:
    """Everything measured on one running server."""
    rows = []
    with tempfile.TemporaryDirectory() as folder:
        port, database = free_port(), str(Path(folder) / "bench.sqlite")
        arguments = ["demo", "--port", str(port), "--database", database]
        command = [sys.executable, "-c", AS_INSTALLED, *arguments]
        address = f"http://127.0.0.1:{port}"
        # Compiled modules are kept between starts, as on any machine of a person's own.
        environment = {k: v for k, v in os.environ.items() if k != "PYTHONDONTWRITEBYTECODE"}
        starts = []
        for attempt in range(4):  # the first one fills the database and the caches of the system
            begin = time.perf_counter()
            process = subprocess.Popen(command, stdout=subprocess.DEVNULL, env=environment)
            while True:
                try:
                    html = _text(_get(f"{address}/sheets/8"))
                    break
                except OSError:
                    time.sleep(0.02)
            if attempt:
                starts.append(time.perf_counter() - begin)
            if attempt < 3:
                process.terminate()
                process.wait(10)
        middle = sorted(starts)[1]
        rows.append(
            Row(
                "A second start to its first page",
                f"{middle:.1f} s",
                "1.6 s",
                middle <= 1.6,
                "process start to the whole sheet page read, without the test packages; median of 3",
            )
        )
        try:
            form, url = _form(html), f"{address}/sheets/8"
            alone = _changes_as_a_browser(port, form, 120)
            rows.append(
                Row(
                    "A live change, one client",
                    f"{alone.p95_ms:.0f} ms at the 95th percentile, {alone.median_ms:.0f} median",
                    "40 ms",
                    alone.p95_ms <= 40.0,
                    "form posted to page read as a browser does, on a kept connection and compressed; 120 changes "
                    "of the air, server in its own process",
                )
            )
            crowd, errors = _crowd(url, form, 20, 6)
            rows.append(
                Row(
                    "Twenty clients at once",
                    f"{errors} errors, {crowd.median_ms / 1e3:.1f} s median",
                    "0 errors",
                    errors == 0,
                    "120 changes, all answered with a forecast",
                )
            )
            memory = _memory_mb(process.pid)
            rows.append(
                Row(
                    "Memory of the server",
                    f"{memory:.0f} MB at its peak",
                    "400 MB",
                    memory < 400.0,
                    "VmHWM after the above",
                )
            )
            page = _get(url)
            parts = set(re.findall(r'(?:src|href)="(/static/[^"]+)"', _text(page)))
            script_names = ("sheet.js", "keys.js", "cursor.js", "vendor/alpine-csp.js", "vendor/alpine-morph.js")
            parts |= {f"/static/{name}" for name in script_names}
            parts |= {
                f"/static/fonts/{f}"
                for f in re.findall(r"/static/fonts/([\w.-]+)", _text(_get(f"{address}/static/app.css")))
            }
            weight = len(page) + sum(len(_get(address + part)) for part in parts)
            rows.append(
                Row(
                    "The sheet page at first load",
                    f"{weight / 1000:.0f} kB",
                    "350 kB",
                    weight < FIRST_LOAD_LIMIT,
                    f"page and {len(parts)} files, fonts included, as sent",
                )
            )
        finally:
            process.terminate()
            process.wait(10)
    return rows
