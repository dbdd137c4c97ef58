"""Propeller sets of a craft: kept, compared on one pattern, put on; flights of one do not teach another."""

from __future__ import annotations

import re

import pytest

from tests.sheets import heron, pomelo
from tests.web.test_hangar import CRAFT
from tests.web.test_sheets import error_at
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.parts.craft import Craft, MeasuredCharge, PropellerSet
from zesty_cell.core.parts.propellers import set_on, sets_of, source_still, with_set, with_set_on, without_set
from zesty_cell.core.parts.readings import hover_current, hovered
from zesty_cell.services import learning
from zesty_cell.services.propellers import keep_set, put_on, sheet_by_set
from zesty_cell.store import flights, sheets
from zesty_cell.store.flown import Flown, alike, find
from zesty_cell.store.hangar import CRAFTS

ON, FLAT, STEEP = "5.1 × 4.3, three blades", "5.1 × 3.2, two blades", "5 × 5, three blades"


@pytest.fixture
def club(client, fly_season):
    """The club after its season."""
    fly_season()
    return client


def _swift(session):
    return next(r for r in CRAFTS.all(session) if r.name == "Swift")


def _another(**changes) -> PropellerSet:
    return PropellerSet.model_validate(
        {
            "name": "7 × 3.5",
            "mass_kg": 0.020,
            "steady": {"source": "measured", "current_a": 8.1, "voltage_v": 21.3, "all_up_mass_kg": 1.06},
            "full_throttle": {"source": "measured", "current_a": 60.0, "voltage_v": 21.4, "where": "flight"},
        }
        | changes
    )


# The rule


def test_putting_a_set_on_and_back_is_the_craft_it_was():
    craft = with_set(heron(propellers_kg=0.026), _another(), on="7 × 4")
    assert [s.name for s in sets_of(craft)] == ["7 × 4", "7 × 3.5"]
    other = with_set_on(craft, name="7 × 3.5")
    assert other.steady.current_a == 8.1
    assert other.full_throttle.current_a == 60.0
    assert other.propellers == "7 × 3.5"
    assert other.dry_mass_kg == pytest.approx(craft.dry_mass_kg - 0.006)
    back = with_set_on(other, name="7 × 4")
    assert back.model_copy(update={"dry_mass_kg": craft.dry_mass_kg}) == craft
    assert back.dry_mass_kg == pytest.approx(craft.dry_mass_kg)
    assert with_set_on(craft, name="7 × 4") is craft


def test_a_tests_word_stays_with_its_set_on_or_off():
    learned = _another(source="test “Flat or steep”")
    craft = with_set(heron(), learned, on="7 × 4")
    on = with_set_on(craft, name="7 × 3.5")
    assert (on.propellers_source, set_on(on).source) == (learned.source, learned.source)
    off = with_set_on(on, name="7 × 4")
    assert off.propellers_source == ""
    assert [s.source for s in sets_of(off)] == ["", learned.source]
    # A figure shown with fewer digits is not one that was typed anew.
    shown = learned.steady.model_copy(update={"current_a": 8.11})
    typed = learned.steady.model_copy(update={"current_a": 8.13})
    assert source_still(shown, before=learned) == learned.source
    assert source_still(typed, before=learned) == ""
    assert source_still(heron().steady.model_copy(update={"read_by": "meter"}), before=learned) == ""
    charge = MeasuredCharge(charge_ah=1.0, duration_s=400.0, voltage_v=21.3, all_up_mass_kg=1.06)
    assert source_still(charge, before=learned) == ""
    # Nor is it a test's any more once it was hovered or read.
    pack = pomelo()
    assert hovered(on, charge_ah=1.0, duration_s=400.0, pack=pack, ready_kg=1.06).propellers_source == ""
    assert hover_current(on, current_a=8.0, pack=pack, ready_kg=1.06).propellers_source == ""


def test_a_set_that_nobody_weighed_leaves_the_weight():
    craft = with_set(heron(propellers_kg=0.026), _another(mass_kg=None), on="7 × 4")
    assert with_set_on(craft, name="7 × 3.5").dry_mass_kg == craft.dry_mass_kg


def test_a_set_is_changed_in_its_place_and_taken_away():
    craft = with_set(heron(), _another(), on="7 × 4")
    changed = with_set(craft, _another(name="7 × 3.6"), on="", in_place_of="7 × 3.5")
    assert [s.name for s in changed.other_sets] == ["7 × 3.6"]
    assert without_set(changed, name="7 × 3.6").other_sets == ()
    assert set_on(heron()).name == "As it is"


@pytest.mark.parametrize("name", ["7 × 4", "7 X 4".replace("X", "×"), "7 × 4 ".strip()])
def test_two_sets_of_one_name_are_refused(name):
    with pytest.raises(ValueError, match="name of its own"):
        with_set(heron(), _another(name=name), on="7 × 4")
    with pytest.raises(OutOfRangeError):
        with_set_on(heron(), name="none such")
    with pytest.raises(ValueError, match="name of its own"):
        Craft.model_validate(heron().model_dump() | {"other_sets": (_another().model_dump(),)})


# The hangar


def test_sets_stand_side_by_side_on_one_pattern(club):
    with club.app.state.database.session() as session:
        number = _swift(session).id
    html = club.get(f"/hangar/crafts/{number}/propellers").text
    assert html.index(ON) < html.index(FLAT) < html.index(STEEP)
    assert html.count('class="timebar"') == 3
    assert "All on one pattern, “Freestyle”" in html
    assert "and 21 flights" in html
    assert html.count("no flights yet") == 2
    assert "12.8 g" in html


def test_one_sets_flights_do_not_teach_another(club):
    with club.app.state.database.session() as session:
        row = next(r for r in sheets.all_sheets(session) if r.craft.name == "Swift" and "Satsuma" in r.pack.name)
        by_set = {b.of.name: b for b in sheet_by_set(session, row)}
        assert by_set[ON].flights == 21
        assert by_set[FLAT].flights == by_set[STEEP].flights == 0
        assert by_set[ON].sheet == learning.corrected_sheet(session, row)
        # With another set on, the sheet flies that, and nothing of the first one's flights.
        put_on(session, _swift(session), _swift(session).version, name=FLAT)
        session.flush()
        session.expire_all()
        assert sheets.as_sheet(row).craft.steady.current_a == 4.7
        assert learning.lessons(session, sheets.as_sheet(row), craft_id=row.craft_id, pack=row.pack).known == ()
        session.rollback()


def test_a_flight_is_of_the_set_that_is_on_and_follows_its_name(club):
    with club.app.state.database.session() as session:
        row = _swift(session)
        assert find(session, craft_id=row.id, propellers=ON, most=1).total == 21
        packed = flights.newest_of_craft(session, row.id, 1)[0].pack
        of = Flown(row.id, packed.type_name, ON)
        assert alike(session, of, pattern="Freestyle")
        assert not alike(session, Flown(row.id, packed.type_name, FLAT), pattern="Freestyle")
        put_on(session, row, row.version, name=FLAT)
        craft = CRAFTS.thing(row)
        kept = next(s for s in craft.other_sets if s.name == ON).model_copy(update={"name": "Old ones"})
        keep_set(session, row, row.version, kept, on="", in_place_of=ON)
        assert find(session, craft_id=row.id, propellers="Old ones", most=1).total == 21
        assert find(session, craft_id=row.id, propellers=ON, most=1).total == 0
        newest = flights.newest_of_craft(session, row.id, 1)[0]
        assert flights.flight_of(newest).propellers == "Old ones"
        session.rollback()


def _typed(**more: str) -> dict[str, str]:
    return {
        "version": "1", "name": "7 × 3.5", "on": "7 × 4", "mass_kg": "20",
        "steady.source": "measured", "steady.measured.current_a": "172 W", "steady.measured.voltage_v": "21.3",
        "steady.measured.all_up_mass_kg": "1060",
        "full_throttle.source": "measured", "full_throttle.measured.current_a": "60",
        "full_throttle.measured.voltage_v": "21.4", **more,
    }  # fmt: skip


def _craft_of(app, name):
    with app.state.database.session() as session:
        row = next(r for r in CRAFTS.all(session) if r.name == name)
        return row.id, row.version, CRAFTS.thing(row)


def test_the_second_set_gives_the_first_its_name_and_its_flights(club):
    number, version, _ = _craft_of(club.app, "Heron")
    address = f"/hangar/crafts/{number}/propellers"
    assert "Only one set so far" in club.get(address).text
    form = club.get(f"{address}/set").text
    assert "What is on now is called" in form
    assert 'value="estimated" checked' in form
    assert club.post(f"{address}/set", data=_typed(version=str(version))).status_code == 303
    _, version, craft = _craft_of(club.app, "Heron")
    assert craft.propellers == "7 × 4"
    assert craft.other_sets[0].steady.current_a == pytest.approx(172 / 21.3)
    assert "and 14 flights" in club.get(address).text or re.search(r"and \d+ flights", club.get(address).text)
    # Put it on, edit the other, take it away.
    assert club.post(f"{address}/on", data={"version": str(version), "name": "7 × 3.5"}).status_code == 303
    _, version, craft = _craft_of(club.app, "Heron")
    assert craft.propellers == "7 × 3.5"
    html = club.get(f"{address}/set", params={"name": "7 × 4"}).text
    assert 'name="on"' not in html
    assert 'value="measured" checked' in html
    assert club.post(f"{address}/away", data={"version": str(version), "name": "7 × 4"}).status_code == 303
    _, _, craft = _craft_of(club.app, "Heron")
    assert craft.other_sets == ()
    # The craft's own form leaves its sets alone.


def test_the_crafts_form_leaves_its_sets_alone(club):
    with club.app.state.database.session() as session:
        row = _swift(session)
        learned = CRAFTS.thing(row).model_copy(update={"propellers_source": "test “Blades”"})
        CRAFTS.change(session, row.id, row.version, learned)
    number, version, before = _craft_of(club.app, "Swift")
    html = club.get(f"/hangar/crafts/{number}").text
    fields = dict(re.findall(r'name="([^"]+)"[^>]*?value="([^"]*)"', html, re.S))
    fields |= {"kind": "multirotor", "pack_cooling": "airflow", "steady.source": "measured"}
    fields |= {"full_throttle.source": "measured", "dry_mass_kg": "431", "version": str(version), "shows": ""}
    fields |= {"steady.measured.read_by": "craft's sensor", "full_throttle.measured.read_by": "meter"}
    fields.pop("sure", None)
    got = club.post(f"/hangar/crafts/{number}", data=fields)
    assert got.status_code == 303, error_at(got.text, "name")
    _, _, after = _craft_of(club.app, "Swift")
    assert after.dry_mass_kg == 0.431
    assert after.other_sets == before.other_sets
    assert after.propellers == before.propellers
    assert after.propellers_source == "test “Blades”"
    assert "test “Blades”" in club.get(f"/hangar/crafts/{number}/propellers").text
    # Its power typed anew, it is what was typed.
    fields |= {"version": str(version + 1), "steady.measured.current_a": "9.9"}
    assert club.post(f"/hangar/crafts/{number}", data=fields).status_code == 303
    _, _, after = _craft_of(club.app, "Swift")
    assert after.propellers_source == ""


@pytest.mark.parametrize(
    ("wrong", "place", "words"),
    [
        ({"name": ""}, "name", "This is needed."),
        ({"on": ""}, "on", "This is needed"),
        ({"on": "7 × 3.5"}, "name", "name of its own"),
        ({"mass_kg": "heavy"}, "mass_kg", "not a number"),
        ({"mass_kg": "9 kg"}, "mass_kg", "At most"),
        ({"steady.measured.voltage_v": ""}, "steady.measured.current_a", "plain numbers"),
        ({"full_throttle.source": "parts", "full_throttle.parts.voltage_v": "20"}, "name", "motors and propellers"),
        ({"steady.source": "magic"}, "steady.source", "Choose one of the options."),
    ],
)
def test_a_set_that_cannot_be_is_told_at_its_place_and_what_was_typed_stays(club, wrong, place, words):
    number, version, before = _craft_of(club.app, "Heron")
    got = club.post(f"/hangar/crafts/{number}/propellers/set", data=_typed(version=str(version), **wrong))
    assert got.status_code == 422
    assert words in error_at(got.text, place)
    assert 'value="172 W"' in got.text
    assert _craft_of(club.app, "Heron")[2] == before


def test_a_set_that_hardly_can_be_is_asked_back(club):
    number, version, _ = _craft_of(club.app, "Heron")
    address = f"/hangar/crafts/{number}/propellers/set"
    # Amps of one motor for the whole craft's hover.
    odd = _typed(version=str(version)) | {"steady.measured.current_a": "0.4"}
    asked = club.post(address, data=odd)
    assert asked.status_code == 422
    assert "times" in error_at(asked.text, "full_throttle.measured.current_a")
    assert "This looks unlikely" in asked.text
    sure = re.search(r'name="sure" value="([^"]+)"', asked.text)[1]
    assert club.post(address, data=odd | {"sure": sure}).status_code == 303
    # Weighed lighter with its pack than without: that cannot be, whatever one says.
    wrong = _typed(version=str(version + 1), name="7 × 3.6") | {"steady.measured.all_up_mass_kg": "400"}
    never = club.post(address, data=wrong | {"sure": "weight_under_dry"})
    assert never.status_code == 422


def test_a_late_change_and_a_set_that_is_gone(club):
    number, version, _ = _craft_of(club.app, "Swift")
    address = f"/hangar/crafts/{number}/propellers"
    late = club.post(f"{address}/set", data=_typed(version=str(version + 5)))
    assert late.status_code == 409
    assert 'value="172 W"' in late.text
    for what in ("on", "away"):
        club.post(f"{address}/{what}", data={"version": str(version + 5), "name": FLAT})
        assert "Nothing was changed" in club.get(address).text
    club.post(f"{address}/on", data={"version": str(version), "name": "none such"})
    assert "no propellers called" in club.get(address).text
    assert club.get(f"{address}/set", params={"name": "none such"}).status_code == 404
    assert club.get("/hangar/crafts/999/propellers").status_code == 404


def test_a_craft_without_a_sheet_says_what_to_do(client):
    client.post("/hangar/crafts/new", data=CRAFT)
    number = _craft_of(client.app, "Avocet")[0]
    html = client.get(f"/hangar/crafts/{number}/propellers").text
    assert "Start one" in html
    assert "As it is" in html
