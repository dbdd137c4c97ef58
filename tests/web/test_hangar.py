"""The hangar's forms: add, edit, refuse, protect, undo."""

from __future__ import annotations

import re

import pytest

from tests.web.test_sheets import error_at
from zesty_cell.core.craft import Limits
from zesty_cell.web import hangar_form
from zesty_cell.web.hangar_form import CRAFT_SECTIONS, PACK_SECTIONS, first_texts, read_craft, read_pack

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
        (read_pack, PACK, "ratings.continuous_a", "30", "all three"),
        (read_pack, PACK, "mass_kg", "2", "which no cell holds"),
    ],
)
def test_bad_input_is_said_beside_its_field(reader, form, field, text, words):
    thing, state = reader(form | {field: text})
    assert thing is None
    group = field.partition(".")[0]
    found = state.errors.get(field) or next((v for k, v in state.errors.items() if k.startswith(group)), "")
    assert words in found
    assert state.texts[field] == text


def test_a_refused_form_keeps_what_was_typed(client):
    response = client.post("/hangar/packs/new", data=PACK | {"series": "0", "name": "Kept <b>name</b>"})
    assert response.status_code == 422
    assert error_at(response.text, "series") == "At least 1, please."
    assert 'value="Kept &lt;b&gt;name&lt;/b&gt;"' in response.text
    assert 'value="850"' in response.text


@pytest.mark.parametrize(
    ("path", "reader", "sections"),
    [("/hangar/crafts", read_craft, CRAFT_SECTIONS), ("/hangar/packs", read_pack, PACK_SECTIONS)],
)
@pytest.mark.parametrize("units", ["metric", "imperial"])
def test_every_stored_thing_survives_its_own_form(app, path, reader, sections, units):
    from zesty_cell.store.hangar import CRAFTS, PACKS

    shelf = CRAFTS if path.endswith("crafts") else PACKS
    with app.state.database.session() as session:
        for row in shelf.all(session):
            thing = shelf.thing(row)
            texts = first_texts(sections, thing.model_dump(), units)
            again, state = reader(texts)
            assert state.errors == {}
            if units == "metric":
                assert again == thing
            else:
                mass = "dry_mass_kg" if path.endswith("crafts") else "mass_kg"
                assert getattr(again, mass) == pytest.approx(getattr(thing, mass), rel=2e-3)


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
    form = PACK | {"version": "1", "back": "8"}
    assert client.post(link.partition("?")[0], data=form).headers["location"] == "/sheets/8"
    for nonsense in ("//evil.example", "8/../../x", "²", ""):
        response = client.post("/hangar/packs/new", data=PACK | {"back": nonsense})
        assert response.headers["location"] == "/hangar"


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
    for sections, names in ((CRAFT_SECTIONS, "Craft"), (PACK_SECTIONS, "Pack")):
        paths = [f.path for s in sections for f in s.fields]
        paths += [s.choice.path for s in sections if s.choice]
        tops = {path.partition(".")[0] for path in paths}
        assert set(getattr(hangar_form, names).model_fields) == tops
    limits = {f.path.partition(".")[2] for s in CRAFT_SECTIONS for f in s.fields if f.path.startswith("limits.")}
    assert limits == set(Limits.model_fields)


def test_where_a_weight_comes_from_survives_the_form():
    pack, state = read_pack(PACK | {"mass_kg": "105", "mass_known": "maker"})
    assert state.ok
    assert first_texts(PACK_SECTIONS, pack.model_dump(), "metric")["mass_known"] == "maker"


def test_every_field_of_the_forms_has_a_place_in_the_model():
    for sections, names in ((CRAFT_SECTIONS, "Craft"), (PACK_SECTIONS, "Pack")):
        model = getattr(hangar_form, names)
        for section in sections:
            for item in section.fields:
                assert item.path.partition(".")[0] in model.model_fields
