"""Thrust runs on the page."""

from __future__ import annotations

import re

import pytest

from tests.core.parts.test_thrust import RUN
from tests.formats.test_thrust_csv import recorded
from zesty_cell.formats.thrust_text import read_thrust
from zesty_cell.store import sheets
from zesty_cell.store.hangar import CRAFTS

ADDRESS = "/tests/thrust"


def form(app, craft="Swift", **other):
    with app.state.database.session() as session:
        row = next(r for r in sheets.all_sheets(session) if r.craft.name == craft)
        return {"sheet": str(row.id), "on_bench": "1", "steps": RUN, "name": ""} | other


def test_a_run_is_worked_out_as_one_types(client, app):
    assert client.get(ADDRESS).status_code == 200
    page = client.post(ADDRESS, data=form(app)).text
    assert "Hovers at" in page
    assert "with these" in page
    assert "of the bench’s current in flight" in page
    no_sheet = client.post(ADDRESS, data=form(app, sheet="")).text
    assert "Choose a sheet" in no_sheet
    wing = client.post(ADDRESS, data=form(app, craft="Plover")).text
    assert "flies on its wing" in wing


def test_it_is_kept_as_a_propeller_set_and_kept_again_in_its_place(client, app):
    for steps in (RUN, RUN.replace("33.0", "35.0")):
        answer = client.post(ADDRESS, data=form(app, name="New ones", action="keep", steps=steps))
        assert answer.status_code == 303, answer.text
    with app.state.database.session() as session:
        craft = next(CRAFTS.thing(r) for r in CRAFTS.all(session) if r.name == "Swift")
    [kept] = [s for s in craft.other_sets if s.name == "New ones"]
    assert kept.full_throttle.current_a == pytest.approx(4 * 35.0)
    page = client.get(answer.headers["location"]).text
    assert "thrust run on the bench" in page


@pytest.mark.parametrize(
    ("other", "words"),
    [
        ({"name": ""}, "What are these propellers called?"),
        ({"sheet": "x"}, "Of which craft?"),
        ({"steps": ""}, "Two steps or more"),
        ({"steps": "25 180 2.1 16.4\n50 x 7 16"}, "not a number"),
        ({"on_bench": "0"}, "From 1 to 16"),
    ],
)
def test_what_is_wrong_is_said_and_what_was_typed_stays(client, app, other, words):
    answer = client.post(ADDRESS, data=form(app, name="New ones", action="keep") | other)
    assert answer.status_code == 422
    assert words in answer.text
    assert (other.get("steps", RUN).splitlines() or [""])[0] in answer.text


def test_a_stands_file_becomes_steps_that_can_be_looked_through(client, app):
    typed = form(app, name="From the stand")
    data = recorded()
    answer = client.post(f"{ADDRESS}/file", data=typed, files={"file": ("stand.csv", data)})
    assert answer.status_code == 200
    assert "3 steps from 400 lines of stand.csv" in answer.text
    assert 'value="From the stand"' in answer.text
    assert "Hovers at" in answer.text
    text = re.search(r"<textarea[^>]*>(.*?)</textarea>", answer.text, re.DOTALL)[1]
    assert [s.throttle for s in read_thrust(text)] == pytest.approx([0.25, 0.5, 1.0], abs=0.005)
    # And kept like typed ones.
    assert client.post(ADDRESS, data=typed | {"steps": text, "action": "keep"}).status_code == 303


@pytest.mark.parametrize(
    ("files", "words"),
    [
        ({}, "Choose the file"),
        ({"file": ("x.csv", b"Throttle,Current,Voltage\n50,7,16\n60,8,16\n")}, "No column is named like thrust"),
        ({"file": ("x.csv", b"")}, "empty"),
        ({"file": ("x.png", bytes(range(256)))}, "not text"),
    ],
)
def test_a_file_that_is_no_run_is_refused_at_its_place_and_what_was_typed_stays(client, app, files, words):
    answer = client.post(f"{ADDRESS}/file", data=form(app, name="Kept"), files=files)
    assert answer.status_code == 422
    assert words in answer.text.split('id="error-file"')[1][:400]
    assert RUN.splitlines()[0] in answer.text
    assert 'value="Kept"' in answer.text
