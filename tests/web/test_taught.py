"""What flights taught, on the sheet and its page: corrected, said, set aside, switched off."""

from __future__ import annotations

import re

import numpy as np
import pytest

from zesty_cell.core.answer.forecast import INTENSITY_SIGMA
from zesty_cell.core.asked.flying import PATTERNS
from zesty_cell.core.asked.learned_factors import INTENSITY, covariance_of
from zesty_cell.core.learn.flights import LoggedFlight
from zesty_cell.services.learning import corrected_sheet
from zesty_cell.store import flights as store
from zesty_cell.store import sheets
from zesty_cell.store.hangar import PACKS

SHEET = "Heron on Pomelo, lighthouse run"


def big(text):
    return re.search(r'class="big">(\d+:\d\d)<', text)[1]


@pytest.fixture
def sheet_id(app):
    with app.state.database.session() as session:
        return next(row.id for row in sheets.all_sheets(session) if row.name == SHEET)


@pytest.fixture
def flown(app, sheet_id, fly_season):
    fly_season()
    return sheet_id


def look(client, sheet_id, **changes):
    """The sheet's form as it stands, with changes, asked live."""
    text = client.get(f"/sheets/{sheet_id}").text
    form = dict(re.findall(r'<input[^>]*name="([^"]+)"[^>]*value="([^"]*)"', text))
    for name, options in re.findall(r'<select[^>]*name="([^"]+)".*?>(.*?)</select>', text, re.S):
        chosen = re.search(r'value="([^"]*)" selected', options)
        form[name] = chosen[1] if chosen else ""
    form |= {f"school.{k}": "on" for k in re.findall(r'name="school\.(\w+)" checked', text)}
    return client.post(f"/sheets/{sheet_id}", data=form | {"action": "look"} | changes).text


def test_without_a_log_the_sheet_goes_by_itself(client, sheet_id):
    assert "Corrected by" not in client.get(f"/sheets/{sheet_id}").text
    assert "tells its charge yet" in client.get(f"/sheets/{sheet_id}/taught").text


def test_the_sheet_is_corrected_by_its_flights_and_says_by_how_many(client, app, sheet_id, fly_season):
    before = big(client.get(f"/sheets/{sheet_id}").text)
    fly_season()
    text = client.get(f"/sheets/{sheet_id}").text
    assert f"Corrected by 15 flights</a>, {before} without" in text
    assert big(text) < before
    assert client.get(f"/api/sheets/{sheet_id}/forecast").json()["landing_s"] < 60 * int(before[:2]) + int(
        before[3:]
    )
    # While it is typed as well: colder air is another flight of the same lesson.
    cold = look(client, sheet_id, **{"conditions.air_c": "-10"})
    assert "Corrected by 15 flights" in cold
    assert big(cold) != big(text)
    assert big(look(client, sheet_id)) == big(text)


def test_another_pattern_takes_along_what_is_known_of_craft_and_pack(client, app, flown):
    """Power, capacity and resistance hold whatever the pattern; how lively that one is flown is not known."""
    assert "Corrected by 15 flights</a> on other patterns" in look(client, flown, pattern="hard_3d")
    with app.state.database.session() as session:
        row = sheets.fetch(session, flown)
        own = corrected_sheet(session, row).learned_factors
        row.flying = PATTERNS["hard_3d"].model_dump(mode="json")
        session.flush()
        other = corrected_sheet(session, row).learned_factors
        assert (other.flights, other.elsewhere) == (15, 15)
        assert other.power * other.capacity**-1 == pytest.approx(own.power * own.capacity**-1, rel=0.02)
        assert other.knows(PACKS.thing(row.pack))
        spread = np.diag(covariance_of(other))[INTENSITY]
        assert other.intensity == pytest.approx(1.0)
        assert spread == pytest.approx(INTENSITY_SIGMA**2, rel=0.01)
    assert "15 on other patterns" in client.get(f"/sheets/{flown}/taught").text
    assert "how lively this one is flown does not" in client.get(f"/sheets/{flown}/taught").text


def test_the_page_shows_before_after_and_each_flight(client, flown):
    text = client.get(f"/sheets/{flown}/taught").text
    assert "15 flights on “Shoreline cruise”" in text
    assert re.search(r"big-inline\">1\d:\d\d</b> <span>instead of 17:23", text)
    assert len(re.findall(r'<th scope="row"><a href="/log/\d+"', text)) == 15
    assert text.count('class="dot"') == 15
    assert re.search(r"\d % more, give or take \d %; before 20 %", text)
    assert "Flights and forecast disagree" not in text


def test_the_sheet_and_what_its_flights_taught_say_the_same(client, flown):
    def plain(address):
        return " ".join(re.sub("<[^>]+>", " ", client.get(address).text).split())

    low, high = re.search(r"between (\d+:\d\d) and (\d+:\d\d)", plain(f"/sheets/{flown}")).groups()
    assert f"{low} to {high} now" in plain(f"/sheets/{flown}/taught")
    assert (
        f"be on the ground at {big(client.get(f'/sheets/{flown}').text)}"
        in plain(f"/sheets/{flown}/taught").lower()
    )


def test_a_flight_far_from_the_rest_is_marked_and_may_be_set_aside(client, app, flown):
    with app.state.database.session() as session:
        row = store.newest(session, 100)
        odd = next(r for r in row if r.craft.name == "Heron")
        flight = store.flight_of(odd)
        store.change(
            session, odd.id, odd.version, flight.model_copy(update={"put_back_ah": flight.put_back_ah * 0.6})
        )
        odd_id = odd.id
    text = client.get(f"/sheets/{flown}/taught").text
    assert text.count("far from the rest: set it aside") == 1
    form = client.get(f"/log/{odd_id}").text
    version = re.search(r'name="version" value="(\d+)"', form)[1]
    assert (
        client.post(f"/log/{odd_id}", data={"version": version, "set_aside": "charger stopped"}).status_code == 303
    )
    assert "14 flights on" in client.get(f"/sheets/{flown}/taught").text


def test_flights_that_disagree_strongly_are_talked_about(client, app, sheet_id):
    with app.state.database.session() as session:
        row = sheets.fetch(session, sheet_id)
        pack = PACKS.fetch(session, row.pack_id)
        for k in range(4):
            flight = LoggedFlight.model_validate(
                {"landed_at": f"2026-07-0{k + 1}T10:00:00Z", "duration_s": 600, "pattern": "Shoreline cruise",
                 "put_back_ah": 2.9}
            )  # fmt: skip
            store.add(session, flight, craft_id=row.craft_id, pack=pack, entry=f"odd-{k}")
    text = client.get(f"/sheets/{sheet_id}/taught").text
    assert "Flights and forecast disagree" in text
    assert re.search(r"They use \d\d % more than the sheet by itself says", text)
    assert "put it back: if that agrees, it is the pattern" in text


def test_it_can_be_switched_off_and_on(client, flown):
    corrected = big(client.get(f"/sheets/{flown}").text)
    assert client.post(f"/sheets/{flown}/taught", data={"from_log": "0"}).status_code == 303
    plain = client.get(f"/sheets/{flown}").text
    assert big(plain) == "17:23"
    assert "Corrected by" not in plain
    assert "Switched off" in client.get(f"/sheets/{flown}/taught").text
    client.post(f"/sheets/{flown}/taught", data={"from_log": "1"})
    assert big(client.get(f"/sheets/{flown}").text) == corrected


def test_callouts_choosing_and_card_fly_the_corrected_sheet(client, flown):
    time = big(client.get(f"/sheets/{flown}").text)
    assert time in client.get(f"/sheets/{flown}/card").text
    assert time in client.get(f"/choose/{flown}").text


def test_a_sheet_that_contradicts_itself_says_so(client, app, flown):
    with app.state.database.session() as session:
        row = sheets.fetch(session, flown)
        row.landing = row.landing | {"rest_v": 4.19}
    text = client.get(f"/sheets/{flown}/taught").text
    assert "is at once" in text


def test_a_pack_that_was_never_flown_takes_its_types_lesson(client, app, flown):
    with app.state.database.session() as session:
        third = PACKS.add(
            session, PACKS.thing(sheets.fetch(session, flown).pack).model_copy(update={"name": "Pomelo 9"})
        )
        pack_id = third.id
    text = look(client, flown, pack_id=str(pack_id))
    assert "Corrected by 15 flights" in text


def test_another_pack_flies_what_is_known_of_the_craft(client, app, flown):
    """Heron was flown with Pomelo alone: with Satsuma its power is known, and that pack is not."""
    with app.state.database.session() as session:
        other = next(row for row in sheets.all_sheets(session) if row.name == "Heron on Satsuma, frosty morning")
        lesson = corrected_sheet(session, other).learned_factors
        known = corrected_sheet(session, sheets.fetch(session, flown)).learned_factors
        assert lesson.power == pytest.approx(known.power, rel=0.04)
        assert not lesson.knows(PACKS.thing(other.pack))
        other_id = other.id
    assert "Corrected by 15 flights" in client.get(f"/sheets/{other_id}").text
    assert "comes from 15 flights with other packs" in client.get(f"/sheets/{other_id}/taught").text
