"""The list of sheets: what each answers, found, sorted, fifty a page."""

from __future__ import annotations

import re
import time

import pytest
from sqlalchemy import select, text

from zesty_cell.services.advice import advise
from zesty_cell.services.sheet_answers import SheetAnswers, keys_of
from zesty_cell.store import sheets
from zesty_cell.store.hangar import PACKS, ownership_of
from zesty_cell.store.tables import FlightRow
from zesty_cell.words.units import minutes


def settled(client, address="/sheets"):
    """The list, once everything on it was worked out."""
    for _ in range(400):
        html = client.get(address).text
        if 'data-pending="yes"' not in html:
            return html
        time.sleep(0.05)
    raise AssertionError("it never settled")


def names(html):
    return re.findall(r'class="row-name" href="/sheets/\d+">([^<]+)<', html)


def test_each_says_when_to_be_on_the_ground_as_its_own_page_does(client, fly_season):
    fly_season()
    html = settled(client)
    with client.app.state.database.session() as session:
        for row in sheets.all_sheets(session):
            result = advise(session, row).result
            item = html.split(f'href="/sheets/{row.id}">', 1)[1].split("</li>", 1)[0]
            assert f"<b>{minutes(result.flight.landing_s)}</b>" in item
            assert f"{minutes(result.range.low_s)} to {minutes(result.range.high_s)}" in item
            stop = next((check for check in result.checks if check.status == "stop"), None)
            assert ("stop-line" in item) == (stop is not None)
    assert "flown " in html
    assert "not flown yet" in html


def test_an_answer_that_no_longer_holds_is_not_shown(client):
    settled(client)
    page = client.get("/sheets/1").text
    form = dict(re.findall(r'name="([^"]+)"[^>]*?value="([^"]*)"', page.split('id="sheet-form"')[1]))
    with client.app.state.database.session() as session:
        row = sheets.fetch(session, 1)
        row.conditions = row.conditions | {"air_c": -8.0}
        now = minutes(advise(session, row).result.flight.landing_s)
    assert form
    html = client.get("/sheets").text
    item = html.split('href="/sheets/1">', 1)[1].split("</li>", 1)[0]
    assert "…</span>" in item or f"<b>{now}</b>" in item
    assert f"<b>{now}</b>" in settled(client).split('href="/sheets/1">', 1)[1].split("</li>", 1)[0]


def test_the_key_changes_with_all_that_an_answer_rests_on(client, fly_season):
    fly_season()
    with client.app.state.database.session() as session:
        rows = sheets.heads(session)
        before = keys_of(session, rows)
        assert keys_of(session, rows) == before
        heron = [row.id for row in rows if row.craft_name == "Heron"]
        other = [row.id for row in rows if row.craft_name == "Wren"]
        flight = client.get(f"/log?craft={rows[0].craft_id}").text
    assert flight
    with client.app.state.database.session() as session:
        rows = sheets.heads(session)
        craft_id = next(row.craft_id for row in rows if row.id == heron[0])
        one = session.scalars(select(FlightRow).where(FlightRow.craft_id == craft_id)).first()
        one.set_aside = not one.set_aside
        session.flush()
        after = keys_of(session, rows)
        session.rollback()
    assert all(after[n] != before[n] for n in heron)
    assert all(after[n] == before[n] for n in other)
    with client.app.state.database.session() as session:
        rows = sheets.heads(session)
        row = PACKS.all(session)[0]
        PACKS.change(session, row.id, row.version, PACKS.thing(row), ownership=ownership_of(row))
        row.rest_v_per_cell = 3.9
        session.flush()
        assert all(key != before[n] for n, key in keys_of(session, rows).items())
        session.rollback()


def test_a_version_that_is_given_again_is_another_answer(client):
    """As after a backup was brought back: the same number of a version, of another moment and with another air."""
    settled(client)
    with client.app.state.database.session() as session:
        before = keys_of(session, sheets.heads(session))[1]
        session.execute(text("UPDATE sheet SET updated_at = '2031-01-01 00:00:00.000000' WHERE id = 1"))
    with client.app.state.database.session() as session:
        assert keys_of(session, sheets.heads(session))[1] != before
        session.execute(text("UPDATE craft SET updated_at = '2031-01-01 00:00:00.000000'"))
        assert keys_of(session, sheets.heads(session))[2] != before


def test_a_sheet_that_contradicts_itself_is_listed_with_why(client):
    with client.app.state.database.session() as session:
        row = sheets.fetch(session, 1)
        row.landing = row.landing | {"headwind_m_s": 59.0}
    item = settled(client).split('href="/sheets/1">', 1)[1].split("</li>", 1)[0]
    assert "stop-line" in item
    assert "<b>–</b>" in item


def test_it_is_found_and_sorted(client):
    settled(client)
    assert all("Heron" in name for name in names(client.get("/sheets?q=heron").text))
    assert names(client.get("/sheets?q=pomelo+light").text) == ["Heron on Pomelo, lighthouse run"]
    assert "No sheet is called that" in client.get("/sheets?q=zeppelin").text
    by_name = names(client.get("/sheets?order=name").text)
    assert by_name == sorted(by_name, key=str.casefold)
    html = client.get("/sheets?order=time").text
    seconds = [
        sum(int(part) * of for part, of in zip(text.split(":"), (60, 1), strict=True))
        for text in re.findall(r'class="when"><b>([\d:]+)</b>', html)
    ]
    assert seconds == sorted(seconds, reverse=True)
    assert names(client.get("/sheets?order=sideways&at=-3").text) == names(client.get("/sheets").text)


def test_the_last_flown_is_first_where_that_is_asked(client, fly_season):
    fly_season()
    html = settled(client, "/sheets?order=flown")
    flown = [bool(re.search(r"flown \d", item)) for item in html.split('class="what"')[1:]]
    assert flown == sorted(flown, reverse=True)


def test_fifty_are_a_page(client):
    with client.app.state.database.session() as session:
        for _ in range(60):
            sheets.duplicate(session, 5)
    first, second = client.get("/sheets?order=name").text, client.get("/sheets?order=name&at=2").text
    assert len(names(first)) == 50
    assert len(names(second)) == 18
    assert not set(names(first)) & set(names(second))
    assert "1 of 2, 68 sheets" in first
    assert "at=2" in first
    assert names(client.get("/sheets?order=name&at=99").text) == names(second)
    assert len(first) < 260_000


def test_packs_that_are_charged_are_counted(client):
    html = client.get("/sheets").text
    counts = re.findall(r"(\d+) of (\d+) packs? charged", html)
    assert counts
    assert all(int(charged) <= int(there) for charged, there in counts)


def test_nothing_is_worked_out_once_it_was_let_go(client):
    answers = SheetAnswers()
    answers.let_go()
    database = client.app.state.database
    with database.session() as session:
        rows = sheets.heads(session)
        assert answers.known(session, rows, sessions=database.session) == {}
        time.sleep(0.2)
        assert answers.known(session, rows, sessions=database.session) == {}


@pytest.mark.parametrize("renamed", [False, True])
def test_a_name_made_of_craft_and_pack_follows_them_until_it_is_given_another(client, renamed):
    made = client.post("/start", data={"units": "metric", "label": "6s 1300", "action": "keep"}).headers["location"]
    page = client.get(made).text.split('id="sheet-form"', 1)[1].split("</form>", 1)[0]
    form = {
        name: value
        for name, value in re.findall(r'name="([^"]+)"[^>]*?value="([^"]*)"', page)
        if not name.startswith(("school", "trying", "action"))
    }
    form |= dict(re.findall(r'<select[^>]*name="([^"]+)".*?value="(\w+)" selected', page, re.DOTALL))
    with client.app.state.database.session() as session:
        row = sheets.fetch(session, int(made.rpartition("/")[2]))
        pack = next(p for p in PACKS.all(session) if p.name == "Satsuma 1")
        form |= {"craft_id": str(row.craft_id), "pack_id": str(pack.id), "school.charge": "on", "action": "save"}
        flying = row.flying["name"]
    assert flying
    if renamed:
        form["name"] = "Harbour"
    assert client.post(made, data=form).status_code == 303
    wanted = "Harbour" if renamed else "Freestyle quad on Satsuma 1"
    assert f'value="{wanted}"' in client.get(made).text


def test_a_craft_is_duplicated_under_a_name_of_its_own(client):
    first = client.post("/hangar/crafts/1/copy").headers["location"]
    second = client.post("/hangar/crafts/1/copy").headers["location"]
    assert first == second  # equal in every figure: the same copy
    assert "Heron, copy" in client.get(first).text
