"""Backup and restore: whole, checked, into a new or an existing place; older ones are brought forward."""

from __future__ import annotations

import os
import shutil
import sqlite3
import threading
import time
import zlib
from contextlib import closing, suppress

import pytest
from alembic import command
from alembic.config import Config
from sqlalchemy.exc import IntegrityError

from tests.killed import worker
from tests.sheets import sheet
from zesty_cell.demo.club import load_club
from zesty_cell.demo.log import load_log, load_telemetry
from zesty_cell.store import flights, setting_aside, sheets
from zesty_cell.store.backup import BackupError, backup, look_into, restore
from zesty_cell.store.database import _MIGRATIONS, Database, _upgrade, revision_in
from zesty_cell.store.wholeness import faults_of
from zesty_cell.store.working import sweep
from zesty_cell.words.say import say


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


@pytest.fixture(scope="module")
def club_and_season(season, tmp_path_factory):
    """The same with a telemetry log."""
    path = tmp_path_factory.mktemp("logged") / "club.sqlite"
    shutil.copy(season, path)
    database = Database(path)
    with database.session() as session:
        load_telemetry(session)
    database.close()
    with closing(sqlite3.connect(path)) as one_file:
        one_file.execute("PRAGMA journal_mode=DELETE")
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
    assert "54 flights, the newest of 19 November 2026" in say(contents.words())
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
        (acting, "trigger “act” that is none of ours"),
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
    assert not list(tmp_path.glob(".zesty-cell-*"))


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ("DROP TABLE log_fit", "has no table “log_fit”"),
        ("DROP INDEX ix_pack_series", "has no index “ix_pack_series”"),
        ("ALTER TABLE craft DROP COLUMN lent_to", "the table “craft” is not what its version has"),
        ("ALTER TABLE craft ADD COLUMN more TEXT", "the table “craft” is not what its version has"),
        ("CREATE TABLE other (id INTEGER)", "a table “other” that is none of ours"),
        ("CREATE VIEW pack_view AS SELECT * FROM pack", "a view “pack_view” that is none of ours"),
        ("UPDATE alembic_version SET version_num = '0000'", "a version that never was"),
        ("UPDATE alembic_version SET version_num = 'x'", "a version that never was"),
        ("DELETE FROM alembic_version", "no backup of Zesty Cell"),
        ("UPDATE flight SET pack_id = 9999 WHERE id = 3", "flight 3 needs a pack that is not there"),
        ("DELETE FROM craft", "needs a craft that is not there"),
        ("UPDATE pack SET standing = 'borrowed' WHERE id = 2", "pack 2: cannot be read: standing"),
        ("UPDATE pack SET flights = 999999 WHERE id = 2", "pack 2: cannot be read: flights"),
        ("UPDATE craft SET lent_to = 'A' || char(9) || 'b' WHERE id = 1", "craft 1: cannot be read: lent_to"),
        ("UPDATE flight SET document = 'x' WHERE id = 3", "flight 3: cannot be read: document: is no JSON"),
        ("UPDATE flight SET landed_at = 'soon' WHERE id = 3", "flight 3: cannot be read: landed_at: is no moment"),
        ("UPDATE flight SET previous = '[]' WHERE id = 3", "flight 3: cannot be read: previous"),
        ("UPDATE sheet SET trying = '[\"magic\"]' WHERE id = 1", "sheet 1: cannot be read: trying"),
        ("UPDATE sheet SET name = '' WHERE id = 1", "sheet 1: cannot be read: name"),
        ("UPDATE log SET mapping = '{}' WHERE id = 1", "log 1: cannot be read: mapping"),
        ("UPDATE log SET packed = x'0000' WHERE id = 1", "log 1: cannot be read: the log cannot be unpacked"),
        ("UPDATE log SET packed = substr(packed, 1, 900) WHERE id = 1", "log 1: .* ends in its middle"),
        (
            "INSERT INTO callouts (version, name, sheet_id, created_at, updated_at, document) VALUES "
            "(1, 'plan', 1, '2026-11-01 10:00:00', '2026-11-01 10:00:00', '{\"rules\": 3}')",
            "callouts 1: cannot be read: document",
        ),
        (
            "INSERT INTO voice_line (version, name, words, created_at, updated_at, own_on, own_wav) VALUES "
            "(1, 'low', 'low', '2026-11-01 10:00:00', '2026-11-01 10:00:00', 1, x'00')",
            "voice_line 1: cannot be read",
        ),
        (
            "INSERT INTO field_entry (entry, taken_at, answer) VALUES ('one', '2026-11-01 10:00:00', 'junk')",
            "field_entry one: cannot be read: answer: is no JSON",
        ),
    ],
)
def test_a_backup_that_a_page_could_not_show_is_refused_and_named(club_and_season, tmp_path, change, words):
    file = tmp_path / "odd.backup"
    shutil.copy(club_and_season, file)
    make(file, "PRAGMA foreign_keys=OFF", change)
    place = tmp_path / "place.sqlite"
    with pytest.raises(BackupError, match=words) as found:
        restore(file, place)
    assert str(found.value).startswith("odd.backup")
    assert str(found.value).endswith("Nothing was changed.")
    assert not place.exists()
    assert not list(tmp_path.glob(".zesty-cell-*"))


def test_what_was_set_aside_stays_so_in_a_backup(club_and_season, tmp_path):
    place = tmp_path / "mine.sqlite"
    shutil.copy(club_and_season, place)
    make(
        place,
        "UPDATE flight SET document = '{\"half' WHERE id = 3",
        "UPDATE flight SET landed_at = 'x' WHERE id = 4",
    )
    database = Database(place)
    with database.session() as session:
        assert setting_aside.set_aside(session) == 2
    database.close()
    assert faults_of(place) == ()
    backup(place, tmp_path / "mine.backup")
    assert restore(tmp_path / "mine.backup", tmp_path / "new.sqlite").flights == 52
    brought = Database(tmp_path / "new.sqlite")
    with brought.session() as session:
        assert sorted(one.row_id for one in setting_aside.all_of(session)) == [3, 4]
    brought.close()


def test_a_log_that_unpacks_to_more_than_any_file_is_refused(club_and_season, tmp_path):
    file = tmp_path / "bomb.backup"
    shutil.copy(club_and_season, file)
    with sqlite3.connect(file) as made:
        made.execute("UPDATE log SET packed = ? WHERE id = 1", (zlib.compress(bytes(26_000_000)),))
    made.close()
    with pytest.raises(BackupError, match="log 1: cannot be read: the log is larger than 25 MB"):
        look_into(file)


def test_more_rows_than_any_pilot_has_are_refused(club_and_season, tmp_path, monkeypatch):
    monkeypatch.setattr("zesty_cell.store.backup.MOST_ROWS", 50)
    with pytest.raises(BackupError, match="at most 50 are taken"):
        look_into(club_and_season)
    monkeypatch.setattr("zesty_cell.store.backup.MOST_BYTES", 1000)
    with pytest.raises(BackupError, match="is larger than"):
        look_into(club_and_season)


def test_a_place_in_use_is_taken_with_what_is_written_beside_it(season, tmp_path):
    source = tmp_path / "in-use.sqlite"
    shutil.copy(season, source)
    database = Database(source)
    with database.session() as session:
        sheets.bring_in(session, sheet(name="just now"))
    assert source.with_name("in-use.sqlite-wal").stat().st_size > 0
    restore(source, tmp_path / "place.sqlite")
    database.close()
    assert "just now" in {s.name for s in held(tmp_path / "place.sqlite")[0].values()}


def test_a_place_that_is_damaged_or_old_is_replaced_too(season, tmp_path):
    junk = tmp_path / "junk.sqlite"
    junk.write_bytes(b"SQLite format 3\x00" + os.urandom(5000))
    restore(season, junk)
    assert held(junk) == held(season)
    assert [p.stat().st_size for p in tmp_path.glob("junk.before-restore-*.backup")] == [5016]
    old = tmp_path / "old.sqlite"
    _upgrade(old, "0004")
    restore(season, old)
    assert held(old) == held(season)
    with closing(sqlite3.connect(next(tmp_path.glob("old.before-restore-*.backup")))) as kept:
        assert revision_in(kept) == "0004"


def test_what_is_acknowledged_during_a_restore_is_in_one_of_both(season, tmp_path):
    place = tmp_path / "busy.sqlite"
    shutil.copy(season, place)
    database, acknowledged, stop = Database(place), [], threading.Event()

    def save(who):
        k = 0
        while not stop.is_set():
            name = f"save {who} {k}"
            k += 1
            with suppress(IntegrityError), database.session() as session:  # its craft went: nothing was stored
                sheets.bring_in(session, sheet(name=name))
                session.commit()
                acknowledged.append(name)

    writers = [threading.Thread(target=save, args=(who,)) for who in range(3)]
    for writer in writers:
        writer.start()
    try:
        for _ in range(4):
            time.sleep(0.1)
            restore(season, place)
    finally:
        stop.set()
        for writer in writers:
            writer.join()
        database.close()
    kept = list(tmp_path.glob("busy.before-restore-*.backup"))
    assert len(kept) == 4
    found = {s.name for file in (place, *kept) for s in held(file)[0].values()}
    assert len(acknowledged) > 30
    assert set(acknowledged) <= found


def test_what_processes_that_are_gone_left_is_swept_and_what_runs_is_left(tmp_path, monkeypatch):
    monkeypatch.setattr("tempfile.tempdir", str(tmp_path))
    place = tmp_path / "mine.sqlite"
    gone = tmp_path / ".zesty-cell-4194399-abc"
    gone.mkdir()
    (gone / "copy.sqlite").write_bytes(b"x")
    (tmp_path / ".zesty-cell-4194398-mine.backup.part").write_bytes(b"x")
    ours = tmp_path / f".zesty-cell-{os.getpid()}-abc"
    ours.mkdir()
    (tmp_path / ".zesty-cell-notes").write_bytes(b"x")
    assert sweep(place) == 2
    assert sorted(p.name for p in tmp_path.iterdir()) == sorted([ours.name, ".zesty-cell-notes"])


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
