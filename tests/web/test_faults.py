"""Full disk and locked database under the log: a clear word, nothing half-done, the same entry once later."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta

import pytest
from sqlalchemy import event

from tests.web.test_field import ENTRIES, JSON, at, land, logged_flights
from tests.web.test_import import bring, finished, season
from zesty_cell.store import flights as store


@contextmanager
def full_disk(app) -> Iterator[None]:
    """No page more than the file has now."""
    engine = app.state.database.engine

    def no_more(connection, _record):
        pages = connection.execute("PRAGMA page_count").fetchone()[0]
        connection.execute(f"PRAGMA max_page_count = {pages}")

    event.listen(engine, "connect", no_more)
    engine.dispose()
    yield
    event.remove(engine, "connect", no_more)
    engine.dispose()


@contextmanager
def locked(app) -> Iterator[None]:
    """Another process writes, and does not let go."""
    engine = app.state.database.engine

    def impatient(connection, _record):
        connection.execute("PRAGMA busy_timeout = 30")

    event.listen(engine, "connect", impatient)
    engine.dispose()
    other = sqlite3.connect(app.state.database.path)
    other.execute("BEGIN IMMEDIATE")
    yield
    other.rollback()
    other.close()
    event.remove(engine, "connect", impatient)
    engine.dispose()


def count(app) -> int:
    with app.state.database.session() as session:
        return len(store.newest(session, 1000))


def fill_up(client, app) -> None:
    """Flights until the last free bytes of the file's pages are gone."""
    form = at(client)[1] | {"duration_s": "1:00"}
    for k in range(400):
        landed = (datetime.now(UTC) - timedelta(minutes=600 + 10 * k)).isoformat()
        entry = {"entry": f"fill-{k}", "landed_at": landed}
        if client.post(ENTRIES, data=form | entry, headers=JSON).status_code == 503:
            return
    raise AssertionError("the disk never was full")


@pytest.mark.parametrize("trouble", [locked, full_disk])
def test_a_phones_entry_is_not_acknowledged_and_counts_once_later(client, app, trouble):
    with trouble(app):
        if trouble is full_disk:
            fill_up(client, app)
        before = count(app)
        answer = land(client, entry="late", duration_s="2:00")
        assert answer.status_code == 503
        assert "Nothing was stored" in answer.text
        assert count(app) == before
    assert land(client, entry="late", duration_s="2:00").status_code == 200
    assert land(client, entry="late", duration_s="2:00").status_code == 200
    assert count(app) == before + 1


@pytest.mark.parametrize("trouble", [locked, full_disk])
def test_an_import_is_whole_or_not_there(client, app, trouble):
    where = bring(client, season(400))
    assert "400</b> new flights" in finished(client, where)
    with trouble(app):
        client.post(where)
        page = finished(client, where)
        assert "locked, or the disk is full" in page
        assert "Import 400 flights" in page  # it may be tried again
        assert logged_flights(app) == []
    client.post(where)
    assert "joined the log" in finished(client, where)
    assert count(app) == 400


def test_a_calibration_that_could_not_be_stored_keeps_what_was_typed(client, app):
    form = {"action": "keep", "units": "metric", "volts": "cell", "craft": "1", "old": "110", "step": "0.1",
            "shown_1": "24.62", "meter_1": "24.81"}  # fmt: skip
    with locked(app):
        answer = client.post("/calibrate/voltage", data=form)
        assert answer.status_code == 503
        assert 'value="24.81"' in answer.text
        assert "still here" in answer.text
    assert client.post("/calibrate/voltage", data=form).status_code == 303


def test_a_flight_that_could_not_be_put_right_keeps_what_was_typed(client, app):
    land(client)
    with locked(app):
        answer = client.post("/log/1", data={"version": "1", "note": "into the wind"})
        assert answer.status_code == 503
        assert 'value="into the wind"' in answer.text
    assert logged_flights(app)[0].note == ""
