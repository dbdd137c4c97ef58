"""How single lines are spoken: the pilot's other words and own recordings, the same in every plan."""

from __future__ import annotations

from collections.abc import Iterable

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from zesty_cell.formats.voices_wav import Line
from zesty_cell.store.tables import UnreadableRow, VoiceLineRow


def _row(session: Session, words: str) -> VoiceLineRow:
    row = session.scalars(select(VoiceLineRow).where(VoiceLineRow.words == words)).first()
    if row is None:
        row = VoiceLineRow(name=words[:80], words=words)
        session.add(row)
    elif row.deleted_at is not None:  # set aside: what is said now takes its place
        row.deleted_at, row.spoken_as, row.own_wav, row.own_on = None, None, None, False
        mine = (UnreadableRow.table_name == VoiceLineRow.__tablename__, UnreadableRow.row_id == row.id)
        session.execute(delete(UnreadableRow).where(*mine))
    return row


def lines(session: Session, words: Iterable[str]) -> dict[str, Line]:
    """How each of some words is spoken, where it is not simply read by the voice."""
    query = select(VoiceLineRow).where(VoiceLineRow.words.in_(list(words)), VoiceLineRow.deleted_at.is_(None))
    rows = session.scalars(query)
    return {
        r.words: Line(r.spoken_as, r.own_wav if r.own_on else None)
        for r in rows
        if r.spoken_as is not None or (r.own_on and r.own_wav is not None)
    }


def say_as(session: Session, words: str, spoken_as: str | None) -> None:
    """Have the voice say other words for a line; None for the line itself."""
    if spoken_as is None and words not in lines(session, [words]):
        return
    _row(session, words).spoken_as = spoken_as
    session.flush()


def record(session: Session, words: str, wav: bytes) -> None:
    """Take an own recording for a line."""
    row = _row(session, words)
    row.own_wav, row.own_on = wav, True
    session.flush()


def use_own(session: Session, words: str, on: bool) -> None:
    """Use the own recording of a line, or let the voice speak it again; the recording stays."""
    row = _row(session, words)
    row.own_on = on and row.own_wav is not None
    session.flush()
