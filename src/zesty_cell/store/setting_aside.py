"""Rows that cannot be read: set aside with the reason, so that all else goes on, and mended or left there.

A row set aside is as good as deleted to every query, and nothing of it is lost.  What needs it (the sheets of a
craft, the flights of a pack) is set aside with it and comes back with it.
"""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Final

from sqlalchemy import select, text
from sqlalchemy.orm import Session

from zesty_cell.core.errors import plainly
from zesty_cell.operating import tell
from zesty_cell.store import readings
from zesty_cell.store.columns import Wrong
from zesty_cell.store.documents import put_at
from zesty_cell.store.errors import MissingRecordError, UnreadableError, UnstorableError
from zesty_cell.store.tables import UnreadableRow, now

_BY_NAME: Final = {table.__tablename__: table for table in readings.TABLES}
#: Tables of what can be had again, and their keys.
_WORKED_OUT: Final = {"log_fit": "log_id", "field_entry": "entry"}
_MOST_SHOWN = 100
#: Of one name or reason.
_LENGTH = 300


@dataclass(frozen=True)
class SetAside:
    """A row that cannot be read.

    Attributes
    ----------
    wrongs : tuple of Wrong
        What is wrong, in places that can be mended; empty where it is not even of its kind.
    """

    id: int
    table: str
    row_id: int
    name: str
    reason: str
    wrongs: tuple[Wrong, ...]


def set_aside(session: Session) -> int:
    """Set aside every row that cannot be read; returns how many were found."""
    found = _set_aside_raw(session)
    bad: set[tuple[str, int]] = {(r.table_name, r.row_id) for r in session.scalars(select(UnreadableRow))}
    bad |= {(one.table_name, one.row_id) for one in found}
    for table in readings.TABLES:
        alive = select(table).where(table.deleted_at.is_(None)).execution_options(yield_per=500)
        for row in session.scalars(alive):
            if (table.__tablename__, row.id) in bad:  # brought back as it was, by an undo
                _delete(session, table.__tablename__, row.id)
                continue
            reason, needs = _reason(row, bad)
            if reason:
                bad.add((table.__tablename__, row.id))
                found.append(UnreadableRow(
                    table_name=table.__tablename__, row_id=row.id, name=str(row.name)[:_LENGTH],
                    reason=reason[:_LENGTH], needs=needs,
                ))  # fmt: skip
    for one in found:
        session.add(one)
        _delete(session, one.table_name, one.row_id)
    session.flush()
    if found:
        tell("set aside", rows=len(found), tables=" ".join(sorted({one.table_name for one in found})))
    return len(found)


def _reason(row: Any, bad: set[tuple[str, int]]) -> tuple[str, bool]:
    """Why a row cannot be read, and whether that is for want of another; nothing where it can."""
    for column, needed in readings.NEEDS.get(type(row), ()):
        record_id = getattr(row, column)
        if record_id is not None and (needed.__tablename__, record_id) in bad:
            return f"its {needed.__tablename__} cannot be read", True
    wrongs = readings.wrongs_of(row)
    return (wrongs[0].words(), False) if wrongs else ("", False)


def _delete(session: Session, table: str, row_id: int) -> None:
    # Not through the row: it cannot be read.
    session.execute(
        text(f'UPDATE "{table}" SET deleted_at = :at WHERE id = :id'),  # noqa: S608 - a name of our own
        {"at": str(now()) + ".000000", "id": row_id},
    )


def _set_aside_raw(session: Session) -> list[UnreadableRow]:
    """Rows that no query over their table would survive, found and set aside without any."""
    connection = session.connection().connection.driver_connection
    assert isinstance(connection, sqlite3.Connection)  # noqa: S101 - the one database we have
    known = {(r.table_name, r.row_id) for r in session.scalars(select(UnreadableRow))}
    found = []
    for table, row_id, why in list(readings.raw_wrongs(connection)):
        if table in _WORKED_OUT:  # made again when it is asked for
            key = _WORKED_OUT[table]
            connection.execute(f'DELETE FROM "{table}" WHERE "{key}" = ?', (row_id,))  # noqa: S608 - our own
        if table not in _BY_NAME:
            continue
        if (table, row_id) in known:  # brought back as it was, by an undo
            _delete(session, table, row_id)
            continue
        known.add((table, row_id))
        name = connection.execute(f'SELECT name FROM "{table}" WHERE id = ?', (row_id,)).fetchone()[0]  # noqa: S608
        found.append(UnreadableRow(
            table_name=table, row_id=row_id, name=str(name)[:_LENGTH], reason=plainly(why)[:_LENGTH], needs=False
        ))  # fmt: skip
        _delete(session, table, row_id)
    session.flush()
    return found


def all_of(session: Session) -> list[SetAside]:
    """The newest that were set aside by themselves."""
    query = select(UnreadableRow).where(UnreadableRow.needs.is_(False)).order_by(UnreadableRow.id.desc())
    return [_shown(session, row) for row in session.scalars(query.limit(_MOST_SHOWN))]


def _shown(session: Session, one: UnreadableRow) -> SetAside:
    try:
        row: Any = session.get(_BY_NAME[one.table_name], one.row_id)
        wrongs = () if row is None else readings.wrongs_of(row)
    except UnreadableError:  # not even of its kind
        wrongs = ()
    return SetAside(one.id, one.table_name, one.row_id, one.name, one.reason, wrongs)


def _one(session: Session, unreadable_id: int) -> UnreadableRow:
    one = session.get(UnreadableRow, unreadable_id)
    if one is None:
        raise MissingRecordError("row set aside", unreadable_id)
    return one


def document(session: Session, unreadable_id: int) -> dict[str, Any]:
    """All that is stored of a row set aside, as it is; what is no text or number by its length."""
    one = _one(session, unreadable_id)
    query = text(f'SELECT * FROM "{one.table_name}" WHERE id = :id')  # noqa: S608 - a name of our own
    stored = dict(session.execute(query, {"id": one.row_id}).mappings().first() or {})
    return {k: f"{len(v)} bytes" if isinstance(v, bytes) else _opened(v) for k, v in stored.items()}


def _opened(value: Any) -> Any:
    if isinstance(value, str) and value[:1] in ("{", "["):
        try:
            return json.loads(value)
        except ValueError:
            return value
    return value


def mend(session: Session, unreadable_id: int, values: Mapping[int, object]) -> tuple[Wrong, ...]:
    """Put values where a row was wrong, and take it back with all that needs it.

    Parameters
    ----------
    values : mapping
        By the number of what was wrong, as :func:`all_of` gives it.

    Returns
    -------
    tuple of Wrong
        What is still wrong; nothing was changed where there is anything.
    """
    one = _one(session, unreadable_id)
    row: Any = session.get(_BY_NAME[one.table_name], one.row_id)
    if row is None:
        raise MissingRecordError(one.table_name, one.row_id)
    for k, wrong in enumerate(readings.wrongs_of(row)):
        if k not in values or not wrong.column or wrong.problem["type"] == "needs":
            continue
        if not wrong.place:
            setattr(row, wrong.column, values[k])
            continue
        body = dict(getattr(row, wrong.column))
        put_at(body, wrong.place, values[k])
        setattr(row, wrong.column, body)
    with session.no_autoflush:
        left = readings.wrongs_of(row)
    if left:
        session.expire(row)
        return left
    row.deleted_at = None
    session.delete(one)
    try:
        session.flush()
    except UnstorableError:
        session.rollback()
        raise
    _take_back_dependents(session)
    return ()


def _take_back_dependents(session: Session) -> None:
    """What was set aside for want of another comes back; what still cannot be read is set aside again."""
    for one in list(session.scalars(select(UnreadableRow).where(UnreadableRow.needs))):
        session.execute(
            text(f'UPDATE "{one.table_name}" SET deleted_at = NULL WHERE id = :id'),  # noqa: S608 - our own
            {"id": one.row_id},
        )
        session.delete(one)
    session.flush()
    session.expire_all()
    set_aside(session)


def leave(session: Session, unreadable_id: int) -> None:
    """Leave a row deleted, and speak of it no more."""
    session.delete(_one(session, unreadable_id))
    session.flush()
