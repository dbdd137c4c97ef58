"""Is a database whole?  Its schema, its references, and every document in it, without changing anything."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from sqlalchemy import create_engine, inspect, select
from sqlalchemy.exc import DatabaseError
from sqlalchemy.orm import Session

from zesty_cell.core.errors import plainly
from zesty_cell.core.fact import Words, fact
from zesty_cell.store import readings
from zesty_cell.store.database import HEAD_REVISION, DamagedDatabaseError, revision_of
from zesty_cell.store.tables import Base


@dataclass(frozen=True)
class Fault:
    """Something that is not whole: the table, the row where it is one, and why."""

    table: str
    row_id: int | None
    reason: Words
    #: It can be read, brought within a bound that was drawn tighter since.
    moved: bool = False

    def words(self) -> str:
        """In a line."""
        return f"{self.table}{'' if self.row_id is None else f' {self.row_id}'}: {plainly(self.reason)}"


def _schema_faults(path: Path) -> Iterator[Fault]:
    engine = create_engine(f"sqlite:///file:{path}?mode=ro&uri=true")
    try:
        revision, found = revision_of(engine), inspect(engine)
        if revision != HEAD_REVISION:
            yield Fault("alembic_version", None, fact("whole.version", version=revision, wanted=HEAD_REVISION))
            return
        for table in Base.metadata.sorted_tables:
            if not found.has_table(table.name):
                yield Fault(table.name, None, fact("whole.no_table"))
                continue
            missing = {c.name for c in table.columns} - {c["name"] for c in found.get_columns(table.name)}
            if missing:
                yield Fault(table.name, None, fact("whole.no_columns", columns=", ".join(sorted(missing))))
    finally:
        engine.dispose()


def _reference_faults(path: Path) -> Iterator[Fault]:
    with closing(sqlite3.connect(f"file:{path}?mode=ro", uri=True)) as connection:
        for (line,) in connection.execute("PRAGMA integrity_check(20)"):
            if line != "ok":
                yield Fault("database", None, str(line))
        for table, row_id, parent, _ in connection.execute("PRAGMA foreign_key_check"):
            yield Fault(table, row_id, fact("whole.refers", parent=parent))


def _row_faults(row: Any) -> Iterator[Fault]:
    table = row.__tablename__
    wrongs = readings.wrongs_of(row)
    if wrongs:
        yield Fault(table, row.id, fact("whole.unreadable", why=wrongs[0].words()))
        return
    for column, one in readings.moved_in(row):
        where = one.field if column == "document" else f"{column}.{one.field}"
        reason = fact("whole.beyond", where=where, was=one.was, now=one.now)
        yield Fault(table, row.id, reason, moved=True)


def _document_faults(path: Path) -> Iterator[Fault]:
    with closing(sqlite3.connect(f"file:{path}?mode=ro", uri=True)) as connection:
        raw = [
            Fault(table, row_id, fact("whole.unreadable", why=why))
            for table, row_id, why in readings.raw_wrongs(connection)
        ]
    yield from raw
    if raw:  # no query over such a table ends well
        return
    engine = create_engine(f"sqlite:///file:{path}?mode=ro&uri=true")
    try:
        with Session(engine) as session:
            for table in readings.TABLES:
                alive = select(table).where(table.deleted_at.is_(None)).execution_options(yield_per=500)
                for row in session.scalars(alive):
                    yield from _row_faults(row)
    finally:
        engine.dispose()


def faults_of(path: Path) -> tuple[Fault, ...]:
    """Everything in a database file that is not whole; nothing for one that is.  What was deleted, or set aside, is
    nobody's until it is brought back, and looked at then.

    Raises
    ------
    DamagedDatabaseError
        Where the file cannot be read at all.
    """
    try:
        schema = tuple(_schema_faults(path))
        if schema:  # what lies in other tables than ours cannot be read by our models
            return schema
        return (*_reference_faults(path), *_document_faults(path))
    except (sqlite3.DatabaseError, DatabaseError) as error:
        raise DamagedDatabaseError(fact("place.unreadable", place=str(path))) from error
