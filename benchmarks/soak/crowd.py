"""Twenty pilots and three heavy jobs at once: does somebody who edits a sheet still get an answer?"""

from __future__ import annotations

import random
import re
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field

from benchmarks.server import _form
from benchmarks.soak.house import forms_of
from benchmarks.soak.server import Running, ask, form, running
from benchmarks.timing import Row, Timed

CLIENTS, HEAVY = 20, 3
#: A pilot looks at an answer before the next change [s].
_THINKS_S = (1.0, 4.0)
PAGES = ("/sheets", "/sheets/{k}", "/hangar", "/log", "/field", "/callouts/{k}", "/hangar/health", "/calibrate",
         "/api/sheets")  # fmt: skip


@dataclass
class Found:
    """What came of it."""

    live_ms: list[float] = field(default_factory=list)
    asked: int = 0
    heavy: int = 0
    told_busy: int = 0
    errors: list[str] = field(default_factory=list)
    memory_mb: list[float] = field(default_factory=list)


def _sheet_form(server: Running, number: int) -> dict[str, str]:
    return _form(ask(f"{server.address}/sheets/{number}")[2].decode())


def _search(server: Running, k: int) -> int:
    """A search of some thousands of packs, each time another; until it is over."""
    asked = (
        "units=metric&chemistry=lipo&chemistry=liion_energy&arrangement=rows"
        f"&capacity_from_ah=500&capacity_to_ah={8000 + k}&capacity_steps=90"
        "&series_from=3&series_to=8&parallel_from=1&parallel_to=3"
    )
    address = f"{server.address}/choose/8/search?{asked}"
    status, _, page = ask(address)
    until = time.monotonic() + 60
    while status == 200 and b'id="progress"' in page and time.monotonic() < until:
        time.sleep(0.3)
        status, _, page = ask(address)
    return status


def _tune(server: Running, k: int) -> int:
    page = ask(f"{server.address}/callouts/8")[2].decode()
    fields = dict(next(f for f in forms_of(page) if re.fullmatch(r"/callouts/\d+", f.action)).fields)
    asked = fields | {"action": "tune:land_now", "most_late": str(3 + k % 9)}
    return ask(f"{server.address}/callouts/8", form(asked))[0]


def _voices(server: Running, k: int) -> int:
    return ask(f"{server.address}/callouts/{1 + k % 8}/voices.zip?rate=16000")[0]


_HEAVY: tuple[Callable[[Running, int], int], ...] = (_search, _tune, _voices)


def run(*, minutes: float = 10.0) -> Found:
    """The crowd for a while."""
    found, lock, until = Found(), threading.Lock(), 0.0
    with running() as server:
        forms = {k: _sheet_form(server, k) for k in range(1, 9)}

        def count(status: int, what: str, *, heavy: bool = False) -> None:
            with lock:
                found.asked += 1
                found.heavy += heavy and status < 400
                found.told_busy += heavy and status == 503
                if status >= 500 and not (heavy and status == 503):
                    found.errors.append(f"{status} {what}")

        def pilot(who: int) -> None:
            chance = random.Random(who)
            while time.monotonic() < until:
                time.sleep(chance.uniform(*_THINKS_S))
                number = chance.randrange(1, 9)
                if chance.random() < 0.5:
                    path = chance.choice(PAGES).format(k=number)
                    count(ask(server.address + path)[0], path)
                    continue
                change = {"conditions.air_c": f"{chance.uniform(0, 30):.1f}"}
                count(ask(f"{server.address}/sheets/{number}", form(forms[number] | change))[0], "live")

        def bystander() -> None:
            chance = random.Random(99)
            while time.monotonic() < until:
                time.sleep(0.5)
                change = {"conditions.air_c": f"{chance.uniform(0, 30):.2f}"}
                began = time.perf_counter()
                status = ask(f"{server.address}/sheets/4", form(forms[4] | change))[0]
                with lock:
                    found.live_ms.append(1e3 * (time.perf_counter() - began))
                count(status, "bystander")

        def heavy(which: int) -> None:
            k = 0
            while time.monotonic() < until:
                status = _HEAVY[which](server, k)
                count(status, _HEAVY[which].__name__, heavy=True)
                k += 1
                time.sleep(0.5 if status == 503 else 0.05)

        def guarded(work: Callable[..., None], *arguments: int) -> None:
            try:
                work(*arguments)
            except Exception as error:
                with lock:
                    found.errors.append(repr(error))

        until = time.monotonic() + 60 * minutes
        work: list[tuple[Callable[..., None], tuple[int, ...]]] = [(pilot, (who,)) for who in range(CLIENTS - 1)]
        work += [(bystander, ()), *((heavy, (which,)) for which in range(HEAVY))]
        threads = [threading.Thread(target=guarded, args=(w, *a)) for w, a in work]
        for thread in threads:
            thread.start()
        while time.monotonic() < until:
            time.sleep(2.0)
            found.memory_mb.append(server.memory_mb())
        for thread in threads:
            thread.join()
        if server.unforeseen():
            found.errors.append(f"{server.unforeseen()} unforeseen lines in the log")
    return found


def crowd(*, minutes: float = 10.0) -> list[Row]:
    """As rows of the report."""
    found = run(minutes=minutes)
    live = Timed(tuple(sorted(found.live_ms)))
    after_first = found.memory_mb[30:] or found.memory_mb
    third = max(len(after_first) // 3, 1)
    first, last = (sum(part) / len(part) for part in (after_first[:third], after_first[-third:]))
    grows = 100.0 * (last / first - 1.0)
    inside = (
        f"{CLIENTS} clients for {minutes:g} minutes, each with a change or a page every {_THINKS_S[0]:g} to "
        f"{_THINKS_S[1]:g} s, a search, a tune and voices without a pause; {found.asked} requests, "
        f"{found.heavy} heavy jobs done, {found.told_busy} told to come again"
    )
    return [
        Row(
            what="A live change beside a crowd",
            measured=f"{live.p95_ms:.0f} ms at the 95th percentile, {live.median_ms:.0f} median",
            asked="1 000 ms",
            met=live.p95_ms < 1000.0,
            inside=inside,
        ),
        Row(
            what="Errors of that crowd",
            measured=str(len(found.errors)),
            asked="0",
            met=not found.errors,
            inside="the same",
        ),
        Row(
            what="Memory of its server",
            measured=f"{first:.0f} MB after the first minute, {last:.0f} MB at the end: {grows:+.1f} %",
            asked="flat within 5 %",
            met=grows <= 5.0,
            inside="means of the first and the last third of VmRSS, read every two seconds",
        ),
    ]


def burst() -> list[Row]:
    """Twenty searches, twenty tunes and twenty forecasts in the same moment, and somebody beside them."""
    waited: list[float] = []
    statuses: list[int] = []
    with running() as server:
        forms = {k: _sheet_form(server, k) for k in range(1, 9)}
        ask(f"{server.address}/callouts/8")
        idle = server.memory_mb()
        server.reset_peak()

        def forecast(at: Running, k: int) -> int:
            change = forms[1 + k % 8] | {"conditions.air_c": str(k)}
            return ask(f"{at.address}/sheets/{1 + k % 8}", form(change))[0]

        def work(what: Callable[[Running, int], int], k: int) -> None:
            try:
                statuses.append(what(server, k))
            except OSError:
                statuses.append(599)

        crowd_of = [(what, k) for what in (_search, _tune, forecast) for k in range(20)]
        threads = [threading.Thread(target=work, args=one) for one in crowd_of]
        for thread in threads:
            thread.start()
        while any(thread.is_alive() for thread in threads):
            began = time.perf_counter()
            ask(f"{server.address}/sheets/4", form(forms[4] | {"conditions.air_c": f"{len(waited) / 10:.1f}"}))
            waited.append(time.perf_counter() - began)
            time.sleep(0.1)
        peak = server.memory_mb("VmHWM") - idle
        broken = sum(status >= 500 and status != 503 for status in statuses) + server.unforeseen()
    usual = sorted(waited)[len(waited) // 2]
    return [
        Row(
            what="Twenty searches, tunes and forecasts at once",
            measured=f"a bystander waits {usual:.1f} s at the median, {max(waited):.1f} s at most; {peak:.0f} MB "
            f"above idle; {statuses.count(503)} of {len(statuses)} told to come again, {broken} broken",
            asked="none broken",
            met=broken == 0,
            inside="sixty requests in one moment, until the last is answered; searches of 9 720 packs",
        )
    ]
