"""Discharge runs: the recordings as they came, packed, what the pilot says of them, and what they came to."""

from __future__ import annotations

import hashlib
import zlib

from sqlalchemy import select
from sqlalchemy.orm import Session

from zesty_cell.core.discharge.note import RunNote, RunTold
from zesty_cell.formats.csv_table import Table
from zesty_cell.formats.discharge_csv import DischargeMapping
from zesty_cell.store import records
from zesty_cell.store.documents import read, to_document
from zesty_cell.store.logs import unpacked
from zesty_cell.store.tables import DischargeRow


def _source(table: Table) -> str:
    return hashlib.sha256(table.signature.encode()).hexdigest()


def add(session: Session, data: bytes, table: Table, *, name: str, pack_id: int, note: RunNote) -> DischargeRow:
    """Keep a recording of a pack, its columns not confirmed yet."""
    row = DischargeRow(
        name=name[:80] or "discharge", pack_id=pack_id, source=_source(table), packed=zlib.compress(data, 1),
        document=to_document(note),
    )  # fmt: skip
    session.add(row)
    session.flush()
    return row


def fetch(session: Session, run_id: int) -> DischargeRow:
    """One recording; MissingRecordError where there is none."""
    return records.fetch(session, DischargeRow, run_id)


def data_of(row: DischargeRow) -> bytes:
    """The file as it came."""
    return unpacked(row.packed)


def note_of(row: DischargeRow) -> RunNote:
    """What the pilot says of it."""
    return read(RunNote, row.document)


def told_of(row: DischargeRow) -> RunTold | None:
    """What it came to; None while its columns were not confirmed."""
    return None if row.told is None else read(RunTold, row.told)


def mapping_of(row: DischargeRow) -> DischargeMapping | None:
    """What was confirmed of its columns; None while nothing was."""
    return None if row.mapping is None else read(DischargeMapping, row.mapping)


def remembered(session: Session, table: Table) -> DischargeMapping | None:
    """What was confirmed last of a recording with the same columns; None for a new source."""
    query = select(DischargeRow).where(DischargeRow.source == _source(table), DischargeRow.mapping.is_not(None))
    row = session.scalars(query.order_by(DischargeRow.updated_at.desc(), DischargeRow.id.desc())).first()
    held = None if row is None else mapping_of(row)
    return None if held is None else held.model_copy(update={"lenient": False, "held_a": None})


def confirm(session: Session, row: DischargeRow, mapping: DischargeMapping, note: RunNote, told: RunTold) -> None:
    """Keep what the pilot confirmed, and what it came to."""
    row.mapping, row.document, row.told = to_document(mapping), to_document(note), to_document(told)
    session.flush()


def all_runs(session: Session) -> list[DischargeRow]:
    """Every recording whose columns are confirmed, by pack, the newest first."""
    query = select(DischargeRow).where(DischargeRow.deleted_at.is_(None), DischargeRow.told.is_not(None))
    return list(session.scalars(query.order_by(DischargeRow.pack_id, DischargeRow.id.desc())))


def waiting(session: Session) -> list[DischargeRow]:
    """Recordings whose columns wait to be confirmed, the newest first."""
    query = select(DischargeRow).where(DischargeRow.deleted_at.is_(None), DischargeRow.told.is_(None))
    return list(session.scalars(query.order_by(DischargeRow.id.desc())))


def of_pack(session: Session, pack_id: int) -> list[DischargeRow]:
    """The confirmed recordings of a pack, the newest first."""
    query = select(DischargeRow).where(
        DischargeRow.pack_id == pack_id, DischargeRow.deleted_at.is_(None), DischargeRow.told.is_not(None)
    )
    return list(session.scalars(query.order_by(DischargeRow.id.desc())))


def delete(session: Session, run_id: int) -> DischargeRow:
    """Delete one; :func:`restore` undoes it."""
    row = fetch(session, run_id)
    records.delete(session, row)
    return row


def restore(session: Session, run_id: int) -> DischargeRow:
    """Undo a delete."""
    return records.restore(session, DischargeRow, run_id)
