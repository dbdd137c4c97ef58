"""Thrust runs on the page."""

from __future__ import annotations

import pytest

from tests.core.parts.test_thrust import RUN
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
