"""The phone's day: how large it is, how soon it is there, how soon it opens offline, how fast entries go out."""

from __future__ import annotations

import gzip
import json
import shutil
import statistics
import tempfile
import time
import urllib.request
from pathlib import Path

from playwright.sync_api import Page, sync_playwright
from tests.e2e.conftest import CHROMIUM_FLAGS, running

from benchmarks.hangars import large_hangar
from benchmarks.soak.house import club_file
from benchmarks.timing import Row, measure

_OPENINGS, _ENTRIES = 10, 200
#: From the start of a page that was closed to the timer that can be read [ms].
_TO_TIMER = """new Promise((found) => {
  const look = () => {
    const boxes = [...document.querySelectorAll(".timer-box .big")];
    const box = boxes.find((e) => e.offsetParent && e.textContent.trim());
    if (box) found(performance.now()); else requestAnimationFrame(look);
  };
  look();
})"""
#: So many landings of five packs in turn, minutes apart.
_FILL = """async (count) => {
  const day = await zestyQueue.kept("day"), pairs = Object.entries(day.sheets).slice(0, 5);
  for (let k = 0; k < count; k += 1) {
    const [key, sheet] = pairs[k % pairs.length], [craft, pack] = key.split("-");
    const landed_at = new Date(Date.now() - (count - k) * 400_000).toISOString();
    const flown = { kind: "landed", craft, pack, sheet: String(sheet), duration_s: "1:00", landed_at };
    await zestyQueue.add({ ...flown, units: "metric", volts: "cell" });
  }
}"""


def _memory_mb(pid: int) -> float:
    line = next(x for x in Path(f"/proc/{pid}/status").read_text().splitlines() if x.startswith("VmRSS"))
    return float(line.split()[1]) / 1024.0


def _asked(address: str) -> bytes:
    request = urllib.request.Request(f"{address}/pocket/day", headers={"Accept-Encoding": "gzip"})
    with urllib.request.urlopen(request, timeout=60) as answer:
        return bytes(answer.read())


def _until_ready(address: str) -> float:
    """Ask until all of it is there [s]."""
    begin = time.perf_counter()
    while True:
        day = json.loads(gzip.decompress(_asked(address)))
        if day["ready"] == day["asked"]:
            return time.perf_counter() - begin
        time.sleep(0.3)


def _day() -> list[Row]:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "large.sqlite"
        large_hangar(path)
        with running("serve", path) as (address, process):
            made_s = _until_ready(address)
            packed = _asked(address)
            day = json.loads(gzip.decompress(packed))
            before = _memory_mb(process.pid)
            taken = measure(lambda: _asked(address), runs=20)
            grown = _memory_mb(process.pid) - before
    what = f"{len(day['crafts'])} crafts, {len(day['packs'])} packs, {day['asked']} of them together"
    return [
        Row(
            "The day of a large hangar, compressed", f"{len(packed) / 1000:.0f} kB", "300 kB",
            len(packed) < 300_000, what,
        ),
        Row(
            "The same taken along", f"{taken.median_ms:.0f} ms", "1 s", taken.median_ms < 1000.0,
            f"asked to read over loopback, median of 20; worked out behind the pages before, in {made_s:.0f} s",
        ),
        Row(
            "Memory of the server over it", f"{grown:+.1f} MB", "unchanged", grown < 10.0,
            "resident, 23 days taken along",
        ),
    ]  # fmt: skip


def _offline(page: Page, address: str) -> list[float]:
    times = []
    for _ in range(_OPENINGS):
        page.goto("about:blank")
        page.goto(f"{address}/pocket", wait_until="commit")
        times.append(float(page.evaluate(_TO_TIMER)))
    return times


def _all_taken(page: Page) -> None:
    """Wait until voices and cards are there too: until no more have come for a while."""
    count, before = -1, -2
    while count != before or count < 1:
        page.wait_for_timeout(3000)
        found = page.evaluate("caches.open('zesty-cell-taken').then((c) => c.keys()).then((k) => k.length)")
        before, count = count, int(found)


def _phone() -> list[Row]:
    with tempfile.TemporaryDirectory() as folder, sync_playwright() as playwright:
        path = Path(folder) / "club.sqlite"
        shutil.copy(club_file(), path)
        context = playwright.chromium.launch_persistent_context(
            str(Path(folder) / "phone"), executable_path=shutil.which("chromium"), args=CHROMIUM_FLAGS,
            viewport={"width": 390, "height": 844},
        )  # fmt: skip
        page = context.pages[0]
        with running("serve", path) as (address, _):
            sizes: list[int] = []
            page.goto(f"{address}/pocket")
            page.evaluate("navigator.serviceWorker.ready.then(() => true)")
            _until_ready(address)
            page.evaluate("window.dispatchEvent(new Event('online'))")
            while not page.evaluate("zestyQueue.kept('day').then((d) => Boolean(d) && d.ready === d.asked)"):
                page.wait_for_timeout(200)
            _all_taken(page)
            session = context.new_cdp_session(page)
            session.send("Network.enable")
            kept: set[str] = set()
            session.on(
                "Network.responseReceived",
                lambda event: kept.add(event["requestId"]) if event["response"].get("fromServiceWorker") else None,
            )
            session.on(
                "Network.loadingFinished",
                lambda event: sizes.append(0 if event["requestId"] in kept else int(event["encodedDataLength"])),
            )
            page.reload()
            page.wait_for_timeout(3000)
            page.evaluate(_FILL, _ENTRIES)
            sent_s = page.evaluate(
                "(async () => { const began = performance.now(); await zestyQueue.send(); "
                "return (performance.now() - began) / 1000; })()"
            )
            left = page.evaluate("zestyQueue.all().then((all) => all.filter((e) => !e.sent).length)")
        times = _offline(page, address)
        context.close()
    middle, loaded = statistics.median(times), sum(sizes)
    return [
        Row(
            "Opening without a line, to the timer", f"{middle:.0f} ms, {max(times):.0f} at most", "1 s",
            middle < 1000.0,
            f"median of {_OPENINGS}, a new page, the server not running",
        ),
        Row(
            "Loaded by the page with a line", f"{loaded / 1000:.0f} kB", "60 kB", loaded < 60_000,
            "over the wire, opened again with a line: the page itself comes from the phone",
        ),
        Row(
            f"{_ENTRIES} entries sent", f"{sent_s:.1f} s, {left} left", "2 s", sent_s < 2.0 and left == 0,
            "landings in the browser's database to the server's, in order, each on disk",
        ),
    ]  # fmt: skip


def phone() -> list[Row]:
    """All of it."""
    return _day() + _phone()
