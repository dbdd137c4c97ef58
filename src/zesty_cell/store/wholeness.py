"""Is a database whole?  Its schema, its references, and every document in it, without changing anything."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from pydantic import ValidationError
from sqlalchemy import create_engine, inspect, select
from sqlalchemy.exc import DatabaseError
from sqlalchemy.orm import Session

from zesty_cell.core.asked.flying import FlyingPattern
from zesty_cell.core.asked.landing import LandingRule
from zesty_cell.core.asked.sheet import Conditions
from zesty_cell.core.callouts.rules import CalloutPlan
from zesty_cell.core.learn.calibration import CALIBRATION
from zesty_cell.core.learn.flights import LoggedFlight
from zesty_cell.core.parts.cell import CellModel
from zesty_cell.core.parts.craft import Craft
from zesty_cell.core.parts.pack import Pack
from zesty_cell.formats.telemetry_columns import Mapping
from zesty_cell.store import sheets
from zesty_cell.store.database import HEAD_REVISION, DamagedDatabaseError, revision_of
from zesty_cell.store.documents import read_telling
from zesty_cell.store.tables import (
    Base,
    CalibrationRow,
    CalloutsRow,
    CellRow,
    CraftRow,
    FlightRow,
    LogRow,
    PackRow,
    SheetRow,
)


@dataclass(frozen=True)
class Fault:
    """Something that is not whole: the table, the row where it is one, and why."""

    table: str
    row_id: int | None
    reason: str

    def words(self) -> str:
        """In a line."""
        return f"{self.table}{'' if self.row_id is None else f' {self.row_id}'}: {self.reason}"


_Parts = Iterator[tuple[Any, dict[str, Any] | None]]


def _parts(row: Any) -> _Parts:
    """The documents of a row, and what each is read as."""
    if isinstance(row, SheetRow):
        yield FlyingPattern, row.flying
        yield Conditions, row.conditions
        yield LandingRule, row.landing
        sheets.as_sheet(row)  # and what it refers to
    elif isinstance(row, CalloutsRow):
        yield from ((CalloutPlan, document) for document in (row.document, row.printed, row.loaded))
    elif isinstance(row, LogRow):
        yield Mapping, row.mapping
    else:
        yield _MODELS[type(row)], row.document


_MODELS: dict[type[Any], Any] = {
    CraftRow: Craft, CellRow: CellModel, PackRow: Pack, FlightRow: LoggedFlight, CalibrationRow: CALIBRATION,
}  # fmt: skip
_TABLES: tuple[type[Any], ...] = (*_MODELS, SheetRow, CalloutsRow, LogRow)


def _schema_faults(path: Path) -> Iterator[Fault]:
    engine = create_engine(f"sqlite:///file:{path}?mode=ro&uri=true")
    try:
        revision, found = revision_of(engine), inspect(engine)
        if revision != HEAD_REVISION:
            yield Fault("alembic_version", None, f"its tables are of version {revision}, {HEAD_REVISION} is wanted")
            return
        for table in Base.metadata.sorted_tables:
            if not found.has_table(table.name):
                yield Fault(table.name, None, "the table is missing")
                continue
            missing = {c.name for c in table.columns} - {c["name"] for c in found.get_columns(table.name)}
            if missing:
                yield Fault(table.name, None, f"columns are missing: {', '.join(sorted(missing))}")
    finally:
        engine.dispose()


def _reference_faults(path: Path) -> Iterator[Fault]:
    with closing(sqlite3.connect(f"file:{path}?mode=ro", uri=True)) as connection:
        for (line,) in connection.execute("PRAGMA integrity_check(20)"):
            if line != "ok":
                yield Fault("database", None, str(line))
        for table, row_id, parent, _ in connection.execute("PRAGMA foreign_key_check"):
            yield Fault(table, row_id, f"refers to a {parent} that is not there")


def _why(error: Exception) -> str:
    if isinstance(error, ValidationError):
        first = error.errors(include_url=False, include_input=False)[0]
        return f"{'.'.join(str(p) for p in first['loc'])}: {first['msg']}"
    if isinstance(error, AttributeError):
        return "what it refers to is missing"
    return f"{type(error).__name__}: {error}"


def _row_faults(table: str, row: Any) -> Iterator[Fault]:
    try:
        for model, document in _parts(row):
            moved = () if document is None else read_telling(model, document)[1]
            for one in moved:
                reason = f"{one.field}: {one.was} is beyond what is taken now, and read as {one.now}"
                yield Fault(table, row.id, reason)
    except (ValidationError, ValueError, KeyError, TypeError, AttributeError) as error:
        yield Fault(table, row.id, f"cannot be read: {_why(error)}")


def _document_faults(path: Path) -> Iterator[Fault]:
    engine = create_engine(f"sqlite:///file:{path}?mode=ro&uri=true")
    try:
        with Session(engine) as session:
            for table in _TABLES:
                alive = select(table).where(table.deleted_at.is_(None)).execution_options(yield_per=500)
                for row in session.scalars(alive):
                    yield from _row_faults(table.__tablename__, row)
    finally:
        engine.dispose()


def faults_of(path: Path) -> tuple[Fault, ...]:
    """Everything in a database file that is not whole; nothing for one that is.

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
        raise DamagedDatabaseError(f"{path} cannot be read: it is damaged, or no database of ours.") from error
