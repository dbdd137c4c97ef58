"""Flights from a CSV: looked at line by line, logged whole or not at all, never twice."""

from __future__ import annotations

import io
import re
import shutil
import sqlite3
import time
from datetime import UTC, datetime, timedelta

import pytest

from tests.killed import worker
from zesty_cell.core.learn.flights import Airborne, LoggedFlight, odd_ones
from zesty_cell.formats.flights_csv import NamedFlight, write_flights
from zesty_cell.services.turns import TURNS
from zesty_cell.store import flights as store
from zesty_cell.store.database import Database
from zesty_cell.store.hangar import PACKS
from zesty_cell.web.log import importing

HEAD = "landed at (UTC),craft,pack,flew (m:ss),put back (mAh),rest (V a cell)\n"
GOOD = "2026-05-03 12:00:00,Heron,Pomelo 1,10:00,2000,3.75\n"
LATER = GOOD.replace("2026-05-03", "2026-05-04")


def season(count: int, *, began=datetime(2024, 1, 1, 8, 0, tzinfo=UTC)) -> str:
    """A log of so many flights, two packs in turn."""
    return write_flights(
        NamedFlight(
            "Heron",
            f"Pomelo {1 + k % 2}",
            LoggedFlight(
                landed_at=began + timedelta(hours=k),
                duration_s=600.0 + k % 60,
                pattern="Shoreline cruise",
                put_back_ah=2.0 + 0.001 * (k % 500),
                rest_v_per_cell=3.7,
            ),
        )
        for k in range(count)
    )


def bring(client, text, **form):
    data = text.encode() if isinstance(text, str) else text
    answer = client.post("/log/import", files={"file": ("old.csv", io.BytesIO(data))}, data={"zone": "UTC"} | form)
    return answer.headers["location"]


def finished(client, address):
    for _ in range(200):
        page = client.get(address).text
        if 'data-running="no"' in page:
            return page
        time.sleep(0.05)
    raise AssertionError("it never ended")


def logged(app):
    with app.state.database.session() as session:
        return [store.flight_of(row) for row in store.newest(session, 100_000)][::-1]


def test_a_file_is_looked_at_before_anything_is_logged(client, app):
    where = bring(client, HEAD + GOOD)
    page = finished(client, where)
    assert "Look before you import" in page
    assert ">1</b> new flight" in page
    assert logged(app) == []
    assert client.post(where).status_code == 303
    assert "1</b> flight joined the log" in finished(client, where)
    [flight] = logged(app)
    assert (flight.duration_s, flight.put_back_ah, flight.pattern) == (600.0, 2.0, "Shoreline cruise")


def test_importing_twice_adds_nothing_twice(client, app):
    where = bring(client, season(30))
    finished(client, where)
    client.post(where)
    client.post(where)  # pressed twice
    finished(client, where)
    assert len(logged(app)) == 30
    again = bring(client, season(30))
    page = finished(client, again)
    assert ">0</b> new flights, 30 in the log already" in page
    assert '<button type="submit" class="main"' not in page.split("<main")[1]
    client.post(again)
    assert len(logged(app)) == 30


def test_what_the_application_wrote_itself_is_known(client, app, fly_season):
    fly_season()
    text = client.get("/log/flights.csv").text
    assert "54 in the log already" in finished(client, bring(client, text))


def test_an_export_moves_into_another_place_figure_by_figure(client, app, fly_season):
    fly_season()
    with app.state.database.session() as session:
        before = [store.flight_of(row) for row in store.newest(session, 100)]
    text = client.get("/log/flights.csv").text
    with app.state.database.session() as session:
        for row in store.newest(session, 100):
            session.delete(row)
    where = bring(client, text)
    finished(client, where)
    client.post(where)
    finished(client, where)
    after = logged(app)[::-1]
    assert len(after) == 54
    for one, other in zip(before, after, strict=True):
        assert other == one


@pytest.mark.parametrize(
    ("line", "words"),
    [
        (GOOD.replace("Heron", "Nobody"), "There is no craft “Nobody” in the hangar."),
        (GOOD.replace("Pomelo 1", "Durian"), "There is no pack “Durian” in the hangar."),
        (LATER.replace("2000", "9000"), "more than Pomelo 1 holds"),
        (LATER.replace("3.75", "4.4"), "over a full cell"),
        (GOOD.replace("10:00", "0:02"), "“flew (m:ss)”: at least 0:05"),
        (GOOD.replace("2026", "2062"), "lies in the future"),
        (GOOD.replace("12:00:00", "12:05:00"), "two flights overlap"),
        (GOOD.replace("10:00", "soon"), "“soon” is not a number"),
    ],
)
def test_each_line_has_its_verdict(client, app, line, words):
    page = finished(client, where := bring(client, HEAD + GOOD + line))
    assert words in page
    assert ">1</b> new flight" in page
    assert "1 that cannot be taken" in page
    client.post(where)
    finished(client, where)
    assert len(logged(app)) == 1  # the good one


def test_the_same_flight_twice_in_a_file_is_one(client):
    assert ">1</b> new flight, 1 in the log already" in finished(client, bring(client, HEAD + GOOD + GOOD))


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "empty"),
        (b"\x00\x01\x02" * 50, "NUL"),
        (b"when,who\n1,2\n", "No column is named"),
        (b"just words\nand more\n", "Only one column"),
        (HEAD.encode() + b'"2026-05-03,Heron\n', "quotes"),
    ],
)
def test_a_file_that_is_no_log_is_refused_whole(client, app, data, words):
    page = finished(client, bring(client, data))
    assert "Not imported" in page
    assert words in page
    assert logged(app) == []


def test_the_packs_count_their_flights_and_stand_where_the_newest_left_them(client, app):
    def pomelo():
        with app.state.database.session() as session:
            row = next(r for r in PACKS.all(session) if r.name == "Pomelo 1")
            return row.flights, row.rest_v_per_cell

    before = pomelo()[0]
    where = bring(client, season(20) + "2026-11-20 10:00:00,Heron,Pomelo 1,cruise,600,,3.55\n")
    finished(client, where)
    client.post(where)
    finished(client, where)
    assert pomelo() == (before + 11, 3.55)


def test_a_pilots_own_zone_is_taken(client, app):
    text = HEAD.replace(" (UTC)", "") + GOOD
    page = finished(client, where := bring(client, text, zone="Europe/Berlin"))
    assert "read as Europe/Berlin" in page
    client.post(where)
    finished(client, where)
    assert logged(app)[0].landed_at.hour == 10
    assert "read as UTC" in finished(client, bring(client, text, zone="Nowhere/None"))


def test_a_file_that_is_not_held_any_more_is_said_so(client):
    answer = client.get("/log/import/0123456789abcdef")
    assert answer.headers["location"] == "/log"


def test_a_database_that_is_locked_logs_nothing_and_may_be_tried_again(client, app):
    where = bring(client, HEAD + GOOD)
    lock = sqlite3.connect(app.state.database.path)
    lock.execute("BEGIN IMMEDIATE")
    with app.state.database.engine.connect() as connection:
        connection.exec_driver_sql("PRAGMA busy_timeout=50")
    client.post(where)
    lock.rollback()
    lock.close()
    page = finished(client, where)
    if "joined the log" not in page:  # it waited longer than the lock was held
        assert "locked, or the disk is full" in page
        assert logged(app) == []
        client.post(where)
        assert "joined the log" in finished(client, where)
    assert len(logged(app)) == 1


def test_a_killed_import_is_whole_or_not_there(club_file, tmp_path):
    """Killed while it writes, again and again: the log holds all of a file or nothing of it."""
    work = """
        import sys
        from pathlib import Path
        from tests.web.test_import import season
        from zesty_cell.store.database import Database
        from zesty_cell.web.log.imports_view import Import, look, write

        one, looked_at = Import("token", "old.csv"), Database(Path(sys.argv[1]))
        look(one, season(1500).encode(), looked_at)
        looked_at.close()

        def work(place):
            write(one, Database(Path(place)))
    """
    done = []
    first = tmp_path / "first.sqlite"
    shutil.copy(club_file, first)
    with worker(work, first) as imports:
        for k, delay_s in enumerate((0.02, 0.05, 0.1, 0.15, 0.25, 20.0)):
            path = tmp_path / f"{k}.sqlite"
            shutil.copy(club_file, path)
            done.append(imports.killed_after(delay_s, path))
            database = Database(path)
            with database.session() as session:
                count = len(store.newest(session, 5000))
                assert count in (0, 1500)
                assert count == 1500 or not done[-1]
            with database.engine.connect() as connection:
                assert connection.exec_driver_sql("PRAGMA integrity_check").scalar() == "ok"
            database.close()
    assert (done[0], done[-1]) == (False, True)


def test_overlaps_are_found_among_many():
    noon = datetime(2026, 5, 3, 12, 0, tzinfo=UTC)

    def flight(minute, length=10):
        return LoggedFlight(landed_at=noon + timedelta(minutes=minute), duration_s=60.0 * length, pattern="cruise")

    air = Airborne((noon + timedelta(minutes=20 * k), 600.0) for k in range(100))
    assert not air.overlaps(flight(10))
    assert air.overlaps(flight(5))
    assert air.overlaps(flight(19, length=1))
    assert air.overlaps(flight(15, length=60))
    assert not air.overlaps(flight(-11))
    air.add(flight(10))
    assert air.overlaps(flight(10))


def test_odd_flights_are_found_by_the_others():
    assert odd_ones([1.0, 1.02, 0.98, 1.5]) == [False, False, False, True]
    assert odd_ones([1.0, 1.5, 1.0]) == [False] * 3
    assert odd_ones([1.0, 1.05, 0.95, 1.1, 0.9, 1.0]) == [False] * 6


def test_the_log_marks_odd_flights_and_finds_by_air(client, app, fly_season):
    fly_season()
    with app.state.database.session() as session:
        row = next(r for r in store.newest(session, 60) if r.craft.name == "Heron")
        flight = store.flight_of(row)
        session.commit()
        before = client.get("/log").text.count("unlike the others’ charge a minute")
        store.change(session, row.id, row.version, flight.model_copy(update={"put_back_ah": 4.3}))
    page = client.get("/log").text
    assert page.count("unlike the others’ charge a minute") == before + 1
    cold = client.get("/log", params={"air": "frost"}).text
    shown = re.findall(r'href="/log/(\d+)"', cold)
    assert 0 < len(shown) < 10
    assert "54 flights" in client.get("/log", params={"air": "nonsense"}).text
    assert 'class="timer-tick"' in page


def test_the_database_is_one_file_for_all(tmp_path):
    database = Database(tmp_path / "empty.sqlite")
    with database.session() as session:
        assert store.add_many(session, []) == 0
    database.close()


def test_an_import_in_line_says_so_and_is_stopped(client, app):
    with TURNS.heavy():
        where = bring(client, season(40))
        page = client.get(where).text
        assert "One piece of work goes before it." in page
        assert f'action="{where}/stop"' in page
        assert client.post(f"{where}/stop").headers["location"] == where
    assert "Stopped. Nothing was logged." in finished(client, where)
    assert client.post("/log/import/gone/stop").status_code == 303
    with app.state.database.session() as session:
        assert store.newest(session, 10) == []


def test_an_import_is_stopped_while_it_is_read(client, app, monkeypatch):
    def stopped_at_once(one):
        one.stop()
        real(one)

    real = importing.Import.go_on
    monkeypatch.setattr(importing.Import, "go_on", stopped_at_once)
    assert "Stopped. Nothing was logged." in finished(client, bring(client, season(400)))
    with app.state.database.session() as session:
        assert store.newest(session, 10) == []
