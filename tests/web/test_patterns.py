"""The editor of flying patterns: rows added, moved, stretched; kept in the hangar, flown by any sheet."""

from __future__ import annotations

import re

import pytest

from zesty_cell.core.asked.flying import PATTERNS
from zesty_cell.store import patterns, sheets
from zesty_cell.web.patterns.form import MOST_ACTIVITIES, read_pattern, rows_of

MINE = {
    "name": "Dyke and back",
    "units": "metric",
    "a.0.name": "out", "a.0.kind": "steady", "a.0.share": "95", "a.0.seconds": "40", "a.0.height": "",
    "a.1.name": "look", "a.1.kind": "hover", "a.1.share": "100", "a.1.seconds": "8.5", "a.1.height": "",
    "a.2.name": "up", "a.2.kind": "height", "a.2.share": "", "a.2.seconds": "", "a.2.height": "30",
    "a.3.name": "punch", "a.3.kind": "full", "a.3.share": "80", "a.3.seconds": "2", "a.3.height": "",
}  # fmt: skip


def kept(client, **change):
    response = client.post("/hangar/patterns/new", data=MINE | {"action": "save"} | change)
    assert response.status_code == 303, response.text[-3000:]
    with client.app.state.database.session() as session:
        return patterns.all_patterns(session)[-1].id


def test_a_form_is_the_pattern_that_was_drawn():
    pattern = read_pattern(MINE).pattern
    out, look, up, punch = pattern.activities
    assert (out.of, out.share, out.duration_s, out.regime) == ("steady", 0.95, 40.0, None)
    assert (look.regime, look.duration_s) == ("hover", 8.5)
    assert (up.of, up.height_m) == ("full throttle", 30.0)
    assert (punch.of, punch.share, punch.duration_s) == ("full throttle", 0.8, 2.0)


@pytest.mark.parametrize("key", PATTERNS)
@pytest.mark.parametrize("units", ["metric", "imperial"])
def test_a_shipped_pattern_survives_its_own_form(key, units):
    form = {"name": PATTERNS[key].name, "units": units}
    for k, row in enumerate(rows_of(PATTERNS[key], units)):
        form |= {f"a.{k}.{part}": text for part, text in row.items()}
    assert read_pattern(form).pattern == PATTERNS[key]


@pytest.mark.parametrize(
    ("step", "names"),
    [
        ("up:1", ["look", "out", "up", "punch"]),
        ("down:0", ["look", "out", "up", "punch"]),
        ("up:0", ["out", "look", "up", "punch"]),
        ("down:3", ["out", "look", "up", "punch"]),
        ("copy:1", ["out", "look", "look", "up", "punch"]),
        ("remove:2", ["out", "look", "punch"]),
        ("add:1", ["out", "cruise", "look", "up", "punch"]),
        ("add:4", ["out", "look", "up", "punch", "cruise"]),
        ("fly:1", ["out", "look", "up", "punch"]),
        ("remove:17", ["out", "look", "up", "punch"]),
    ],
)
def test_a_step_changes_the_rows_and_nothing_else(step, names):
    assert [a.name for a in read_pattern(MINE | {"do": step}).pattern.activities] == names


def test_a_key_stretches_by_half_a_second_and_never_to_nothing():
    assert read_pattern(MINE | {"do": "longer:1"}).rows[1]["seconds"] == "9"
    assert read_pattern(MINE | {"do": "shorter:1"}).rows[1]["seconds"] == "8"
    assert read_pattern(MINE | {"a.1.seconds": "0.3", "do": "shorter:1"}).rows[1]["seconds"] == "0.1"
    assert read_pattern(MINE | {"do": "longer:2"}).rows[2]["seconds"] == ""  # a height has no seconds


def test_there_is_a_first_row_and_a_last():
    assert len(read_pattern({"name": "x"}).rows) == 1
    one = {k: v for k, v in MINE.items() if not k.startswith(("a.1", "a.2", "a.3"))}
    assert len(read_pattern(one | {"do": "remove:0"}).rows) == 1
    many = {"name": "many"}
    for k in range(MOST_ACTIVITIES + 9):
        many |= {f"a.{k}.name": "c", f"a.{k}.kind": "steady", f"a.{k}.share": "100", f"a.{k}.seconds": "5"}
    assert len(read_pattern(many).rows) == MOST_ACTIVITIES
    assert len(read_pattern(many | {"do": "copy:3"}).rows) == MOST_ACTIVITIES


@pytest.mark.parametrize(
    ("change", "place", "words"),
    [
        ({"name": " "}, "name", "needed"),
        ({"a.0.share": "lots"}, "a.0.share", "not a number"),
        ({"a.0.share": ""}, "a.0.share", "needed"),
        ({"a.0.share": "5000"}, "a.0.share", "At most 1000 %"),
        ({"a.3.share": "150"}, "a.3.share", "full throttle"),
        ({"a.1.seconds": "0"}, "a.1.seconds", "At least"),
        ({"a.1.seconds": "2 h"}, "a.1.seconds", "no unit"),
        ({"a.2.height": ""}, "a.2.height", "needed"),
        ({"a.2.height": "9000"}, "a.2.height", "At most 2000 m"),
    ],
)
def test_what_is_wrong_is_said_at_its_place(client, change, place, words):
    response = client.post("/hangar/patterns/new", data=MINE | {"action": "save"} | change)
    assert response.status_code == 422
    at = "error-" + place.replace(".", "-")
    assert words.casefold() in response.text.split(f'id="{at}"', 1)[1][:260].casefold()
    with client.app.state.database.session() as session:
        assert not patterns.all_patterns(session)


def test_a_height_is_typed_and_shown_in_feet(client):
    client.post("/view", data={"name": "lengths", "value": "imperial"})
    number = kept(client, units="mim", **{"a.2.height": "100"})
    with client.app.state.database.session() as session:
        assert patterns.pattern_of(patterns.fetch(session, number)).activities[2].height_m == pytest.approx(30.48)
    html = client.get(f"/hangar/patterns/{number}").text
    assert 'value="100"' in html
    assert "up 100 ft" in html


def test_any_sheet_can_fly_it_and_changes_with_it(client):
    number = kept(client)
    page = client.get("/sheets/8").text
    assert f'<option value="own-{number}"' in page
    with client.app.state.database.session() as session:
        pattern = patterns.pattern_of(patterns.fetch(session, number))
        sheets.fetch(session, 8).flying = pattern.model_dump(mode="json")
    page = client.get("/sheets/8").text
    assert f'<option value="own-{number}" selected' in page
    assert "this sheet's own" not in page
    assert f'href="/hangar/patterns/{number}"' in page
    assert "flown by 1 sheet" in client.get("/hangar/patterns").text
    changed = MINE | {"version": "1", "a.0.seconds": "20", "action": "save"}
    answer = client.post(f"/hangar/patterns/{number}", data=changed)
    assert answer.status_code == 303
    with client.app.state.database.session() as session:
        assert sheets.as_sheet(sheets.fetch(session, 8)).flying.activities[0].duration_s == 20.0
    # Deleted, the sheet keeps what it flies; undone, it is the hangar's again.
    client.post(f"/hangar/patterns/{number}/delete")
    assert "this sheet's own" in client.get("/sheets/8").text
    client.post(f"/hangar/patterns/{number}/undelete")
    assert f'<option value="own-{number}" selected' in client.get("/sheets/8").text
    assert f'<option value="own-{number}"' in client.get("/start").text


def test_two_edits_of_one_version_do_not_overwrite_each_other(client):
    number = kept(client)
    assert (
        client.post(f"/hangar/patterns/{number}", data=MINE | {"version": "1", "action": "save"}).status_code == 303
    )
    late = client.post(
        f"/hangar/patterns/{number}", data=MINE | {"version": "7", "a.0.share": "90", "action": "save"}
    )
    assert late.status_code == 409
    assert 'value="90"' in late.text


def test_names_are_its_own(client):
    kept(client)
    for name in ("Dyke and back", "dyke AND back", "Freestyle"):
        response = client.post("/hangar/patterns/new", data=MINE | {"action": "save", "name": name})
        assert response.status_code == 422
        assert "one of that name already" in response.text


def test_the_editor_shows_what_a_sheet_would_answer(client):
    html = client.post("/hangar/patterns/new", data=MINE).text
    assert "would be on the ground at" in html
    name, landing = re.search(
        r'class="lead">(.*?) would be on the ground at <b class="big-inline">([\d:]+)<', html
    ).groups()
    assert name
    assert landing != "–"
    assert client.get("/hangar/patterns/999").status_code == 404
    assert "Freestyle, mine" in client.get("/hangar/patterns/new?like=nonsense").text
