"""What would make a sheet surer: causes, measurements, and a result that goes into craft or pack."""

from __future__ import annotations

import re

import pytest

from zesty_cell.core.learn.surer import surer
from zesty_cell.services.advice import advise
from zesty_cell.store import sheets
from zesty_cell.store.hangar import CRAFTS, ownership_of
from zesty_cell.words.surer import measure_words
from zesty_cell.words.units import minutes


@pytest.fixture
def first(client):
    """A sheet of a starting craft, by its number."""
    made = client.post("/start", data={"units": "metric", "label": "6s 1300 120c", "action": "keep"})
    return int(made.headers["location"].rpartition("/")[2])


def found(client, number):
    with client.app.state.database.session() as session:
        return surer(advise(session, sheets.fetch(session, number)).result)


def test_the_page_shows_what_the_core_found(client, first):
    html = client.get(f"/sheets/{first}/surer").text
    told = found(client, first)
    assert html.count('class="measure"') == len(told.measures)
    for measure in told.measures:
        assert f"{minutes(measure.low_s)} to {minutes(measure.high_s)}" in html
    shares = [int(share) for share in re.findall(r"<span>(\d+) %</span></dd>", html)]
    assert shares == [round(100 * cause.share) for cause in told.causes if cause.share >= 0.02]


def test_the_sheet_and_the_hangar_lead_there(client, first):
    best = found(client, first).measures[0]
    page = client.get(f"/sheets/{first}").text
    with client.app.state.database.session() as session:
        row = sheets.fetch(session, first)
        title = measure_words(best.key, craft=CRAFTS.thing(row.craft)).title
    assert f'href="/sheets/{first}/surer"' in page
    assert title[1:] in page
    assert f"{minutes(best.low_s)} to {minutes(best.high_s)}" in page
    assert f'href="/sheets/{first}/surer"' in client.get("/hangar").text


@pytest.mark.parametrize(
    ("typed", "changed"),
    [
        ({"measure": "weigh", "m.weigh.ready": "690 g"}, lambda craft, pack: craft.assumed.weight == 0.0),
        (
            {"measure": "hover_charge", "m.hover_charge.charge": "640", "m.hover_charge.time": "5"},
            lambda craft, pack: (craft.steady.charge_ah, craft.steady.duration_s) == (0.64, 300.0),
        ),
        ({"measure": "hover_amps", "m.hover_amps.amps": "7,8"}, lambda craft, pack: craft.steady.current_a == 7.8),
        (
            {"measure": "full_amps", "m.full_amps.amps": "88 A"},
            lambda craft, pack: craft.full_throttle.current_a == 88.0,
        ),
        (
            {"measure": "charger_ohm", "m.charger_ohm.cells": "5 5 6 5 5 5"},
            lambda craft, pack: pack.tests.charger.cells_ohm[2] == 0.006,
        ),
    ],
    ids=lambda value: value["measure"] if isinstance(value, dict) else "",
)
def test_a_result_goes_into_craft_or_pack_and_stays_with_whose_it_is(client, first, typed, changed):
    with client.app.state.database.session() as session:
        before = ownership_of(sheets.fetch(session, first).pack)
    answer = client.post(f"/sheets/{first}/surer", data={"units": "metric"} | typed)
    assert answer.status_code == 303
    assert answer.headers["location"] == f"/sheets/{first}/surer"
    with client.app.state.database.session() as session:
        row = sheets.fetch(session, first)
        sheet = sheets.as_sheet(row)
        assert changed(sheet.craft, sheet.pack)
        assert ownership_of(row.pack) == before
    assert typed["measure"] not in {m.key for m in found(client, first).measures}


@pytest.mark.parametrize(
    ("typed", "words"),
    [
        ({"measure": "hover_amps", "m.hover_amps.amps": "much"}, "is not a number"),
        ({"measure": "hover_amps", "m.hover_amps.amps": ""}, "Type what you read"),
        ({"measure": "hover_amps", "m.hover_amps.amps": "400"}, "Left out until it is clear"),
        ({"measure": "hover_charge", "m.hover_charge.charge": "640"}, "Type what you read"),
        ({"measure": "charger_ohm", "m.charger_ohm.cells": "5 6"}, "reading of 2 cells"),
        ({"measure": "weigh", "m.weigh.ready": "2 kg and more"}, "is no unit here"),
    ],
)
def test_a_result_that_cannot_be_is_said_beside_it_and_stays_typed(client, first, typed, words):
    with client.app.state.database.session() as session:
        before = sheets.as_sheet(sheets.fetch(session, first))
    answer = client.post(f"/sheets/{first}/surer", data={"units": "metric"} | typed)
    assert answer.status_code == 422
    assert words in answer.text
    for name, text in typed.items():
        if name.startswith("m.") and text:
            assert f'name="{name}" value="{text}"' in answer.text
    with client.app.state.database.session() as session:
        assert sheets.as_sheet(sheets.fetch(session, first)) == before


def test_a_measurement_that_nobody_knows_changes_nothing(client, first):
    answer = client.post(f"/sheets/{first}/surer", data={"measure": "phase_of_the_moon"})
    assert answer.status_code == 303
    assert client.get("/sheets/999/surer").status_code == 404


def test_a_sheet_that_contradicts_itself_says_so(client, first):
    with client.app.state.database.session() as session:
        row = sheets.fetch(session, first)
        row.landing = row.landing | {"headwind_m_s": 59.0}
    assert "Change the sheet" in client.get(f"/sheets/{first}/surer").text


def test_one_of_the_club_is_told_to_check_its_sensor(client):
    with client.app.state.database.session() as session:
        number = next(row.id for row in sheets.all_sheets(session) if row.craft.name == "Swift")
    html = client.get(f"/sheets/{number}/surer").text
    assert "Check its current sensor against the charger" in html
    assert "what its current sensor shows" in html
