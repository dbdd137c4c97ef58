"""Practice on the pages: listed, flown, decided, scored, laid open, and everything that is no drill refused."""

from __future__ import annotations

import json
import re

import pytest
from starlette.testclient import TestClient

from zesty_cell.core.practice.drills import DRILLS, drill
from zesty_cell.core.practice.score import ideal, score, scripted
from zesty_cell.demo.practice import load_practice
from zesty_cell.services.practice import scenario_of
from zesty_cell.store import practice, sheets

ROOT = "/practice"


def fly(client, key, *, seed=3, decisions=(), start=0.0, **more):
    form = {"seed": str(seed), "decisions": json.dumps(list(decisions)), "from": str(start)} | more
    return client.post(f"{ROOT}/{key}/play", data=form)


def done(client, key, *, seed=3, decisions=(), **more):
    form = {"seed": str(seed), "decisions": json.dumps(list(decisions))} | more
    return client.post(f"{ROOT}/{key}/done", data=form)


def home(at_s):
    return {"at_s": at_s, "action": "home"}


def sheet_of(app, name="Heron on Pomelo, lighthouse run"):
    with app.state.database.session() as session:
        return next(r.id for r in sheets.all_sheets(session) if r.name == name)


def test_an_empty_place_offers_every_drill_and_the_way_to_a_sheet(empty_app):
    with TestClient(empty_app, base_url="http://127.0.0.1", client=("127.0.0.1", 50000)) as client:
        page = client.get(ROOT).text
    assert all(f'href="/practice/{key}"' in page for key in DRILLS)
    assert "No sheet yet" in page
    assert "Fly “Climb or empty?”" in page
    assert 'aria-current="page">Practice<' in page


@pytest.mark.parametrize("key", DRILLS)
def test_a_drill_is_shown_without_what_is_hidden(client, app, key):
    page = client.get(f"{ROOT}/{key}", params={"seed": "3"}).text
    assert 'data-seed="3"' in page
    scenario = drill(key, seed=3)
    for secret in (scenario.truth.capacity, scenario.truth.resistance, ideal(scenario).turn_s):
        assert f"{secret:.3f}" not in page


def test_each_time_another_truth(client, app):
    seeds = {re.search(r'data-seed="(\d+)"', client.get(f"{ROOT}/chatter").text)[1] for _ in range(4)}
    assert len(seeds) > 1


def test_what_is_played_holds_what_a_pilot_has_and_no_more(client, app):
    told = fly(client, "climb_or_empty").json()
    lengths = {len(told[name]) for name in ("t", "x", "y", "leg", "away", "volts", "used", "clock")}
    assert len(lengths) == 1
    assert set(told) == {"t", "x", "y", "leg", "away", "volts", "used", "clock", "events", "ends", "ask"}
    assert re.fullmatch(r"2[0-9]\.\d", told["volts"][10])
    assert told["used"][10] == ""
    assert set(told["ask"]) == {"at", "words", "options"}
    assert {e["tone"] for e in told["events"]} == {"word", "time"}
    assert told["clock"][60] == "1:00"


def test_a_decision_brings_the_rest(client, app):
    before = fly(client, "chatter").json()
    after = fly(client, "chatter", decisions=[home(100.0)], start=100.0).json()
    assert after["t"][0] == pytest.approx(100.0)
    assert after["ends"] < before["ends"]
    assert after["leg"][-1] == "landing"
    assert all(e["at"] >= 100.0 for e in after["events"])


def test_a_drill_is_scored_kept_and_laid_open(client, app):
    answer = done(client, "climb_or_empty", decisions=[{"at_s": 300, "action": "go on"}, home(780.0)], answer="0")
    assert answer.status_code == 303
    page = client.get(answer.headers["location"]).text
    assert "Down over the field at" in page
    assert "Best was to turn home at" in page
    assert "You said a climb: right." in page
    assert "it resisted 1.44 times as much" in page
    assert 'class="rest"' in page
    with app.state.database.session() as session:
        kept = practice.attempt_of(practice.newest(session)[-1])
    assert kept.score >= 90
    assert kept.right is True
    assert [d.action for d in kept.decisions] == ["go on", "home"]
    assert f'title="{kept.score} of 100"' in client.get(ROOT).text


def test_a_drill_that_was_lost_says_so(client, app):
    page = client.get(done(client, "tired_pack").headers["location"]).text
    assert "The pack gave no more at" in page
    assert "<b>0</b> of 100" in page
    assert "You did not say." in page


def test_ones_own_sheet_is_flown(client, app):
    sheet_id = sheet_of(app)
    page = client.get(f"{ROOT}/own", params={"sheet": sheet_id, "seed": "5"}).text
    assert f'data-sheet="{sheet_id}"' in page
    told = fly(client, "own", seed=5, sheet=str(sheet_id)).json()
    assert told["ends"] > 100.0
    location = done(client, "own", seed=5, decisions=[home(60.0)], sheet=str(sheet_id)).headers["location"]
    flown = client.get(location).text
    assert f'href="/callouts/{sheet_id}"' in flown
    assert "Your sheet, your plan" in flown


@pytest.mark.parametrize(
    ("address", "status", "words"),
    [
        ("/practice/no_such", 404, "There is no such drill"),
        ("/practice/own", 422, "Choose one of your sheets."),
        ("/practice/own?sheet=9999", 404, ""),
        ("/practice/own?sheet=abc", 404, ""),
        ("/practice/flown/77", 404, ""),
        ("/practice/chatter?seed=-5", 200, ""),
        ("/practice/chatter?seed=99999999999999", 422, ""),
    ],
)
def test_what_is_no_drill_is_refused_in_words(client, app, address, status, words):
    answer = client.get(address)
    assert answer.status_code == status
    assert words in answer.text


@pytest.mark.parametrize(
    "form",
    [
        {"decisions": "[{"},
        {"decisions": "{}"},
        {"decisions": json.dumps([{"at_s": -1, "action": "home"}])},
        {"decisions": json.dumps([{"at_s": "nan", "action": "home"}])},
        {"decisions": json.dumps([{"at_s": 5, "action": "eject"}])},
        {"decisions": json.dumps([{"at_s": 5, "action": "go on"}] * 41)},
        {"decisions": "[" + "1," * 9000 + "1]"},
        {"from": "soon"},
        {"from": "nan"},
    ],
)
def test_decisions_that_are_none_are_refused_and_nothing_is_kept(client, app, form):
    answer = fly(client, "chatter", **({"start": form["from"]} if "from" in form else {}))
    if "decisions" in form:
        answer = client.post(f"{ROOT}/chatter/play", data={"seed": "3"} | form)
        assert client.post(f"{ROOT}/chatter/done", data={"seed": "3"} | form).status_code == 422
    assert answer.status_code == 422
    assert "begin it anew" in answer.json()["trouble"]
    with app.state.database.session() as session:
        assert practice.newest(session) == []


def test_a_drill_that_is_none_cannot_be_flown_or_scored(client, app):
    assert fly(client, "no_such").status_code == 422
    assert done(client, "no_such").status_code == 422
    assert fly(client, "own").status_code in (404, 422)


def test_a_drill_of_a_sheet_that_is_gone_says_so(client, app):
    sheet_id = sheet_of(app)
    location = done(client, "own", seed=5, decisions=[home(60.0)], sheet=str(sheet_id)).headers["location"]
    with app.state.database.session() as session:
        sheets.delete(session, sheet_id)
    answer = client.get(location)
    assert answer.status_code == 404
    assert "was flown with is gone" in answer.text


def test_every_sheet_of_the_club_can_be_won_and_lost(app):
    with app.state.database.session() as session:
        for row in sheets.all_sheets(session):
            scenario = scenario_of(session, "own", seed=4, sheet_id=row.id)
            assert score(scripted(scenario, "ideal")) >= 90, row.name
            assert score(scripted(scenario, "never")) < 20, row.name


def test_the_clubs_drills_stand_with_their_points_and_can_be_looked_at(client, app):
    with app.state.database.session() as session:
        many = load_practice(session)
    page = client.get(ROOT).text
    points = [int(p) for p in re.findall(r'title="(\d+) of 100"', page)]
    assert len(points) == many
    assert min(points) < 40 < 70 < max(points)
    assert page.count("again now") == 3  # it was long ago
    for k in range(1, many + 1):
        assert client.get(f"{ROOT}/flown/{k}").status_code == 200
