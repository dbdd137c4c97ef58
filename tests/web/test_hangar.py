"""The hangar's forms: add, edit, refuse, protect, undo."""

from __future__ import annotations

import re

import pytest
from starlette.testclient import TestClient

from tests.web.test_sheets import error_at
from zesty_cell.core.parts.cell import CellModel
from zesty_cell.core.parts.craft import Craft, Limits
from zesty_cell.core.parts.measured import PackTests
from zesty_cell.core.parts.ownership import MOST_FLIGHTS, Ownership
from zesty_cell.core.parts.pack import Pack
from zesty_cell.store.hangar import PACKS
from zesty_cell.web.hangar.craft_form import CRAFT_SECTIONS, read_craft
from zesty_cell.web.hangar.form import CELL_SECTIONS, OWNERSHIP_FIELDS, first_texts, read_cell
from zesty_cell.web.hangar.pack_form import PACK_SECTIONS, first_pack_texts, read_pack
from zesty_cell.words.say import say

CRAFT = {
    "name": "Avocet",
    "kind": "multirotor",
    "dry_mass_kg": "310",
    "pack_cooling": "airflow",
    "steady.source": "measured",
    "steady.measured.current_a": "4.2",
    "steady.measured.voltage_v": "15.1",
    "steady.measured.all_up_mass_kg": "480",
    "full_throttle.source": "measured",
    "full_throttle.measured.current_a": "62",
    "full_throttle.measured.voltage_v": "14",
}
PACK = {
    "name": "Quince",
    "chemistry": "lipo",
    "series": "4",
    "capacity_ah": "850",
    "capacity_known": "maker",
    "quality": "good",
    "connector": "medium_30a",
    "label_c": "95",
}


def test_a_craft_and_a_pack_from_nothing(client):
    assert client.post("/hangar/crafts/new", data=CRAFT).status_code == 303
    assert client.post("/hangar/packs/new", data=PACK).status_code == 303
    html = client.get("/hangar").text
    assert "Avocet" in html
    assert "Quince" in html
    assert "“Quince” is in the hangar" in html


@pytest.mark.parametrize(
    ("source", "fields"),
    [
        (
            "charge",
            {"charge_ah": "640", "duration_s": "7:30", "voltage_v": "15", "all_up_mass_kg": "480"},
        ),
        ("rotor", {"rotor_count": "4", "rotor_diameter_m": "12.7"}),
        ("wing", {"wing_area_m2": "20", "lift_over_drag": "9,5"}),
    ],
)
def test_every_source_of_steady_power(source, fields):
    form = CRAFT | {"steady.source": source} | {f"steady.{source}.{k}": v for k, v in fields.items()}
    craft, state = read_craft(form)
    assert state.ok
    assert craft.steady.source == source
    if source == "charge":
        assert craft.steady.duration_s == 450.0
    if source == "rotor":
        assert craft.steady.rotor_diameter_m == pytest.approx(0.127)


@pytest.mark.parametrize(
    ("reader", "form", "field", "text", "words"),
    [
        (read_craft, CRAFT, "dry_mass_kg", "0", "At least 3 g"),
        (read_craft, CRAFT, "dry_mass_kg", "-5", "At least 3 g"),
        (read_craft, CRAFT, "dry_mass_kg", "", "needed"),
        (read_craft, CRAFT, "steady.measured.current_a", "NaN", "not a number"),
        (read_craft, CRAFT, "steady.measured.voltage_v", "900", "At most 120 V"),
        (read_craft, CRAFT, "kind", "balloon", "Choose one"),
        (read_craft, CRAFT, "steady.source", "hearsay", "Choose one"),
        (read_pack, PACK, "series", "0", "At least 1"),
        (read_pack, PACK, "series", "2.5", "whole number"),
        (read_pack, PACK, "capacity_ah", "1e9", "not a number"),
        (read_pack, PACK, "capacity_ah", "99999999", "At most 200000 mAh"),
        (read_pack, PACK, "chemistry", "unobtainium", "Choose one"),
        (read_pack, PACK, "name", "y" * 10_000, "At most 80"),
        (read_pack, PACK, "ratings.one_minute_a", "30", "the others follow from it"),
        (read_pack, PACK, "mass_kg", "2", "which no cell holds"),
    ],
)
def test_bad_input_is_said_beside_its_field(reader, form, field, text, words):
    thing, state = reader(form | {field: text})
    assert thing is None
    group = field.partition(".")[0]
    found = say(state.errors.get(field) or next((v for k, v in state.errors.items() if k.startswith(group)), ""))
    assert words in found
    assert state.texts[field] == text


def test_a_refused_form_keeps_what_was_typed(client):
    response = client.post("/hangar/packs/new", data=PACK | {"series": "0", "name": "Kept <b>name</b>"})
    assert response.status_code == 422
    assert error_at(response.text, "series") == "At least 1, please."
    assert 'value="Kept &lt;b&gt;name&lt;/b&gt;"' in response.text
    assert 'value="850"' in response.text


@pytest.mark.parametrize("units", ["metric", "imperial"])
def test_every_stored_craft_and_cell_survives_its_own_form(app, units):
    from zesty_cell.store.hangar import CELLS, CRAFTS

    with app.state.database.session() as session:
        for shelf, reader, sections in ((CRAFTS, read_craft, CRAFT_SECTIONS), (CELLS, read_cell, CELL_SECTIONS)):
            for row in shelf.all(session):
                thing = shelf.thing(row)
                again, state = reader(first_texts(sections, thing.model_dump(), units), thing)
                assert state.errors == {}
                if units == "metric":
                    assert again == thing
                elif shelf is CRAFTS:
                    assert again.dry_mass_kg == pytest.approx(thing.dry_mass_kg, rel=2e-3)


@pytest.mark.parametrize("units", ["metric", "imperial"])
@pytest.mark.parametrize("from_cells", [False, True])
def test_every_stored_pack_survives_the_builder(app, units, from_cells):
    from zesty_cell.store.hangar import CELLS, PACKS

    with app.state.database.session() as session:
        cells = {row.id: CELLS.thing(row) for row in CELLS.all(session)}
        built = 0
        for row in PACKS.all(session):
            cell_id = row.cell_id if from_cells else None
            pack = PACKS.thing(row)
            texts = first_pack_texts(pack.model_dump(), units, cell_id=cell_id, cell=cells.get(cell_id))
            again, state = read_pack(texts, cells=cells)
            assert state.errors == {}
            built += cell_id is not None
            if units == "metric":
                assert again == pack
            else:
                assert again.mass_kg == pytest.approx(pack.mass_kg, rel=2e-3)
        assert built == (4 if from_cells else 0)


def test_a_craft_in_use_cannot_be_deleted_and_says_who_uses_it(client):
    hangar = client.get("/hangar").text
    heron = re.search(r'/hangar/crafts/(\d+)">Heron<', hangar)[1]
    client.post(f"/hangar/crafts/{heron}/delete")
    assert "is used by “Heron on Satsuma, frosty morning”" in client.get("/hangar").text
    assert client.get(f"/hangar/crafts/{heron}").status_code == 200


def test_delete_and_undo(client):
    client.post("/hangar/packs/new", data=PACK)
    number = re.search(r'/hangar/packs/(\d+)">Quince<', client.get("/hangar").text)[1]
    client.post(f"/hangar/packs/{number}/delete")
    html = client.get("/hangar").text
    assert ">Quince<" not in html.split("</header>")[1].split("<main")[1]
    client.post(f"/hangar/packs/{number}/undelete")
    assert ">Quince<" in client.get("/hangar").text


def test_editing_from_a_sheet_leads_back_to_it(client):
    link = re.search(r'href="(/hangar/packs/\d+\?back=8)"', client.get("/sheets/8").text)[1]
    html = client.get(link).text
    assert 'href="/sheets/8">Back without saving' in html
    form = PACK | {"version": re.search(r'name="version" value="(\d+)"', html)[1], "back": "8"}
    assert client.post(link.partition("?")[0], data=form).headers["location"] == "/sheets/8"
    for nonsense in ("//evil.example", "8/../../x", "²", ""):
        response = client.post("/hangar/packs/new", data=PACK | {"back": nonsense, "name": f"Quince{nonsense!r}"})
        assert response.headers["location"] == "/hangar"


def test_one_continuous_rating_is_enough():
    pack, state = read_pack(PACK | {"ratings.continuous_a": "30"})
    assert state.ok
    assert (pack.ratings.continuous_a, pack.ratings.one_minute_a, pack.ratings.ten_second_a) == (30.0, 39.0, 48.0)


def test_what_is_improbable_is_asked_back_and_taken_in_one_tap(client):
    slip = CRAFT | {"name": "Slip", "steady.measured.current_a": "45"}
    asked = client.post("/hangar/crafts/new", data=slip)
    assert asked.status_code == 422
    assert "for each kilogram" in error_at(asked.text, "steady.measured.current_a")
    assert 'value="45"' in asked.text
    sure = re.search(r'name="sure" value="([^"]+)"', asked.text)[1]
    assert client.post("/hangar/crafts/new", data=slip | {"sure": sure}).status_code == 303
    # What cannot be is not asked: no tap takes it.
    heavy = CRAFT | {"name": "Heavy", "steady.measured.all_up_mass_kg": "1"}
    refused = client.post("/hangar/crafts/new", data=heavy | {"sure": "weight_under_dry"})
    assert refused.status_code == 422
    assert "It is so" not in refused.text


def test_a_doubtful_pack_is_drawn_asked_back_and_kept(client):
    slip = PACK | {"label_c": "280"}
    looked = client.post("/hangar/packs/new", data=slip | {"action": "look"})
    assert looked.status_code == 200
    assert "more than any label claims" in looked.text
    assert client.post("/hangar/packs/new", data=slip | {"action": "save"}).status_code == 422
    answer = client.post("/hangar/packs/new", data=slip | {"action": "sure", "sure": "label_c"})
    assert answer.status_code == 303


def test_two_of_one_name_are_refused_and_a_files_are_told_apart(client):
    assert client.post("/hangar/packs/new", data=PACK).status_code == 303
    again = client.post("/hangar/packs/new", data=PACK | {"name": "quince"})
    assert again.status_code == 422
    assert "one of that name already" in error_at(again.text, "name")
    sheet = client.get("/api/sheets/8").json()["sheet"]
    sheet["craft"]["avionics_w"] = 9.0
    assert client.post("/api/sheets", json=sheet).status_code == 201
    assert "Heron (2)" in client.get("/hangar").text


def test_two_tabs_editing_one_pack(client):
    client.post("/hangar/packs/new", data=PACK)
    number = re.search(r'/hangar/packs/(\d+)">Quince<', client.get("/hangar").text)[1]
    assert client.post(f"/hangar/packs/{number}", data=PACK | {"version": "1", "cycles": "3"}).status_code == 303
    late = client.post(f"/hangar/packs/{number}", data=PACK | {"version": "1", "cycles": "9"})
    assert late.status_code == 409
    assert "saved from another tab" in late.text
    assert 'value="9"' in late.text


def test_every_figure_of_the_models_has_its_field():
    """What a form leaves out it would silently reset on saving."""
    for sections, model in ((CRAFT_SECTIONS, Craft), (PACK_SECTIONS, Pack), (CELL_SECTIONS, CellModel)):
        paths = [f.path for s in sections for f in s.fields]
        paths += [s.choice.path for s in sections if s.choice]
        tops = {path.partition(".")[0] for path in paths}
        # What is assumed has no field: it stays so while its figure does; propeller sets and a pack's own curve
        # have pages of their own.
        elsewhere = {
            "assumed",
            "propellers",
            "propellers_kg",
            "propellers_source",
            "other_sets",
            "curve",
            "plug",
            "lead",
        }
        assert set(model.model_fields) - elsewhere == tops
    limits = {f.path.partition(".")[2] for s in CRAFT_SECTIONS for f in s.fields if f.path.startswith("limits.")}
    assert limits == set(Limits.model_fields)
    tests = {f.path.split(".")[1] for s in PACK_SECTIONS for f in s.fields if f.path.startswith("tests.")}
    assert tests == set(PackTests.model_fields)
    for name, field in PackTests.model_fields.items():
        asked = {
            f.path.split(".")[2] for s in PACK_SECTIONS for f in s.fields if f.path.startswith(f"tests.{name}.")
        }
        assert asked == set(field.annotation.__args__[0].model_fields)
    assert {f.path.partition(".")[2] for f in OWNERSHIP_FIELDS} == set(Ownership.model_fields)


def test_where_a_weight_comes_from_survives_the_form():
    pack, state = read_pack(PACK | {"mass_kg": "105", "mass_known": "maker"})
    assert state.ok
    assert first_pack_texts(pack.model_dump(), "metric")["mass_known"] == "maker"


# The builder


def cell_number(client, name):
    return re.search(rf'/hangar/cells/(\d+)">{name}<', client.get("/hangar").text)[1]


def test_a_pack_is_built_from_cells_of_the_shelf(client):
    number = cell_number(client, "Pip 21-70")
    form = {
        "name": "Six Pips", "source": "cells", "cell_id": number, "series": "6", "parallel": "2",
        "arrangement": "rows", "connector": "large_60a", "ownership.standing": "own",
    }  # fmt: skip
    look = client.post("/hangar/packs/new", data=form | {"action": "look"})
    assert look.status_code == 200
    assert "128 × 43 × 70 mm" in look.text
    assert "8\u2009064 mAh" in look.text  # 96 % of 2 × 4200 until it is measured
    assert client.post("/hangar/packs/new", data=form).status_code == 303
    html = client.get("/hangar").text
    assert "Six Pips" in html
    assert "in 4 packs" in html


def test_looking_stores_nothing(client):
    before = client.get("/hangar").text.count("/hangar/packs/")
    assert client.post("/hangar/packs/new", data=PACK | {"action": "look"}).status_code == 200
    assert client.get("/hangar").text.count("/hangar/packs/") == before


def test_a_pack_without_a_name_is_drawn_but_not_kept(client):
    html = client.post("/hangar/packs/new", data=PACK | {"action": "look", "name": ""}).text
    assert "Resistance," in html
    assert error_at(html, "name") == "This is needed."
    assert client.post("/hangar/packs/new", data=PACK | {"name": ""}).status_code == 422


@pytest.mark.parametrize(
    ("change", "field", "words"),
    [
        ({"source": "cells", "cell_id": ""}, "cell_id", "Choose a cell"),
        ({"source": "cells", "cell_id": "99999"}, "cell_id", "Choose a cell"),
        ({"arrangement": "tube", "parallel": "2"}, "arrangement", "single string"),
        ({"arrangement": "two layers", "series": "5", "parallel": "3"}, "arrangement", "cannot be halved"),
        ({"lead_area_mm2": "13 AWG"}, "lead_area_mm2", "Gauges run from 8 to 30"),
        ({"tests.capacity.charge_ah": "8500"}, "tests.capacity.charge_ah", "labelled 850 mAh"),
        ({"tests.capacity.rest_v_per_cell": "3.7"}, "tests.capacity.charge_ah", "needed"),
        ({"tests.charger.cells_ohm": "5 5 5"}, "tests.charger.cells_ohm", "reading of 3 cells"),
        ({"tests.charger.cells_ohm": "5 five"}, "tests.charger.cells_ohm", "not a number"),
        ({"tests.full_throttle.before_v": "16"}, "tests.full_throttle.loaded_v", "needed"),
        ({"cell_size.form": "pouch", "cell_size.length_m": "7", "cell_size.width_m": "9"}, "cell_size.form", "thi"),
        ({"ownership.rest_v_per_cell": "12"}, "ownership.rest_v_per_cell", "At most 4.5 V"),
        ({"ownership.standing": "stolen"}, "ownership.standing", "Choose one"),
    ],
)  # fmt: skip
def test_builder_values_that_cannot_be_are_said_at_their_place(client, change, field, words):
    response = client.post("/hangar/packs/new", data=PACK | change)
    assert response.status_code == 422
    assert words in error_at(response.text, field)


def test_a_cell_with_no_data_is_refused_where_it_is_chosen(client):
    number = cell_number(client, "Blossom 18-65, no data yet")
    form = PACK | {"source": "cells", "cell_id": number}
    assert "has no capacity yet" in error_at(client.post("/hangar/packs/new", data=form).text, "cell_id")


def test_a_wire_gauge_becomes_square_millimetres():
    pack, _ = read_pack(PACK | {"lead_area_mm2": "12 awg"})
    assert pack.lead_area_mm2 == pytest.approx(3.31, abs=0.01)
    assert read_pack(PACK | {"lead_area_mm2": "AWG 16"})[0].lead_area_mm2 == pytest.approx(1.31, abs=0.01)


def test_a_test_replaces_the_estimate_and_says_so(client):
    form = PACK | {
        "action": "look", "tests.capacity.charge_ah": "680", "tests.charger.cells_ohm": "6.1 6,3 6.0 9.6",
    }  # fmt: skip
    html = client.post("/hangar/packs/new", data=form).text
    assert "measured, 80 % of the label" in html
    assert "from the charger’s reading" in html
    assert "the weakest is 37 % above the mean" in html


def test_honest_current_and_carrier_stand_beside_the_label(client):
    html = client.post("/hangar/packs/new", data=PACK | {"action": "look"}).text
    assert "Label, 95C" in html
    assert "stated for a short, warm burst" in html
    assert "check with yours" in html
    big = client.post("/hangar/packs/new", data=PACK | {"action": "look", "capacity_ah": "8000"}).text
    assert "above the 100 Wh that carriers commonly take" in big


def test_this_packs_own_resistance_beats_the_cells(client):
    number = cell_number(client, "Pip 21-70")
    cells = {"source": "cells", "cell_id": number, "series": "6", "action": "look"}
    assert "One cell: 12.5 mΩ" in client.post("/hangar/packs/new", data=PACK | cells).text
    own = cells | {"cell_resistance_ohm": "14.1", "resistance_known": "measured"}
    assert "One cell: 14.1 mΩ, measured" in client.post("/hangar/packs/new", data=PACK | own).text


def test_another_like_it_starts_with_the_same_figures(client):
    number = re.search(r'/hangar/packs/(\d+)">Lime 1<', client.get("/hangar").text)[1]
    html = client.get(f"/hangar/packs/new?like={number}").text
    assert 'value="3300"' in html
    assert client.get("/hangar/packs/new?like=9999").status_code == 404


# Finding, lending, retiring


def test_who_it_is_lent_to_is_read_before_it_is_kept(client):
    told = client.post("/hangar/packs/1/standing", data={"standing": "lent", "lent_to": "Anna\tSmith"})
    assert told.status_code == 303
    assert "Nothing was changed" in client.get("/hangar", headers={"cookie": told.headers["set-cookie"]}).text
    assert client.get("/hangar/packs/1").status_code == 200
    client.post("/hangar/packs/1/standing", data={"standing": "lent", "lent_to": "Anna Smith"})
    assert "Anna Smith" in client.get("/hangar").text


def test_a_count_of_flights_stops_where_it_says_no_more(client, app, fly_season):
    fly_season()
    flight = client.get("/api/flights").json()["flights"][0]
    with app.state.database.session() as session:
        PACKS.fetch(session, flight["pack_id"]).flights = MOST_FLIGHTS
    new = {k: flight[k] for k in ("craft_id", "pack_id")}
    moved = flight["flight"] | {"landed_at": "2026-11-21T10:00:00Z"}
    assert client.post("/api/flights", json=new | {"flight": moved}).status_code == 201
    assert client.get("/hangar").status_code == 200
    assert client.get(f"/api/packs/{flight['pack_id']}").json()["ownership"]["flights"] == MOST_FLIGHTS


def test_packs_are_found_by_words_chemistry_cells_and_standing(client):
    def shown(query):
        html = client.get(f"/hangar?{query}").text.split('id="packs"')[1].split("Cells on the shelf")[0]
        return set(re.findall(r'/hangar/packs/\d+">([^<]+)<', html))

    assert shown("q=pomelo") == {"Pomelo 1", "Pomelo 2", "Double Pomelo"}
    assert shown("q=double+pomelo") == {"Double Pomelo"}
    assert shown("chemistry=lihv") == {"Kumquat 1", "Kumquat 2", "Kumquat 3"}
    assert shown("series=2") == {"Yuzu 1", "Yuzu 2"}
    assert shown("standing=lent") == {"Satsuma 3"}
    assert shown("q=100%25_") == set()
    assert "No pack like that" in client.get("/hangar?q=zzz").text
    assert len(shown("series=²&chemistry=unobtainium")) == 18


def test_lending_and_retiring(client):
    number = re.search(r'/hangar/packs/(\d+)">Lime 1<', client.get("/hangar").text)[1]
    client.post(f"/hangar/packs/{number}/standing", data={"standing": "lent", "lent_to": "a friend"})
    assert "lent to a friend" in client.get("/hangar").text
    client.post(f"/hangar/packs/{number}/standing", data={"standing": "retired"})
    html = client.get("/hangar").text
    assert "“Lime 1” is retired" in html
    assert "lent to a friend" not in html
    client.post(f"/hangar/packs/{number}/standing", data={"standing": "sold twice"})
    assert "Nothing was changed" in client.get("/hangar").text
    assert client.post(f"/hangar/cells/{number}/standing", data={"standing": "own"}).status_code == 404


def test_retired_packs_leave_the_sheets_choice_unless_it_is_theirs(client):
    html = client.get("/sheets/8").text
    own = re.search(r'<option value="(\d+)" selected>Pomelo 1<', html)[1]
    other = re.search(r'<option value="(\d+)" >Pomelo 2<', html)[1]
    for number in (own, other):
        client.post(f"/hangar/packs/{number}/standing", data={"standing": "retired"})
    html = client.get("/sheets/8").text
    assert "Pomelo 1</option>" in html
    assert "Pomelo 2</option>" not in html


def test_five_hundred_packs_come_a_page_at_a_time(client, app):
    from zesty_cell.store.hangar import PACKS

    with app.state.database.session() as session:
        first = PACKS.thing(PACKS.all(session)[0])
        for k in range(500):
            PACKS.add(session, first.model_copy(update={"name": f"Type {k // 5:03d} {k % 5 + 1}"}))
    html = client.get("/hangar").text
    assert "518 packs of 110 types" in html
    assert html.count('class="individuals"') == 24
    assert "More types" in html
    assert html.index("Type 003 1") < html.index("Type 003 2")
    assert "Type 099 5" in client.get("/hangar?first=86").text
    assert "1 pack of 1 type found" in client.get("/hangar?q=type+042+3").text


def test_a_cell_in_use_cannot_be_deleted_and_says_what_uses_it(client):
    number = cell_number(client, "Pip 21-70")
    client.post(f"/hangar/cells/{number}/delete")
    html = client.get("/hangar").text
    assert "Cell “Pip 21-70” is used by “Pomelo 1”, “Pomelo 2”, “Double Pomelo”" in html
    assert "Delete or change those packs first" in html
    spare = cell_number(client, "Pith 26-65")
    client.post(f"/hangar/cells/{spare}/delete")
    assert f'/hangar/cells/{spare}">' not in client.get("/hangar").text
    client.post(f"/hangar/cells/{spare}/undelete")
    assert f'/hangar/cells/{spare}">' in client.get("/hangar").text


def test_a_new_cell_needs_a_form_and_a_size(client):
    form = {
        "name": "Pulp 18-65", "chemistry": "liion_power", "size.form": "round", "size.length_m": "65.1",
        "size.width_m": "18.4", "capacity_ah": "2500",
    }  # fmt: skip
    assert client.post("/hangar/cells/new", data=form).status_code == 303
    assert "Pulp 18-65" in client.get("/hangar").text
    for change, field in (
        ({"size.width_m": "0"}, "size.width_m"),
        ({"size.form": "pouch"}, "size.thickness_m"),
        ({"chemistry": "unobtainium"}, "chemistry"),
        ({"ratings.one_minute_a": "20"}, "ratings.continuous_a"),
    ):
        response = client.post("/hangar/cells/new", data=form | {"name": "Pulp 2"} | change)
        assert response.status_code == 422
        assert error_at(response.text, field)


# Two in parallel


def numbers(client):
    return {name: n for n, name in re.findall(r'/hangar/packs/(\d+)">([^<]+)<', client.get("/hangar").text)}


def test_a_pair_of_one_type_is_shown_first(client):
    html = client.get("/hangar/pair").text
    assert "Do not join" not in html
    assert "% </b>" not in html
    assert "Keep the pair as one pack" in html


def test_pairs_that_must_not_be_are_refused(client):
    n = numbers(client)

    def pair(first, second, **volts):
        query = "&".join(f"{k}={v}" for k, v in volts.items())
        return client.get(f"/hangar/pair?first={n[first]}&second={n[second]}&{query}").text

    assert "different chemistries" in pair("Pomelo 1", "Lime 1")
    assert "6S and 4S" in pair("Lime 1", "Tangelo 1")
    assert "charge both to the same voltage" in pair("Satsuma 1", "Satsuma 2", first_v="4.2", second_v="4.1")
    assert "carries" in pair("Satsuma 1", "Lime 1", first_v="4.2", second_v="4.2")
    assert "is not a number" in error_at(pair("Satsuma 1", "Satsuma 2", first_v="full"), "first_v")
    assert "between 0.5 and 4.5" in error_at(pair("Satsuma 1", "Satsuma 2", second_v="24"), "second_v")
    assert "two different packs" in error_at(pair("Lime 1", "Lime 1"), "second")


def test_an_empty_hangar_has_no_pair(empty_app):
    with TestClient(empty_app, base_url="http://127.0.0.1", client=("127.0.0.1", 50000)) as client:
        assert "Two packs in the hangar are needed" in client.get("/hangar/pair").text
        assert "No pack yet" in client.get("/hangar").text


def test_the_joining_current_is_shown_where_voltages_differ_and_a_pair_is_kept(client):
    ids = numbers(client)
    first, second = ids["Satsuma 1"], ids["Satsuma 2"]
    level = client.get(f"/hangar/pair?first={first}&second={second}&first_v=4.1&second_v=4.1").text
    assert "Current at the moment of joining" not in level
    near = client.get(f"/hangar/pair?first={first}&second={second}&first_v=4.12&second_v=4.1").text
    assert re.search(r"Current at the moment of joining.*?<td>\d+\.\d A", near)
    apart = client.get(f"/hangar/pair?first={first}&second={second}&first_v=4.2&second_v=3.8").text
    assert re.search(r"Joined so, \d\d+ A would flow", apart)
    assert "maker" not in level.split("</form>")[0]
    answer = client.post("/hangar/pair/keep", data={"first": first, "second": second})
    page = client.get(answer.headers["location"]).text
    assert 'value="Satsuma 1 + Satsuma 2"' in page
    assert 'value="2600"' in page


def test_a_harness_of_one_pack_is_refused(client):
    answer = client.post("/hangar/packs/new", data=PACK | {"parallel_harness": "yes", "parallel": "1"})
    assert answer.status_code == 422
    assert "two side by side" in error_at(answer.text, "parallel")


# The label's line on top of the builder


def test_a_label_fills_the_builder_and_the_rest_is_folded(client):
    html = client.get("/hangar/packs/new", params={"label": "Gnarly 6s 1300 120c 214g qz30"}).text
    for value in ('value="Gnarly 6S 1300 LiPo"', 'value="6"', 'value="1300"', 'value="120"', 'value="214"'):
        assert value in html
    assert "“qz30” is left out" in html
    assert '<details class="fold" >' in html
    assert 'id="worked-out"' in html
    assert "Honest, as long as it lasts" in html
    assert '<details class="fold" open>' in client.get("/hangar/packs/new").text
    assert "Nothing in it is a pack’s" in client.get("/hangar/packs/new", params={"label": "hello there"}).text


def test_a_rating_may_be_typed_in_amps_and_a_charge_as_energy():
    by_amps, state = read_pack(PACK | {"label_c": "60 A"})
    assert state.ok
    assert (by_amps.label_c, by_amps.ratings.continuous_a) == (None, 60.0)
    assert read_pack(PACK | {"label_c": "75C"})[0].label_c == 75.0
    assert read_pack(PACK | {"label_c": "75"})[0].label_c == 75.0
    # 4S LiPo of 12.58 Wh: 12.58 / 14.8 V = 0.85 Ah.
    assert read_pack(PACK | {"capacity_ah": "12,58 Wh"})[0].capacity_ah == pytest.approx(0.85)
    assert "is no unit here" in str(read_pack(PACK | {"capacity_ah": "1.2.3 Wh"})[1].errors["capacity_ah"])
