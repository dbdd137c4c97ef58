"""The database: migrations match the tables, older files come forward whole, a kill loses nothing."""

from __future__ import annotations

import os
import signal
import sqlite3
import subprocess
import sys
import textwrap
from contextlib import ExitStack, closing

import pytest
from alembic import command
from alembic.autogenerate import compare_metadata
from alembic.config import Config
from alembic.runtime.migration import MigrationContext
from alembic.script import ScriptDirectory

from tests.killed import worker
from tests.sheets import sheet
from zesty_cell.core.parts.ownership import type_of
from zesty_cell.demo.club import load_club
from zesty_cell.store import sheets
from zesty_cell.store.database import (
    _MIGRATIONS,
    HEAD_REVISION,
    DamagedDatabaseError,
    Database,
    HalfMigratedDatabaseError,
    NewerDatabaseError,
    _upgrade,
    revision_in,
    tables_at,
)
from zesty_cell.store.hangar import CRAFTS, PACKS
from zesty_cell.store.tables import Base


def test_migrations_make_exactly_the_tables(database):
    with database.engine.connect() as connection:
        assert compare_metadata(MigrationContext.configure(connection), Base.metadata) == []


def test_the_newest_revision_is_the_one_the_application_asks_for():
    config = Config()
    config.set_main_option("script_location", str(_MIGRATIONS))
    assert ScriptDirectory.from_config(config).get_current_head() == HEAD_REVISION


def test_nobody_waits_for_anothers_connection(database):
    with ExitStack() as all_at_once:
        for _ in range(60):
            session = all_at_once.enter_context(database.session())
            assert PACKS.all(session) == []


def test_an_error_in_a_transaction_leaves_nothing_behind(database):
    def save_and_fail():
        with database.session() as session:
            sheets.bring_in(session, sheet())
            raise RuntimeError

    with pytest.raises(RuntimeError):
        save_and_fail()
    with database.session() as session:
        assert sheets.all_sheets(session) == []
        assert CRAFTS.all(session) == []


def test_the_club_loads_once(database):
    with database.session() as session:
        assert load_club(session) == 8
        assert load_club(session) == 0


def of_version(path, revision, *statements):
    """A file as a version made it, with a craft nobody migrates, and then what was done to it."""
    _upgrade(path, revision)
    with sqlite3.connect(path) as old:
        for statement in statements:
            old.execute(statement)
    old.close()


def test_an_older_file_is_kept_as_it_was_before_it_is_migrated(tmp_path):
    path = tmp_path / "old.sqlite"
    of_version(path, "0006")
    Database(path).close()
    [kept] = tmp_path.glob("old.schema-0006-*.backup")
    with closing(sqlite3.connect(kept)) as copy, closing(sqlite3.connect(path)) as now:
        assert revision_in(copy) == "0006"
        assert revision_in(now) == HEAD_REVISION


@pytest.mark.parametrize(
    ("version", "error", "words"),
    [
        ("9999", NewerDatabaseError, "newer version"),
        ("0000", DamagedDatabaseError, "never was"),
        ("junk", DamagedDatabaseError, "never was"),
    ],
)
def test_a_version_that_is_not_ours_is_a_sentence_with_the_way_out(tmp_path, version, error, words):
    path = tmp_path / "mine.sqlite"
    of_version(path, "0008")
    Database(path).close()
    [kept] = tmp_path.glob("mine.schema-0008-*.backup")
    with sqlite3.connect(path) as moved:
        moved.execute("UPDATE alembic_version SET version_num = ?", (version,))
    moved.close()
    before = path.read_bytes()
    with pytest.raises(error, match=words) as found:
        Database(path)
    assert path.read_bytes() == before
    if version == "9999":
        assert f"zesty-cell restore {kept} --database {path}" in str(found.value)


def test_a_file_left_half_way_is_a_sentence_with_the_way_out_and_stays_as_it_is(tmp_path):
    path = tmp_path / "half.sqlite"
    of_version(path, "0008", "CREATE TABLE log_fit (log_id INTEGER)")
    for _ in range(2):
        with pytest.raises(HalfMigratedDatabaseError, match="half way") as found:
            Database(path)
        assert "zesty-cell restore" in str(found.value)
    with closing(sqlite3.connect(path)) as as_it_was:
        assert revision_in(as_it_was) == "0008"
    assert not list(tmp_path.glob(".zesty-cell-*"))


def test_a_migration_killed_at_any_moment_leaves_the_old_or_the_new(tmp_path):
    work = """
        from pathlib import Path
        from zesty_cell.store.database import Database

        def work(path):
            Database(Path(path)).close()
    """
    done = []
    with worker(work) as migrations:
        for k, delay_s in enumerate((0.005, 0.05, 0.15, 0.3, 0.5, 30.0)):
            path = tmp_path / f"old-{k}.sqlite"
            of_version(path, "0001")
            done.append(migrations.killed_after(delay_s, path))
            with closing(sqlite3.connect(path)) as found:
                assert revision_in(found) == (HEAD_REVISION if done[-1] else revision_in(found))
                assert tables_at(found) == tables_at(revision_in(found))
            Database(path).close()  # the next start goes on
    assert (done[0], done[-1]) == (False, True)


def test_a_file_of_the_first_release_is_brought_forward_whole(tmp_path):
    path = tmp_path / "first.sqlite"
    filled = Database(path)
    with filled.session() as session:
        load_club(session)
        names = {row.name for row in PACKS.all(session)}
        before = {row.id: sheets.as_sheet(row) for row in sheets.all_sheets(session)}
    config = Config()
    config.set_main_option("script_location", str(_MIGRATIONS))
    config.attributes["engine"] = filled.engine
    command.downgrade(config, "0001")
    filled.close()

    forward = Database(path)
    assert list(tmp_path.glob("first.schema-0001-*.backup"))
    with forward.session() as session:
        packs = PACKS.all(session)
        assert {row.name for row in packs} == names
        assert {row.standing for row in packs} == {"own"}
        assert {row.type_name for row in packs} == {type_of(name) for name in names}
        assert {row.id: sheets.as_sheet(row) for row in sheets.all_sheets(session)} == before
    with forward.engine.connect() as connection:
        assert compare_metadata(MigrationContext.configure(connection), Base.metadata) == []
    forward.close()


def test_a_killed_writer_loses_no_acknowledged_save(tmp_path):
    path = tmp_path / "killed.sqlite"
    script = textwrap.dedent(
        """
        import sys
        from pathlib import Path
        from tests.sheets import sheet
        from zesty_cell.store import sheets
        from zesty_cell.store.database import _MIGRATIONS, HEAD_REVISION, Database
        database = Database(Path(sys.argv[1]))
        for k in range(10_000):
            with database.session() as session:
                sheets.bring_in(session, sheet(name=f"save {k}"))
            print(k, flush=True)
        """
    )
    writer = subprocess.Popen([sys.executable, "-c", script, str(path)], stdout=subprocess.PIPE, text=True)
    acknowledged = [int(writer.stdout.readline()) for _ in range(25)]
    os.kill(writer.pid, signal.SIGKILL)
    acknowledged += [int(line) for line in writer.stdout.read().split() if line.isdigit()]
    writer.wait()
    writer.stdout.close()
    database = Database(path)
    with database.session() as session:
        kept = {row.name for row in sheets.all_sheets(session)}
        assert {f"save {k}" for k in acknowledged} <= kept
        assert all(sheets.as_sheet(row).pack.name == "Pomelo" for row in sheets.all_sheets(session))
    with database.engine.connect() as connection:
        assert connection.exec_driver_sql("PRAGMA integrity_check").scalar() == "ok"
    database.close()
