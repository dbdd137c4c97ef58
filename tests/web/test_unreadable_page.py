"""Whatever lies in the database, every page answers; what cannot be read is shown with its reason and mended."""

from __future__ import annotations

import sqlite3
from contextlib import closing

import pytest
from benchmarks.soak.house import DOORS, crawl
from starlette.testclient import TestClient


def spoil(app, table, row_id, column, value):
    with closing(sqlite3.connect(app.state.database.path)) as other:
        other.execute(f"UPDATE {table} SET {column} = ? WHERE id = ?", (value, row_id))
        other.commit()


def follow(client, path):
    answer = client.get(path)
    while answer.status_code == 303:
        answer = client.get(answer.headers["location"])
    return answer


SPOILT = [
    ("pack", "lent_to", "Anna\tSmith", "/hangar"),
    ("pack", "flights", -4, "/hangar/health"),
    ("pack", "document", "{}", "/field"),
    ("craft", "standing", "borrowed", "/hangar"),
    ("cell", "document", '{"half', "/hangar"),
    ("sheet", "landing", "{}", "/sheets"),
    ("flight", "landed_at", "yesterday", "/log"),
    ("flight", "document", "[]", "/log"),
    ("log", "mapping", "{}", "/log/44"),
    ("log", "packed", b"x", "/log/44"),
    ("calibration", "document", '{"kind": "guess"}', "/calibrate"),
]


@pytest.mark.parametrize(("table", "column", "value", "door"), SPOILT)
def test_the_page_that_meets_it_answers_without_it(client, app, fly_season, table, column, value, door):
    fly_season()
    spoil(app, table, 1, column, value)
    assert follow(client, door).status_code in (200, 404)
    assert client.get("/sheets").status_code == 200


@pytest.mark.fuzz
def test_every_page_answers_whatever_lies_in_the_database(client, app, fly_season):
    fly_season()
    for number, (table, column, value, _) in enumerate(SPOILT, start=1):
        # A row of its own for each, where there are so many.
        spoil(app, table, number if table in ("pack", "flight") else 1, column, value)
        for door in DOORS:
            assert follow(client, door).status_code == 200, (door, table, column)
    seen, _ = crawl(client, of_a_kind=3)
    assert {status for status in seen.values() if status >= 400} <= {404, 422}


def test_it_is_said_where_it_lay_and_mended_by_what_is_typed(client, app, fly_season):
    fly_season()
    spoil(app, "pack", 2, "standing", "borrowed")
    assert client.get("/hangar").status_code == 303  # asked for again, without it
    hangar = client.get("/hangar").text
    assert "One stored thing" in hangar
    assert "/unreadable" in hangar
    missing = client.get("/hangar/packs/2")
    assert missing.status_code == 404
    assert "set aside" in missing.text
    page = client.get("/unreadable").text
    assert 'value="borrowed"' in page
    assert "It can be own, lent, wanted or retired." in page
    assert "cannot do without it" in page
    wrong = client.post("/unreadable/1", data={"value_0": "mine"})
    assert wrong.status_code == 422
    assert 'value="mine"' in wrong.text
    assert "still cannot be read" in wrong.text
    assert client.get("/unreadable/1/document").json()["standing"] == "borrowed"
    assert client.post("/unreadable/1", data={"value_0": "own"}).status_code == 303
    assert client.get("/hangar/packs/2").status_code == 200
    assert "Everything that is stored can be read" in client.get("/unreadable").text
    assert client.post("/unreadable/1", data={"value_0": "own"}).status_code == 404


def test_a_change_that_met_it_is_to_be_sent_again_and_a_program_is_told_in_json(client, app, fly_season):
    fly_season()
    spoil(app, "craft", 1, "document", "{}")
    answer = client.get("/api/crafts")
    assert answer.status_code == 503
    assert "set aside" in answer.json()["detail"]
    assert client.get("/api/crafts").status_code == 200
    spoil(app, "pack", 3, "document", "{}")
    answer = client.post("/hangar/packs/3/standing", data={"standing": "retired"})
    assert answer.status_code in (303, 503)
    assert client.get("/sheets", headers={"accept": "application/json"}).status_code == 200


def test_left_out_it_is_spoken_of_no_more(client, app, fly_season):
    fly_season()
    spoil(app, "flight", 4, "document", '{"half')
    follow(client, "/log")
    assert "is no JSON" in client.get("/unreadable").text
    assert client.post("/unreadable/1/leave").status_code == 303
    assert "One stored thing" not in client.get("/log").text
    assert client.post("/log/4/undelete").status_code == 422


def test_a_recording_that_is_none_is_set_aside_and_said_anew(client, app):
    with closing(sqlite3.connect(app.state.database.path)) as other:
        other.execute(
            "INSERT INTO voice_line (version, name, words, created_at, updated_at, own_on, own_wav) VALUES "
            "(1, 'land now', 'land now', '2026-11-01 10:00:00', '2026-11-01 10:00:00', 1, x'00')"
        )
        other.commit()
    quiet = TestClient(
        client.app, base_url="http://127.0.0.1", client=("127.0.0.1", 50000), raise_server_exceptions=False
    )
    assert quiet.get("/callouts/8/voices").status_code == 200
    assert "Spoken line “land now”" in client.get("/unreadable").text
    assert client.post("/callouts/8/voices", data={"spoken.landnow": "come down"}).status_code == 303
    assert 'value="come down"' in client.get("/callouts/8/voices").text
    assert "Everything that is stored can be read" in client.get("/unreadable").text


def test_a_log_whose_file_is_damaged_is_set_aside_where_it_is_learned_from(client, app, fly_season):
    fly_season()
    with closing(sqlite3.connect(app.state.database.path)) as other:
        other.execute("UPDATE log SET packed = x'00'")
        other.execute("DELETE FROM log_fit")
        other.commit()
    for door in (*DOORS, *(f"/sheets/{k}" for k in range(1, 9))):
        assert follow(client, door).status_code == 200, door
