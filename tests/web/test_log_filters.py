"""The log as a list: one line a flight with what is known of it, found by plug, propellers, note and the rest."""

from __future__ import annotations

import re

import pytest

from zesty_cell.store import flights
from zesty_cell.store.tables import FlightRow


@pytest.fixture
def log(client, fly_season):
    """The club's log after its season."""
    fly_season()
    return client


def _newest(log, craft):
    with log.app.state.database.session() as session:
        return next(r.id for r in flights.newest(session, 60) if r.craft.name == craft)


def _total(log, **query):
    return int(re.search(r'id="log-total"[^>]*>([\d ]+) flight', log.get("/log", params=query).text)[1])


def _change(log, number, **typed):
    html = log.get(f"/log/{number}").text
    version = re.search(r'name="version" value="(\d+)"', html)[1]
    return log.post(f"/log/{number}", data={"version": version, "units": "metric"} | typed)


def test_a_distance_gives_the_charge_of_a_kilometre_and_says_why_it_landed(log):
    number = _newest(log, "Swift")
    assert _change(log, number, distance_m="2.6", top_speed_m_s="131", landed_by="trouble").status_code == 303
    with log.app.state.database.session() as session:
        row = session.get_one(FlightRow, number)
        flight = flights.flight_of(row)
    line = next(li for li in re.split(r"<li[ >]", log.get("/log").text) if f'/log/{number}"' in li)
    assert flight.distance_m == 2600.0
    assert flight.top_speed_m_s == pytest.approx(131 / 3.6)
    per_km = flight.put_back_ah * 1000.0 / 2.6
    assert f"2.6 km, {per_km:.0f}" in line
    assert "top 131 km/h" in line
    assert ", trouble<" in line


@pytest.mark.parametrize(
    ("typed", "place", "words"),
    [
        ({"distance_m": "50"}, "distance_m", "over the whole flight"),
        ({"distance_m": "2.6", "top_speed_m_s": "20"}, "top_speed_m_s", "mean speed"),
        ({"distance_m": "far"}, "distance_m", "not a number"),
        ({"distance_m": "0"}, "distance_m", "least"),
        ({"top_speed_m_s": "9999"}, "top_speed_m_s", "most"),
    ],
)
def test_a_distance_that_cannot_be_is_told_at_its_place(log, typed, place, words):
    got = _change(log, _newest(log, "Swift"), **typed)
    assert got.status_code == 422
    assert words in re.search(rf'id="error-f-{place}">([^<]*)<', got.text)[1]
    assert f'value="{typed[place]}"' in got.text


def test_flights_are_found_by_plug_propellers_and_note(log):
    whole = _total(log)
    choice = re.search(r'name="plug".*?</select>', log.get("/log").text, re.S)[0]
    plugs = re.findall(r'<option value="(\w+)"', choice)
    assert len(plugs) >= 2
    assert sum(_total(log, plug=plug) for plug in plugs) == whole
    assert _total(log, propellers="5.1 × 4.3, three blades") == 21
    assert "0 flights" in log.get("/log?propellers=none").text
    _change(log, _newest(log, "Heron"), note="new 100 % props, gusty")
    assert _total(log, note="GUSTY") >= 1
    assert _total(log, note="100 %") == 1
    assert "0 flights" in log.get("/log", params={"note": "100_"}).text
    assert log.get("/log", params={"note": "x" * 81}).status_code == 422


def test_the_next_page_keeps_what_is_looked_for(log, monkeypatch):
    monkeypatch.setattr("zesty_cell.web.log.view.A_PAGE", 5)
    html = log.get("/log", params={"propellers": "5.1 × 4.3, three blades", "air": "cool"}).text
    older = re.search(r'href="(\?[^"]*page=2)"', html)[1].replace("&amp;", "&")
    again = log.get(f"/log{older}").text
    assert "selected>5.1 × 4.3, three blades" in again
    assert "page 2 of" in again


def test_an_imported_flight_of_a_craft_with_sets_is_of_the_one_that_is_on(log):
    from zesty_cell.store.flights import NewFlight, add_many

    with log.app.state.database.session() as session:
        row = next(r for r in flights.newest(session, 60) if r.craft.name == "Swift")
        plain = flights.flight_of(row).model_copy(update={"propellers": ""})
        other = plain.model_copy(update={"propellers": "borrowed"})
        new = [NewFlight(f, row.craft_id, row.pack_id, entry) for f, entry in ((plain, "a"), (other, "b"))]
        add_many(session, new)
        found = {r.entry: r.propellers for r in flights.newest(session, 60)}
        session.rollback()
    assert found["a"] == "5.1 × 4.3, three blades"
    assert found["b"] == "borrowed"
