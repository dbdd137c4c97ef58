"""The log of flights; what a flight changes about its pack changes here, in the same transaction."""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Any

from sqlalchemy import insert, select
from sqlalchemy.orm import Session, lazyload

from zesty_cell.core.learn.flights import LoggedFlight, begins_full
from zesty_cell.core.parts.chemistries import chemistry_for
from zesty_cell.core.parts.ownership import MOST_FLIGHTS
from zesty_cell.core.parts.pack import Pack
from zesty_cell.store import records
from zesty_cell.store.documents import read, to_document
from zesty_cell.store.hangar import PACKS
from zesty_cell.store.tables import CraftRow, FieldEntryRow, FlightRow, PackRow


def flight_of(row: FlightRow) -> LoggedFlight:
    """The core's flight of a row."""
    return read(LoggedFlight, row.document)


def fetch(session: Session, flight_id: int) -> FlightRow:
    """One flight; MissingRecordError where there is none."""
    return records.fetch(session, FlightRow, flight_id)


def is_there(session: Session, flight_id: int | None) -> bool:
    """Whether a flight is in the log, and was not taken out."""
    row = None if flight_id is None else session.get(FlightRow, flight_id)
    return row is not None and row.deleted_at is None


def _columns(flight: LoggedFlight) -> dict[str, Any]:
    return {
        "name": flight.pattern,
        "landed_at": flight.landed_at.replace(tzinfo=None),
        "duration_s": flight.duration_s,
        "pattern": flight.pattern,
        "waiting": flight.put_back_ah is None and flight.charged_v_per_cell is None,
        "set_aside": flight.set_aside is not None,
        "air_c": flight.air_c,
        "propellers": flight.propellers,
        "document": to_document(flight),
    }


def _fill(row: FlightRow, flight: LoggedFlight) -> None:
    for column, value in _columns(flight).items():
        setattr(row, column, value)


def _note_pack(session: Session, row: FlightRow, flight: LoggedFlight) -> None:
    """What a flight says about where its pack stands, if no later flight says otherwise."""
    newest = newest_of(session, row.pack_id)
    if newest is not None and newest.id == row.id:
        _leave_pack(row.pack, flight, waiting=row.waiting)


def _leave_pack(pack: PackRow, flight: LoggedFlight, *, waiting: bool) -> None:
    """Where the newest flight of a pack leaves it."""
    if waiting:
        pack.rest_v_per_cell = flight.rest_v_per_cell
    else:
        pack.rest_v_per_cell = flight.charged_v_per_cell or chemistry_for(PACKS.thing(pack).chemistry).full_v


def _with_propellers(flight: LoggedFlight, on: str) -> LoggedFlight:
    """A flight with the propellers that are on its craft, where it does not say which were."""
    return flight if flight.propellers or not on else flight.model_copy(update={"propellers": on})


def _propellers_on(session: Session, craft_id: int) -> str:
    row = session.get(CraftRow, craft_id)
    return "" if row is None else str(row.document.get("propellers") or "")


def add(session: Session, flight: LoggedFlight, *, craft_id: int, pack: PackRow, entry: str) -> FlightRow:
    """Log a flight; its pack has one more and is where it landed. The same entry again is the same flight.

    Where it does not say which propellers were on, those that are on its craft were.
    """
    known = session.scalars(select(FlightRow.id).where(FlightRow.entry == entry)).first()
    if known is not None:
        return session.get_one(FlightRow, known)
    flight = _with_propellers(flight, _propellers_on(session, craft_id))
    row = FlightRow(craft_id=craft_id, pack_id=pack.id, pack=pack, entry=entry)
    _fill(row, flight)
    # A phone brings a whole day of them: the neighbours are looked up once, and what they say is there at once.
    last, following = _neighbours(session, pack.id, row.landed_at)
    _begin_after(last, row)
    session.add(row)
    pack.flights = min(pack.flights + 1, MOST_FLIGHTS)
    if following is None:
        _leave_pack(pack, flight, waiting=row.waiting)
    else:
        _begin_after(row, following)
    session.flush()
    return row


def _neighbours(session: Session, pack_id: int, at: datetime) -> tuple[FlightRow | None, FlightRow | None]:
    """The flights of a pack before and after one that landed at ``at`` and is not in the log yet."""
    flown = (
        select(FlightRow)
        .where(FlightRow.pack_id == pack_id, FlightRow.deleted_at.is_(None))
        .options(lazyload(FlightRow.craft), lazyload(FlightRow.pack))
        .limit(1)
    )
    order = (FlightRow.landed_at, FlightRow.id)
    before = flown.where(FlightRow.landed_at <= at).order_by(*(column.desc() for column in order))
    after = flown.where(FlightRow.landed_at > at).order_by(*order)
    return session.scalars(before).first(), session.scalars(after).first()


def _begin_after(last: FlightRow | None, row: FlightRow) -> None:
    """Let a flight know how it began, from the flight before it."""
    began = _begins(None if last is None else last.document, last is not None and last.waiting, row.document)
    if row.document.get("began_full", True) != began:
        row.document = dict(row.document) | {"began_full": began}


def _begins(before: dict[str, Any] | None, waiting_before: bool, document: dict[str, Any]) -> bool:
    """Whether a flight began with a full pack: as the flight before it left it."""
    return begins_full(
        said_part=bool(document.get("said_part")),
        first=before is None,
        charged_since=before is not None and not (waiting_before or before.get("charged_with_next")),
    )


def _settle(session: Session, pack_id: int, *moments: datetime) -> None:
    """Let the flights at and after some moments know how they began: late entries and edits move what is before."""
    for moment in moments:
        at = moment.replace(tzinfo=None)
        alive = (FlightRow.pack_id == pack_id, FlightRow.deleted_at.is_(None))
        order = (FlightRow.landed_at, FlightRow.id)
        after = select(FlightRow).where(*alive, FlightRow.landed_at >= at).order_by(*order).limit(2)
        before = select(FlightRow).where(*alive, FlightRow.landed_at < at)
        last = session.scalars(before.order_by(*(c.desc() for c in order)).limit(1)).first()
        for row in session.scalars(after):
            _begin_after(last, row)
            last = row
    session.flush()


def _settle_all(session: Session, pack_id: int) -> None:
    """The same for every flight of a pack."""
    last: FlightRow | None = None
    for row in of_pack(session, pack_id):
        _begin_after(last, row)
        last = row
    session.flush()


@dataclass(frozen=True)
class NewFlight:
    """A flight to be logged, with the name by which it is the same when it comes again."""

    flight: LoggedFlight
    craft_id: int
    pack_id: int
    entry: str


_A_BATCH = 500


def add_many(session: Session, new: Sequence[NewFlight], *, progress: Callable[[int], None] | None = None) -> int:
    """Log many flights in one transaction; those that are in the log already are passed over.

    Returns
    -------
    int
        How many were new.
    """
    known = set(session.scalars(select(FlightRow.entry)))
    rows = []
    flown: dict[int, int] = {}
    on = {craft_id: _propellers_on(session, craft_id) for craft_id in {one.craft_id for one in new}}
    for one in new:
        if one.entry in known:
            continue
        known.add(one.entry)
        flown[one.pack_id] = flown.get(one.pack_id, 0) + 1
        rows.append(
            _columns(_with_propellers(one.flight, on[one.craft_id]))
            | {"craft_id": one.craft_id, "pack_id": one.pack_id, "entry": one.entry, "version": 1}
        )
    for first in range(0, len(rows), _A_BATCH):
        # Statement by statement the unit of work would take five times as long.
        session.execute(insert(FlightRow), rows[first : first + _A_BATCH])
        if progress is not None:
            progress(min(first + _A_BATCH, len(rows)))
    for pack_id, count in flown.items():
        pack = session.get_one(PackRow, pack_id)
        pack.flights = min(pack.flights + count, MOST_FLIGHTS)
        newest = newest_of(session, pack_id)
        if newest is not None:
            _note_pack(session, newest, flight_of(newest))
        _settle_all(session, pack_id)
    session.flush()
    return len(rows)


def newest_of(session: Session, pack_id: int) -> FlightRow | None:
    """The newest flight of a pack; None where there is none."""
    query = select(FlightRow).where(FlightRow.pack_id == pack_id, FlightRow.deleted_at.is_(None))
    return session.scalars(query.order_by(FlightRow.landed_at.desc(), FlightRow.id.desc()).limit(1)).first()


def note_rest(session: Session, pack: PackRow, volts: float, *, at: datetime) -> None:
    """What a cell of a pack rested at [V] when it was measured, unless it was flown or charged since."""
    newest = newest_of(session, pack.id)
    known = None if newest is None else flight_of(newest)
    if known is None or at >= max(known.landed_at, known.charged_at or known.landed_at):
        pack.rest_v_per_cell = volts
        session.flush()


#: No flight is longer [s]: what overlaps one lies this near.
_LONGEST_S = 14_400


def near(session: Session, pack_id: int, flight: LoggedFlight) -> dict[int, LoggedFlight]:
    """Flights of a pack that could overlap one, by number: landed between its take-off and hours after it."""
    landed = FlightRow.landed_at
    query = select(FlightRow.id, FlightRow.document).where(
        FlightRow.pack_id == pack_id,
        FlightRow.deleted_at.is_(None),
        landed > flight.took_off_at.replace(tzinfo=None),
        landed < (flight.landed_at + timedelta(seconds=_LONGEST_S)).replace(tzinfo=None),
    )
    return {flight_id: read(LoggedFlight, document) for flight_id, document in session.execute(query)}


def known_moments(session: Session) -> dict[int, list[tuple[datetime, float]]]:
    """When each pack landed and how long it had flown, of every flight in the log, in UTC [s]."""
    query = select(FlightRow.pack_id, FlightRow.landed_at, FlightRow.duration_s).where(
        FlightRow.deleted_at.is_(None)
    )
    found: dict[int, list[tuple[datetime, float]]] = {}
    for pack_id, landed_at, duration_s in session.execute(query):
        found.setdefault(pack_id, []).append((landed_at.replace(tzinfo=UTC), duration_s))
    return found


def change(session: Session, flight_id: int, version: int, flight: LoggedFlight) -> FlightRow:
    """Keep a changed flight, provided nobody changed it since ``version``.

    Raises
    ------
    MissingRecordError, EditConflictError
    """
    row = records.fetch_version(session, FlightRow, flight_id, version)
    row.previous = dict(row.document)
    was = row.landed_at
    _fill(row, flight)
    _note_pack(session, row, flight)
    session.flush()
    _settle(session, row.pack_id, *sorted((was, flight.landed_at.replace(tzinfo=None))))
    session.refresh(row)
    return row


def as_before(session: Session, flight_id: int) -> bool:
    """Undo the last :func:`change`; called again it is done again. False where there was none."""
    row = fetch(session, flight_id)
    if row.previous is None:
        return False
    change(session, flight_id, row.version, read(LoggedFlight, row.previous))
    return True


def delete(session: Session, row: FlightRow) -> None:
    """Take a flight out of the log; :func:`restore` undoes it."""
    row.pack.flights = max(row.pack.flights - 1, 0)
    records.delete(session, row)
    session.flush()
    _settle(session, row.pack_id, row.landed_at)


def restore(session: Session, flight_id: int) -> FlightRow:
    """Undo a delete."""
    row = session.get(FlightRow, flight_id)
    gone = row is not None and row.deleted_at is not None
    row = records.restore(session, FlightRow, flight_id)
    if gone:
        row.pack.flights = min(row.pack.flights + 1, MOST_FLIGHTS)
    session.flush()
    _settle(session, row.pack_id, row.landed_at)
    return row


def waiting(session: Session) -> list[list[FlightRow]]:
    """The flights of each pack since it was charged, the oldest first; the pack that waits longest first."""
    query = select(FlightRow).where(FlightRow.waiting, FlightRow.deleted_at.is_(None))
    found: dict[int, list[FlightRow]] = {}
    for row in session.scalars(query.order_by(FlightRow.landed_at, FlightRow.id)):
        found.setdefault(row.pack_id, []).append(row)
    return list(found.values())


def waiting_before(session: Session, row: FlightRow) -> list[FlightRow]:
    """Earlier flights of the same pack that were not charged either, the oldest first."""
    query = select(FlightRow).where(
        FlightRow.pack_id == row.pack_id,
        FlightRow.waiting,
        FlightRow.deleted_at.is_(None),
        FlightRow.landed_at < row.landed_at,
    )
    return list(session.scalars(query.order_by(FlightRow.landed_at, FlightRow.id)))


def of_pack(session: Session, pack_id: int) -> list[FlightRow]:
    """The flights of a pack, the oldest first."""
    query = select(FlightRow).where(FlightRow.pack_id == pack_id, FlightRow.deleted_at.is_(None))
    return list(session.scalars(query.order_by(FlightRow.landed_at, FlightRow.id)))


def taken(session: Session, entries: Collection[str]) -> dict[str, dict[str, object]]:
    """What was answered to entries of a phone, by their names; those that were not taken yet are not in it."""
    query = select(FieldEntryRow.entry, FieldEntryRow.answer).where(FieldEntryRow.entry.in_(entries))
    return {entry: dict(answer) for entry, answer in session.execute(query)}


def take(session: Session, entry: str, answer: dict[str, object]) -> None:
    """Remember that a phone's entry was taken."""
    session.add(FieldEntryRow(entry=entry, answer=answer))


def pack_of(row: FlightRow) -> Pack:
    """The pack that was flown."""
    return PACKS.thing(row.pack)


def of_entry(session: Session, entry: str) -> FlightRow | None:
    """The flight that was logged by an entry; None where there is none."""
    query = select(FlightRow).where(FlightRow.entry == entry, FlightRow.deleted_at.is_(None))
    return session.scalars(query).first()


def newest_of_craft(session: Session, craft_id: int, most: int) -> list[FlightRow]:
    """The newest flights of a craft."""
    query = select(FlightRow).where(FlightRow.craft_id == craft_id, FlightRow.deleted_at.is_(None))
    return list(session.scalars(query.order_by(FlightRow.landed_at.desc(), FlightRow.id.desc()).limit(most)))


def rename_propellers(session: Session, craft_id: int, *, was: str, now: str) -> int:
    """Flights of a craft with a set of propellers are of that set under its new name; how many."""
    rows = list(
        session.scalars(select(FlightRow).where(FlightRow.craft_id == craft_id, FlightRow.propellers == was))
    )
    for row in rows:
        row.document = dict(row.document) | {"propellers": now}
        row.propellers = now
    session.flush()
    return len(rows)


def newest(session: Session, most: int) -> list[FlightRow]:
    """The newest flights of the log."""
    query = select(FlightRow).where(FlightRow.deleted_at.is_(None))
    return list(session.scalars(query.order_by(FlightRow.landed_at.desc(), FlightRow.id.desc()).limit(most)))
