"""Discharge runs on the pages: brought in, their columns confirmed, laid over one another, a pack's own curve."""

from __future__ import annotations

import re
from datetime import UTC, datetime

import pytest
from sqlalchemy import text

from tests.core.discharge.test_discharge import a_curve
from zesty_cell.core.answer.forecast import forecast
from zesty_cell.core.discharge.note import RunNote
from zesty_cell.formats.curve_json import write_curve_json
from zesty_cell.services import discharges as service
from zesty_cell.standins.discharger import Discharger, HiddenPack, Setting
from zesty_cell.store import discharges, sheets
from zesty_cell.store.hangar import PACKS

ADDRESS = "/tests/discharges"


def pack_row(app, name="Tangelo 1"):
    with app.state.database.session() as session:
        row = next(r for r in PACKS.all(session) if r.name == name)
        return row.id, PACKS.thing(row)


def recorded(pack, *, amps=2.0, cutoff_v=13.2, every_s=20.0) -> bytes:
    return Discharger(seed=3).csv(HiddenPack(pack, seed=9), Setting(amps=amps, cutoff_v=cutoff_v, every_s=every_s))


def bring(client, app, data=None, name="Tangelo 1", **form):
    pack_id, pack = pack_row(app, name)
    data = recorded(pack) if data is None else data
    posted = {"pack": str(pack_id), "part": "whole", "units": "metric", "air_c": "20"} | form
    return client.post(f"{ADDRESS}/new", data=posted, files={"file": ("bench.csv", data, "text/csv")})


def columns_of(client, address) -> dict[str, str]:
    """The form of the columns as the page has it."""
    page = client.get(address).text
    form = {"units": "metric", "part": "whole"}
    for name, options in re.findall(r'<select name="([a-z0-9_.]+)"[^>]*>(.*?)</select>', page):
        chosen = re.search(r'value="([^"]*)" selected', options)
        form[name] = chosen[1] if chosen else ""
    for key, value in re.findall(r'<input type="hidden" name="([a-z0-9_]+\.unit)" value="([^"]*)"', page):
        form[key] = value
    return form


def test_an_empty_drawer_says_what_to_bring(client, empty_app):
    page = client.get(ADDRESS).text
    assert "No run yet" in page
    assert "does not burn" in page
    assert client.get(f"{ADDRESS}/new").status_code == 200


def test_a_file_is_brought_in_looked_at_and_put_into_the_drawer(client, app):
    answer = bring(client, app, cycle="7")
    assert answer.status_code == 303, answer.text
    address = answer.headers["location"]
    page = client.get(address).text
    assert "Cell 4" in page
    assert "1 2" in page or "mAh in all" in page
    assert 'name="cycle"' in page
    assert "bench.csv" in client.get(ADDRESS).text  # it waits for a look
    taken = client.post(
        address, data=columns_of(client, address) | {"action": "confirm", "cycle": "7", "air_c": "21"}
    )
    assert taken.status_code == 303, taken.text
    shown = client.get(taken.headers["location"]).text
    assert "cycle 7" in shown
    assert "of label" in shown
    with app.state.database.session() as session:
        [row] = discharges.all_runs(session)
        assert discharges.note_of(row).air_c == 21.0
        assert discharges.told_of(row).cells == 4


@pytest.mark.parametrize(
    ("form", "data", "words"),
    [
        ({"pack": ""}, None, "Which pack was it?"),
        ({"air_c": "warm"}, None, "warm"),
        ({"air_c": "200"}, None, "60"),
        ({"cycle": "-2"}, None, "1"),
        ({}, b"", "empty"),
        ({}, b"\x00\x01\x02", "NUL"),
        ({}, b"no table at all", "Only one column"),
    ],
)
def test_what_is_wrong_is_said_beside_it_and_what_was_typed_stays(client, app, form, data, words):
    answer = bring(client, app, data=data, **form)
    assert answer.status_code == 422
    assert words in answer.text
    for value in form.values():
        assert not value or f'value="{value}"' in answer.text
    with app.state.database.session() as session:
        assert discharges.waiting(session) == []


def test_a_long_recording_is_taken(client, app):
    lines = ["time,voltage,current,note"]
    lines += [f"{0.1 * k:.1f},{16.8 - 3.5 * k / 60_000:.4f},2.00,{'x' * 20}" for k in range(60_000)]
    data = "\n".join(lines).encode()
    assert len(data) > 2_000_000
    assert bring(client, app, data=data).status_code == 303


def test_no_file_is_asked_for(client, app):
    pack_id, _ = pack_row(app)
    answer = client.post(f"{ADDRESS}/new", data={"pack": str(pack_id)})
    assert answer.status_code == 422
    assert "Choose the file" in answer.text


def test_another_packs_recording_is_not_put_into_the_drawer(client, app):
    _, six = pack_row(app, "Satsuma 1")
    address = bring(client, app, data=recorded(six, cutoff_v=19.8)).headers["location"]
    refused = client.post(address, data=columns_of(client, address) | {"action": "confirm"})
    assert refused.status_code == 422
    assert "cannot be Tangelo 1" in refused.text
    looked = client.post(address, data=columns_of(client, address) | {"action": "look"})
    assert looked.status_code == 200


def test_a_wrong_column_is_refused_at_its_place_and_the_choice_stays(client, app):
    address = bring(client, app).headers["location"]
    form = columns_of(client, address)
    wrong = form | {"action": "confirm", "pack_v.column": form["temperature_c.column"], "temperature_c.column": ""}
    refused = client.post(address, data=wrong)
    assert refused.status_code == 422
    assert columns_of_text(refused.text)["pack_v.column"] == form["temperature_c.column"]
    none = client.post(address, data=form | {"action": "confirm", "time_s.column": ""})
    assert "which column is the time" in none.text
    assert client.post(address, data=form | {"pack_v.column": "999"}).status_code == 200
    nonsense = client.post(address, data=form | {"held_a": "much", "action": "confirm"})
    assert nonsense.status_code == 422
    assert 'value="much"' in nonsense.text
    without = client.post(address, data=form | {"held_a": "much", "temperature_c.column": "", "action": "confirm"})
    assert columns_of_text(without.text)["temperature_c.column"] == ""  # what was chosen stays beside it


def columns_of_text(page) -> dict[str, str]:
    found = {}
    for name, options in re.findall(r'<select name="([a-z0-9_.]+)"[^>]*>(.*?)</select>', page):
        chosen = re.search(r'value="([^"]*)" selected', options)
        found[name] = chosen[1] if chosen else ""
    return found


def test_the_same_source_is_known_the_next_time(client, app):
    address = bring(client, app).headers["location"]
    form = columns_of(client, address) | {"temperature_c.column": ""}
    assert client.post(address, data=form | {"action": "confirm"}).status_code == 303
    again = bring(client, app).headers["location"]
    assert columns_of(client, again)["temperature_c.column"] == ""


@pytest.mark.usefixtures("drawer")
@pytest.mark.parametrize("axis", ["charge", "energy", "share", "time", "nonsense"])
def test_curves_lie_over_one_another_on_any_axis(client, axis):
    page = client.get(ADDRESS, params={"run": [1, 2, 3, 4], "against": axis, "cutoff": "3.5"}).text
    assert page.count('class="run run-') >= 4
    assert "To 3.50 V a cell" in page
    assert page.count('<td class="num"><b>') == 4


@pytest.mark.usefixtures("drawer")
@pytest.mark.parametrize("cutoff", ["", "x", "-3", "99", "nan", "3,42"])
def test_any_cutoff_is_answered(client, cutoff):
    answer = client.get(ADDRESS, params={"run": ["1", "2"], "cutoff": cutoff})
    assert answer.status_code == 200
    assert ("3.42 V" if cutoff == "3,42" else "To 3.35 V") in answer.text


@pytest.mark.usefixtures("drawer")
def test_a_dozen_are_drawn_and_numbers_that_are_none_are_passed_over(client):
    page = client.get(ADDRESS, params={"run": [*map(str, range(1, 15)), "x", "99999999", "1"]}).text
    assert "The first 12 of those chosen" in page
    assert page.count('<th scope="row"><svg') == 12


@pytest.mark.usefixtures("drawer")
def test_cycles_and_halves_are_told(client):
    page = client.get(ADDRESS, params={"run": [10, 11, 12, 13, 14], "cutoff": "3.4"}).text
    assert "cycle 4 gives +" in page
    assert "second half gives" in page


def test_a_run_that_never_came_to_the_cutoff_says_so(client, app):
    address = bring(client, app).headers["location"]
    place = client.post(address, data=columns_of(client, address) | {"action": "confirm"}).headers["location"]
    assert "above it" in client.get(place + "&cutoff=3.00").text


@pytest.mark.usefixtures("drawer")
def test_a_run_is_deleted_and_brought_back(client):
    assert client.post(f"{ADDRESS}/1/delete").status_code == 303
    assert 'value="1"' not in client.get(ADDRESS).text
    assert client.post(f"{ADDRESS}/1/restore").status_code == 303
    assert re.search(r'name="run" value="1"', client.get(ADDRESS).text)
    assert client.post(f"{ADDRESS}/999/delete").status_code == 404


@pytest.mark.usefixtures("drawer")
def test_what_the_runs_say_together_gives_the_packs_sheets_its_curve(client, app):
    pack_id, before = pack_row(app)
    address = f"{ADDRESS}/pack/{pack_id}"
    page = client.get(address).text
    assert "Fly its sheets on this curve" in page
    assert "Rate against rate" in page
    with app.state.database.session() as session:
        sheet_id = next((r.id for r in sheets.all_sheets(session) if r.pack_id == pack_id), None)
    version = re.search(r'name="version" value="(\d+)"', page)[1]
    used = client.post(f"{address}/curve", data={"action": "use", "version": version})
    assert used.status_code == 303
    _, after = pack_row(app)
    assert after.curve.runs == 4
    assert after.curve.capacity_ah.value < before.capacity_ah
    assert "is flown on its own curve" in client.get(address).text
    if sheet_id is not None:
        with app.state.database.session() as session:
            sheet = sheets.as_sheet(sheets.fetch(session, sheet_id))
        plain = sheet.model_copy(update={"pack": before})
        assert forecast(sheet).flight.landing_s != forecast(plain).flight.landing_s
    # Somebody who looked at it before does not decide over it.
    stale = client.post(f"{address}/curve", data={"action": "remove", "version": version})
    assert stale.status_code == 409
    assert "changed meanwhile" in stale.text
    newer = re.search(r'name="version" value="(\d+)"', client.get(address).text)[1]
    exported = client.get(f"{address}/curve.json")
    assert exported.json()["format"] == "zesty-cell curve"
    assert client.post(f"{address}/curve", data={"action": "remove", "version": newer}).status_code == 303
    assert pack_row(app)[1].curve is None
    assert client.get(f"{address}/curve.json").status_code == 404
    back = client.post(f"{address}/curve/import", files={"file": ("c.json", exported.content, "application/json")})
    assert back.status_code == 303
    assert pack_row(app)[1].curve == after.curve


@pytest.mark.usefixtures("drawer")
def test_the_builder_keeps_the_curve_that_has_no_field(client, app):
    pack_id, _ = pack_row(app)
    text_of = write_curve_json(a_curve()).encode()
    client.post(f"{ADDRESS}/pack/{pack_id}/curve/import", files={"file": ("c.json", text_of, "application/json")})
    page = client.get(f"/hangar/packs/{pack_id}").text
    form = dict(re.findall(r'<input[^>]*name="([^"]+)"[^>]*value="([^"]*)"', page))
    for name, options in re.findall(r'<select[^>]*name="([^"]+)"[^>]*>(.*?)</select>', page, re.DOTALL):
        chosen = re.search(r'value="([^"]*)" selected', options)
        form[name] = chosen[1] if chosen else ""
    form = {k: v for k, v in form.items() if not k.startswith("tests.")} | {"cycles": "61"}
    answer = client.post(f"/hangar/packs/{pack_id}", data=form | {"source": "label", "action": "sure"})
    assert answer.status_code == 303, re.findall(r'class="error"[^>]*>([^<]+)', answer.text)
    _, after = pack_row(app)
    assert after.cycles == 61
    assert after.curve is not None


@pytest.mark.parametrize(
    ("data", "words"),
    [(b"{}", "format"), (b"not json", "JSON"), (write_curve_json(a_curve(chemistry="lihv")).encode(), "of lihv")],
)
def test_what_is_no_curve_for_this_pack_is_refused(client, app, data, words):
    pack_id, before = pack_row(app)
    answer = client.post(f"{ADDRESS}/pack/{pack_id}/curve/import", files={"file": ("c.json", data, "text/plain")})
    assert answer.status_code == 422
    assert words in answer.text
    assert pack_row(app)[1] == before


def test_a_pack_without_runs_says_what_is_missing(client, app):
    pack_id, _ = pack_row(app)
    page = client.get(f"{ADDRESS}/pack/{pack_id}").text
    assert "two runs whose currents differ" in page
    refused = client.post(f"{ADDRESS}/pack/{pack_id}/curve", data={"action": "use", "version": "1"})
    assert refused.status_code == 422
    assert client.get(f"{ADDRESS}/pack/4711").status_code == 404


@pytest.mark.usefixtures("drawer")
def test_a_recording_that_cannot_be_read_any_more_is_told_and_the_others_are_drawn(client, app):
    with app.state.database.session() as session:
        session.execute(text("UPDATE discharge SET packed = x'00' WHERE id = 2"))
    service.forget()
    page = client.get(ADDRESS, params={"run": [1, 2, 3]})
    assert page.status_code == 200
    assert page.text.count('<th scope="row"><svg') == 2
    assert "tangelo-1-1013.csv” cannot be read" in page.text
    pack_id, _ = pack_row(app)
    assert client.get(f"{ADDRESS}/pack/{pack_id}").status_code < 500


@pytest.mark.usefixtures("drawer")
def test_an_unreadable_note_is_set_aside_and_every_page_goes_on(client, app):
    with app.state.database.session() as session:
        session.execute(text("UPDATE discharge SET document = '{\"air_c\": 900}' WHERE id = 3"))
    again = client.get(ADDRESS, follow_redirects=True)  # it is set aside, and the page asked once more
    assert again.status_code == 200
    assert 'value="3"' not in again.text
    assert "discharge" in client.get("/unreadable").text


def test_runs_are_kept_with_a_backup_and_need_their_pack(app):
    pack_id, pack = pack_row(app)
    note = RunNote(taken_at=datetime(2026, 10, 1, tzinfo=UTC))
    with app.state.database.session() as session:
        row = service.take_in(session, recorded(pack), name="x" * 200, pack_id=pack_id, note=note)
        assert len(row.name) == 80
        found = service.proposed(session, row)
        service.confirm(session, found, note)
        assert service.run_of(row) is service.run_of(row)  # read once
