"""What an operator sees: events in a log, and whether a database is whole."""

from __future__ import annotations

import json
import logging
import os
import sqlite3
from contextlib import closing

import pytest
from starlette.applications import Starlette
from starlette.responses import PlainTextResponse
from starlette.routing import Route
from starlette.testclient import TestClient

from zesty_cell.cli import main
from zesty_cell.operating import JsonLines, PlainLines, set_up_logging, tell
from zesty_cell.store.database import (
    HEAD_REVISION,
    DamagedDatabaseError,
    Database,
    NewerDatabaseError,
    UnwritablePlaceError,
)
from zesty_cell.store.wholeness import faults_of
from zesty_cell.web.http.slow import TellSlow


@pytest.fixture
def told(caplog):
    """Events that were told, as pairs of event and fields."""
    caplog.set_level(logging.INFO, "zesty_cell")
    return lambda: [(r.getMessage(), getattr(r, "fields", {})) for r in caplog.records if r.name == "zesty_cell"]


def _record(**fields):
    record = logging.LogRecord("zesty_cell", logging.WARNING, __file__, 1, "slow request", None, None)
    record.created, record.fields = 0.0, fields
    return record


def test_an_event_is_one_line_plain_or_json():
    record = _record(route="/sheets/{sheet_id}", seconds=1.4)
    assert PlainLines().format(record) == (
        "1970-01-01T00:00:00+00:00 warning slow request route=/sheets/{sheet_id} seconds=1.4"
    )
    assert json.loads(JsonLines().format(record)) == {
        "at": "1970-01-01T00:00:00.000+00:00", "level": "warning", "event": "slow request",
        "route": "/sheets/{sheet_id}", "seconds": 1.4,
    }  # fmt: skip


def test_what_is_under_the_level_is_not_told(capsys):
    before = [(n, logging.getLogger(n).handlers[:], logging.getLogger(n).level) for n in ("zesty_cell", "uvicorn")]
    try:
        set_up_logging(level="warning", as_json=True)
        tell("start", schema="0009")
        tell("refused", level=logging.WARNING, why="foreign host")
        lines = capsys.readouterr().err.splitlines()
        assert [json.loads(line)["event"] for line in lines] == ["refused"]
    finally:
        for name, handlers, level in before:
            logging.getLogger(name).handlers[:] = handlers
            logging.getLogger(name).setLevel(level)
            logging.getLogger(name).propagate = True


def test_migration_is_told(tmp_path, told):
    Database(tmp_path / "new.sqlite").close()
    assert ("migrated", {"schema_before": "none", "schema": HEAD_REVISION}) in told()


def test_a_refused_request_is_told_by_its_reason(client, told):
    client.get("/sheets", headers={"host": "evil.example"})
    client.post("/sheets", headers={"sec-fetch-site": "cross-site"})
    why = [fields["why"] for event, fields in told() if event == "refused"]
    assert why == ["foreign host", "another site"]


def test_a_slow_request_is_told_without_the_numbers_in_its_address(told):
    app = Starlette(routes=[Route("/sheets/{sheet_id:int}", lambda _request: PlainTextResponse("late"))])
    with TestClient(TellSlow(app, slow_s=0.0)) as slow, TestClient(TellSlow(app, slow_s=60.0)) as quick:
        slow.get("/sheets/8")
        quick.get("/sheets/8")
    [(event, fields)] = told()
    assert event == "slow request"
    assert (fields["method"], fields["route"], fields["status"]) == ("GET", "/sheets/{sheet_id:int}", 200)
    assert 0.0 <= fields["seconds"] < 60.0


def test_an_unforeseen_error_is_told_once_with_its_reference(app, client, told, monkeypatch):
    def broken(*_args, **_kwargs):
        raise RuntimeError("a bug")

    monkeypatch.setattr("zesty_cell.web.sheet.view.sheet_context", broken)
    client._transport.raise_server_exceptions = False
    answer = client.get("/sheets/8")
    unforeseen = [fields for event, fields in told() if event == "unforeseen"]
    assert answer.status_code == 500
    assert len(unforeseen) == 1
    assert unforeseen[0]["reference"] in answer.text
    assert unforeseen[0]["route"] == "/sheets/{sheet_id}"


def test_a_whole_database_is_called_whole(season_file, capsys):
    assert faults_of(season_file) == ()
    assert main(["check", "--database", str(season_file)]) == 0
    assert "is whole" in capsys.readouterr().out


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ("UPDATE pack SET document = json_set(document, '$.series', 0) WHERE id = 3", "pack 3: cannot be read"),
        ("UPDATE flight SET document = '{}' WHERE id = 2", "flight 2: cannot be read"),
        ("UPDATE sheet SET pack_id = 9999 WHERE id = 4", "sheet 4: refers to a pack"),
        ("ALTER TABLE craft DROP COLUMN lent_to", "craft: columns are missing: lent_to"),
        ("DROP TABLE log_fit", "log_fit: the table is missing"),
        ("UPDATE alembic_version SET version_num = '0004'", "its tables are of version 0004"),
    ],
)
def test_what_is_not_whole_is_named(season_file, tmp_path, capsys, change, words):
    path = tmp_path / "broken.sqlite"
    path.write_bytes(season_file.read_bytes())
    with closing(sqlite3.connect(path)) as connection:
        connection.execute("PRAGMA foreign_keys=OFF")
        connection.execute(change)
        connection.commit()
    assert main(["check", "--database", str(path)]) == 1
    assert words in capsys.readouterr().out


def test_a_file_that_is_no_database_is_a_word(tmp_path, capsys):
    path = tmp_path / "junk.sqlite"
    path.write_bytes(b"not a database at all, but long enough to be looked at twice" * 40)
    with pytest.raises(DamagedDatabaseError):
        faults_of(path)
    with pytest.raises(DamagedDatabaseError):
        Database(path)
    assert main(["check", "--database", str(path)]) == 2
    assert main(["check", "--database", str(tmp_path / "none.sqlite")]) == 2
    assert "there is nothing at" in capsys.readouterr().err


def test_a_newer_database_is_refused_in_words(tmp_path, capsys):
    path = tmp_path / "newer.sqlite"
    Database(path).close()
    with closing(sqlite3.connect(path)) as connection:
        connection.execute("UPDATE alembic_version SET version_num = '9999'")
        connection.commit()
    with pytest.raises(NewerDatabaseError, match="newer version"):
        Database(path)
    before = path.read_bytes()
    assert main(["serve", "--database", str(path), "--port", "8799"]) == 2
    assert "update this one" in capsys.readouterr().err
    assert path.read_bytes() == before


@pytest.mark.skipif(os.geteuid() == 0, reason="root may write anywhere")
def test_a_folder_that_may_not_be_written_to_is_a_word(tmp_path):
    tmp_path.chmod(0o500)
    with pytest.raises(UnwritablePlaceError):
        Database(tmp_path / "one.sqlite")


def test_a_place_that_cannot_be_made_is_a_word(tmp_path, capsys):
    (tmp_path / "file").write_text("in the way")
    with pytest.raises(UnwritablePlaceError):
        Database(tmp_path / "file" / "one.sqlite")
    assert main(["serve", "--database", str(tmp_path / "file" / "one.sqlite"), "--port", "8797"]) == 2
    assert "cannot be made" in capsys.readouterr().err
