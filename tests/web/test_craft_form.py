"""A craft's form as a proposal, and motors and propellers matched before they are bought."""

from __future__ import annotations

import re
from urllib.parse import parse_qs, urlsplit

import pytest

from tests.web.test_hangar import CRAFT
from tests.web.test_sheets import error_at
from zesty_cell.core.asked.changes import CHANGES
from zesty_cell.core.parts.starting import KINDS
from zesty_cell.store import sheets
from zesty_cell.store.hangar import CRAFTS, PACKS
from zesty_cell.web.hangar.craft_form import become, proposed, proposed_texts, read_craft, reasons
from zesty_cell.words.say import say


def _form(like: str, **typed: str) -> dict[str, str]:
    return {**proposed_texts(like, "metric"), "name": "Dunlin", **typed}


@pytest.mark.parametrize("like", KINDS)
def test_what_is_proposed_for_a_kind_can_be_kept_as_it_is(client, like):
    """Nineteen figures that nobody has to know: with a name alone it is a craft, as wide as it is assumed."""
    craft, state = read_craft(_form(like))
    assert state.ok, state.errors
    usual = proposed(like)
    assert craft.assumed == usual.assumed
    assert craft.kind == usual.kind
    assert client.post("/hangar/crafts/new", data=_form(like)).status_code == 303


def test_every_proposal_says_why_and_how_wide(client):
    html = client.get("/hangar/crafts/new?like=freestyle").text
    for path, words in reasons(proposed("freestyle"), new=True).items():
        place = html.split(f'name="{path}"', 1)[1].split("</div>", 1)[0]
        assert say(words) in place, path
    assert set(reasons(proposed("freestyle"), new=True)) >= {
        "dry_mass_kg", "avionics_w", "steady.rotor.rotor_diameter_m", "full_throttle.estimated.power_over_steady",
    }  # fmt: skip
    assert "±15 %" in say(reasons(proposed("freestyle"), new=True)["dry_mass_kg"])
    assert "±28 %" in say(reasons(proposed("freestyle"), new=True)["full_throttle.estimated.power_over_steady"])
    # An estimate is what is chosen; a measurement takes its place.
    assert re.search(r'value="rotor" checked', html)
    assert re.search(r'value="estimated" checked', html)


def test_a_figure_that_was_typed_is_known_and_the_others_stay_assumed():
    craft, _ = read_craft(_form("plane", dry_mass_kg="812"))
    assert craft.assumed.weight == 0.0
    assert craft.assumed.electronics == proposed("plane").assumed.electronics > 0
    measured = _form("plane") | {
        "steady.source": "measured", "steady.measured.current_a": "5.1", "steady.measured.voltage_v": "10.9",
        "steady.measured.all_up_mass_kg": "1100",
    }  # fmt: skip
    craft, _ = read_craft(measured)
    assert craft.steady.source == "measured"
    assert craft.assumed.size == 0.0


def test_another_silhouette_changes_what_nobody_typed(client):
    form = _form("freestyle", dry_mass_kg="500") | {"become": "plane"}
    html = client.post("/hangar/crafts/new", data=form).text
    assert 'name="dry_mass_kg" aria-describedby="error-dry_mass_kg"' in html
    texts = become(form, "plane", "metric")
    assert texts["dry_mass_kg"] == "500"  # typed
    assert texts["name"] == "Dunlin"
    assert texts["kind"] == "wing"
    assert texts["steady.source"] == "wing"
    assert texts["avionics_w"] == proposed_texts("plane", "metric")["avionics_w"]
    assert client.post("/hangar/crafts/new", data=form | {"become": "spaceship"}).status_code == 200


@pytest.mark.parametrize(("typed", "amps"), [("96 W", 6.0), ("0.096kW", 6.0), ("96watts", 6.0), ("6.0", 6.0)])
def test_power_in_watts_is_a_current_by_the_voltage_beside_it(typed, amps):
    craft, state = read_craft(CRAFT | {"steady.measured.current_a": typed, "steady.measured.voltage_v": "16"})
    assert state.ok, state.errors
    assert craft.steady.current_a == pytest.approx(amps)
    assert state.texts["steady.measured.current_a"] == typed


def test_full_throttle_takes_watts_and_thrust_in_grams():
    full = {
        "full_throttle.measured.current_a": "870 W", "full_throttle.measured.voltage_v": "14.5",
        "full_throttle.measured.thrust_kg": "2100",
    }  # fmt: skip
    craft, _ = read_craft(CRAFT | full)
    assert craft.full_throttle.current_a == pytest.approx(60.0)
    assert craft.full_throttle.thrust_kg == pytest.approx(2.1)


def test_watts_without_volts_are_refused_at_their_place(client):
    html = client.post(
        "/hangar/crafts/new", data=CRAFT | {"steady.measured.current_a": "96 W", "steady.measured.voltage_v": "x"}
    ).text
    assert "give both as plain numbers" in error_at(html, "steady.measured.current_a")
    assert 'value="96 W"' in html


def test_head_speed_and_watt_limit_are_kept(client, app):
    form = _form("helicopter") | {
        "steady.rotor.efficiency": "",
        "steady.rotor.head_speed": "low",
        "limits.motor_w": "1800",
    }
    assert client.post("/hangar/crafts/new", data=form).status_code == 303
    with app.state.database.session() as session:
        craft = next(CRAFTS.thing(r) for r in CRAFTS.all(session) if r.name == "Dunlin")
    assert craft.steady.head_speed == "low"
    assert craft.limits.all_motors_w() == 1800.0


_PARTS = {
    "propulsion.motor_count": "4", "propulsion.kv_rpm_v": "1900", "propulsion.diameter_m": '5.1"',
    "propulsion.pitch_m": "4.3 in", "propulsion.blades": "3",
}  # fmt: skip


def test_a_craft_of_parts_alone():
    chosen = {"steady.source": "parts", "full_throttle.source": "parts", "full_throttle.parts.voltage_v": "21.6"}
    craft, state = read_craft(_form("freestyle") | _PARTS | chosen)
    assert state.ok, state.errors
    assert craft.propulsion.diameter_m == pytest.approx(0.12954)
    assert craft.steady.source == craft.full_throttle.source == "parts"
    # Motors are counted once: the limits say how many.
    craft, _ = read_craft(
        _form("freestyle") | _PARTS | chosen | {"propulsion.motor_count": "", "limits.motor_count": "4"}
    )
    assert craft.propulsion.motor_count == 4


@pytest.mark.parametrize(
    ("wrong", "place", "words"),
    [
        ({"propulsion.kv_rpm_v": ""}, "propulsion.kv_rpm_v", "This is needed."),
        ({"propulsion.kv_rpm_v": "fast"}, "propulsion.kv_rpm_v", "is not a number"),
        ({"propulsion.kv_rpm_v": "1"}, "propulsion.kv_rpm_v", "At least 20 rpm/V"),
        ({"propulsion.blades": "2.5"}, "propulsion.blades", "whole number"),
        (dict.fromkeys(_PARTS, ""), "steady.source", "motors and propellers"),
    ],
)
def test_parts_that_say_too_little(wrong, place, words):
    chosen = {"steady.source": "parts", "full_throttle.source": "parts", "full_throttle.parts.voltage_v": "21.6"}
    craft, state = read_craft(_form("freestyle") | _PARTS | chosen | wrong)
    assert craft is None
    said = {k: v if isinstance(v, str) else say(v) for k, v in state.errors.items()}
    assert words in said.get(place, "") or words in said.get("", ""), said


# Matching


def test_the_matching_page_begins_with_an_answer(client):
    html = client.get("/hangar/parts").text
    assert "Begin with <b>6S</b>" in html
    assert "Propellers off" in html


def test_parts_are_matched_and_become_a_craft(client):
    asked = _PARTS | {"ready_kg": "650", "carried_by": "multirotor", "chemistry": "lipo"}
    html = client.get("/hangar/parts", params=asked | {"limits.motor_a": "40"}).text
    assert "Begin with <b>5S</b>" in html
    assert "of the 40 A it may" in html
    link = re.search(r'href="(/hangar/crafts/new\?[^"]+)"', html)[1].replace("&amp;", "&")
    query = parse_qs(urlsplit(link).query)
    assert query["like"] == ["freestyle"]
    assert query["full_throttle.parts.voltage_v"] == ["18.0"]
    form = client.get(link).text
    assert re.search(r'name="steady.source" value="parts" checked', form)
    assert re.search(r'name="full_throttle.source" value="parts" checked', form)
    assert 'value="5.1&#34;"' in form


def test_a_plane_is_matched_by_its_pitch_speed(client):
    asked = {
        "propulsion.motor_count": "1", "propulsion.kv_rpm_v": "1000", "propulsion.diameter_m": "25.4",
        "propulsion.pitch_m": "17.8", "ready_kg": "1800", "carried_by": "wing", "chemistry": "lipo",
    }  # fmt: skip
    html = client.get("/hangar/parts", params=asked).text
    assert "Pitch speed" in html
    assert "like=plane" in html


@pytest.mark.parametrize(
    ("wrong", "place"),
    [
        ({"ready_kg": "heavy"}, "ready_kg"),
        ({"ready_kg": "0.1"}, "ready_kg"),
        ({"chemistry": "coal"}, "chemistry"),
        ({"propulsion.diameter_m": "0"}, "propulsion.diameter_m"),
        ({"limits.motor_a": "-1"}, "limits.motor_a"),
        ({"propulsion.kv_rpm_v": "9" * 300}, "propulsion.kv_rpm_v"),
    ],
)
def test_what_cannot_be_matched_is_told_at_its_place(client, wrong, place):
    asked = _PARTS | {"ready_kg": "650", "carried_by": "multirotor", "chemistry": "lipo"}
    got = client.get("/hangar/parts", params=asked | wrong)
    assert got.status_code == 200
    assert error_at(got.text, place)
    assert "Mend the marked fields" in got.text


def test_parts_that_move_nothing_say_so(client):
    asked = _PARTS | {"ready_kg": "90 kg", "carried_by": "multirotor", "chemistry": "lipo"}
    assert "do not move this craft" in client.get("/hangar/parts", params=asked).text


def test_a_craft_of_parts_is_read_by_every_page(client, app):
    chosen = {"steady.source": "parts", "full_throttle.source": "parts", "full_throttle.parts.voltage_v": "21.6"}
    assert client.post("/hangar/crafts/new", data=_form("freestyle") | _PARTS | chosen).status_code == 303
    with app.state.database.session() as session:
        craft = next(r.id for r in CRAFTS.all(session) if r.name == "Dunlin")
        pack = next(r.id for r in PACKS.all(session) if r.name == "Satsuma 1")
    assert client.post("/field/sheet", data={"craft": str(craft), "pack": str(pack)}).status_code == 303
    with app.state.database.session() as session:
        sheet = next(r.id for r in sheets.all_sheets(session) if r.craft_id == craft)
    for path in (
        "/hangar", f"/hangar/crafts/{craft}", f"/hangar/crafts/{craft}/propellers",
        f"/hangar/crafts/{craft}/propellers/set", "/sheets", f"/sheets/{sheet}", f"/sheets/{sheet}/surer",
        f"/sheets/{sheet}/card", f"/sheets/{sheet}/taught", f"/choose/{sheet}", f"/choose/{sheet}/buys",
        f"/choose/{sheet}/crafts", f"/callouts/{sheet}", f"/field?craft={craft}&pack={pack}",
        f"/calibrate?craft={craft}", "/find?q=dunlin", f"/api/crafts/{craft}", f"/api/sheets/{sheet}/forecast",
    ):  # fmt: skip
        assert client.get(path).status_code == 200, path
    assert "its motors and propellers" in client.get("/hangar").text
    assert "from its motors and propellers" in client.get(f"/sheets/{sheet}").text
    # Asked from Start, and tried with every change that buys minutes.
    assert client.post("/start", data={"units": "metric", "craft_id": str(craft)}).status_code == 200
    for key in CHANGES:
        assert client.get(f"/sheets/{sheet}?try={key}").status_code == 200, key
    document = client.get(f"/sheets/{sheet}/export").text
    assert '"source": "parts"' in document
