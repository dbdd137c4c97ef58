"""The sheet page: shows, answers live, saves, says what is wrong at its place, loses nothing."""

from __future__ import annotations

import json
import re

import pytest

NEWEST = "/sheets/8"  # Heron on Pomelo, lighthouse run


def typed(client, path=NEWEST):
    """The form as a browser would send it back."""
    html = client.get(path).text
    form = html.split('id="sheet-form"', 1)[1].split("</form>", 1)[0]
    values = {}
    for tag in re.findall(r"<input[^>]*>", form):
        name = re.search(r'name="([^"]+)"', tag)
        if not name or 'type="file"' in tag:
            continue
        if 'type="checkbox"' in tag and "checked" not in tag:
            continue
        value = re.search(r'value="([^"]*)"', tag)
        values[name[1]] = value[1] if value else "on"
    for select in re.findall(r"<select.*?</select>", form, re.DOTALL):
        name = re.search(r'name="([^"]+)"', select)[1]
        values[name] = re.search(r'value="([^"]+)" selected', select)[1]
    return values


def error_at(html, path):
    found = re.search(rf'id="error-{re.escape(path.replace(".", "-"))}"[^>]*>([^<]*)<', html)
    return found[1] if found else None


def answer(html):
    return re.search(r'class="big">([\d:]+)<', html)[1]


def test_the_newest_sheet_is_the_home_page(client):
    response = client.get("/")
    assert response.status_code == 303
    assert response.headers["location"] == NEWEST


def test_the_page_answers_the_question(client):
    html = client.get(NEWEST).text
    assert "Be on the ground at" in html
    assert re.match(r"1[678]:\d\d", answer(html))
    for words in ("9 flights in 10", ">held</button>", "Land now, held", "Timer, throttle up"):
        assert words in html


def test_a_change_is_answered_without_being_stored(client):
    form = typed(client)
    before = answer(client.get(NEWEST).text)
    html = client.post(NEWEST, data=form | {"conditions.air_c": "-10"}).text
    assert answer(html) != before
    assert "not saved yet" in html
    assert answer(client.get(NEWEST).text) == before


def test_saving_stores_and_a_second_tab_loses_nothing(client):
    form = typed(client)
    saved = client.post(NEWEST, data=form | {"conditions.air_c": "5", "name": "First tab", "action": "save"})
    assert saved.status_code == 303
    assert typed(client)["name"] == "First tab"
    second = client.post(NEWEST, data=form | {"name": "Second tab", "conditions.air_c": "30", "action": "save"})
    assert second.status_code == 409
    assert "saved from another tab" in second.text
    assert 'value="Second tab"' in second.text
    assert 'value="30"' in second.text
    assert typed(client)["name"] == "First tab"
    copied = client.post(f"{NEWEST}/copy", data=form | {"name": "Second tab", "conditions.air_c": "30"})
    assert typed(client, copied.headers["location"])["conditions.air_c"] == "30"


@pytest.mark.parametrize(
    ("field", "text", "words"),
    [
        ("conditions.air_c", "-60", "At least -30 °C"),
        ("conditions.air_c", "warm", "is not a number"),
        ("conditions.air_c", "NaN", "is not a number"),
        ("conditions.air_c", "1e400", "is not a number"),
        ("conditions.air_c", "", "This is needed"),
        ("conditions.altitude_m", "99999", "At most 6000 m"),
        ("conditions.start_charge", "0", "At least 30 %"),
        ("landing.charge_kept", "-5", "At least 0 %"),
        ("landing.home_s", "1:99", "is not a time"),
        ("landing.headwind_m_s", "60", "does not get home"),
        ("name", "", "This is needed"),
        ("name", "x" * 10_000, "At most 80 characters"),
        ("craft_id", "999", "Choose a craft"),
        ("pack_id", "zero", "is not a number"),
        ("pattern", "sideways", "Choose a flying pattern"),
    ],
)
def test_bad_input_is_said_beside_its_field_and_kept(client, field, text, words):
    form = typed(client) | {field: text}
    looked = client.post(NEWEST, data=form)
    assert looked.status_code == 200
    assert words in error_at(looked.text, field)
    if field in ("conditions.air_c", "conditions.altitude_m", "landing.home_s"):
        assert f'value="{text}"' in looked.text
    saved = client.post(NEWEST, data=form | {"action": "save"})
    assert saved.status_code == 422
    assert words in error_at(saved.text, field)
    assert typed(client)["name"] == "Heron on Pomelo, lighthouse run"


def test_no_landing_rule_at_all_is_refused_in_words(client):
    form = typed(client)
    del form["school.charge"]
    assert "at least one landing rule" in error_at(client.post(NEWEST, data=form).text, "landing")


@pytest.mark.parametrize(
    ("school", "fields"),
    [
        ("rest", {"landing.rest_v": "3.5"}),
        ("loaded", {"landing.loaded_v": "3.1", "landing.loaded_hold_s": "2"}),
        ("timer", {"landing.timer_s": "7:30"}),
    ],
)
def test_every_school_can_land_alone(client, school, fields):
    form = typed(client)
    del form["school.charge"]
    html = client.post(NEWEST, data=form | {f"school.{school}": "on"} | fields).text
    words = {"rest": "by rest voltage", "loaded": "by loaded voltage", "timer": "by your timer"}[school]
    assert f"You land {words}" in html
    if school == "timer":
        assert answer(html) == "7:30"


def test_a_pack_that_cannot_lift_itself_gets_no_time(client):
    document = json.loads(client.get(f"{NEWEST}/export").content)
    document["pack"]["mass_kg"] = 5.0
    document["pack"]["name"] = "Anvil"
    made = client.post("/sheets/import", files={"file": ("s.json", json.dumps(document))}).headers["location"]
    html = client.get(made).text
    assert "This does not fly" in html
    assert "Be on the ground at" not in html


def test_a_sheet_brought_in_is_unchanged_by_its_own_form(client):
    document = json.loads(client.get(f"{NEWEST}/export").content)
    document["landing"] |= {"loaded_hold_s": 1.5, "pack_low_lead_s": 75, "headwind_m_s": 2.0}
    document["conditions"] |= {"altitude_m": 431.5, "pack_c": 21.5, "start_charge": 0.95}
    document["flying"]["name"] = "An own way"
    made = client.post("/sheets/import", files={"file": ("s.json", json.dumps(document))}).headers["location"]
    before = client.get(f"{made}/export").content
    assert "not saved yet" not in client.post(made, data=typed(client, made)).text
    assert client.post(made, data=typed(client, made) | {"action": "save"}).status_code == 303
    assert client.get(f"{made}/export").content == before


def test_a_loaded_voltage_above_the_fresh_pack_is_said_at_its_field(client):
    form = typed(client) | {"school.loaded": "on", "landing.loaded_v": "4.19"}
    assert "is at once" in error_at(client.post(NEWEST, data=form).text, "landing.loaded_v")


@pytest.mark.parametrize(("volts", "words"), [("2.49", "is spoilt"), ("4.21", "over a full cell"), ("2.5", None)])
def test_a_landing_voltage_that_no_cell_of_it_has_is_refused_at_its_field(client, volts, words):
    form = typed(client) | {"school.loaded": "on", "landing.loaded_v": volts, "action": "save"}
    answer = client.post(NEWEST, data=form)
    assert answer.status_code == (422 if words else 303)
    if words:
        assert words in error_at(answer.text, "landing.loaded_v")
        assert f'value="{volts}"' in answer.text


def test_a_file_with_what_cannot_be_is_refused_and_what_hardly_can_is_said(client):
    document = json.loads(client.get(f"{NEWEST}/export").content)
    document["pack"] |= {"name": "Feather", "mass_kg": 0.1}
    answer = client.post("/sheets/import", files={"file": ("s.json", json.dumps(document))})
    assert answer.status_code == 422
    assert "pack.mass_kg" in answer.text
    assert "Feather" not in client.get("/hangar").text
    document["pack"]["mass_kg"] = 0.2
    made = client.post("/sheets/import", files={"file": ("s.json", json.dumps(document))})
    assert made.status_code == 303
    assert "Unlikely in it: 4\u2009200 mAh, 6S, in 200 g" in client.get(made.headers["location"]).text


def test_decimal_commas_and_thin_spaces_are_numbers(client):
    form = typed(client)
    comma = client.post(NEWEST, data=form | {"conditions.air_c": "12,5", "conditions.altitude_m": "1 200"}).text
    assert error_at(comma, "conditions.air_c") == ""
    assert answer(comma)


def test_html_in_a_name_is_text(client):
    form = typed(client) | {"name": "<script>alert(1)</script>", "action": "save"}
    assert client.post(NEWEST, data=form).status_code == 303
    for page in (NEWEST, "/sheets", f"{NEWEST}/card", "/find?q=script"):
        html = client.get(page).text
        assert "<script>alert" not in html
        assert "&lt;script&gt;alert" in html


def test_units_and_volts_are_remembered_and_convert(client):
    form = typed(client)
    client.post("/view", data={"name": "units", "value": "imperial"})
    client.post("/view", data={"name": "volts", "value": "pack"})
    html = client.get(NEWEST).text
    assert typed(client)["conditions.air_c"] == "53.6"
    assert "oz" in html
    assert "Voltage of the pack" in html
    # The same sheet typed back in imperial is the same sheet: nothing has changed.
    assert "not saved yet" not in client.post(NEWEST, data=typed(client)).text
    # What was typed in the old units and not yet saved is shown in the new ones.
    unsaved = client.post(NEWEST, data=form | {"conditions.air_c": "20"}).text
    assert re.search(r'name="conditions.air_c"[^>]*\s+[^>]*value="68"', unsaved)
    assert 'name="units" value="imperial"' in unsaved


def test_nonsense_for_the_view_changes_nothing(client):
    client.post("/view", data={"name": "units", "value": "furlongs"})
    client.post("/view", data={"name": "colour", "value": "red"})
    client.cookies.set("zesty_cell_view", "units-x.volts-../..theme")
    assert "per cell · g · cm · °C" in client.get(NEWEST).text


def test_weights_lengths_and_temperatures_are_chosen_apart(client):
    client.post("/view", data={"name": "lengths", "value": "imperial"})
    html = client.get(NEWEST).text
    assert "per cell · g · in · °C" in html
    assert typed(client)["conditions.air_c"] == "12"
    assert re.search(r"ready to fly <b>[\d\u2009]+ g</b>", html)
    craft = client.get("/hangar/crafts/1").text
    assert 'name="units" value="mim"' in craft
    assert re.search(r'id="cruise_speed_m_s"[^>]*\s+[^>]*value="31.317"', craft)  # 14 m/s in mph
    # A form in mixed units changes nothing by itself, and a field takes what it shows.
    assert "not saved yet" not in client.post(NEWEST, data=typed(client)).text
    client.post("/view", data={"name": "temperature", "value": "imperial"})
    assert typed(client)["conditions.air_c"] == "53.6"
    for family in ("weights", "lengths"):
        client.post("/view", data={"name": family, "value": "imperial" if family == "weights" else "metric"})
    assert "per cell · oz · cm · °F" in client.get(NEWEST).text
    client.post("/view", data={"name": "weights", "value": "metric"})
    client.post("/view", data={"name": "temperature", "value": "metric"})
    assert 'name="units" value="metric"' in client.get(NEWEST).text


def test_copying_what_does_not_make_sense_loses_nothing(client):
    form = typed(client) | {"conditions.air_c": "hot", "name": "Half typed"}
    response = client.post(f"{NEWEST}/copy", data=form)
    assert response.status_code == 422
    assert 'value="Half typed"' in response.text
    assert "is not a number" in error_at(response.text, "conditions.air_c")


@pytest.mark.parametrize("version", ["²", "", "-1", "9" * 40, "one"])
def test_a_mangled_version_is_a_conflict_and_not_a_crash(client, version):
    response = client.post(NEWEST, data=typed(client) | {"version": version, "action": "save"})
    assert response.status_code == 409


def test_a_database_that_is_locked_keeps_what_is_typed(client, app):
    import sqlite3

    form = typed(client) | {"name": "While locked", "action": "save"}
    with app.state.database.engine.connect() as connection:
        connection.exec_driver_sql("PRAGMA busy_timeout=50")
    blocker = sqlite3.connect(app.state.database.path)
    blocker.execute("BEGIN IMMEDIATE")
    try:
        response = client.post(NEWEST, data=form)
    finally:
        blocker.rollback()
        blocker.close()
    assert response.status_code == 503
    assert 'value="While locked"' in response.text
    assert client.post(NEWEST, data=form).status_code == 303


def test_new_rename_duplicate_delete_and_undo(client):
    made = client.post(f"{NEWEST}/copy").headers["location"]
    form = typed(client, made) | {"name": "Dyke at dusk", "action": "save"}
    client.post(made, data=form)
    copy = client.post(f"{made}/copy").headers["location"]
    assert typed(client, copy)["name"] == "Dyke at dusk, copy"
    again = client.post(f"{made}/copy").headers["location"]
    assert typed(client, again)["name"] == "Dyke at dusk, copy 2"
    client.post(f"{made}/delete")
    listed = client.get("/sheets").text
    assert "“Dyke at dusk” is deleted" in listed
    assert f'action="{made}/undelete"' in listed
    assert client.get(made).status_code == 404
    client.post(f"{made}/undelete")
    assert typed(client, made)["name"] == "Dyke at dusk"


def test_export_and_import_give_the_same_sheet(client):
    exported = client.get(f"{NEWEST}/export")
    assert exported.headers["content-type"] == "application/json"
    assert 'filename="Heron-on-Pomelo' in exported.headers["content-disposition"]
    loaded = client.post("/sheets/import", files={"file": ("sheet.json", exported.content)})
    assert loaded.status_code == 303
    assert client.get(f"{loaded.headers['location']}/export").content == exported.content


def test_a_changed_craft_in_a_file_joins_the_hangar(client):
    document = json.loads(client.get(f"{NEWEST}/export").content)
    document["craft"]["dry_mass_kg"] = 0.7
    client.post("/sheets/import", files={"file": ("s.json", json.dumps(document))})
    hangar = client.get("/hangar").text
    assert hangar.count(">Heron</a>") == 1
    assert len(re.findall(r">Heron[^<]+</a>", hangar)) == 1  # told apart by its name


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (b"{broken", "Line 1, column 2"),
        (b'{"format": "another"}', "not a Zesty Cell sheet"),
        (b"\xff\xfe\x00", "not text in UTF-8"),
        (b"[" * 100_000, "nested too deeply"),
        (b'{"format": "zesty-cell sheet", "version": 99}', "format version 99"),
        (b'{"format": "zesty-cell sheet", "version": 1, "name": NaN}', "NaN"),
        (b'{"format": "zesty-cell sheet", "version": 1}', "craft"),
        (b" " * 300_000, "a sheet has a few thousand"),
    ],
)
def test_files_that_are_no_sheet_change_nothing(client, content, words):
    before = client.get("/api/sheets").json()
    response = client.post("/sheets/import", files={"file": ("x.json", content)})
    assert response.status_code == 422
    assert words in response.text
    assert client.get("/api/sheets").json() == before


def test_the_card_carries_what_to_set_and_the_cautions(client):
    html = client.get(f"{NEWEST}/card").text
    for words in ("Pack low", "Land now", "under it for", "Propellers off", "does not burn", "local rules"):
        assert words in html


def test_the_card_has_the_steps_on_its_second_side(client):
    html = client.get(f"{NEWEST}/card").text
    for words in ("Set it step by step", "telemetry is missing for 3 s", "Take the propellers off", "telelost"):
        assert words in html
    assert "Set it step by step" not in client.get(f"{NEWEST}/card?sides=1").text


def test_a_missing_sheet_and_a_wrong_address_get_a_page(client):
    for path in ("/sheets/999", "/nowhere", "/hangar/boats/1", "/sheets/abc"):
        response = client.get(path)
        assert 404 <= response.status_code <= 422
        assert "<h1>" in response.text


def test_find_finds_by_parts_of_a_name(client):
    html = client.get("/find", params={"q": "pomelo light"}).text
    assert "lighthouse run" in html
    assert "Nothing is called that" in client.get("/find", params={"q": "zeppelin"}).text


def test_an_empty_hangar_says_what_to_do_first(empty_app):
    from starlette.testclient import TestClient

    with TestClient(
        empty_app, base_url="http://127.0.0.1", client=("127.0.0.1", 50000), follow_redirects=False
    ) as client:
        assert client.get("/").headers["location"] == "/start"
        assert "Start with three answers" in client.get("/sheets").text
