"""Fair tests on the pages: asked, planned, flown by hand, from the log and from the field, looked at, set aside."""

from __future__ import annotations

import html
import re
import uuid
from datetime import UTC, datetime, timedelta

import pytest

from zesty_cell.demo.trials import load_trials
from zesty_cell.services.trials import next_run, trial_now
from zesty_cell.store import flights, logs, sheets, trials
from zesty_cell.store.hangar import CRAFTS, PACKS


def numbers(app, craft, *packs):
    with app.state.database.session() as session:
        rows = {row.name: row.id for row in PACKS.all(session)}
        return next(c.id for c in CRAFTS.all(session) if c.name == craft), [rows[p] for p in packs]


def question(app, craft="Swift", packs=("Satsuma 1", "Satsuma 2"), **changed):
    craft_id, pack_ids = numbers(app, craft, *packs)
    form = {
        "craft": str(craft_id), "units": "metric", "action": "save", "differs": "propellers", "a": "three blades",
        "b": "two blades", "measure": "charge_a_minute", "matters": "8", "coolest_c": "8", "warmest_c": "25",
        "rest_s": "15:00", "pairs": "8", "keep": "the harbour lap\nsame camera", "name": "",
    }  # fmt: skip
    return form | {f"pack-{k}": "yes" for k in pack_ids} | changed


def made(client, app, **changed):
    answer = client.post("/tests/new", data=question(app, **changed))
    assert answer.status_code == 303, answer.text
    return int(answer.headers["location"].rsplit("/", 1)[1])


def row_of(session, trial_id):
    return trials.fetch(session, trial_id)


def version(client, trial_id):
    return re.search(r'name="version" value="(\d+)"', client.get(f"/tests/{trial_id}").text)[1]


def measure(client, trial_id, slot, value, **more):
    form = {"version": version(client, trial_id), "slot": str(slot), "units": "metric", "value": value} | more
    return client.post(f"/tests/{trial_id}/runs", data=form)


def test_an_empty_list_says_what_tests_are_for(client, empty_app):
    page = client.get("/tests").text
    assert "Plan one" in page
    assert 'aria-current="page">Tests<' in page
    assert client.get("/tests/7").status_code == 404


def test_what_a_question_takes_is_said_before_anything_is_kept(client, app):
    page = client.post("/tests/new", data=question(app, action="look", pairs="")).text
    takes = page.split('id="test-takes"')[1].split("</aside>")[0]
    assert re.search(r"\d+ pairs see 8\u00a0% less nine times in ten", takes)
    assert re.search(r"\d+ runs, about [\d.]+ hours with 2 packs", takes)
    assert "as is usual" in takes  # Swift has not flown yet
    assert client.get("/tests").text.count("test-state") == 0


def test_the_scatter_of_the_craft_s_own_flights_counts(client, app, fly_season):
    fly_season()
    page = client.post("/tests/new", data=question(app, action="look", pairs="")).text
    assert re.search(r"One run differs from its like by [\d.]+\u00a0%, as \d+ flights in the log show", page)
    few = client.post("/tests/new", data=question(app, action="look", pairs="4")).text
    assert re.search(r"4 pairs see [\d.]+\u00a0% less nine times in ten, and 8\u00a0% less with \d+ %", few)


@pytest.mark.parametrize(
    ("changed", "place", "words"),
    [
        ({"a": ""}, "a", "needed"),
        ({"b": "three blades"}, "b", "what differs"),
        ({"matters": "many"}, "matters", "not a number"),
        ({"matters": "150"}, "matters", "seen at once"),
        ({"matters": "0"}, "matters", "At least"),
        ({"measure": "time_to_charge", "at": ""}, "at", "needed"),
        ({"pairs": "5"}, "pairs", "even number"),
        ({"pairs": "62"}, "pairs", "even number"),
        ({"coolest_c": "25", "warmest_c": "20"}, "warmest_c", "Warmer than"),
        ({"coolest_c": "-60"}, "coolest_c", "At least"),
        ({"keep": "\n".join("abcdefghijklmn")}, "keep", "Up to 12"),
        ({"name": "x" * 90}, "", ""),
        ({"craft": "999"}, "craft", "Choose a craft"),
        ({"a": "x" * 90}, "a", "At most 80"),
        ({"differs": "the weather"}, "differs", ""),
        ({"measure": "joy"}, "", ""),
    ],
)
def test_a_question_that_cannot_be_is_refused_at_its_place(client, app, changed, place, words):
    answer = client.post("/tests/new", data=question(app) | changed)
    if not place:  # a name is cut, a measure nobody knows is the first one
        assert answer.status_code == 303
        return
    assert answer.status_code == 422
    found = re.search(rf'id="error-{place}"[^>]*>(.*?)</p>', answer.text, re.DOTALL)
    assert found, answer.text
    assert words in found[1]
    if "a" not in changed:
        assert 'value="three blades"' in answer.text  # what was typed stays


def test_without_a_pack_nothing_is_planned(client, app):
    answer = client.post("/tests/new", data=question(app, packs=()))
    assert answer.status_code == 422
    assert "Choose the packs" in answer.text


def test_runs_are_kept_looked_at_and_called(client, app):
    trial_id = made(client, app)
    assert "Run 1: A, three blades" in client.get(f"/tests/{trial_id}").text
    with app.state.database.session() as session:
        order = [r.slot for r in trial_now(session, row_of(session, trial_id)).runs]
    assert len(order) == 16
    for k, slot in enumerate(order):
        value = (200.0 if slot.side == "A" else 170.0) + 2.0 * (k % 3)
        assert measure(client, trial_id, k + 1, f"{value:.0f}", air_c="15").status_code == 303
        if k == 7:
            page = client.get(f"/tests/{trial_id}").text
            assert "Look at the verdict" in page
            assert "less charge a minute" not in page
            client.post(f"/tests/{trial_id}/look", data={"version": version(client, trial_id)})
            assert "pairs-chart" in client.get(f"/tests/{trial_id}").text
    page = client.get(f"/tests/{trial_id}").text
    assert "Look at the verdict" in page  # not seen with these runs yet
    client.post(f"/tests/{trial_id}/look", data={"version": version(client, trial_id)})
    page = client.get(f"/tests/{trial_id}").text
    assert re.search(r"B, two blades: 1[45]\u00a0% less charge a minute than A, three blades", page)
    assert "The chance that B is better by what matters, 8\u00a0% less, is over 99 %" in page
    assert "All runs of the plan are there" in page
    assert "less charge a minute" in client.get("/tests").text


def test_a_run_that_cannot_be_is_refused_and_what_was_typed_stays(client, app):
    trial_id = made(client, app)
    for value, words in (("", "needed"), ("x", "not a number"), ("0", "measured nothing")):
        answer = measure(client, trial_id, 1, value, note="a gull")
        assert answer.status_code == 422
        assert words in re.search(r'id="error-value"[^>]*>(.*?)</p>', answer.text)[1]
        assert 'value="a gull"' in answer.text
    assert measure(client, trial_id, 99, "200").status_code == 422
    assert measure(client, trial_id, 1, "200", air_c="90").status_code == 422
    assert measure(client, trial_id, 1, "200").status_code == 303
    taken = measure(client, trial_id, 1, "210")
    assert taken.status_code == 422
    assert "Run 1 is there already" in taken.text
    stale = client.post(
        f"/tests/{trial_id}/runs", data={"version": "1", "slot": "2", "units": "metric", "value": "201"}
    )
    assert stale.status_code == 409
    assert 'value="201"' in stale.text


def test_a_run_is_set_aside_with_its_reason_and_it_is_known_whether_the_verdict_was_seen(client, app):
    trial_id = made(client, app)
    for k in range(8):
        measure(client, trial_id, k + 1, str(200 + k))

    def aside(index, why="a gull"):
        form = {"version": version(client, trial_id), "index": str(index), "why": why}
        client.post(f"/tests/{trial_id}/aside", data=form)
        return client.get(f"/tests/{trial_id}").text

    assert "Set aside</h2>" not in aside(1, " ")
    assert "Set aside</h2>" not in aside(55)
    page = aside(1)
    assert "Run 2 (A), 201 mAh/min: a gull" in page
    assert "after the verdict had been seen" not in page
    assert "Run 2: A" in page  # its place is open again
    client.post(f"/tests/{trial_id}/look", data={"version": version(client, trial_id)})
    page = aside(2, "it looked too good")
    assert "it looked too good (after the verdict had been seen)" in page
    assert "who may choose then can have any verdict" in page
    again = {"version": version(client, trial_id), "index": "1"}
    client.post(f"/tests/{trial_id}/again", data=again)
    assert "Run 2 (A)" not in client.get(f"/tests/{trial_id}").text
    # Another run has its place: it cannot count too.
    aside(0)
    measure(client, trial_id, 1, "205")
    client.post(f"/tests/{trial_id}/again", data={"version": version(client, trial_id), "index": "0"})
    assert "Another run has its place. Nothing was changed." in client.get(f"/tests/{trial_id}").text


def test_a_flight_of_the_log_is_a_run_and_is_read_from_there(client, app, fly_season):
    fly_season()
    trial_id = made(client, app)
    craft_id, _ = numbers(app, "Swift")
    with app.state.database.session() as session:
        rows = [r for r in flights.newest_of_craft(session, craft_id, 30) if r.pack.name == "Satsuma 1"]
        other = next(r for r in flights.newest(session, 90) if r.craft_id != craft_id)
        first, put_back_ah = rows[0].id, flights.flight_of(rows[0]).put_back_ah
        minutes = rows[0].duration_s / 60.0
        foreign = other.id
    answer = client.post(f"/tests/{trial_id}/flights", data={"flight": str(first), "slot": "1"})
    assert answer.status_code == 303
    with app.state.database.session() as session:
        [run] = [r for r in trial_now(session, row_of(session, trial_id)).runs if r.run]
    assert run.value == pytest.approx(put_back_ah / minutes)
    assert run.adjusted == pytest.approx(run.value)
    again = client.post(f"/tests/{trial_id}/flights", data={"flight": str(first), "slot": "2"})
    assert again.status_code == 422
    assert "is a run already" in again.text
    assert client.post(f"/tests/{trial_id}/flights", data={"flight": str(foreign)}).status_code == 422
    # Taken out of the log it measures nothing any more.
    client.post(f"/log/{first}/delete")
    with app.state.database.session() as session:
        [run] = [r for r in trial_now(session, row_of(session, trial_id)).runs if r.run]
    assert run.value is None


def test_the_field_shows_the_next_run_and_the_landing_may_be_it(client, app):
    trial_id = made(client, app)
    craft_id, (one, two) = numbers(app, "Swift", "Satsuma 1", "Satsuma 2")
    page = client.get(f"/field?craft={craft_id}&pack={one}").text
    box = page.split('id="test-run"')[1].split("</div>")[0]
    assert "It is run 1 of" in box
    assert "A, three blades" in box
    assert "at 8 °C to 25 °C" in box
    assert "checked" not in box
    assert "run 2 of" in client.get(f"/field?craft={craft_id}&pack={two}").text
    form = dict(
        re.findall(
            r'name="(\w+)"(?: autocomplete="off")? value="([^"]*)"',
            page.split('id="land-form"')[1].split("</form>")[0],
        )
    )
    run = re.search(r'name="run" value="([^"]+)"', box)[1]

    def land(minutes_ago, **more):
        at = datetime.now(UTC) - timedelta(minutes=minutes_ago)
        sent = form | {"entry": uuid.uuid4().hex, "landed_at": at.isoformat(), "duration_s": "3:00"} | more
        answer = client.post("/field/entries", data=sent, headers={"accept": "application/json"})
        assert answer.json()["errors"] == {}, answer.text
        return sent["entry"]

    land(90)  # a flight like any other
    entry = land(60, run=run)
    with app.state.database.session() as session:
        now = trial_now(session, row_of(session, trial_id))
        [place] = [r for r in now.runs if r.run]
        assert (place.slot.number, place.value, place.run.source) == (0, None, "field")
        assert now.next.number == 1
    assert "not charged since" in client.get(f"/tests/{trial_id}").text
    back = {"kind": "charged", "entry": "c" * 32, "flight": entry, "put_back_ah": "600", "units": "metric"}
    assert client.post("/field/entries", data=back, headers={"accept": "application/json"}).json()["errors"] == {}
    with app.state.database.session() as session:
        [place] = [r for r in trial_now(session, row_of(session, trial_id)).runs if r.run]
    assert place.value is not None
    # The place is taken, the test is gone, it is none: a flight it is all the same.
    land(40, run=run)
    land(30, run="77:1")
    land(20, run="x")
    client.post(f"/tests/{trial_id}/delete")
    land(10, run=run)
    with app.state.database.session() as session:
        assert len(flights.newest_of_craft(session, craft_id, 20)) == 6


def test_another_crafts_flight_measures_nothing_here(client, app, fly_season):
    fly_season()
    trial_id = made(client, app)
    craft_id, _ = numbers(app, "Swift")
    with app.state.database.session() as session:
        foreign = next(r.id for r in flights.newest(session, 90) if r.craft_id != craft_id)
    one = client.get(f"/api/tests/{trial_id}").json()
    run = {"slot": 0, "side": "A", "at": "2026-05-01T10:00:00Z", "pack": "Satsuma 1", "flight": foreign}
    change = {"version": one["version"], "test": one["test"] | {"runs": [run]}}
    assert client.put(f"/api/tests/{trial_id}", json=change).json()["test"]["runs"][0]["value"] is None


def test_a_deleted_test_comes_back(client, app):
    trial_id = made(client, app, name="Blades")
    client.post(f"/tests/{trial_id}/delete")
    page = client.get("/tests").text
    assert "“Blades” is deleted." in page
    assert f'action="/tests/{trial_id}/restore"' in page
    assert client.get(f"/tests/{trial_id}").status_code == 404
    client.post(f"/tests/{trial_id}/restore")
    assert client.get(f"/tests/{trial_id}").status_code == 200


def test_the_order_is_printed_with_what_stays_the_same(client, app):
    trial_id = made(client, app)
    measure(client, trial_id, 1, "200", air_c="15")
    page = client.get(f"/tests/{trial_id}/sheet").text
    assert page.count("<tr>") == 17
    assert "the harbour lap" in page
    assert "200 mAh/min" in page
    assert "A is three blades, B is two blades" in page


def test_it_is_typed_and_shown_in_the_reader_s_units(client, app):
    client.cookies.set("zesty_cell_view", "units-imperial.volts-cell.theme-paper")
    form = question(app, units="imperial", measure="temperature", matters="9", coolest_c="50", warmest_c="77")
    answer = client.post("/tests/new", data=form)
    trial_id = int(answer.headers["location"].rsplit("/", 1)[1])
    with app.state.database.session() as session:
        trial = trials.trial_of(row_of(session, trial_id))
    assert trial.question.matters == pytest.approx(5.0)
    assert trial.plan.coolest_c == pytest.approx(10.0)
    answer = client.post(
        f"/tests/{trial_id}/runs",
        data={
            "version": version(client, trial_id),
            "slot": "1",
            "units": "imperial",
            "value": "104",
            "air_c": "68",
        },
    )
    assert answer.status_code == 303
    page = client.get(f"/tests/{trial_id}").text
    assert "104 °F" in page
    assert "68 °F" in page


def test_the_club_has_one_clear_one_without_a_difference_and_one_spoiled(client, app):
    with app.state.database.session() as session:
        assert load_trials(session) == 3
        assert load_trials(session) == 0
        found = {row.name: trial_now(session, row) for row in trials.all_trials(session)}
    assert found["Two blades or three"].verdict.call == "less"
    assert found["The dearer plug"].verdict.call == "none"
    assert found["The dearer plug"].spoiled == ()
    spoilt = {fact.key for fact in found["Warm pocket"].spoiled}
    assert spoilt >= {"trial.spoiled.one_order", "trial.spoiled.warmer", "trial.spoiled.odd"}
    for name in found:
        page = client.get(f"/tests/{found[name].row.id}").text
        assert page.count("trial.") == 0
    assert "Warm pocket" in client.get("/tests").text


def test_the_next_run_is_that_of_the_pack_in_hand(client, app):
    trial_id = made(client, app)
    craft_id, _ = numbers(app, "Swift")
    with app.state.database.session() as session:
        packs = {row.name: row for row in PACKS.all(session)}
        assert next_run(session, craft_id).slot.number == 0
        assert next_run(session, craft_id, pack=packs["Satsuma 2"]).slot.number == 1
        assert next_run(session, craft_id, pack=packs["Tangelo 1"]) is None
        other, _ = numbers(app, "Heron")
        assert next_run(session, other) is None
        assert row_of(session, trial_id).open


def test_a_test_goes_out_as_a_file_and_comes_back(client, app):
    trial_id = made(client, app, name="Blades")
    measure(client, trial_id, 1, "200", air_c="15")
    answer = client.get(f"/tests/{trial_id}/export")
    assert answer.headers["content-type"] == "application/json"
    back = client.post("/tests/import", files={"file": ("test.json", answer.content, "application/json")})
    assert back.status_code == 303
    with app.state.database.session() as session:
        first, second = (trials.trial_of(row_of(session, k)) for k in (trial_id, trial_id + 1))
    assert first == second
    nobodys = answer.content.replace(b'"Swift"', b'"Gull"')
    for content, words in ((b"{", "Line 1"), (nobodys, "no craft called “Gull”"), (b"x" * 300_000, "")):
        refused = client.post("/tests/import", files={"file": ("test.json", content, "application/json")})
        assert refused.status_code == 422
        assert words in refused.text.split('role="alert"')[1].split("</div>")[0]


def test_the_phone_takes_the_runs_along_that_its_flights_could_be(client, app):
    trial_id = made(client, app)
    craft_id, (one, _) = numbers(app, "Swift", "Satsuma 1", "Satsuma 2")
    runs = client.get("/pocket/day").json()["runs"]
    assert runs[f"{craft_id}-{one}"][0] == [
        f"{trial_id}:0", "run 1 of three blades or two blades: A, three blades, at 8 °C to 25 °C"
    ]  # fmt: skip
    assert len(runs[f"{craft_id}-{one}"]) == 8
    assert {key.split("-")[0] for key in runs} == {str(craft_id)}
    measure(client, trial_id, 1, "200")
    assert client.get("/pocket/day").json()["runs"][f"{craft_id}-{one}"][0][0] == f"{trial_id}:2"


def test_tests_by_the_api(client, app):
    trial_id = made(client, app, name="Blades")
    measure(client, trial_id, 1, "200", air_c="15")
    [listed] = client.get("/api/tests").json()
    assert (listed["name"], listed["craft"], listed["runs"]) == ("Blades", "Swift", 1)
    assert listed["next"] == {"slot": 1, "side": "A", "pack": "Satsuma 2"}
    one = client.get(f"/api/tests/{trial_id}").json()
    assert one["verdict"] is None
    again = client.post("/api/tests", json={"test": one["test"] | {"name": "Again"}})
    assert again.status_code == 201
    assert again.json()["test"]["runs"] == one["test"]["runs"]
    refused = client.post("/api/tests", json={"test": one["test"] | {"craft": "Gull"}})
    assert (refused.status_code, refused.json()["detail"][0]["loc"]) == (422, ["body", "test", "craft"])
    assert (
        client.post("/api/tests", json={"test": one["test"] | {"runs": 2 * one["test"]["runs"]}}).status_code == 422
    )
    address = f"/api/tests/{trial_id}"
    order = [("A", 1), ("B", 2), ("B", 3), ("B", 4), ("B", 5), ("A", 6), ("A", 7)]
    runs = one["test"]["runs"] + [
        one["test"]["runs"][0] | {"slot": k, "side": side, "value": 0.2 if side == "A" else 0.17}
        for side, k in order
    ]
    change = {"version": one["version"], "test": one["test"] | {"runs": runs}}
    assert client.put(address, json=change).json()["runs"] == 8
    assert client.put(address, json=change).status_code == 409
    other = change | {"test": change["test"] | {"craft": "Heron"}}
    assert client.put(address, json=other).status_code == 422
    seen = client.post(f"{address}/look").json()
    assert seen["verdict"]["pairs"] == 4
    assert seen["verdict"]["difference"] == pytest.approx(-0.15)
    assert seen["verdict"]["said"]
    assert client.get(address).json()["verdict"] == seen["verdict"]
    assert client.delete(address).status_code == 204
    assert client.get(address).status_code == 404
    assert client.post(f"{address}/undelete").json()["name"] == "Blades"


def test_a_difference_of_any_size_is_drawn_with_a_few_marks(client, app):
    trial_id = made(client, app, packs=("Satsuma 1",), pairs="4")
    for slot, value in ((1, "0.001"), (2, "900000000"), (3, "900000000"), (4, "0.001")):
        assert measure(client, trial_id, slot, value).status_code == 303
    client.post(f"/tests/{trial_id}/look", data={"version": version(client, trial_id)})
    page = client.get(f"/tests/{trial_id}").text
    assert page.count('<circle class="pair"') == 2
    assert 3 <= page.count('<line class="grid"') <= 8


@pytest.mark.usefixtures("drawer")
def test_discharge_runs_of_the_drawer_become_runs(client, app):
    trial_id = made(
        client, app, craft="Tern", packs=("Yuzu 1", "Yuzu 2"), measure="time_to_voltage", at="3.4", differs="pack",
        a="as it came", b="broken in", matters="3",
    )  # fmt: skip
    page = client.get(f"/tests/{trial_id}").text
    assert "or a discharge run" in page
    offered = re.findall(r'<option value="(\d+)">Yuzu 2, ', page)
    assert len(offered) == 3
    answer = client.post(f"/tests/{trial_id}/discharges", data={"discharge": offered[0], "slot": "1"})
    assert answer.status_code == 303
    after = client.get(f"/tests/{trial_id}").text
    assert "discharge" in after
    assert re.search(r"5\d:\d\d", after)  # an hour less what it lacks
    twice = client.post(f"/tests/{trial_id}/discharges", data={"discharge": offered[0], "slot": "2"})
    assert twice.status_code == 422
    assert "is a run already" in twice.text
    assert client.post(f"/tests/{trial_id}/discharges", data={"discharge": "4711", "slot": "2"}).status_code == 404


@pytest.mark.usefixtures("drawer")
def test_a_recording_that_does_not_tell_is_refused(client, app):
    trial_id = made(
        client, app, craft="Tern", packs=("Yuzu 1", "Yuzu 2"), measure="loaded_v", at="30", differs="plug",
        matters="0.01",
    )  # fmt: skip
    page = client.get(f"/tests/{trial_id}").text
    run = re.search(r'<option value="(\d+)">Yuzu 2, ', page)[1]
    refused = client.post(f"/tests/{trial_id}/discharges", data={"discharge": run, "slot": "1"})
    assert refused.status_code == 422
    assert "does not tell" in refused.text


def test_a_flight_with_telemetry_tells_what_only_that_knows(client, app, fly_season):
    fly_season()
    with app.state.database.session() as session:
        log = next(row for row, flight in logs.confirmed(session) if flight is not None)
        flight = flights.fetch(session, log.flight_id)
        craft, pack = flight.craft.name, flight.pack.name
    trial_id = made(
        client, app, craft=craft, packs=(pack,), measure="energy", differs="tune", matters="5", pairs="4"
    )
    taken = client.post(f"/tests/{trial_id}/flights", data={"flight": str(log.flight_id), "slot": "1"})
    assert taken.status_code == 303
    with app.state.database.session() as session:
        [run] = [r.run for r in trial_now(session, trials.fetch(session, trial_id)).runs if r.run]
    # Some 800 mAh at a little under 21 V.
    assert 12.0 < run.value < 20.0


STEPS = "30 90 1.6 16.2\n50 230 5.2 15.9\n70 420 12.6 15.4\n100 760 31.0 14.6"


def on_stand(client, trial_id, slot, steps="", file=None, **more):
    form = {"version": version(client, trial_id), "slot": str(slot), "units": "metric", "steps": steps} | more
    return client.post(f"/tests/{trial_id}/thrust/file", data=form, files={} if file is None else {"file": file})


def test_a_run_on_the_thrust_stand_is_the_strongest_step(client, app):
    trial_id = made(client, app, measure="thrust")
    assert "or a run on the thrust stand" in client.get(f"/tests/{trial_id}").text
    answer = on_stand(client, trial_id, 1, STEPS, bench_air_c="18", on_bench="1")
    assert answer.status_code == 303, answer.text
    with app.state.database.session() as session:
        (run,) = trials.trial_of(row_of(session, trial_id)).runs
    assert (run.value, run.source, run.air_c, run.note) == (0.76, "thrust", 18.0, "steps typed")
    assert "760" in client.get(f"/tests/{trial_id}").text


def test_thrust_a_watt_is_that_of_the_hover_and_a_file_will_do(client, app):
    trial_id = made(client, app, measure="grams_a_watt")
    file = ("stand.csv", ("throttle;thrust g;A;V\n" + STEPS.replace(" ", ";")).encode(), "text/csv")
    assert on_stand(client, trial_id, 1, file=file).status_code == 303
    with app.state.database.session() as session:
        (run,) = trials.trial_of(row_of(session, trial_id)).runs
    weakest, second = 1000 * 0.09 / (1.6 * 16.2), 1000 * 0.23 / (5.2 * 15.9)
    assert second < run.value < weakest  # Swift hovers on some 160 g a motor
    assert run.note == "stand.csv"


@pytest.mark.parametrize(
    ("measure", "more", "words"),
    [
        ("thrust", dict(steps=""), "Choose the stand’s file"),
        ("thrust", dict(steps="50 many 3 16"), "is not a number"),
        ("thrust", dict(steps=STEPS, on_bench="0"), "From 1 to 16"),
        ("thrust", dict(steps=STEPS, bench_air_c="warm"), "number"),
        ("thrust", dict(steps=STEPS, bench_air_c="300"), "55"),
        ("thrust", dict(steps=STEPS, bench_air_c="1e999"), "number"),
        ("grams_a_watt", dict(steps=STEPS, on_bench="8"), "step to both sides of it"),
        ("energy", dict(steps=STEPS), "does not tell what this test measures"),
    ],
)
def test_what_no_stand_tells_is_refused_and_what_was_typed_stays(client, app, measure, more, words):
    trial_id = made(client, app, measure=measure)
    answer = on_stand(client, trial_id, 1, **more)
    assert answer.status_code == 422
    if measure != "energy":  # that test has no such form
        assert words in html.unescape(answer.text)
        for typed in more.values():
            assert typed.split("\n")[0] in answer.text
    with app.state.database.session() as session:
        assert trials.trial_of(row_of(session, trial_id)).runs == ()


def test_a_file_of_no_steps_is_refused_at_its_place(client, app):
    trial_id = made(client, app, measure="thrust")
    answer = on_stand(client, trial_id, 1, file=("stand.csv", b"\x00\x01", "text/csv"))
    assert answer.status_code == 422
    assert 'id="error-stand"' in answer.text
    taken = on_stand(client, trial_id, 1, STEPS)
    assert taken.status_code == 303
    again = on_stand(client, trial_id, 1, STEPS)
    assert again.status_code == 422
    assert "That place is taken" in again.text


def test_a_stale_form_of_the_stand_is_refused(client, app):
    trial_id = made(client, app, measure="thrust")
    stale = version(client, trial_id)
    assert on_stand(client, trial_id, 1, STEPS).status_code == 303
    answer = client.post(
        f"/tests/{trial_id}/thrust/file", data={"version": stale, "slot": "2", "units": "metric", "steps": STEPS}
    )
    assert answer.status_code == 409
    assert "760" in answer.text


def test_a_test_of_the_thrust_stand_asks_nothing_of_flights(client, app, fly_season):
    fly_season()
    trial_id = made(client, app, craft="Heron", packs=("Pomelo 1", "Pomelo 2"), measure="grams_a_watt")
    page = client.get(f"/tests/{trial_id}").text
    assert "or a flight of the log" not in page
    assert "the landing</a> asks" not in page
    craft_id, _ = numbers(app, "Heron")
    with app.state.database.session() as session:
        assert next_run(session, craft_id) is None
        flight = flights.newest_of_craft(session, craft_id, 1)[0]
    answer = client.post(f"/tests/{trial_id}/flights", data={"flight": str(flight.id), "slot": "1"})
    assert answer.status_code == 422
    with app.state.database.session() as session:
        assert trials.trial_of(row_of(session, trial_id)).runs == ()


def test_without_a_sheet_nobody_knows_what_the_craft_weighs(client, app):
    trial_id = made(client, app, measure="thrust")
    craft_id, _ = numbers(app, "Swift")
    with app.state.database.session() as session:
        for row in [row for row in sheets.all_sheets(session) if row.craft_id == craft_id]:
            session.delete(row)
        session.commit()
    answer = on_stand(client, trial_id, 1, STEPS)
    assert answer.status_code == 422
    assert "make one first" in answer.text
    assert "760" in answer.text


@pytest.mark.parametrize("name", ["a\x07b.csv", "\u202estand.csv", "x" * 300, "<b>.csv", "../stand.csv"])
def test_however_a_stands_file_is_called_the_page_can_be_read(client, app, name):
    trial_id = made(client, app, measure="thrust")
    table = ("throttle thrust amps volts\n" + STEPS).replace(" ", ";").encode()
    answer = on_stand(client, trial_id, 1, file=(name, table, "text/csv"), units="klingon")
    assert answer.status_code in (303, 422)
    page = client.get(f"/tests/{trial_id}")
    assert page.status_code == 200
    assert "<b>.csv" not in page.text
    assert client.get(f"/tests/{trial_id}/export").status_code in (200, 404)
