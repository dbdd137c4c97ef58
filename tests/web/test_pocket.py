"""The day as a phone takes it along, and what a browser installs it by."""

from __future__ import annotations

import json
import re
import time
from pathlib import Path

import numpy as np
import pytest
import zxingcpp

import zesty_cell.web.pocket.install_view as install
from zesty_cell.core.parts.chemistries import CHEMISTRIES
from zesty_cell.core.parts.chemistry import charge_left_at_rest
from zesty_cell.services import pocket as service
from zesty_cell.store import flights
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
    assert pack["mark"] != cell["mark"]
    assert 'data-theme="sun"' in client.get("/pocket").text


@pytest.mark.parametrize("chemistry", ["lipo", "liion_energy", "lifepo4"])
def test_a_rest_voltage_is_looked_up_as_the_hangar_reads_it(chemistry):
    from zesty_cell.web.pocket.day import _rest_table

    low, shares = _rest_table(chemistry)
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
