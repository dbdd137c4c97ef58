"""Backup and restore: a whole, checked copy of a place; an older one is migrated before it is taken."""

from __future__ import annotations

import os
import sqlite3
from contextlib import closing, suppress
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Final

from sqlalchemy import func, select

from zesty_cell.core.errors import ZestyCellError
from zesty_cell.core.fact import Fact, fact
from zesty_cell.operating import tell
from zesty_cell.store.database import HEAD_REVISION, Database, revision_in, revisions, tables_at
from zesty_cell.store.tables import Base, CraftRow, FlightRow, PackRow, SheetRow
from zesty_cell.store.wholeness import faults_of
from zesty_cell.store.working import part_of, working_folder

_MAGIC = b"SQLite format 3\x00"
#: A backup holds no more rows and is no larger: what is more is no pilot's, and reading it through takes long.
MOST_ROWS: Final = 200_000
MOST_BYTES: Final = 500_000_000


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

    def words(self) -> Fact:
        """In a line."""
        holds = fact("backup.holds", crafts=self.crafts, packs=self.packs, sheets=self.sheets, flights=self.flights)
        return holds if self.newest is None else fact("backup.newest", holds=holds, day=f"{self.newest:%-d %B %Y}")


def _check_sound(connection: sqlite3.Connection, name: str) -> None:
    try:
        found = connection.execute("PRAGMA integrity_check(1)").fetchone()
    except sqlite3.DatabaseError as error:
        raise BackupError(fact("backup.damaged.so", file=name, error=str(error))) from error
    if found is None or found[0] != "ok":
        raise BackupError(fact("backup.damaged", file=name))


def backup(source: Path, target: Path) -> None:
    """Copy a place into a file, whole even while it is being written to; the file appears only when it is whole.

    Raises
    ------
    BackupError
        There is no such place, the file is there already, no room, not allowed.
    """
    if not source.exists():
        raise BackupError(fact("backup.nothing", place=str(source)))
    if target.exists():
        raise BackupError(fact("backup.there_already", file=str(target)))
    part = part_of(target)
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        with closing(sqlite3.connect(source)) as live, closing(sqlite3.connect(part)) as copy:
            live.execute("PRAGMA busy_timeout=5000")
            live.backup(copy)
            # One file that can be carried: without a log of its own beside it.
            copy.execute("PRAGMA journal_mode=DELETE")
            _check_sound(copy, str(target))
        with part.open("rb+") as written:
            os.fsync(written.fileno())
        part.rename(target)
        tell("backed up", bytes=target.stat().st_size)
    except (OSError, sqlite3.Error) as error:
        with suppress(OSError):
            part.unlink(missing_ok=True)
        raise BackupError(fact("backup.not_written", error=str(error))) from error


def _checked_copy(file: Path, folder: Path) -> Path:
    """A copy of a backup, provided that it is one, of a version we know, and no larger than a place may be.

    Raises
    ------
    BackupError
    """
    with file.open("rb") as read:
        if read.read(len(_MAGIC)) != _MAGIC:
            raise BackupError(fact("backup.none", file=file.name))
    if file.stat().st_size > MOST_BYTES:
        raise BackupError(fact("backup.large", file=file.name, most_megabytes=MOST_BYTES // 1_000_000))
    copy = folder / "copy.sqlite"
    # What is written beside a place in use belongs to it; a file alone may lie where nothing can be written.
    alone = "" if file.with_name(file.name + "-wal").exists() else "&immutable=1"
    with closing(sqlite3.connect(f"{file.absolute().as_uri()}?mode=ro{alone}", uri=True)) as given:
        given.execute("PRAGMA trusted_schema=OFF")
        given.execute("PRAGMA cell_size_check=ON")
        _check_sound(given, file.name)
        _check_ours(given, file.name)
        with closing(sqlite3.connect(copy)) as to:
            given.backup(to)
    return copy


def _check_ours(given: sqlite3.Connection, name: str) -> None:
    """The tables that its version has, and nothing else: nothing that acts by itself.

    Raises
    ------
    BackupError
    """
    version = revision_in(given)
    if version is None:
        raise BackupError(fact("backup.none", file=name))
    if version not in revisions():
        newer = version.isdigit() and len(version) == len(HEAD_REVISION) and version > HEAD_REVISION
        raise BackupError(fact("backup.newer" if newer else "backup.never_was", file=name))
    wanted, found = tables_at(version), tables_at(given)
    for kind, what in sorted(found.keys() - wanted.keys()):
        raise BackupError(fact("backup.not_ours", file=name, kind=kind, what=what[:60]))
    for kind, what in sorted(wanted.keys() - found.keys()):
        raise BackupError(fact("backup.lacks", file=name, kind=kind, what=what))
    for (kind, what), columns in wanted.items():
        if found[kind, what] != columns:
            raise BackupError(fact("backup.otherwise", file=name, kind=kind, what=what))
    broken = given.execute("PRAGMA foreign_key_check").fetchone()
    if broken is not None:
        table, row_id, parent = broken[:3]
        raise BackupError(fact("backup.refers", file=name, table=table, row=row_id, parent=parent))
    rows = sum(
        given.execute(f'SELECT count(*) FROM "{what}"').fetchone()[0]  # noqa: S608 - tables of ours by now
        for kind, what in found
        if kind == "table"
    )
    if rows > MOST_ROWS:
        raise BackupError(fact("backup.many_rows", file=name, rows=rows, most=MOST_ROWS))


def _contents(database: Database) -> Contents:
    with database.session() as session:
        counts = {
            table: session.scalar(select(func.count()).select_from(table).where(table.deleted_at.is_(None))) or 0
            for table in (CraftRow, PackRow, SheetRow, FlightRow)
        }
        newest = session.scalar(select(func.max(FlightRow.landed_at)).where(FlightRow.deleted_at.is_(None)))
    when = None if newest is None else newest.replace(tzinfo=UTC)
    return Contents(counts[CraftRow], counts[PackRow], counts[SheetRow], counts[FlightRow], when)


def _read_through(file: Path, folder: Path) -> tuple[Path, Contents]:
    """A copy of a backup, brought forward, every row of it read as the pages will; and what it holds.

    Raises
    ------
    BackupError
    """
    try:
        copy = _checked_copy(file, folder)
        database = Database(copy)
        try:
            fault = next((f for f in faults_of(copy) if not f.moved), None)
            if fault is not None:
                raise BackupError(fact("backup.fault", file=file.name, fault=fault.words()))
            return copy, _contents(database)
        finally:
            database.close()
    except BackupError:
        raise
    except OSError as error:
        raise BackupError(fact("backup.unreadable", file=file.name, error=error.strerror)) from error
    except Exception as error:  # whatever a file can hold: it is not taken, and nothing is changed
        tell("backup refused", error=error)
        why = str(error).splitlines()[0][:200] if str(error) else type(error).__name__
        raise BackupError(fact("backup.unreadable", file=file.name, error=why)) from error


def look_into(file: Path) -> Contents:
    """What a backup holds, after it was checked as for :func:`restore`; nothing is changed.

    Raises
    ------
    BackupError
    """
    with working_folder() as folder:
        return _read_through(file, folder)[1]


def restore(file: Path, place: Path) -> Contents:
    """Take a backup into a place: a new one, or one that is there, even while a server runs on it.

    The file is checked, migrated and read through in a copy first.  What the place held is kept beside it, and is
    replaced in one transaction: a kill leaves the old or the new, never half of each.  Who writes meanwhile waits:
    what was acknowledged before is in what is kept, what comes after is in what was restored.

    Raises
    ------
    BackupError
    """
    try:
        place.parent.mkdir(parents=True, exist_ok=True)
        with working_folder(place) as folder:
            copy, contents = _read_through(file, folder)
            _replace(place, copy)
    except (OSError, sqlite3.Error) as error:
        why = error.strerror if isinstance(error, OSError) else error
        raise BackupError(fact("backup.not_replaced", place=str(place), error=str(why))) from error
    tell("restored", crafts=contents.crafts, packs=contents.packs, flights=contents.flights)
    return contents


def kept_beside(place: Path) -> Path:
    """Where what a place holds is kept before it is replaced."""
    stamp = datetime.now(UTC).strftime("%Y%m%d-%H%M%S-%f")[:-3]
    return place.with_name(f"{place.stem}.before-restore-{stamp}.backup")


def _is_as_new(place: Path) -> bool:
    """Whether a place has the tables of now, so that a server may be running on it."""
    try:
        with closing(sqlite3.connect(f"{place.absolute().as_uri()}?mode=ro", uri=True)) as live:
            return revision_in(live) == HEAD_REVISION and tables_at(live) == tables_at(HEAD_REVISION)
    except sqlite3.DatabaseError:
        return False


def _replace(place: Path, copy: Path) -> None:
    """Put a checked copy in a place's stead, and keep what it held beside it."""
    if not (place.exists() and _is_as_new(place)):
        # Nobody of ours runs on it: an empty place, a damaged one, one of an older version.
        if place.exists():
            _keep_as_it_is(place)
        with closing(sqlite3.connect(copy)) as given, closing(sqlite3.connect(place)) as live:
            live.execute("PRAGMA journal_mode=WAL")
            live.execute("PRAGMA synchronous=FULL")
            given.backup(live)
        return
    with closing(sqlite3.connect(place, isolation_level=None)) as live:
        for pragma in ("synchronous=FULL", "busy_timeout=15000", "foreign_keys=OFF"):
            live.execute(f"PRAGMA {pragma}")
        live.execute("ATTACH DATABASE ? AS given", (str(copy),))
        # From here on nobody else writes, until all of it is there.
        live.execute("BEGIN IMMEDIATE")
        backup(place, kept_beside(place))
        tables = [table.name for table in Base.metadata.sorted_tables]
        for table in reversed(tables):
            live.execute(f'DELETE FROM main."{table}"')  # noqa: S608 - names of our own tables
        for table in tables:
            columns = ", ".join(f'"{c.name}"' for c in Base.metadata.tables[table].columns)
            live.execute(
                f'INSERT INTO main."{table}" ({columns}) SELECT {columns} FROM given."{table}"'  # noqa: S608
            )
        live.execute("COMMIT")


def _keep_as_it_is(place: Path) -> None:
    """Keep what is in a place, whole where it is a database, else byte by byte."""
    kept = kept_beside(place)
    try:
        backup(place, kept)
    except BackupError:
        part = part_of(kept)
        part.write_bytes(place.read_bytes())
        part.rename(kept)
        place.unlink()
        for beside in ("-wal", "-shm"):
            place.with_name(place.name + beside).unlink(missing_ok=True)
