"""Telemetry logs: the files as they came, packed, and what the pilot confirmed of their columns."""

from __future__ import annotations

import hashlib
import zlib
from typing import Final

from sqlalchemy import select
from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.orm import Session

from zesty_cell.core.fact import fact
from zesty_cell.core.learn.log_told import LogTold
from zesty_cell.formats.csv_table import Table
from zesty_cell.formats.telemetry_columns import Mapping
from zesty_cell.store import records
from zesty_cell.store.documents import read, to_document
from zesty_cell.store.errors import UnreadableError
from zesty_cell.store.tables import FlightRow, LogFitRow, LogRow, PackRow

#: Of compression: an hour's log in a tenth of a second, at a third more than the smallest.
_LEVEL = 1


#: A telemetry file as it came is no larger [bytes].
MOST_BYTES: Final = 25_000_000


def unpacked(packed: bytes) -> bytes:
    """A telemetry file as it came, from what was stored of it.

    Raises
    ------
    UnreadableError
        Where it is none, or would be larger than any that is taken.
    """
    try:
        opened = zlib.decompressobj()
        data = opened.decompress(packed, MOST_BYTES + 1)
    except (zlib.error, TypeError) as error:
        raise UnreadableError(fact("stored.log.packed", error=str(error))) from error
    if len(data) > MOST_BYTES:
        raise UnreadableError(fact("stored.log.large", most_megabytes=MOST_BYTES // 1_000_000))
    if not opened.eof:
        raise UnreadableError(fact("stored.log.cut"))
    return data


def _source(table: Table) -> str:
    return hashlib.sha256(table.signature.encode()).hexdigest()


def add(session: Session, data: bytes, table: Table, *, name: str, craft_id: int) -> LogRow:
    """Keep a log of a craft's flight, its columns not confirmed yet."""
    row = LogRow(
        name=name[:80] or "log", craft_id=craft_id, source=_source(table), packed=zlib.compress(data, _LEVEL)
    )
    session.add(row)
    session.flush()
    return row


def fetch(session: Session, log_id: int) -> LogRow:
    """One log; MissingRecordError where there is none."""
    return records.fetch(session, LogRow, log_id)


def find(session: Session, log_id: int) -> LogRow | None:
    """One log; None where there is none."""
    row = session.get(LogRow, log_id)
    return None if row is None or row.deleted_at is not None else row


def packed_of(row: LogRow) -> bytes:
    """The file as it came, compressed; fetched only when it is asked for."""
    return row.packed


def data_of(row: LogRow) -> bytes:
    """The file as it came."""
    return unpacked(row.packed)


def of_craft(session: Session, craft_id: int) -> list[LogRow]:
    """The logs of a craft whose columns are confirmed, the newest first."""
    query = select(LogRow).where(
        LogRow.craft_id == craft_id, LogRow.deleted_at.is_(None), LogRow.mapping.is_not(None)
    )
    return list(session.scalars(query.order_by(LogRow.id.desc())))


def confirmed(session: Session) -> list[tuple[LogRow, FlightRow | None]]:
    """Every log with confirmed columns, with the flight it is of where it was attached to one, the newest first."""
    query = (
        select(LogRow, FlightRow)
        .outerjoin(FlightRow, (FlightRow.id == LogRow.flight_id) & FlightRow.deleted_at.is_(None))
        .where(LogRow.deleted_at.is_(None), LogRow.mapping.is_not(None))
        .order_by(FlightRow.landed_at.desc(), LogRow.id.desc())
    )
    return [(log, flight) for log, flight in session.execute(query)]


def of_flight(session: Session, flight_id: int) -> list[LogRow]:
    """The logs attached to a flight whose columns are confirmed, the newest first."""
    query = select(LogRow).where(
        LogRow.flight_id == flight_id, LogRow.deleted_at.is_(None), LogRow.mapping.is_not(None)
    )
    return list(session.scalars(query.order_by(LogRow.id.desc())))


def mapping_of(row: LogRow) -> Mapping | None:
    """What was confirmed of a log; None while nothing was."""
    return None if row.mapping is None else read(Mapping, row.mapping)


def remembered(session: Session, table: Table) -> Mapping | None:
    """What was confirmed last of a log with the same columns; None for a new source."""
    query = select(LogRow).where(LogRow.source == _source(table), LogRow.mapping.is_not(None))
    row = session.scalars(query.order_by(LogRow.updated_at.desc(), LogRow.id.desc())).first()
    held = None if row is None else mapping_of(row)
    # Which part was flown, and what was overlooked, is each log's own.
    return None if held is None else held.model_copy(update={"part": None, "lenient": False})


def confirm(session: Session, row: LogRow, mapping: Mapping) -> None:
    """Keep what the pilot confirmed."""
    row.mapping = to_document(mapping)
    session.flush()


def of_craft_flights(
    session: Session, *, craft_id: int, type_name: str, most: int
) -> list[tuple[LogRow, FlightRow]]:
    """The newest logs attached to flights of a craft with packs of a type that may be learned from."""
    query = (
        select(LogRow, FlightRow)
        .join(FlightRow, FlightRow.id == LogRow.flight_id)
        .join(PackRow, PackRow.id == FlightRow.pack_id)
        .where(
            LogRow.craft_id == craft_id,  # few: found before their flights are
            FlightRow.craft_id == craft_id,
            PackRow.type_name == type_name,
            FlightRow.deleted_at.is_(None),
            FlightRow.set_aside.is_(False),
            LogRow.deleted_at.is_(None),
            LogRow.mapping.is_not(None),
        )
        .order_by(FlightRow.landed_at.desc(), LogRow.id.desc())
        .limit(most)
    )
    return [(log, flight) for log, flight in session.execute(query)]


def fit_kept(session: Session, log_id: int, *, rests_on: str) -> LogFitRow | None:
    """What a log's fit told, provided that it rests on just this; None where it was not fitted so."""
    row = session.get(LogFitRow, log_id)
    return row if row is not None and row.rests_on == rests_on else None


def keep_fit(session: Session, log_id: int, *, rests_on: str, told: LogTold | None) -> None:
    """Keep what a log's fit told of its pack."""
    of = {"rests_on": rests_on, "document": None if told is None else to_document(told)}
    made = insert(LogFitRow).values(log_id=log_id, **of)
    session.execute(made.on_conflict_do_update(index_elements=["log_id"], set_=of))


def delete(session: Session, row: LogRow) -> None:
    """Delete a log; :func:`restore` undoes it."""
    records.delete(session, row)


def restore(session: Session, log_id: int) -> LogRow:
    """Undo a delete."""
    return records.restore(session, LogRow, log_id)
