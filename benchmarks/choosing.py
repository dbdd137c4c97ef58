"""Choosing a pack: the search, the comparison of eight, the hangar with five hundred packs."""

from __future__ import annotations

import subprocess
import sys
import tempfile
import time
import urllib.request
from pathlib import Path

from tests.e2e.conftest import free_port
from tests.sheets import heron, pomelo, sheet

from benchmarks.timing import Row, Timed, measure
from zesty_cell.core.answer.forecast import forecast
from zesty_cell.core.choose.buys import what_buys_minutes
from zesty_cell.core.choose.candidates import SearchSpace, candidates, with_pack
from zesty_cell.core.choose.compare import Contender, compare_packs
from zesty_cell.core.choose.knee import knee
from zesty_cell.core.choose.search import SearchLimits, search
from zesty_cell.demo.club import load_club
from zesty_cell.demo.packs import PACK_LIST
from zesty_cell.store.database import Database
from zesty_cell.store.hangar import PACKS

#: Flights of about twenty minutes: the lighthouse run on packs of two to six ampere hours a cell.
SPACE = SearchSpace(
    chemistries=("lipo", "lihv", "liion_power", "liion_energy"),
    capacity_from_ah=1.4,
    capacity_to_ah=5.6,
    capacity_steps=100,
    series_from=3,
    series_to=6,
    parallel_to=3,
)


def choosing() -> list[Row]:
    """The search of 2,000 candidates, the comparison of eight, and what stands beside them."""
    one = sheet(craft=heron(), pack=pomelo())
    packs = tuple(candidates(SPACE, like=one.pack))[:2000]
    if len(packs) != 2000:
        raise RuntimeError(f"the space holds only {len(packs)} packs")
    found = search(one, packs=packs, limits=SearchLimits())
    for k in range(0, 2000, 97):
        if forecast(with_pack(one, pack=found.packs[k])).at_landing != found.summaries[k]:
            raise RuntimeError("the search does not fly what the sheet flies")
    mean_s = float(found.landing_s.mean())
    searched = measure(lambda: search(one, packs=packs, limits=SearchLimits()), runs=9)
    eight = [Contender(pack) for pack in PACK_LIST if pack.series == 6] + [Contender(pomelo(name="another"))]
    eight = eight[:8]
    if len(eight) != 8:
        raise RuntimeError("the club has not eight packs for the comparison")
    compared = measure(lambda: compare_packs(one, contenders=eight), runs=15)
    bought = measure(lambda: what_buys_minutes(one), runs=30)
    curve = measure(lambda: knee(one, chemistry="liion_power"), runs=30)
    return [
        Row(
            f"2 000 candidates, flights of {mean_s / 60:.0f} min on average",
            f"{searched.median_ms:.0f} ms median, {searched.best_ms:.0f} best",
            "150 ms",
            searched.median_ms <= 150.0,
            "search(): set up, flown to landing at 10 Hz, held against limits, front, ranked; two threads",
        ),
        Row(
            "A comparison of eight",
            f"{compared.median_ms:.0f} ms median, {compared.best_ms:.0f} best",
            "300 ms",
            compared.median_ms <= 300.0,
            "compare_packs(): eight flights in detail, 1 600 sampled ones, honest currents kept, checks",
        ),
        Row(
            "What buys minutes, eleven changes",
            f"{bought.median_ms:.0f} ms median, {bought.best_ms:.0f} best",
            "–",
            True,
            "what_buys_minutes(): each change applied and flown",
        ),
        Row(
            "The knee, 28 packs",
            f"{curve.median_ms:.0f} ms median, {curve.best_ms:.0f} best",
            "–",
            True,
            "knee(): packs made and flown, the curve and its elasticity",
        ),
    ]


def _fill(path: Path) -> None:
    """The club and five hundred further packs."""
    database = Database(path)
    with database.session() as session:
        load_club(session)
        for k in range(500 - len(PACK_LIST)):
            like = PACK_LIST[k % len(PACK_LIST)]
            PACKS.add(session, like.model_copy(update={"name": f"Type {k // 3:03d} {k % 3 + 1}"}))
    database.close()


def hangar() -> list[Row]:
    """The hangar's page with five hundred packs, first seen and filtered, over loopback."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "many.sqlite"
        _fill(path)
        port = free_port()
        command = [sys.executable, "-m", "zesty_cell", "serve", "--port", str(port), "--database", str(path)]
        server = subprocess.Popen(command, stdout=subprocess.DEVNULL)
        try:
            address = f"http://127.0.0.1:{port}"
            _wait(f"{address}/sheets")
            times: list[float] = []
            queries = ("", "?q=type+1", "?chemistry=lipo", "?series=6&standing=own", "?first=72", "?q=pomelo")
            first_ms = _ask(f"{address}/hangar")
            for k in range(60):
                times.append(_ask(f"{address}/hangar{queries[k % len(queries)]}"))
        finally:
            server.terminate()
            server.wait(10)
    timed = Timed(tuple(sorted(times)))
    return [
        Row(
            "The hangar with 500 packs, filters in turn",
            f"{timed.median_ms:.0f} ms median, {timed.p95_ms:.0f} p95; the very first {first_ms:.0f}",
            "100 ms",
            timed.median_ms <= 100.0,
            "GET /hangar over loopback: query, 24 types drawn, crafts and cells, rendered, read",
        )
    ]


def _wait(url: str) -> None:
    deadline = time.monotonic() + 60
    while True:
        try:
            urllib.request.urlopen(url, timeout=5).close()
            return
        except OSError:
            if time.monotonic() > deadline:
                raise
            time.sleep(0.05)


def _ask(url: str) -> float:
    """One page, answered and read [ms]."""
    start = time.perf_counter()
    with urllib.request.urlopen(url, timeout=30) as response:
        if b'class="individuals"' not in response.read():
            raise RuntimeError("the packs are missing")
    return (time.perf_counter() - start) * 1e3
