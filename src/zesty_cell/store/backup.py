"""Backup and restore: a whole, checked copy of a place; an older one is migrated before it is taken."""

from __future__ import annotations

import os
import sqlite3
import tempfile
from contextlib import closing, suppress
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

from pydantic import ValidationError
from sqlalchemy import func, select
from sqlalchemy.exc import DatabaseError, OperationalError

from zesty_cell.core.errors import ZestyCellError
from zesty_cell.operating import tell
from zesty_cell.store import calibrations, flights, sheets
from zesty_cell.store.database import HEAD_REVISION, Database
from zesty_cell.store.hangar import CRAFTS, PACKS
from zesty_cell.store.tables import CalibrationRow, CraftRow, FlightRow, PackRow, SheetRow

_MAGIC = b"SQLite format 3\x00"


class BackupError(ZestyCellError, RuntimeError):
    """A backup could not be made, or a file is none; nothing was changed."""


@dataclass(frozen=True)
class Contents:
    """What a file holds."""

    crafts: int
    packs: int
    sheets: int
    flights: int
    newest: datetime | None

    def words(self) -> str:
        """In a line."""
        text = f"{self.crafts} crafts, {self.packs} packs, {self.sheets} sheets, {self.flights} flights"
        return text if self.newest is None else f"{text}, the newest of {self.newest:%-d %B %Y}"


def _check_whole(connection: sqlite3.Connection, name: str) -> None:
    try:
        found = connection.execute("PRAGMA integrity_check").fetchone()
    except sqlite3.DatabaseError as error:
        raise BackupError(f"{name} is damaged ({error}). Nothing was changed.") from error
    if found is None or found[0] != "ok":
        raise BackupError(f"{name} is damaged. Nothing was changed.")


def backup(source: Path, target: Path) -> None:
    """Copy a place into a file, whole even while it is being written to; the file appears only when it is whole.

    Raises
    ------
    BackupError
        There is no such place, the file is there already, no room, not allowed.
    """
    if not source.exists():
        raise BackupError(f"There is nothing at {source} to back up.")
    if target.exists():
        raise BackupError(f"{target} is there already. Choose another name: a backup overwrites nothing.")
    part = target.with_name(f".{target.name}.part")
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        with closing(sqlite3.connect(source)) as live, closing(sqlite3.connect(part)) as copy:
            live.execute("PRAGMA busy_timeout=5000")
            live.backup(copy)
            # One file that can be carried: without a log of its own beside it.
            copy.execute("PRAGMA journal_mode=DELETE")
            _check_whole(copy, str(target))
        with part.open("rb+") as written:
            os.fsync(written.fileno())
        part.rename(target)
        tell("backed up", bytes=target.stat().st_size)
    except (OSError, sqlite3.Error) as error:
        with suppress(OSError):
            part.unlink(missing_ok=True)
        raise BackupError(f"The backup could not be written: {error}. Nothing was changed.") from error


def _open_copy(file: Path, folder: Path) -> Database:
    """A migrated copy of a backup, in a folder of its own.

    Raises
    ------
    BackupError
    """
    try:
        with file.open("rb") as read:
            if read.read(len(_MAGIC)) != _MAGIC:
                raise BackupError(f"{file.name} is no backup of Zesty Cell. Nothing was changed.")
        copy = folder / "copy.sqlite"
        with (
            closing(sqlite3.connect(f"file:{file}?mode=ro", uri=True)) as given,
            closing(sqlite3.connect(copy)) as to,
        ):
            given.execute("PRAGMA trusted_schema=OFF")
            _check_whole(given, file.name)
            _check_ours(given, file.name)
            given.backup(to)
    except sqlite3.Error as error:
        raise BackupError(f"{file.name} cannot be read: {error}. Nothing was changed.") from error
    except OSError as error:
        raise BackupError(f"{file.name} cannot be read: {error.strerror}. Nothing was changed.") from error
    return Database(copy)


def _check_ours(given: sqlite3.Connection, name: str) -> None:
    """Our tables and nothing that acts by itself, of a version we know."""
    kinds = given.execute("SELECT type, name FROM sqlite_master WHERE type IN ('trigger', 'view')").fetchall()
    tables = {row[0] for row in given.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
    if kinds or "alembic_version" not in tables or not {"craft", "pack", "sheet"} <= tables:
        raise BackupError(f"{name} is no backup of Zesty Cell. Nothing was changed.")
    row = given.execute("SELECT version_num FROM alembic_version").fetchone()
    version = "" if row is None else str(row[0])
    if not (version.isdigit() and len(version) == len(HEAD_REVISION)):
        raise BackupError(f"{name} is no backup of Zesty Cell. Nothing was changed.")
    if version > HEAD_REVISION:
        raise BackupError(f"{name} was made by a newer version of Zesty Cell: update this one first.")


def _read_through(database: Database, name: str) -> Contents:
    """Every thing in it, read by the core's own models; what it holds.

    Raises
    ------
    BackupError
    """
    try:
        with database.session() as session:
            for craft in CRAFTS.all(session):
                CRAFTS.thing(craft)
            for pack in PACKS.all(session):
                PACKS.thing(pack)
            for sheet in sheets.all_sheets(session):
                sheets.as_sheet(sheet)
            alive = select(FlightRow).where(FlightRow.deleted_at.is_(None))
            for flight in session.scalars(alive.execution_options(yield_per=500)):
                flights.flight_of(flight)
            for made in session.scalars(select(CalibrationRow).where(CalibrationRow.deleted_at.is_(None))):
                calibrations.calibration_of(made)
            counts = {
                table: session.scalar(select(func.count()).select_from(table).where(table.deleted_at.is_(None)))
                or 0
                for table in (CraftRow, PackRow, SheetRow, FlightRow)
            }
            newest = session.scalar(select(func.max(FlightRow.landed_at)).where(FlightRow.deleted_at.is_(None)))
    except (ValidationError, DatabaseError, ValueError, KeyError) as error:
        raise BackupError(f"{name} holds something that cannot be read. Nothing was changed.") from error
    when = None if newest is None else newest.replace(tzinfo=UTC)
    return Contents(counts[CraftRow], counts[PackRow], counts[SheetRow], counts[FlightRow], when)


def look_into(file: Path) -> Contents:
    """What a backup holds, after it was checked as for :func:`restore`; nothing is changed.

    Raises
    ------
    BackupError
    """
    with tempfile.TemporaryDirectory(prefix="zesty-cell-") as folder:
        return _through_copy(file, Path(folder), into=None)


def restore(file: Path, place: Path) -> Contents:
    """Take a backup into a place: a new one, or one that is there, even while a server runs on it.

    The file is checked, migrated and read through in a copy first.  What the place held is kept beside it.  It is
    then replaced in one transaction: a kill leaves the old or the new, never half of each.

    Raises
    ------
    BackupError
    """
    try:
        place.parent.mkdir(parents=True, exist_ok=True)
        with tempfile.TemporaryDirectory(prefix=".restore-", dir=place.parent) as folder:
            return _through_copy(file, Path(folder), into=place)
    except OSError as error:
        raise BackupError(f"{place} cannot be written: {error.strerror}. Nothing was changed.") from error


def kept_beside(place: Path) -> Path:
    """Where what a place holds is kept before it is replaced."""
    stamp = datetime.now(UTC).strftime("%Y%m%d-%H%M%S-%f")[:-3]
    return place.with_name(f"{place.stem}.before-restore-{stamp}.backup")


def _through_copy(file: Path, folder: Path, *, into: Path | None) -> Contents:
    try:
        copy = _open_copy(file, folder)
    except OperationalError as error:
        raise BackupError(f"{file.name} could not be migrated. Nothing was changed.") from error
    try:
        contents = _read_through(copy, file.name)
    finally:
        copy.close()
    if into is None:
        return contents
    if into.exists():
        backup(into, kept_beside(into))
    try:
        with closing(sqlite3.connect(copy.path)) as given, closing(sqlite3.connect(into)) as live:
            live.execute("PRAGMA journal_mode=WAL")
            live.execute("PRAGMA synchronous=FULL")
            live.execute("PRAGMA busy_timeout=5000")
            given.backup(live)
        tell("restored", crafts=contents.crafts, packs=contents.packs, flights=contents.flights)
    except sqlite3.Error as error:
        raise BackupError(f"The place could not be replaced: {error}. It is as it was.") from error
    return contents
