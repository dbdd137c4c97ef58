"""Opening the database: pragmas, migrations with a backup before each, sessions."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from contextlib import closing, contextmanager
from functools import cache, lru_cache
from pathlib import Path
from typing import Any, NoReturn

from sqlalchemy import Engine, create_engine, event, inspect, text
from sqlalchemy.exc import DatabaseError, OperationalError
from sqlalchemy.orm import Session, sessionmaker

from zesty_cell.core.errors import ZestyCellError
from zesty_cell.core.fact import Fact, fact
from zesty_cell.operating import tell
from zesty_cell.store.columns import refuse_unreadable
from zesty_cell.store.documents import from_text
from zesty_cell.store.memory import Memory
from zesty_cell.store.tables import now
from zesty_cell.store.working import part_of, working_folder

_MIGRATIONS = Path(__file__).parent / "migrations"
#: The newest revision under migrations/versions; a test keeps the two together.
HEAD_REVISION = "0016"


def _on_connect(connection: Any, _record: Any) -> None:
    cursor = connection.cursor()
    # WAL lets readers go on while one writes; FULL makes an acknowledged save survive a power cut.
    for pragma in ("journal_mode=WAL", "synchronous=FULL", "foreign_keys=ON", "busy_timeout=5000"):
        cursor.execute(f"PRAGMA {pragma}")
    cursor.close()


def _copy(source: Path, target: Path) -> None:
    """Make a file hold what another holds, in one step."""
    with closing(sqlite3.connect(source)) as given, closing(sqlite3.connect(target)) as to:
        given.backup(to)


def _readable(kept: Path, current: str | None) -> bool:
    """Whether a kept copy is of an earlier version than one that cannot be opened."""
    revision = kept.name.rpartition(".schema-")[2].partition("-")[0]
    return revision in revisions() and (current is None or not current.isdigit() or revision < current)


class PlaceError(ZestyCellError, RuntimeError):
    """A database cannot be opened, with what to do about it."""


class NewerDatabaseError(PlaceError):
    """It was made by a newer version."""


class DamagedDatabaseError(PlaceError):
    """It cannot be read."""


class UnwritablePlaceError(PlaceError):
    """It, or its folder, cannot be written to."""


class HalfMigratedDatabaseError(PlaceError):
    """It was left between two versions."""


def revision_of(engine: Engine) -> str | None:
    """Revision of the tables in a file; None for an empty one."""
    with engine.connect() as connection:
        if not inspect(connection).has_table("alembic_version"):
            return None
        return connection.execute(text("SELECT version_num FROM alembic_version")).scalar()


def revision_in(connection: sqlite3.Connection) -> str | None:
    """The same by SQLite's own connection; None too where what stands there is no text."""
    try:
        row = connection.execute("SELECT version_num FROM alembic_version").fetchone()
    except sqlite3.OperationalError:
        return None
    return row[0] if row is not None and isinstance(row[0], str) else None


@cache
def revisions() -> tuple[str, ...]:
    """Every revision there is, the oldest first."""
    return tuple(sorted(path.name.partition("_")[0] for path in (_MIGRATIONS / "versions").glob("[0-9]*.py")))


#: By kind and name: the columns of a table with type, whether needed, whether key, and what they refer to.
Schema = dict[tuple[str, str], tuple[object, ...]]


def tables_at(of: str | sqlite3.Connection) -> Schema:
    """What is in a database, or what a revision has."""
    return _schema_of(of) if isinstance(of, sqlite3.Connection) else _schema_at(of)


@lru_cache(maxsize=4)
def _schema_at(revision: str) -> Schema:
    with working_folder() as folder:
        path = folder / "empty.sqlite"
        _upgrade(path, revision)
        with closing(sqlite3.connect(path)) as connection:
            return _schema_of(connection)


def _schema_of(connection: sqlite3.Connection) -> Schema:
    found: Schema = {}
    for kind, name in connection.execute("SELECT type, name FROM sqlite_master WHERE name NOT LIKE 'sqlite_%'"):
        columns: tuple[object, ...] = ()
        if kind == "table":
            quoted = '"' + name.replace('"', '""') + '"'
            told = connection.execute(f"PRAGMA table_info({quoted})").fetchall()
            refers = connection.execute(f"PRAGMA foreign_key_list({quoted})").fetchall()
            columns = (
                *sorted((row[1], row[2], row[3], row[5]) for row in told),
                *sorted((row[2], row[3], row[4]) for row in refers),
            )
        found[kind, name] = columns
    return found


def _upgrade(path: Path, revision: str) -> None:
    # Imported only when there is something to migrate: most starts need none of it.
    from alembic import command
    from alembic.config import Config

    engine = create_engine(f"sqlite:///{path}")
    event.listen(engine, "connect", _on_connect)
    config = Config()
    config.set_main_option("script_location", str(_MIGRATIONS))
    config.attributes["engine"] = engine
    try:
        command.upgrade(config, revision)
    finally:
        engine.dispose()


class Database:
    """One SQLite file, migrated to the newest tables when it is opened.

    Raises
    ------
    PlaceError
        One of its kinds: newer than we are, damaged, half migrated, not to be written to.
    """

    def __init__(self, path: Path) -> None:
        self.path = path
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            # No waiting for a connection: who waits holds a thread, which whoever has one needs to come to an end.
            self.engine = create_engine(
                f"sqlite:///{path}", json_deserializer=from_text, pool_size=10, max_overflow=-1
            )
            event.listen(self.engine, "connect", _on_connect)
            self._migrate()
        except OSError as error:
            raise UnwritablePlaceError(
                fact("place.no_folder", folder=str(path.parent), error=error.strerror)
            ) from error
        except (OperationalError, sqlite3.OperationalError) as error:
            raise UnwritablePlaceError(fact("place.not_opened", place=str(path))) from error
        except (DatabaseError, sqlite3.DatabaseError) as error:
            raise DamagedDatabaseError(fact("place.damaged", place=str(path))) from error
        self._sessions = sessionmaker(self.engine, expire_on_commit=False)
        event.listen(self._sessions, "before_flush", refuse_unreadable)
        self._memory = Memory(self._sessions)

    def _migrate(self) -> None:
        """Bring the file forward: a copy first, which then takes its place in one step.

        A kill leaves the old or the new.
        """
        current = revision_of(self.engine)
        if current == HEAD_REVISION:
            return
        if current is not None and current not in revisions():
            self._refuse(current)
        if current is not None:
            self._keep(current)
        with working_folder(self.path) as folder:
            copy = folder / "copy.sqlite"
            _copy(self.path, copy)
            try:
                _upgrade(copy, HEAD_REVISION)
            except Exception as error:
                tell("not migrated", error=error)
                raise HalfMigratedDatabaseError(
                    fact(
                        "place.half_way",
                        place=str(self.path),
                        before=current or "none",
                        after=HEAD_REVISION,
                        way_out=self._way_out(current),
                    )
                ) from error
            self.engine.dispose()
            _copy(copy, self.path)
        tell("migrated", schema_before=current or "none", schema=HEAD_REVISION)

    def _refuse(self, current: str) -> NoReturn:
        if current.isdigit() and current > HEAD_REVISION:
            raise NewerDatabaseError(fact("place.newer", place=str(self.path), way_out=self._way_out(current)))
        raise DamagedDatabaseError(
            fact("place.never_was", place=str(self.path), version=current[:20], way_out=self._way_out(current))
        )

    def _way_out(self, current: str | None) -> Fact:
        """What can be brought back in its stead."""
        found = [p for p in self.path.parent.glob(f"{self.path.stem}.schema-*.backup") if _readable(p, current)]
        newest = max(found, key=lambda p: p.stat().st_mtime, default=None)
        if newest is None:
            return fact("place.way_out.backup", place=str(self.path))
        return fact("place.way_out.copy", file=str(newest), place=str(self.path))

    def _keep(self, current: str) -> Path:
        """A copy of the file as it is, named for what it is; one that is there is not written over."""
        stamp = now().strftime("%Y%m%d-%H%M%S")
        kept = self.path.with_name(f"{self.path.stem}.schema-{current}-{stamp}.backup")
        part = part_of(kept)
        _copy(self.path, part)
        part.rename(kept)
        return kept

    @contextmanager
    def session(self) -> Iterator[Session]:
        """One transaction: committed at the end, rolled back when anything is raised.

        Whoever catches an error of the database and goes on must roll back first.
        """
        with self._sessions() as session:
            try:
                yield session
                session.commit()
            except BaseException:
                session.rollback()
                raise

    def close(self) -> None:
        """Let go of the file."""
        self.engine.dispose()
