"""The day as a phone takes it along, and what a browser installs it by."""

from __future__ import annotations

import json
import re
import time
import uuid
from datetime import UTC, datetime, timedelta
from pathlib import Path

import numpy as np
import pytest
import zxingcpp

import zesty_cell.web.pocket.install_view as install
from zesty_cell.core.parts.chemistries import CHEMISTRIES
from zesty_cell.core.parts.chemistry import charge_left_at_rest
from zesty_cell.services import pocket as service
from zesty_cell.store import flights
from zesty_cell.store.hangar import PACKS
from zesty_cell.web.drawing.qr import qr_code

STATIC = Path(install.__file__).parents[1] / "static"


@pytest.fixture
def few(monkeypatch, fly_season):
    """The season, of which three crafts are worked out."""
    fly_season()
    every = service.asked_for

    def some(session, to_fly=None):
        return [a for a in every(session, to_fly) if a.sheet.craft.name in ("Heron", "Tern")]

    monkeypatch.setattr(service, "asked_for", some)
    monkeypatch.setattr("zesty_cell.web.pocket.day.asked_for", some)


def day_of(client, **headers):
    """The day once it is all ready."""
    until = time.monotonic() + 60
    while True:
        answer = client.get("/pocket/day", headers=headers)
        assert answer.status_code == 200
        found = answer.json()
        if found["ready"] == found["asked"]:
            return answer, found
        assert time.monotonic() < until
        time.sleep(0.05)


def test_the_day_says_what_the_field_page_says(client, few):
    _, day = day_of(client)
    heron = next(c for c in day["crafts"] if c["name"] == "Heron")
    pomelo = next(p for p in day["packs"].values() if p["name"] == "Pomelo 1")
    pair = day["pairs"][f"{heron['id']}-{pomelo['id']}"]
    shown = client.get(f"/field?craft={heron['id']}&pack={pomelo['id']}").text
    steps = day["steps"][pair["steps"]]
    full = steps[0]
    assert f'<p class="big">{full["timer"]}</p>' in shown
    assert day["texts"][full["why"]] in shown.replace("&#39;", "'")
    for call in day["texts"][full["calls"]]:
        assert call["value"] in shown
    assert pair["sheet"] == day["sheets"][f"{heron['id']}-{pomelo['id']}"]
    assert f"/sheets/{pair['sheet']}/card" in shown
    # A sheet has one card, whatever pack it is flown with.
    cards = {(p["sheet"], p["card"]) for p in day["pairs"].values()}
    assert len(cards) == len({p["sheet"] for p in day["pairs"].values()})
    # A pack that is not full is flown by its charge, as the page has it.
    part = day["packs"][str(pomelo["id"])] | {"charge": 0.8}
    assert part["series"] == 6
    assert [s["charge"] for s in steps] == [None, *service.STEPS]
    # Minutes are spoken from one list.
    assert day["minutes"][: full["minutes"]][-1] == f"{full['minutes']} minutes"
    assert full["spoken"][0] == [full["timer_s"], "time, land"]


def test_it_is_the_same_until_something_changes(client, few, app):
    answer, day = day_of(client)
    mark = answer.headers["etag"]
    assert mark == f'"{day["mark"]}"'
    again = client.get("/pocket/day", headers={"if-none-match": mark})
    assert (again.status_code, again.content) == (304, b"")
    with app.state.database.session() as session:
        newest = flights.newest(session, 1)[0]
        flights.delete(session, newest)
    changed = client.get("/pocket/day", headers={"if-none-match": mark})
    assert changed.status_code == 200


def test_it_is_written_in_the_units_of_who_takes_it_along(client, few):
    _, cell = day_of(client)
    client.cookies.set("zesty_cell_view", "units-imperial.volts-pack.theme-sun")
    _, pack = day_of(client)
    assert (cell["volts"], pack["volts"]) == ("cell", "pack")

    def first_call(day):
        return next(calls[0] for calls in day["texts"] if isinstance(calls, list) and calls)

    assert first_call(cell)["value"].endswith("V a cell")
    assert first_call(pack)["value"].endswith(" V")
    # Each is told in the other form too, for who sets a transmitter by it.
    assert first_call(cell)["other"] == first_call(pack)["value"]
    assert first_call(pack)["other"] == first_call(cell)["value"]
    assert pack["mark"] != cell["mark"]
    assert 'data-theme="sun"' in client.get("/pocket").text


@pytest.mark.parametrize("chemistry", ["lipo", "liion_energy", "lifepo4"])
def test_a_rest_voltage_is_looked_up_as_the_hangar_reads_it(chemistry):
    from zesty_cell.web.pocket.packs import rest_table

    low, shares = rest_table(chemistry)
    found = CHEMISTRIES[chemistry]
    assert low == found.hard_floor_v
    assert shares[-1] == 1.0
    assert list(shares) == sorted(shares)
    for k, share in enumerate(shares):
        assert share == pytest.approx(charge_left_at_rest(chemistry=found, rest_v=low + 0.01 * k), abs=6e-4)


def test_an_empty_hangar_has_a_day_too(empty_app):
    from starlette.testclient import TestClient

    with TestClient(empty_app, base_url="http://127.0.0.1", client=("127.0.0.1", 50000)) as client:
        day = client.get("/pocket/day").json()
        assert (day["crafts"], day["pairs"], day["asked"], day["ready"]) == ([], {}, 0, 0)
        assert "make them on the computer" in client.get("/pocket").text


# ---- installing


def test_everything_the_page_is_made_of_is_kept_with_it(client):
    shell = client.get("/pocket").text
    used = set(re.findall(r'(?:src|href)="(/static/[^"?]+)"', shell)) - {"/static/icon-512.png"}
    kept = {f"/static/{name}" for name in install.SHELL}
    assert used <= kept
    for name in install.SHELL:
        assert (STATIC / name).is_file(), name
    # What its modules import is kept as well.
    for name in [n for n in install.SHELL if n.endswith(".js") and "vendor" not in n]:
        for other in re.findall(r'from "(\.[^"]+)"', (STATIC / name).read_text()):
            assert str((STATIC / name).parent.joinpath(other).resolve().relative_to(STATIC)) in install.SHELL, other
    # Fonts of its style sheet too.
    fonts = set(re.findall(r"url\(/static/(fonts/[^)]+)\)", (STATIC / "app.css").read_text()))
    assert fonts
    assert fonts <= set(install.SHELL)


def test_the_worker_knows_its_edition(client, monkeypatch):
    install._edition.cache_clear()
    first = client.get("/sw.js")
    assert first.headers["content-type"].startswith("text/javascript")
    assert json.dumps("/static/pocket.js") in first.text
    assert "importScripts" in first.text
    edition = re.search(r'EDITION = "([0-9a-f]{16})"', first.text)[1]
    monkeypatch.setattr(install, "__version__", "another")
    install._edition.cache_clear()
    assert edition not in client.get("/sw.js").text
    install._edition.cache_clear()


def test_the_manifest_has_what_a_home_screen_asks_for(client):
    answer = client.get("/manifest.webmanifest")
    assert answer.headers["content-type"] == "application/manifest+json"
    manifest = answer.json()
    assert (manifest["start_url"], manifest["display"]) == ("/pocket", "standalone")
    assert {i["sizes"] for i in manifest["icons"]} >= {"192x192", "512x512"}
    assert {i["purpose"] for i in manifest["icons"]} == {"any", "maskable"}
    for icon in manifest["icons"]:
        data = client.get(icon["src"]).content
        width, height = (int.from_bytes(data[at : at + 4]) for at in (16, 20))
        assert icon["sizes"] == f"{width}x{height}"


# ---- codes


@pytest.mark.parametrize(
    "text", ["http://192.168.1.20:8768/", "https://[fd00::1]:8767/pair?code=7K2M9QXD", "x" * 300]
)
def test_a_drawn_code_says_what_it_was_given(text):
    code = qr_code(text)
    square = np.full((code.size, code.size), 255, dtype=np.uint8)
    for x, y, width in re.findall(r"M(\d+) (\d+)h(\d+)v1h-\d+z", code.path):
        square[int(y), int(x) : int(x) + int(width)] = 0
    assert (square[:4] == 255).all()
    assert (square[:, :4] == 255).all()
    found = zxingcpp.read_barcodes(np.kron(square, np.ones((6, 6), dtype=np.uint8)))
    assert [f.text for f in found] == [text]


# ---- entries that come together


def landed(client, app, **changed):
    with app.state.database.session() as session:
        one = next(a for a in service.asked_for(session) if a.sheet.craft.name == "Tern")
        form = {"craft": str(one.craft_id), "pack": str(one.pack.id), "sheet": str(one.sheet.id)}
    at = datetime.now(UTC) - timedelta(minutes=changed.pop("ago", 30))
    return form | {
        "kind": "landed", "entry": uuid.uuid4().hex, "duration_s": "3:00", "units": "metric", "volts": "cell",
        "landed_at": at.isoformat(),
    } | changed  # fmt: skip


def sent(client, *entries):
    answer = client.post("/pocket/entries", json={"entries": list(entries)})
    assert answer.status_code == 200, answer.text
    return answer.json()["taken"]


def test_entries_are_taken_in_order_each_once(client, app):
    first, second = landed(client, app, ago=60), landed(client, app, ago=20)
    told = {"kind": "details", "entry": "d" * 32, "flight": first["entry"], "duration_s": "3:00", "note": "calm"}
    taken = sent(client, first, told, second)
    assert [t["errors"] for t in taken] == [{}, {}, {}]
    assert taken[0]["flight"] == taken[1]["flight"] != taken[2]["flight"]
    # Sent again, with another between: what was taken is answered as it was, and not taken twice.
    third = landed(client, app, ago=10)
    again = sent(client, first, told, third, second)
    assert [t["flight"] for t in again[:2]] == [t["flight"] for t in taken[:2]]
    with app.state.database.session() as session:
        found = flights.newest(session, 10)
        assert [r.entry for r in reversed(found)] == [first["entry"], second["entry"], third["entry"]]
        assert flights.flight_of(found[-1]).note == "calm"


def test_what_was_taken_along_is_not_foretold_again(client, app, few, monkeypatch):
    flown = landed(client, app)
    day_of(client)
    monkeypatch.setattr("zesty_cell.web.field.entries.foretold_by", lambda *_, **__: pytest.fail("foretold again"))
    assert sent(client, flown)[0]["errors"] == {}
    # It is doubted by it all the same.
    [doubted] = sent(client, landed(client, app, ago=1, duration_s="40:00"))
    assert doubted["asked"]


def test_one_that_cannot_be_does_not_keep_the_others(client, app):
    good, wrong = landed(client, app, ago=60), landed(client, app, ago=40, duration_s="soon")
    nowhere = landed(client, app, ago=30, pack="999999")
    orphan = {"kind": "charged", "entry": "c" * 32, "flight": wrong["entry"], "put_back_ah": "200"}
    last = landed(client, app, ago=5)
    taken = sent(client, good, wrong, orphan, nowhere, last)
    assert [bool(t["errors"]) for t in taken] == [False, True, True, True, False]
    assert "duration_s" in taken[1]["errors"]
    with app.state.database.session() as session:
        assert {r.entry for r in flights.newest(session, 10)} == {good["entry"], last["entry"]}


def test_where_somebody_comes_between_they_are_taken_one_by_one(client, app, monkeypatch):
    from sqlalchemy.orm.exc import StaleDataError

    from zesty_cell.web.field import entries

    stumbled = []
    take = entries.take_entry

    def stumble(session, form, foretold=None):
        taken = take(session, form, foretold)
        if len(stumbled) < 1 and form["entry"] == "b" * 32:
            stumbled.append(1)
            raise StaleDataError("another phone")
        return taken

    monkeypatch.setattr(entries, "take_entry", stumble)
    several = [landed(client, app, ago=60, entry="a" * 32), landed(client, app, ago=30, entry="b" * 32)]
    assert [t["errors"] for t in sent(client, *several)] == [{}, {}]
    with app.state.database.session() as session:
        assert [r.entry for r in flights.newest(session, 10)] == ["b" * 32, "a" * 32]


@pytest.mark.parametrize(
    "body",
    [
        b"",
        b"[]",
        b'{"entries": 1}',
        b'{"entries": [{"kind": 1}]}',
        b'{"entries": [[]]}',
        b'{"entries": [{"a": null}]}',
    ],
)
def test_what_is_no_list_of_entries_is_refused(client, body):
    answer = client.post("/pocket/entries", content=body, headers={"content-type": "application/json"})
    assert answer.status_code == 422


def test_there_is_an_end_to_entries_at_once(client):
    assert client.post("/pocket/entries", json={"entries": [{}] * 51}).status_code == 422
    assert client.post("/pocket/entries", json={"entries": [{f"f{k}": "" for k in range(41)}]}).status_code == 422
    assert client.post("/pocket/entries", json={"entries": [{"note": "x" * 20_001}]}).status_code == 422
    assert sent(client) == []
    assert sent(client, {})[0]["errors"] == {"": "This entry has no name, so it could be taken twice."}


def rests(pack, volts, moment, **more):
    entry = {"kind": "rests", "entry": uuid.uuid4().hex, "pack": str(pack), "rest_v_per_cell": volts}
    return entry | {"measured_at": moment.isoformat(), "units": "metric", "volts": "cell"} | more


def test_a_pack_that_is_measured_stands_by_that_until_it_is_flown_or_charged_again(client, app):
    now = datetime.now(UTC)
    flown = landed(client, app, landed_at=(now - timedelta(hours=3)).isoformat())
    number = int(flown["pack"])

    def at():
        with app.state.database.session() as session:
            return PACKS.fetch(session, number).rest_v_per_cell

    assert sent(client, flown)[0]["errors"] == {}
    hours = [now - timedelta(hours=h) for h in (4, 2, 1)]
    assert sent(client, rests(number, "3.91", hours[0]))[0]["errors"] == {}
    assert at() is None  # it was flown since
    assert sent(client, rests(number, "3.77", hours[1]))[0]["errors"] == {}
    assert at() == 3.77
    charged = {"kind": "charged", "entry": "ch", "flight": flown["entry"], "put_back_ah": "400", "units": "metric"}
    assert sent(client, charged | {"charged_at": hours[2].isoformat()})[0]["errors"] == {}
    full = at()
    assert full > 4.1
    assert sent(client, rests(number, "3.80", now - timedelta(minutes=90)))[0]["errors"] == {}
    assert at() == full  # it was charged since
    assert sent(client, rests(number, "3.85", now))[0]["errors"] == {}
    assert at() == 3.85


@pytest.mark.parametrize(
    ("changed", "where"),
    [
        ({"rest_v_per_cell": "39.5"}, "rest_v_per_cell"),
        ({"rest_v_per_cell": ""}, "rest_v_per_cell"),
        ({"rest_v_per_cell": "x"}, "rest_v_per_cell"),
        ({"measured_at": "noon"}, "measured_at"),
        ({"measured_at": "1970-01-01T00:12:00+00:00"}, "measured_at"),
        ({"pack": "9999"}, ""),
    ],
)
def test_a_measurement_that_cannot_be_is_refused_at_its_place(client, changed, where):
    [told] = sent(client, rests(1, "3.8", datetime.now(UTC)) | changed)
    assert list(told["errors"]) == [where]


def test_one_flown_as_it_was_did_not_begin_full(client, app):
    for part, full in (("yes", False), ("", True)):
        flown = landed(client, app, part=part, landed_at=datetime.now(UTC).isoformat())
        [told] = sent(client, flown)
        with app.state.database.session() as session:
            row = flights.fetch(session, told["flight"])
            assert flights.flight_of(row).began_full is full
            flights.delete(session, row)


def test_what_is_typed_stands_in_the_units_of_the_day_that_is_held(client, few):
    # The page is kept on the phone with the units of another day: it must not say any of its own.
    shell = client.get("/pocket").text
    assert "V a cell<" not in shell
    assert "°C" not in shell
    _, metric = day_of(client)
    client.cookies.set("zesty_cell_view", "units-imperial.volts-pack.theme-sun")
    _, other = day_of(client)
    assert (metric["unit_of"]["rest_v_per_cell"], other["unit_of"]["rest_v_per_cell"]) == ("V a cell", "V")
    assert (metric["unit_of"]["air_c"], other["unit_of"]["air_c"]) == ("°C", "°F")
    fields = set(re.findall(r"unitOf\('([a-z_]+)'\)", shell))
    assert fields
    assert {f for f in fields if f != "note"} <= set(metric["unit_of"])
