"""A telemetry log on the callouts page: brought in, columns confirmed, run; and every refusal beside its place."""

from __future__ import annotations

import html
import json
import re

import pytest

from zesty_cell.demo.club import load_club
from zesty_cell.demo.log import load_telemetry
from zesty_cell.formats.csv_table import MOST_BYTES
from zesty_cell.formats.plan_json import read_plan
from zesty_cell.store import flights
from zesty_cell.store import logs as store

LOGS = "/callouts/8/logs"
#: A six-cell pack that falls from 24 V to 19 V in 500 s, with text, units in the names and no throttle.
FALLING = b"clock (s);Batt (mV);Amps\n" + b"".join(
    # One climb at the start: it tells what full throttle is.
    f"{k / 2:.1f};{24000 - 10 * (k / 2):.0f};{60.0 if 2 < k < 6 else 9.5}\n".encode()
    for k in range(1001)
)


def bring(client, data, name="evening.csv"):
    return client.post(LOGS, files={"file": (name, data, "text/csv")})


def columns(page):
    """The form of the columns as a browser would send it."""
    values = {}
    for name, options in re.findall(r'<select[^>]* name="([^"]*)"[^>]*>(.*?)</select>', page, re.DOTALL):
        chosen = re.search(r'<option value="([^"]*)" selected', options)
        values[name] = chosen[1] if chosen else re.search(r'<option value="([^"]*)"', options)[1]
    return values


def confirm(client, at, form):
    """The callouts page run on the log."""
    answer = client.post(at, data=form | {"action": "confirm"})
    assert answer.status_code == 303
    return client.get(answer.headers["location"]).text


def events(page):
    data = json.loads(html.unescape(re.search(r'id="player-data">(.*?)</script>', page, re.DOTALL)[1]))
    return [(e["t"], e["say"]) for e in data["events"]]


def test_a_log_is_brought_in_confirmed_and_run(client):
    answer = bring(client, FALLING)
    assert answer.status_code == 303
    page = client.get(answer.headers["location"]).text
    assert columns(page) | {} == columns(page) | {
        "time_s.column": "0", "time_s.unit": "s", "pack_v.column": "1", "pack_v.unit": "mV",
        "current_a.column": "2", "used_ah.column": "",
    }  # fmt: skip
    assert "19.00 to 24.00 V" in page
    assert re.search(r"8:20 min, 1.001 lines, 2.0 a second", html.unescape(page))
    ran = confirm(client, answer.headers["location"], columns(page))
    said = events(ran)
    # The volts fall by one in a hundred seconds, from 24; each is held for its seconds and the half that lines are
    # apart.
    plan = read_plan(client.get("/callouts/8/export").content)
    for key, words in (("pack_low", "pack low"), ("land_now", "land now")):
        rule = plan.rule(key)
        speaks_s = 100 * (24.0 - rule.conditions[0].value) + rule.hold_s + 0.5
        assert next(t for t, say in said if say == words) == pytest.approx(speaks_s, abs=0.51)
    assert "No throttle in it: it is taken from the current." in ran
    assert "evening.csv" in ran


def test_what_was_confirmed_is_remembered_for_the_same_columns(client):
    first = bring(client, FALLING).headers["location"]
    chosen = columns(client.get(first).text) | {"current_a.column": "", "action": "confirm"}
    client.post(first, data=chosen)
    second = bring(client, FALLING.replace(b"24000", b"23990")).headers["location"]
    assert columns(client.get(second).text)["current_a.column"] == ""


def test_looking_changes_nothing(client):
    at = bring(client, FALLING).headers["location"]
    form = columns(client.get(at).text) | {"pack_v.unit": "V"}
    page = client.post(at, data=form | {"action": "look"}).text
    assert "19000.00 to 24000.00 V" in page
    assert "more than 6 full cells have" in html.unescape(page)
    assert columns(client.get(at).text)["pack_v.unit"] == "mV"
    assert "evening.csv" not in client.get("/callouts/8").text


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "This file is empty."),
        (b"1,2\n3,4\n", "Line 1: It begins with numbers"),
        (b"time,volts\n0,24\x00\n", "Line 2, column 5: A NUL byte"),
        (b"time,volts\n0,24,9\n1,24,8\n", "Line 2: 3 values where 2 columns are named. Decimal commas"),
        (b"RIFF\x81\x8d\x8f\x90" * 40, "This is not text"),
    ],
)
def test_what_is_no_log_is_refused_beside_the_file_and_nothing_is_kept(client, app, data, words):
    answer = bring(client, data)
    assert answer.status_code == 422
    error = re.search(r'id="log-error" role="alert">(.*?)</p>', answer.text)[1]
    assert words in html.unescape(error)
    with app.state.database.session() as session:
        assert store.find(session, 2) is None


def test_too_large_a_body_is_refused_by_its_length_alone(client):
    headers = {"content-length": str(200_000_000), "content-type": "multipart/form-data; boundary=x"}
    answer = client.post(LOGS, content=b"", headers=headers)
    assert answer.status_code == 413
    assert "25 MB" in answer.text
    assert f'data-most="{MOST_BYTES}"' in client.get("/callouts/8").text


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"time,volts\n0,24.9\n1,=2+3\n2,24.6\n", "Line 3, column 2: In “volts”, “=2+3” is a formula"),
        (b"time,volts\n0,24.9\n5,24.8\n2,24.6\n3,24.5\n", "Line 4, column 1: The time goes back from 5 s to 2 s"),
        (b"when,volts\n0,24.9\n1,24.8\n", "Say which column is the time."),
    ],
)
def test_columns_that_cannot_be_read_are_refused_at_their_place(client, data, words):
    at = bring(client, data).headers["location"]
    page = client.get(at)
    assert page.status_code == 200
    assert words in html.unescape(page.text)
    refused = client.post(at, data=columns(page.text) | {"action": "confirm"})
    assert refused.status_code == 422
    assert words in html.unescape(refused.text)


def test_a_part_is_chosen_and_text_left_out(client):
    at = bring(client, b"time,volts\n0,24.9\n5,high\n0,24.6\n4,24.5\n8,24.4\n").headers["location"]
    form = columns(client.get(at).text)
    # What is wrong first is said first; then the clock.
    assert "“high” is not a number" in html.unescape(client.post(at, data=form | {"action": "confirm"}).text)
    page = client.post(at, data=form | {"lenient": "on", "action": "confirm"}).text
    assert "lines 4 to 6" in page
    ran = confirm(client, at, form | {"lenient": "on", "part": "1"})
    assert "Only lines 4 to 6" in ran


def test_a_posted_column_of_another_file_is_no_crash(client):
    at = bring(client, FALLING).headers["location"]
    assert client.post(at, data={"time_s.column": "77", "pack_v.column": "1"}).status_code == 200
    page = client.post(at, data={"time_s.column": "first", "action": "confirm"}).text
    assert columns(page)["time_s.column"] == "0"


def test_deleting_a_log_can_be_undone(client):
    assert client.post(f"{LOGS}/1/delete").status_code == 303
    page = client.get("/callouts/8").text
    assert "heron-lighthouse.csv" not in page
    assert client.get(f"{LOGS}/1").status_code == 404
    client.post(re.search(r"/callouts/8/logs/1/undelete", page)[0])
    assert "heron-lighthouse.csv" in client.get("/callouts/8").text


def test_the_club_flew_with_a_logger(client, empty_app):
    page = client.get("/callouts/8?run=log-1").text
    said = events(page)
    assert (pytest.approx(said[0][0], abs=0.3), said[0][1]) == (8.0, "six cells")
    assert "telemetry lost" in [s for _, s in said]
    assert "A gap of 5.8 s at 6:51" in page
    with empty_app.state.database.session() as session:
        load_club(session)
        for _ in range(2):
            load_telemetry(session)
        [row] = store.of_craft(session, store.fetch(session, 1).craft_id)
        assert row.name == "heron-lighthouse.csv"


def test_any_sampled_flight_is_run(client):
    first, last = (client.get(f"/callouts/8?run=flight-{n}").text for n in (1, 200))
    assert re.search(r"of 200, the shortest first: it lands at 1[2-9]:", first)
    assert events(first) != events(last)
    assert 'id="flight-number" min="1" max="200" value="200"' in client.get("/callouts/8?run=flight-999").text


def test_how_long_each_rule_waited_and_was_true_is_told(client):
    page = client.get("/callouts/8").text
    rows = re.findall(r"<tr><th scope=\"row\">(.*?)</th><td>(.*?)</td><td>(.*?)</td></tr>", page.split("spent")[1])
    told = {name: (waited, true) for name, waited, true in rows}
    assert told["Silence"] == ("–", "–")
    assert re.fullmatch(r"\d+\.\d s in \d+", told["Land now"][0])
    assert re.fullmatch(r"\d+\.\d s in \d", told["Land now"][1])


def test_what_cannot_be_is_said_before_the_run_and_not_confirmed(client):
    lines = "".join(f"{k},{24.8 - 0.02 * k:.2f},{-462 + 8 * (k % 120)}\n" for k in range(200))
    where = bring(client, f"time,volts,throttle\n{lines}".encode()).headers["location"]
    page = client.get(where).text
    assert '<option value="counts" selected' in page
    wrong = client.post(where, data=columns(page) | {"throttle.unit": "%", "action": "look"})
    assert wrong.status_code == 200
    assert re.search(r'id="becomes-throttle"[^>]*>.*?cannot be', wrong.text, re.S)
    refused = client.post(where, data=columns(page) | {"throttle.unit": "%", "action": "confirm"})
    assert refused.status_code == 422
    assert "another unit, or another column" in refused.text
    assert '<option value="%" selected' in refused.text
    assert client.post(where, data=columns(page) | {"action": "confirm"}).status_code == 303


def flight_of(page):
    """The form of the proposed flight as a browser would send it."""
    form = page.split('id="proposed-flight"')[1].split("</form>")[0]
    values = dict(re.findall(r'<input[^>]*name="([^"]+)" value="([^"]*)"', form))
    return values | {"pack": re.search(r'<option value="(\d+)" selected', form)[1]}


#: Dated, armed from the third second, above idle from the fifth to the 485th.
DATED = b"date time;volts;throttle %;used mAh\n" + b"".join(
    f"2026-05-03 14:{k // 60:02d}:{k % 60:02d}+00:00;{24.8 - 0.008 * k:.2f};{55 if 5 <= k <= 485 else 0};"
    f"{5 * min(max(k - 5, 0), 480)}\n".encode()
    for k in range(500)
)


def test_a_log_before_its_flight_proposes_the_flight(client, app):
    number = re.search(r'<option value="(\d+)">Heron on Pomelo, lighthouse run<', client.get("/log").text)[1]
    answer = client.post("/telemetry", data={"sheet": number}, files={"file": ("may.csv", DATED, "text/csv")})
    assert answer.status_code == 303
    where = answer.headers["location"]
    page = client.get(where).text
    assert "This flight is not in the log yet" in page
    form = flight_of(page)
    assert (form["duration_s"], form["shown_ah"], form["landed_local"]) == ("8:00", "2400", "2026-05-03T14:08")
    assert "The log has no date" not in page
    # What cannot be is said at its field, with what was typed; what hardly can is asked back.
    wrong = client.post(f"{where}/flight", data=form | {"duration_s": "8x", "shown_ah": "2300"})
    assert wrong.status_code == 422
    assert "8x" in flight_of(wrong.text)["duration_s"]
    assert flight_of(wrong.text)["shown_ah"] == "2300"
    assert re.search(r'id="error-flight-flew">[^<]+<', wrong.text)
    asked = client.post(f"{where}/flight", data=form | {"duration_s": "58:00"})
    assert asked.status_code == 422
    assert 'name="sure"' in asked.text
    done = client.post(f"{where}/flight", data=form)
    assert done.status_code == 303
    assert "The flight is in the log." in client.get(done.headers["location"]).text
    with app.state.database.session() as session:
        [row] = flights.newest(session, 5)
        flight = flights.flight_of(row)
        assert (row.craft.name, row.pack.name, row.pattern) == ("Heron", "Pomelo 1", "Shoreline cruise")
        assert (flight.duration_s, flight.shown_ah) == (480.0, pytest.approx(2.4))
        assert flight.landed_at.isoformat() == "2026-05-03T14:08:00+00:00"
        assert store.of_flight(session, row.id)
    # Once is once.
    assert client.post(f"{where}/flight", data=form).headers["location"] == f"/log/{row.id}"
    assert "not in the log yet" not in client.get(where).text
    # Taken out of the log, it is proposed again, and no page leads to a flight that is gone.
    assert client.post(f"/log/{row.id}/delete").status_code == 303
    assert "not in the log yet" in client.get(where).text
    assert (
        client.post(where, data=columns(page) | {"action": "confirm"}).headers["location"].startswith("/callouts/")
    )
    assert "put this flight in the log" in client.get(f"/callouts/{number}?run=log-{where.rpartition('/')[2]}").text
    again = client.post(f"{where}/flight", data=form)
    assert again.headers["location"] != done.headers["location"]
    assert client.get(again.headers["location"]).status_code == 200


def test_a_log_without_date_or_throttle_says_what_it_cannot_tell(client):
    where = bring(client, FALLING).headers["location"]
    page = client.get(where).text
    assert "The log has no date: this is when it was brought in." in page
    assert flight_of(page)["duration_s"] == "8:20"
    bare = "".join(f"{k};{24.8 - 0.01 * k:.2f}\n" for k in range(100))
    where = bring(client, f"time;volts\n{bare}".encode()).headers["location"]
    assert "not in the log yet" not in client.get(where).text
    for sheet, file in (("999", FALLING), ("x", FALLING), ("8", b"\x00")):
        assert client.post("/telemetry", data={"sheet": sheet}, files={"file": ("a.csv", file)}).status_code in (
            404,
            422,
        )
