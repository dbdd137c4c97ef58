"""Pack health on its pages: verdicts with reasons, dry cells drawn, pairs, storage; true as the log changes."""

from __future__ import annotations

import re
from datetime import UTC, datetime, timedelta
from html import unescape as html_unescape

import pytest

from zesty_cell.core.learn.calibration import CellCheck
from zesty_cell.core.learn.flights import LoggedFlight
from zesty_cell.store import calibrations, flights
from zesty_cell.store.hangar import PACKS
from zesty_cell.web.drawing.health_chart import life_chart
from zesty_cell.web.drawing.pack_picture import pack_picture


def pack_id(app, name):
    with app.state.database.session() as session:
        return next(row.id for row in PACKS.all(session) if row.name == name)


@pytest.fixture
def season(app, fly_season):
    fly_season()


def test_without_flights_there_is_no_verdict(client, app):
    assert "No pack has a flight in the log yet" in client.get("/hangar/health").text
    assert "No flight of it is logged yet" in client.get(f"/hangar/health/{pack_id(app, 'Lime 1')}").text
    assert client.get("/hangar/health/999").status_code == 404


def test_the_pack_that_tires_stands_first_with_its_reason_and_a_dry_cell(client, app, season):
    text = client.get("/hangar/health").text
    names = re.findall(r'class="row-name" href="/hangar/health/\d+">([^<]+)<', text)
    assert names[0] == "Satsuma 3"
    assert len(names) == 9
    assert "cell 3 is the lowest" in text
    assert text.count('class="dry"') == 1
    one = client.get(f"/hangar/health/{pack_id(app, 'Satsuma 3')}").text
    assert "Watch it" in one
    assert re.search(r"70 % in about <b>\d+</b> flights", one)
    assert one.count("<title>") - 1 == 14  # seven readings of each figure
    assert "came back from the youth group" in one
    assert "watch" in re.search(rf'href="/hangar/health/{pack_id(app, "Satsuma 3")}" aria-label="([^"]+)"',
                                client.get("/hangar").text)[1]  # fmt: skip


def test_a_change_of_the_log_is_seen_at_once(client, app, season):
    pomelo = pack_id(app, "Pomelo 1")
    assert "Fit" in client.get(f"/hangar/health/{pomelo}").text
    with app.state.database.session() as session:
        check = CellCheck(made_at=datetime.now(UTC), cells_v=(3.6, 3.6, 3.6, 3.6, 3.6, 3.4))
        calibrations.add(session, check, craft_id=None, pack_id=pomelo)
    text = client.get(f"/hangar/health/{pomelo}").text
    assert "Retire it" in text
    assert "bring it to a collection point" in text
    with app.state.database.session() as session:
        row = flights.newest_of(session, pomelo)
        hot = flights.flight_of(row).model_copy(update={"hottest_c": 71.0})
        flights.change(session, row.id, row.version, hot)
    assert "71 °C hot once" in client.get(f"/hangar/health/{pomelo}").text


def test_pairs_and_storage(client, app, season):
    text = client.get("/hangar/health").text
    assert "Pomelo 1 with Pomelo 2" in text
    assert "Satsuma 3" not in text.split("Pairs for parallel use")[1]
    assert re.search(r"Satsuma 2</a> has been full for \d+ days: bring it to 3.82 V", text)


def test_a_pack_flown_today_needs_no_storage(client, app):
    wren = pack_id(app, "Kumquat 1")
    with app.state.database.session() as session:
        pack = PACKS.fetch(session, wren)
        for days, used in ((9.0, 0.2), (0.2, 0.21)):
            flight = LoggedFlight(landed_at=datetime.now(UTC) - timedelta(days=days), duration_s=200.0, pattern="x",
                                  rest_v_per_cell=3.7, shown_ah=used)  # fmt: skip
            flights.add(session, flight, craft_id=3, pack=pack, entry=f"e{days}")
    assert "Kumquat 1</a> has been" not in client.get("/hangar/health").text


def test_the_life_of_a_pack_is_drawn_against_its_beginning(app, season):
    from zesty_cell.core.learn.health import Reading

    assert life_chart([], watch=0.85, retire=0.7, unit="mAh") is None
    made = [Reading(datetime(2026, 5, k + 1, tzinfo=UTC), float(k), 4.0 - 0.1 * k, 0.03) for k in range(5)]
    chart = life_chart(made, watch=0.85, retire=0.7, unit="mAh")
    heights = [d.y for d in chart.dots]
    assert heights == sorted(heights)  # a falling capacity goes down the page
    assert chart.dots[0].high < chart.dots[0].y < chart.dots[0].low
    assert chart.one_y < chart.watch_y
    assert "4000 mAh" in chart.dots[0].title


@pytest.mark.parametrize(
    "name", ["Pomelo 1", "Double Pomelo", "Satsuma 1", "Bergamot", "Clementine 1", "Kumquat 1"]
)
def test_a_tired_cell_is_dry_in_every_form_of_picture(client, app, name):
    with app.state.database.session() as session:
        pack = PACKS.thing(PACKS.fetch(session, pack_id(app, name)))
    picture = pack_picture(pack, dry=(pack.series - 1,))
    assert sum(cell.dry for cell in picture.cells) == pack.parallel
    assert not any(cell.dry for cell in pack_picture(pack).cells)


# Test results, as they come


def _pack(client, name):
    with client.app.state.database.session() as session:
        row = next(r for r in PACKS.all(session) if r.name == name)
        return row.id, row.version, PACKS.thing(row)


def test_results_take_the_place_of_estimates(client):
    number, version, before = _pack(client, "Satsuma 1")
    html = client.get(f"/hangar/health/{number}").text
    assert "Test results, as they come" in html
    line = "6.1 6.2 6.0 6.3 6.1 6.2 mΩ at 24 °C; 1190 mAh to 3.5 V"
    got = client.post(f"/hangar/health/{number}/results", data={"version": str(version), "results": line})
    assert got.status_code == 303
    assert "Kept: cells of 6 to 6.3 mΩ at 24 °C; 1190 mAh from full to 3.50 V a cell." in client.get("/hangar").text
    after = _pack(client, "Satsuma 1")[2]
    assert after.tests.charger.cells_ohm[3] == pytest.approx(0.0063)
    assert after.tests.capacity.charge_ah == pytest.approx(1.19)
    assert after.tests.two_currents == before.tests.two_currents


@pytest.mark.parametrize(
    ("line", "words"),
    [
        ("", "Type what you read."),
        ("it was warm", "Nothing in it is a result"),
        ("6.1 mΩ; nonsense", "“nonsense”"),
        ("6.1 6.2 mΩ", "2 resistances, and the pack has 6 cells"),
        ("100 mAh to 4.1 V", ""),  # too small a part of it to tell the whole
        ("9000 mAh", ""),  # more than its label by far
    ],
)
def test_results_that_say_nothing_are_told_and_stay_typed(client, line, words):
    number, version, before = _pack(client, "Satsuma 1")
    got = client.post(f"/hangar/health/{number}/results", data={"version": str(version), "results": line})
    assert got.status_code == 422
    error = html_unescape(re.search(r'id="error-results">([^<]*)<', got.text)[1])
    assert words in error
    assert len(error) > 10
    assert f">{line}</textarea>" in got.text
    assert _pack(client, "Satsuma 1")[2] == before


def test_late_results_are_refused_and_stay(client):
    number, version, _ = _pack(client, "Satsuma 1")
    got = client.post(f"/hangar/health/{number}/results", data={"version": str(version + 3), "results": "6 mΩ"})
    assert got.status_code == 409
    assert ">6 mΩ</textarea>" in got.text
