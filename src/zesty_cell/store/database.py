"""Opening the database: pragmas, migrations with a backup before each, sessions."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from sqlalchemy import Engine, create_engine, event, inspect, text
from sqlalchemy.exc import DatabaseError, OperationalError
from sqlalchemy.orm import Session, sessionmaker

from zesty_cell.core.errors import ZestyCellError
from zesty_cell.operating import tell
from zesty_cell.store.memory import Memory

_MIGRATIONS = Path(__file__).parent / "migrations"
#: The newest revision under migrations/versions; a test keeps the two together.
HEAD_REVISION = "0009"


def _on_connect(connection: Any, _record: Any) -> None:
    cursor = connection.cursor()
    # WAL lets readers go on while one writes; FULL makes an acknowledged save survive a power cut.
    for pragma in ("journal_mode=WAL", "synchronous=FULL", "foreign_keys=ON", "busy_timeout=5000"):
        cursor.execute(f"PRAGMA {pragma}")
    cursor.close()


def _upgrade(engine: Engine) -> None:
    # Imported only when there is something to migrate: most starts need none of it.
    from alembic import command
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(_MIGRATIONS))
    config.attributes["engine"] = engine
    command.upgrade(config, "head")


class PlaceError(ZestyCellError, RuntimeError):
    """A database cannot be opened, with what to do about it."""


class NewerDatabaseError(PlaceError):
    """It was made by a newer version."""


class DamagedDatabaseError(PlaceError):
    """It cannot be read."""


class UnwritablePlaceError(PlaceError):
    """It, or its folder, cannot be written to."""


def revision_of(engine: Engine) -> str | None:
    """Revision of the tables in a file; None for an empty one."""
    with engine.connect() as connection:
        if not inspect(connection).has_table("alembic_version"):
            return None
        return connection.execute(text("SELECT version_num FROM alembic_version")).scalar()


class Database:
    """One SQLite file, migrated to the newest tables when it is opened.

    Raises
    ------
    PlaceError
        One of its kinds: newer than we are, damaged, not to be written to.
    """

    def __init__(self, path: Path) -> None:
        self.path = path
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            self.engine = create_engine(f"sqlite:///{path}")
            event.listen(self.engine, "connect", _on_connect)
            self._migrate()
        except OSError as error:
            raise UnwritablePlaceError(f"{path.parent} cannot be made or written to: {error.strerror}.") from error
        except OperationalError as error:
            raise UnwritablePlaceError(
                f"{path} cannot be opened: may it and its folder be written to, and is the disk not full?"
            ) from error
        except DatabaseError as error:
            raise DamagedDatabaseError(
                f"{path} is damaged, or no database. Bring a backup back: zesty-cell restore FILE."
            ) from error
        self._sessions = sessionmaker(self.engine, expire_on_commit=False)
        self._memory = Memory(self._sessions)

    def _migrate(self) -> None:
        current = revision_of(self.engine)
        if current == HEAD_REVISION:
            return
        if current is not None and current > HEAD_REVISION:
            raise NewerDatabaseError(
                f"{self.path} was made by a newer version of Zesty Cell: update this one, or take another database."
            )
        if current is not None:
            self._backup(self.path.with_name(f"{self.path.stem}.before-{HEAD_REVISION}.backup"))
        _upgrade(self.engine)
        tell("migrated", schema_before=current or "none", schema=HEAD_REVISION)

    def _backup(self, target: Path) -> None:
        with sqlite3.connect(self.path) as source, sqlite3.connect(target) as copy:
            source.backup(copy)
        copy.close()
        source.close()

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
