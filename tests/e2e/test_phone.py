"""A phone: paired by what it scans, and a whole day at the field without a line."""

from __future__ import annotations

import io
import json
import random
import re
import shutil
import sqlite3
import time
from collections.abc import Iterator
from contextlib import closing
from datetime import UTC, datetime, timedelta
from pathlib import Path

import numpy as np
import pytest
import zxingcpp
from PIL import Image
from playwright.sync_api import Locator, Page, expect

from tests.e2e.conftest import CHROMIUM_FLAGS, PATIENCE_MS, axe_violations
from tests.e2e.lan import ADDRESS, LanServer, Phone, phone, typed_code
from zesty_cell.core.trials.question import Question, Trial, TrialPlan
from zesty_cell.demo.club import load_club
from zesty_cell.services.advice import advise
from zesty_cell.store import flights, sheets, trials
from zesty_cell.store.database import Database
from zesty_cell.store.hangar import CRAFTS, PACKS
from zesty_cell.web.field.entries import take_one

pytestmark = [
    pytest.mark.e2e,
    pytest.mark.skipif(not ADDRESS, reason="this machine has no address beyond loopback"),
]


#: An element that was filled in, whatever with.
SAYS_SOMETHING = re.compile(r"\S")

#: What the field days fly: a hangar small enough to be worked out in a moment.
FLOWN = {("Heron", "Pomelo"), ("Swift", "Satsuma"), ("Tern", "Yuzu")}


@pytest.fixture(scope="module")
def small_club(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Three crafts of the club, a sheet each, no flights yet, and every pack of those types full."""
    path = tmp_path_factory.mktemp("small") / "club.sqlite"
    database = Database(path)
    with database.session() as session:
        load_club(session)
        kept = set()
        for row in sheets.all_sheets(session):
            pair = (row.craft.name, row.pack.type_name)
            if pair in FLOWN and pair not in kept:
                kept.add(pair)
            else:
                sheets.delete(session, row.id)
        for craft in CRAFTS.all(session):
            if craft.name not in {name for name, _ in FLOWN}:
                craft.standing = "retired"
        for pack in PACKS.all(session):
            if pack.type_name in {name for _, name in FLOWN}:
                pack.rest_v_per_cell = 4.2
            else:
                pack.standing = "retired"
    database.close()
    return path


@pytest.fixture
def server(small_club: Path, tmp_path: Path) -> Iterator[LanServer]:
    shutil.copy(small_club, tmp_path / "club.sqlite")
    one = LanServer(tmp_path / "club.sqlite", command="serve")
    one.told = one.start()  # type: ignore[attr-defined]
    yield one
    one.stop()


def scanned(picture: bytes) -> str:
    """What a code in a picture says."""
    found = zxingcpp.read_barcodes(np.asarray(Image.open(io.BytesIO(picture)).convert("L")))
    assert len(found) == 1, [f.text for f in found]
    return str(found[0].text)


def paired(one: Phone, server: LanServer) -> Page:
    """A phone that trusts the server and is paired for the field, with its page open and the day taken along."""
    one.trust(server.authority)
    page = one.open(f"{server.url}/pair?code={typed_code(server.told)}")  # type: ignore[attr-defined]
    page.get_by_role("button", name="Pair").click()
    page.wait_for_url("**/pocket")
    taken_along(page)
    return page


#: Whether the day is all there, its voices and cards too.
ALL_THERE = """async () => {
  const day = await zestyQueue.kept("day");
  if (!day || day.ready < day.asked) return false;
  const keys = await (await caches.open("zesty-cell-taken")).keys();
  const have = new Set(keys.map((r) => r.url.replace(location.origin, "")));
  return Object.values(day.pairs).every((p) => have.has(p.card));
}"""


def until(page: Page, script: str) -> None:
    """Wait until an asynchronous question is answered with yes."""
    deadline = time.monotonic() + PATIENCE_MS / 1000
    while not page.evaluate(script):
        assert time.monotonic() < deadline, f"never came true: {script}"
        page.wait_for_timeout(100)


def in_hand(page: Page) -> Locator:
    """Return the title of what is in hand.

    By its place, not as the page's heading: until the style sheet is read, the headings of the page's other
    states, which it hides, count as seen too.
    """
    return page.locator(".in-hand h1")


def taken_along(page: Page) -> None:
    """Wait until everything is on the phone, and the worker serves the page."""
    page.wait_for_selector("html[data-ready=yes]")
    page.evaluate("navigator.serviceWorker.ready.then(() => true)")
    until(page, ALL_THERE)


def test_a_phone_is_paired_by_what_it_scans(server, browser, playwright, tmp_path):
    home = browser.new_page()
    home.goto(f"{server.home}/phone")
    home.get_by_role("button", name="Show a code").click()
    trust = scanned(home.get_by_label("Code that leads to").screenshot())
    address = scanned(home.get_by_label("Code that pairs a device").screenshot())
    fingerprint = " ".join(home.locator(".fingerprint").inner_text().split())
    assert trust == f"http://{ADDRESS}:{server.certificate_port}/"
    assert address.startswith(f"{server.url}/pair?code=")
    with phone(playwright, tmp_path / "phone") as one:
        one.trust(server.authority)
        page = one.open(trust)
        assert fingerprint in " ".join(page.locator("code").inner_text().split())
        page.goto(address)
        page.get_by_label("Called").fill("Ida's")
        page.get_by_role("button", name="Pair").click()
        page.wait_for_url(f"{server.url}/pocket")
        taken_along(page)
        expect(in_hand(page)).to_contain_text("next flight")
        # The page at home shows it by itself; cut off there, it is out with its next request.
        expect(home.locator(".device-list")).to_contain_text("Ida's")
        home.get_by_role("button", name="Cut off Ida's").click()
        assert page.evaluate("fetch('/pocket/day').then((answer) => answer.status)") == 401
        # What it took along is still there, and it says how things stand.
        page.reload()
        expect(page.get_by_text("This phone is not paired any more.")).to_be_visible()
        page.get_by_role("link", name="Pair it again").click()
        expect(page.get_by_role("heading", level=1)).to_have_text("Pair this device")
    home.close()


def take_off(page: Page, craft: str, pack: str) -> None:
    """Choose both, and take off."""
    title = in_hand(page)
    expect(title).to_have_text(SAYS_SOMETHING)
    if "in the air" in title.inner_text():
        page.locator(".another-craft").click()
    page.get_by_role("group", name="Craft").get_by_role("button", name=craft, exact=True).click()
    wanted = page.locator(".in-hand .pill-link", has_text=pack).first
    if not wanted.is_visible():
        page.locator(".picks-more summary").click()
    wanted.click()
    page.get_by_role("button", name="Took off").click()
    expect(in_hand(page)).to_have_text(f"{craft} is in the air")


def fly(page: Page, craft: str, pack: str, minutes: int, seconds: int) -> None:
    """Take off, fly so long by the phone's clock, land."""
    take_off(page, craft, pack)
    if not minutes and not seconds:
        page.get_by_label("flew").fill("3:00")
    else:
        page.clock.fast_forward(1000 * (60 * minutes + seconds))
    page.get_by_role("button", name="Landed").click()
    expect(page.get_by_role("heading", level=2, name=f"How was it, {craft} on {pack}?")).to_be_visible()


def tell(page: Page, **values: str) -> None:
    """How it was."""
    for name, value in values.items():
        page.locator(f"#how-{name}").fill(value)
    page.locator(".details").get_by_role("button", name="Keep").click()
    expect(page.locator(".details")).to_be_hidden()
    page.clock.fast_forward(1000 * 60 * 6)


def charge(page: Page, pack: str, put_back: str) -> None:
    """What went back into a pack that waits."""
    line = page.locator(".waiting li", has=page.get_by_text(pack, exact=True))
    line.get_by_role("button", name="mAh put back").click()
    line.get_by_label("Put back").fill(put_back)
    line.get_by_role("button", name="Charged").click()
    expect(line).to_have_count(0)
    page.clock.fast_forward(1000 * 60 * 30)


def in_log(database: Path) -> list[tuple[str, str, float, float | None, float | None]]:
    """The flights of the phone as they were logged, in the order in which they landed."""
    with closing(sqlite3.connect(database)) as connection:
        rows = connection.execute(
            "SELECT craft.name, pack.name, flight.document FROM flight JOIN craft ON craft.id = flight.craft_id "
            "JOIN pack ON pack.id = flight.pack_id WHERE flight.landed_at > ? AND flight.deleted_at IS NULL "
            "ORDER BY flight.landed_at",
            ((datetime.now(UTC) - timedelta(hours=20)).strftime("%Y-%m-%d %H:%M:%S"),),
        ).fetchall()
    found = []
    for craft, pack, document in rows:
        flight = json.loads(document)
        found.append((craft, pack, flight["duration_s"], flight.get("rest_v_per_cell"), flight.get("put_back_ah")))
    return found


#: Craft, pack, minutes and seconds of each flight, and what is told of it; between them packs that are charged.
MORNING = [
    ("Heron", "Pomelo 1", 10, 5, {"rest_v_per_cell": "3.72", "rest_after_s": "2:00"}),
    ("Swift", "Satsuma 1", 3, 10, {"rest_v_per_cell": "3.74"}),
    ("Swift", "Satsuma 2", 3, 20, {"rest_v_per_cell": "37.5"}),  # a slip: it is put right in the evening
    ("Tern", "Yuzu 1", 4, 0, {"shown_ah": "240", "note": "windy"}),
]
NOON = [
    ("Heron", "Pomelo 1", 9, 50, {"rest_v_per_cell": "3.73"}),
    ("Swift", "Satsuma 1", 3, 15, {"rest_v_per_cell": "3.75"}),
    ("Heron", "Pomelo 2", 9, 30, {"rest_v_per_cell": "3.76"}),
    ("Tern", "Yuzu 1", 4, 5, {}),
]
EVENING = [
    ("Swift", "Satsuma 2", 3, 5, {"rest_v_per_cell": "3.76"}),
    ("Swift", "Satsuma 1", 1, 0, {"rest_v_per_cell": "3.60"}),
    ("Heron", "Pomelo 1", 1, 30, {"rest_v_per_cell": "3.68"}),
    ("Tern", "Yuzu 1", 0, 40, {}),
]


def fly_all(page: Page, flights: list[tuple[str, str, int, int, dict[str, str]]]) -> None:
    for craft, pack, minutes, seconds, told in flights:
        fly(page, craft, pack, minutes, seconds)
        tell(page, **told)


def back_at_once(one: Phone, server: LanServer) -> Page:
    """Switched off and on again: the page is opened from the home screen, without a line."""
    now = one.now()
    one.close()
    page = one.open()
    page.clock.install(time=now)
    page.goto(f"{server.url}/pocket")
    page.wait_for_selector("html[data-ready=yes]")
    expect(in_hand(page)).to_contain_text("next flight")
    return page


def test_a_field_day_without_a_line(server, playwright, tmp_path):
    with phone(playwright, tmp_path / "phone") as one:
        paired(one, server)
        before = in_log(server.database)
        one.close()
        server.stop()
        one.began = datetime.now(UTC) - timedelta(hours=9)
        page = back_at_once(one, server)
        fly_all(page, MORNING)
        charge(page, "Pomelo 1", "2450")
        charge(page, "Satsuma 1", "980")
        page = back_at_once(one, server)
        expect(page.locator(".kept")).to_contain_text("entries are kept here")
        charge(page, "Yuzu 1", "250")
        fly_all(page, NOON)
        charge(page, "Satsuma 2", "1010")
        page = back_at_once(one, server)
        fly_all(page, EVENING)
        expect(page.locator(".kept")).to_contain_text("28 entries are kept here")
        assert in_log(server.database) == before
        # Home again: all of it goes out in order, but what cannot be, though the server dies in the middle of it.
        chance = random.Random(5)
        for _ in range(4):
            server.start()
            page.evaluate("window.dispatchEvent(new Event('online'))")
            page.wait_for_timeout(chance.uniform(10, 400))
            server.stop(kill=True)
        server.start()
        page.evaluate("window.dispatchEvent(new Event('online'))")
        wrong = page.locator(".kept-wrong li")
        expect(wrong).to_have_count(1)
        wrong.get_by_role("button", name="Set it aside").click()
        expect(page.get_by_text("Set aside: 1")).to_be_visible()
        page.get_by_text("Set aside: 1").click()
        expect(wrong).to_contain_text("How it was")
        wrong.get_by_label("Rest voltage").fill("3.75")
        wrong.get_by_role("button", name="Put it right").click()
        expect(page.locator(".kept-wrong li")).to_have_count(0)
        expect(page.locator(".kept")).to_be_hidden()
        until(page, "zestyQueue.all().then((all) => all.length === 0)")
        logged = in_log(server.database)[len(before) :]
        flown = [*MORNING, *NOON, *EVENING]
        assert [(f[0], f[1]) for f in logged] == [(craft, pack) for craft, pack, *_ in flown]
        for (_, _, duration_s, _, _), (_, _, minutes, seconds, _) in zip(logged, flown, strict=True):
            assert duration_s == pytest.approx(60 * minutes + seconds, abs=3.0)
        assert [f[3] for f in logged][:3] == [3.72, 3.74, 3.75]


def test_the_browser_itself_calls_it_installable(server, playwright, tmp_path):
    with phone(playwright, tmp_path / "phone") as one:
        page = paired(one, server)
        asked = page.context.new_cdp_session(page)
        asked.send("Page.enable")
        assert asked.send("Page.getInstallabilityErrors")["installabilityErrors"] == []
        manifest = asked.send("Page.getAppManifest")
        assert manifest["errors"] == []
        assert json.loads(manifest["data"])["start_url"] == "/pocket"
        # The worker has the whole page: what it shows without a line is what it shows with one.
        server.stop()
        page.reload()
        page.wait_for_selector("html[data-ready=yes]")
        expect(in_hand(page)).to_contain_text("next flight")
        page.get_by_role("link", name="Card").click()
        expect(page.locator(".card h1")).to_be_visible()
        page.get_by_role("link", name="Back to the field").click()
        expect(in_hand(page)).to_contain_text("next flight")
        # The field page, and any other, without a line: the phone's own.
        page.goto(f"{server.url}/hangar")
        expect(in_hand(page)).to_contain_text("next flight")


def test_without_trust_it_works_while_the_page_stays_open_and_says_so(server, playwright, tmp_path):
    browser = playwright.chromium.launch(executable_path=shutil.which("chromium"), args=CHROMIUM_FLAGS)
    context = browser.new_context(ignore_https_errors=True)
    page = context.new_page()
    page.goto(f"{server.url}/pair?code={typed_code(server.told)}")
    page.get_by_role("button", name="Pair").click()
    page.wait_for_url("**/pocket")
    expect(page.get_by_text("does not trust the computer's certificate yet")).to_be_visible()
    until(page, "zestyQueue.kept('day').then((day) => Boolean(day))")
    server.stop()
    fly(page, "Swift", "Satsuma 1", 0, 0)
    expect(page.locator(".kept")).to_contain_text("1 entry is kept here")
    browser.close()


def test_two_phones_have_one_queue_and_two_crafts_in_the_air(server, playwright, browser, tmp_path):
    with phone(playwright, tmp_path / "one") as one, phone(playwright, tmp_path / "two") as two:
        first = paired(one, server)
        home = browser.new_page()
        home.goto(f"{server.home}/phone")
        home.get_by_role("button", name="Show a code").click()
        address = scanned(home.get_by_label("Code that pairs a device").screenshot())
        home.close()
        two.trust(server.authority)
        second = two.open(address)
        second.get_by_role("button", name="Pair").click()
        second.wait_for_url("**/pocket")
        taken_along(second)
        before = len(in_log(server.database))
        server.stop()
        # On the first two crafts are up at once; each lands by its own watch.
        take_off(first, "Heron", "Pomelo 1")
        take_off(first, "Swift", "Satsuma 1")
        expect(first.get_by_text("Heron on Pomelo 1 is in the air since")).to_be_visible()
        first.get_by_label("flew").fill("3:05")
        first.get_by_role("button", name="Landed").click()
        first.get_by_role("button", name="Heron on Pomelo 1 is in the air").click()
        first.get_by_label("flew").fill("11:20")
        first.get_by_role("button", name="Landed").click()
        take_off(second, "Tern", "Yuzu 1")
        second.get_by_label("flew").fill("4:10")
        second.get_by_role("button", name="Landed").click()
        server.start()
        for page in (first, second):
            page.evaluate("window.dispatchEvent(new Event('online'))")
            until(page, "zestyQueue.all().then((all) => all.every((e) => e.sent))")
        logged = in_log(server.database)[before:]
        assert sorted((craft, pack, s) for craft, pack, s, *_ in logged) == [
            ("Heron", "Pomelo 1", 680.0), ("Swift", "Satsuma 1", 185.0), ("Tern", "Yuzu 1", 250.0)
        ]  # fmt: skip
        # What waits for the charger waits on both.
        for page in (first, second):
            page.evaluate("window.dispatchEvent(new Event('online'))")
            for pack in ("Pomelo 1", "Satsuma 1", "Yuzu 1"):
                expect(page.locator(".waiting li", has=page.get_by_text(pack, exact=True))).to_have_count(1)


def day_of_entries(page: Page) -> list[list[dict[str, str]]]:
    """Twelve flights with what is told of them and four charges, as a phone queues them, flight by flight."""
    day = page.evaluate("zestyQueue.kept('day')")
    crafts = {c["name"]: c["id"] for c in day["crafts"]}
    packs = {p["name"]: p["id"] for p in day["packs"].values()}
    charged_after = {0: "2450", 1: "980", 3: "250", 6: "2300"}
    began = datetime.now(UTC) - timedelta(hours=10)
    found = []
    for k, (craft, pack, minutes, seconds, told) in enumerate([*MORNING, *NOON, *EVENING]):
        at = began + timedelta(minutes=45 * k)
        common = {"units": "metric", "volts": "cell", "duration_s": f"{minutes}:{seconds:02}"}
        sheet = day["sheets"][f"{crafts[craft]}-{packs[pack]}"]
        flown = {"craft": str(crafts[craft]), "pack": str(packs[pack]), "sheet": str(sheet)}
        entries = [common | flown | {"kind": "landed", "entry": f"flight-{k}", "landed_at": at.isoformat()}]
        told = {**told, "rest_v_per_cell": "3.75"} if "37.5" in told.values() else told
        entries.append(common | told | {"kind": "details", "entry": f"told-{k}", "flight": f"flight-{k}"})
        if k in charged_after:
            later = {"kind": "charged", "entry": f"charged-{k}", "flight": f"flight-{k}", "units": "metric"}
            back = {"put_back_ah": charged_after[k], "charged_at": (at + timedelta(minutes=30)).isoformat()}
            entries.append(later | back)
        found.append(entries)
    return found


def whole_log(database: Path) -> tuple[list[object], list[object]]:
    """Every flight as it was logged, and where every pack stands."""
    with closing(sqlite3.connect(database)) as connection:
        rows = connection.execute(
            "SELECT landed_at, craft_id, pack_id, entry, waiting, document FROM flight ORDER BY landed_at"
        )
        logged = [[*row[:-1], json.loads(row[-1])] for row in rows]
        packs = connection.execute("SELECT name, flights, rest_v_per_cell FROM pack ORDER BY id").fetchall()
    return logged, packs


def test_one_day_on_two_phones_is_logged_as_if_entered_at_home(server, playwright, small_club, tmp_path):
    with phone(playwright, tmp_path / "one") as one, phone(playwright, tmp_path / "two") as two:
        pages = [paired(one, server)]
        server.stop()
        server.told = server.start()
        pages.append(paired(two, server))
        flown = day_of_entries(pages[0])
        server.stop()
        for k, entries in enumerate(flown):
            for entry in entries:
                pages[k % 2].evaluate("(entry) => zestyQueue.add(entry)", entry)
        # Both send at once, and the server dies under them.
        chance = random.Random(11)
        for _ in range(3):
            server.start()
            for page in pages:
                page.evaluate("window.dispatchEvent(new Event('online'))")
            pages[0].wait_for_timeout(chance.uniform(20, 500))
            server.stop(kill=True)
        server.start()
        for page in pages:
            page.evaluate("window.dispatchEvent(new Event('online'))")
        for page in pages:
            until(page, "zestyQueue.all().then((all) => all.every((e) => e.sent || e.wrong))")
            assert page.evaluate("zestyQueue.all().then((all) => all.filter((e) => e.wrong))") == []
        server.stop()
    home = tmp_path / "home.sqlite"
    shutil.copy(small_club, home)
    database = Database(home)
    for entry in (entry for entries in flown for entry in entries):
        with database.session() as session:
            assert take_one(session, entry).errors == {}
    timers = []
    for path, kept in ((home, database), (server.database, Database(server.database))):
        with kept.session() as session:
            timers.append([advise(session, row).timer.timer_s for row in sheets.all_sheets(session)])
        kept.close()
        assert len(whole_log(path)[0]) == 12
    assert whole_log(home) == whole_log(server.database)
    assert timers[0] == timers[1]


def test_a_server_that_is_killed_while_entries_come_in_has_each_once(server, playwright, tmp_path):
    with phone(playwright, tmp_path / "phone") as one:
        page = paired(one, server)
        before = len(in_log(server.database))
        server.stop()
        page.evaluate(
            """async () => {
              const day = await zestyQueue.kept("day"), [[key, pair]] = Object.entries(day.pairs);
              const [craft, pack] = key.split("-");
              for (let k = 0; k < 20; k += 1) {
                const landed_at = new Date(Date.now() - (21 - k) * 600_000).toISOString();
                const flown = { craft, pack, sheet: String(pair.sheet), duration_s: "2:00", landed_at };
                await zestyQueue.add({ kind: "landed", ...flown, units: "metric", volts: "cell", note: `no ${k}` });
              }
            }"""
        )
        chance = random.Random(7)
        for _ in range(6):
            server.start()
            page.evaluate("window.dispatchEvent(new Event('online'))")
            page.wait_for_timeout(chance.uniform(20, 700))
            server.stop(kill=True)
        server.start()
        page.evaluate("window.dispatchEvent(new Event('online'))")
        until(page, "zestyQueue.all().then((all) => all.every((e) => e.sent || e.wrong))")
        assert page.evaluate("zestyQueue.all().then((all) => all.filter((e) => e.wrong).map((e) => e.wrong))") == []
        assert len(in_log(server.database)) - before == 20


FITS = re.compile(r"takes \d+\.\d Wh for \d+:\d\d of flying")
#: What is not large enough for a cold thumb: name and size of every control that can be seen.
TOO_SMALL = """() => [...document.querySelectorAll("button, a[href], input, select, summary")]
  .filter((e) => e.offsetParent && !e.matches("[type=radio], [type=checkbox]"))
  .map((e) => [e.textContent.trim() || e.name || e.id, Math.round(e.getBoundingClientRect().height)])
  .filter(([, height]) => height < 48)"""


def test_every_state_is_accessible_and_large_enough_in_sun_and_dusk(server, playwright, tmp_path):
    with phone(playwright, tmp_path / "phone") as one:
        page = paired(one, server)
        server.stop()

        def look(state: str) -> None:
            assert page.evaluate(TOO_SMALL) == [], state
            assert page.evaluate("document.documentElement.scrollWidth") <= 390, state
            for _ in range(3):
                page.get_by_role("button", name="Day, sun or dusk").click()
                assert axe_violations(page) == [], (state, page.evaluate("document.documentElement.dataset.theme"))

        look("on the ground")
        page.clock.install()
        page.reload()
        page.wait_for_selector("html[data-ready=yes]")
        take_off(page, "Swift", "Satsuma 1")
        look("in the air")
        page.clock.fast_forward(3_600_000)
        expect(page.locator(".timer-box.is-over")).to_be_visible()
        look("over its time")
        page.get_by_label("flew").fill("3:00")
        page.get_by_role("button", name="Landed").click()
        look("how it was")
        tell(page, rest_v_per_cell="3.75")
        page.get_by_role("button", name="mAh put back").first.click()
        page.locator(".supply summary").click()
        page.get_by_label("Supply", exact=True).select_option(label="Pomelo 1")
        page.get_by_role("button", name="See what it can charge").click()
        expect(page.locator(".supply-plan li")).to_contain_text(FITS)
        look("the queue")
        # What it was told stays with it.
        page.reload()
        page.wait_for_selector("html[data-ready=yes]")
        page.locator(".supply summary").click()
        expect(page.locator(".supply-plan li")).to_have_count(1)


def test_a_pack_that_is_not_full_is_flown_by_what_it_rests_at(server, playwright, tmp_path):
    with phone(playwright, tmp_path / "phone") as one:
        page = paired(one, server)
        server.stop()
        full = page.evaluate("zestyQueue.kept('day')")
        fly(page, "Swift", "Satsuma 1", 0, 0)
        tell(page, rest_v_per_cell="3.95")
        expect(page.get_by_text("Charge it first")).to_be_visible()
        page.get_by_role("button", name="Fly it as it is").click()
        pack = next(p for p in full["packs"].values() if p["name"] == "Satsuma 1")
        low, shares = full["rest"][pack["chemistry"]]
        charge = shares[round((3.95 - low) / full["rest_step"])]
        pair = next(p for key, p in full["pairs"].items() if key.endswith(f"-{pack['id']}"))
        step = next(s for s in full["steps"][pair["steps"]] if s["charge"] and s["charge"] <= charge)
        expect(page.locator("#timer-box .big")).to_have_text(step["timer"])
        expect(page.locator("#timer-box")).to_contain_text(f"for about {round(100 * step['charge'])} % in it")
        # A slip of the thumb is no voltage, and no reason to fly.
        fly(page, "Swift", "Satsuma 2", 0, 0)
        tell(page, rest_v_per_cell="39.5")
        expect(page.locator(".in-hand .sub")).to_contain_text("was flown, and not charged since")
        expect(page.get_by_role("button", name="Fly it as it is")).to_be_hidden()
        page.locator(".picks-more summary").click()
        page.locator(".in-hand .pill-link", has_text="Satsuma 1").first.click()
        # Charged, it is full again.
        charge_at = page.locator(".waiting li", has=page.get_by_text("Satsuma 1", exact=True))
        charge_at.get_by_role("button", name="mAh put back").click()
        charge_at.get_by_label("Put back").fill("400")
        charge_at.get_by_role("button", name="Charged").click()
        expect(page.locator("#timer-box .big")).to_have_text(full["steps"][pair["steps"]][0]["timer"])


def measure(page: Page, pack: str, volts: str) -> None:
    """Say what the pack in hand rests at."""
    page.get_by_text(f"Measured {pack}?").click()
    page.get_by_label("It rests at", exact=True).first.fill(volts)
    page.locator(".measured").get_by_role("button", name="Keep").click()


def test_a_pack_that_was_not_flown_is_measured_at_the_field(server, playwright, tmp_path):
    with phone(playwright, tmp_path / "phone") as one:
        page = paired(one, server)
        server.stop()
        page.get_by_role("group", name="Craft").get_by_role("button", name="Swift", exact=True).click()
        page.locator(".in-hand .pill-link", has_text="Satsuma 2").first.click()
        full = page.locator("#timer-box .big").inner_text()
        measure(page, "Satsuma 2", "3.95")
        expect(page.get_by_text("Charge it first")).to_be_visible()
        page.get_by_role("button", name="Fly it as it is").click()
        expect(page.locator("#timer-box")).to_contain_text("% in it")
        page.get_by_role("button", name="Took off").click()
        page.get_by_label("flew").fill("2:00")
        page.get_by_role("button", name="Landed").click()
        page.locator(".details").get_by_role("button", name="Nothing to tell").click()
        # Another one was charged from a stranger's charger: a look at it says so.
        page.locator(".in-hand .pill-link", has_text="Satsuma 1").first.click()
        measure(page, "Satsuma 1", "3.80")
        expect(page.get_by_text("Charge it first")).to_be_visible()
        measure(page, "Satsuma 1", "4.19")
        expect(page.locator("#timer-box .big")).to_have_text(full)
        server.start()
        page.evaluate("window.dispatchEvent(new Event('online'))")
        until(page, "zestyQueue.all().then((all) => all.length === 0)")
        with closing(sqlite3.connect(server.database)) as database:
            rests = database.execute("SELECT rest_v_per_cell FROM pack WHERE name = 'Satsuma 1'").fetchone()
            [[document]] = database.execute("SELECT document FROM flight")
        assert rests == (4.19,)
        assert json.loads(document)["began_full"] is False


def test_a_flight_without_a_line_may_be_the_run_of_a_test(server, playwright, tmp_path):
    server.stop()
    database = Database(server.database)
    with database.session() as session:
        swift = next(row for row in CRAFTS.all(session) if row.name == "Swift")
        question = Question(a="three blades", b="two blades", measure="charge_a_minute", matters=0.1)
        plan = TrialPlan(pairs=4, scatter=0.05, scatter_counts=5, packs=("Satsuma 1",))
        test = Trial(name="Blades", craft="Swift", question=question, plan=plan)
        trial_id = trials.add(session, test, craft_id=swift.id).id
    database.close()
    server.told = server.start()
    with phone(playwright, tmp_path / "phone") as one:
        page = paired(one, server)
        server.stop()
        page.clock.install(time=datetime.now(UTC) - timedelta(hours=2))
        page.reload()
        page.wait_for_selector("html[data-ready=yes]")
        run = page.locator(".test-run")
        page.get_by_role("group", name="Craft").get_by_role("button", name="Heron", exact=True).click()
        expect(run).to_be_hidden()
        for wanted in ("run 1 of Blades: A, three blades", "run 2 of Blades: B, two blades"):
            take_off(page, "Swift", "Satsuma 1")
            expect(run).to_contain_text(wanted)
            run.get_by_role("checkbox").check()
            page.get_by_label("flew").fill("3:00")
            page.get_by_role("button", name="Landed").click()
            page.locator(".details").get_by_role("button", name="Nothing to tell").click()
            page.clock.fast_forward(1000 * 600)
        expect(run).to_contain_text("run 3 of Blades")
        expect(run.get_by_role("checkbox")).not_to_be_checked()
        server.start()
        page.evaluate("window.dispatchEvent(new Event('online'))")
        until(page, "zestyQueue.all().then((all) => all.every((e) => e.sent || e.wrong))")
    database = Database(server.database)
    with database.session() as session:
        runs = trials.trial_of(trials.fetch(session, trial_id)).runs
        flown = [flights.fetch(session, r.flight) for r in runs]
        assert [(r.slot, r.side, r.source) for r in runs] == [(0, "A", "field"), (1, "B", "field")]
        assert flown[0].landed_at < flown[1].landed_at
    database.close()


#: What would be heard and when, counted from now [s]; a voice has samples, a tone has none.
LISTEN = """
  window.heard = [];
  const voice = AudioBufferSourceNode.prototype.start, tone = OscillatorNode.prototype.start;
  const note = (kind, start) => function (at) {
    heard.push([kind, at - this.context.currentTime]);
    return start.call(this, at);
  };
  AudioBufferSourceNode.prototype.start = note("voice", voice);
  OscillatorNode.prototype.start = note("tone", tone);
"""


def test_the_phone_says_the_minutes_and_when_to_land(server, playwright, tmp_path):
    with phone(playwright, tmp_path / "phone") as one:
        page = paired(one, server)
        server.stop()
        page.add_init_script(LISTEN)
        page.reload()
        page.wait_for_selector("html[data-ready=yes]")
        day = page.evaluate("zestyQueue.kept('day')")
        page.get_by_role("button", name="Let the phone speak").click()
        expect(page.get_by_text("It cannot promise it")).to_be_visible()
        assert page.evaluate("heard") == []
        take_off(page, "Heron", "Pomelo 1")
        heron = next(c["id"] for c in day["crafts"] if c["name"] == "Heron")
        pomelo = next(p["id"] for p in day["packs"].values() if p["name"] == "Pomelo 1")
        pair = day["pairs"][f"{heron}-{pomelo}"]
        step = day["steps"][pair["steps"]][0]
        wanted = [60 * (k + 1) for k in range(step["minutes"])] + [at for at, _ in step["spoken"]]
        until(page, f"heard.length === {len(wanted)}")
        heard = page.evaluate("heard")
        assert {kind for kind, _ in heard} == {"voice"}
        assert sorted(at for _, at in heard) == pytest.approx(sorted(wanted), abs=3.0)
        page.get_by_role("button", name="Silence").click()
        expect(page.get_by_role("button", name="Let the phone speak")).to_be_visible()
