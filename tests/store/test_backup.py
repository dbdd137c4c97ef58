"""Backup and restore: whole, checked, into a new or an existing place; older ones are brought forward."""

from __future__ import annotations

import os
import shutil
import sqlite3
import threading

import pytest
from alembic import command
from alembic.config import Config

from tests.killed import worker
from tests.sheets import sheet
from zesty_cell.demo.club import load_club
from zesty_cell.demo.log import load_log
from zesty_cell.store import flights, sheets
from zesty_cell.store.backup import BackupError, backup, look_into, restore
from zesty_cell.store.database import _MIGRATIONS, Database


@pytest.fixture(scope="module")
def season(tmp_path_factory):
    """A place with the club and its log."""
    path = tmp_path_factory.mktemp("season") / "club.sqlite"
    database = Database(path)
    with database.session() as session:
        load_club(session)
        load_log(session)
    database.close()
    return path


def held(path):
    database = Database(path)
    with database.session() as session:
        found = (
            {r.id: sheets.as_sheet(r) for r in sheets.all_sheets(session)},
            [flights.flight_of(r) for r in flights.newest(session, 1000)],
        )
    database.close()
    return found


def test_a_backup_restored_into_a_new_place_is_the_same(season, tmp_path):
    backup(season, tmp_path / "kept" / "club.backup")
    contents = restore(tmp_path / "kept" / "club.backup", tmp_path / "new" / "place.sqlite")
    assert held(tmp_path / "new" / "place.sqlite") == held(season)
    assert (contents.sheets, contents.flights) == (8, 54)
    assert "54 flights, the newest of 19 November 2026" in contents.words()
    assert not list((tmp_path / "kept").glob(".*"))


def test_a_place_that_is_there_is_replaced_and_kept_beside(season, tmp_path):
    place = tmp_path / "mine.sqlite"
    mine = Database(place)
    with mine.session() as session:
        sheets.bring_in(session, sheet(name="mine"))
    backup(season, tmp_path / "club.backup")
    restore(tmp_path / "club.backup", place)
    # The same connections see the new things: a running server goes on.
    with mine.session() as session:
        assert {r.name for r in sheets.all_sheets(session)} == {s.name for s in held(season)[0].values()}
        sheets.bring_in(session, sheet(name="after"))
    mine.close()
    [kept] = tmp_path.glob("mine.before-restore-*.backup")
    assert [s.name for s in held(kept)[0].values()] == ["mine"]


def test_a_backup_of_an_older_version_is_brought_forward(season, tmp_path):
    old = tmp_path / "old.sqlite"
    shutil.copy(season, old)
    database = Database(old)
    config = Config()
    config.set_main_option("script_location", str(_MIGRATIONS))
    config.attributes["engine"] = database.engine
    command.downgrade(config, "0006")
    database.close()
    before = old.read_bytes()
    restore(old, tmp_path / "place.sqlite")
    assert held(tmp_path / "place.sqlite")[1] == held(season)[1]
    assert old.read_bytes() == before


def make(path, *statements):
    with sqlite3.connect(path) as made:
        for statement in statements:
            made.execute(statement)
    made.close()


def test_what_is_no_backup_is_refused_and_nothing_changes(season, tmp_path):
    place = tmp_path / "mine.sqlite"
    shutil.copy(season, place)
    before = held(place)
    text = tmp_path / "text.backup"
    text.write_text("these are only words")
    foreign = tmp_path / "foreign.backup"
    make(foreign, "CREATE TABLE other (id INTEGER)")
    newer = tmp_path / "newer.backup"
    shutil.copy(season, newer)
    make(newer, "UPDATE alembic_version SET version_num = '9999'")
    acting = tmp_path / "acting.backup"
    shutil.copy(season, acting)
    make(acting, "CREATE TRIGGER act AFTER INSERT ON sheet BEGIN DELETE FROM flight; END")
    broken = tmp_path / "broken.backup"
    shutil.copy(season, broken)
    make(broken, "UPDATE flight SET document = '{}' WHERE id = 3")
    damaged = tmp_path / "damaged.backup"
    data = bytearray(season.read_bytes())
    data[4096 * 3 : 4096 * 9] = os.urandom(4096 * 6)
    damaged.write_bytes(data)
    cut = tmp_path / "cut.backup"
    cut.write_bytes(season.read_bytes()[: 4096 * 5 + 100])
    for file, words in (
        (text, "no backup of Zesty Cell"),
        (foreign, "no backup of Zesty Cell"),
        (newer, "newer version"),
        (acting, "no backup of Zesty Cell"),
        (broken, "cannot be read"),
        (damaged, "Nothing was changed"),
        (cut, "Nothing was changed"),
        (tmp_path / "none.backup", "No such file"),
    ):
        with pytest.raises(BackupError, match=words):
            restore(file, place)
        with pytest.raises(BackupError):
            look_into(file)
    assert held(place) == before
    assert not list(tmp_path.glob("*.before-restore-*"))
    assert not list(tmp_path.glob(".restore-*"))


def test_a_backup_overwrites_nothing_and_says_what_it_lacks(season, tmp_path):
    there = tmp_path / "there.backup"
    there.write_text("mine")
    with pytest.raises(BackupError, match="is there already"):
        backup(season, there)
    assert there.read_text() == "mine"
    with pytest.raises(BackupError, match="nothing at"):
        backup(tmp_path / "none.sqlite", tmp_path / "new.backup")
    blocked = tmp_path / "file"
    blocked.write_text("")
    with pytest.raises(BackupError, match="could not be written"):
        backup(season, blocked / "new.backup")


def test_a_backup_is_whole_while_others_save(season, tmp_path):
    place = tmp_path / "busy.sqlite"
    shutil.copy(season, place)
    database = Database(place)
    stop = threading.Event()

    def save():
        k = 0
        while not stop.is_set():
            with database.session() as session:
                sheets.bring_in(session, sheet(name=f"save {k}"))
            k += 1

    writer = threading.Thread(target=save)
    writer.start()
    try:
        for k in range(5):
            backup(place, tmp_path / f"{k}.backup")
    finally:
        stop.set()
        writer.join()
        database.close()
    for k in range(5):
        assert look_into(tmp_path / f"{k}.backup").flights == 54


def test_a_killed_restore_leaves_the_old_or_the_new(season, tmp_path):
    backup(season, tmp_path / "club.backup")
    work = """
        from pathlib import Path
        from zesty_cell.store import backup

        def work(source, place):
            backup.restore(Path(source), Path(place))
    """
    club, done = {s.name for s in held(season)[0].values()}, []
    with worker(work) as restores:
        for k, delay_s in enumerate((0.005, 0.02, 0.05, 0.1, 0.2, 20.0)):
            place = tmp_path / f"place-{k}.sqlite"
            mine = Database(place)
            with mine.session() as session:
                sheets.bring_in(session, sheet(name="mine"))
            mine.close()
            done.append(restores.killed_after(delay_s, tmp_path / "club.backup", place))
            found = {s.name for s in held(place)[0].values()}
            assert found in ({"mine"}, club)
            assert not done[-1] or found == club
    assert (done[0], done[-1]) == (False, True)
