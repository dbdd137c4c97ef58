"""Flights of the log, read and written, with the doubts that the field and the log have too."""

from __future__ import annotations

import secrets
from collections.abc import Set
from datetime import UTC, datetime
from typing import Annotated

from fastapi import APIRouter, Query
from fastapi.responses import Response
from pydantic import BaseModel, StringConstraints
from sqlalchemy.orm import Session

from zesty_cell.core.fact import fact
from zesty_cell.core.learn.flights import LoggedFlight
from zesty_cell.formats.flights_csv import NamedFlight, write_flights
from zesty_cell.services.flight_log import CLOCK_AHEAD, change_flight, charge_pack, doubted, foretold_by
from zesty_cell.services.sheet_for import sheet_for
from zesty_cell.store import flights as store
from zesty_cell.store import flown, records
from zesty_cell.store.hangar import CRAFTS, PACKS
from zesty_cell.store.tables import FlightRow
from zesty_cell.web.api import given
from zesty_cell.web.http import Store

router = APIRouter(prefix="/api", tags=["flights"])
_AT = ("body", "flight")


class NewFlight(BaseModel):
    """A flight of a craft with a pack.

    ``entry`` is a name of the sender's own: sent twice under the same one, it is one flight.
    """

    craft_id: given.GivenId
    pack_id: given.GivenId
    entry: Annotated[str, StringConstraints(min_length=1, max_length=40, pattern=r"^[!-~]+$")] | None = None
    flight: LoggedFlight


class ChangedFlight(BaseModel):
    """A changed flight with the version it was read at."""

    version: given.Version
    flight: LoggedFlight


class StoredFlight(given.Listed):
    """A flight of the log; ``waiting`` until its pack was charged again."""

    craft_id: int
    pack_id: int
    waiting: bool
    flight: LoggedFlight


class FlightPage(BaseModel):
    """A page of the log, the newest first, and how many flights there are in all."""

    total: int
    flights: list[StoredFlight]


def _stored(row: FlightRow) -> StoredFlight:
    return StoredFlight(
        id=row.id, version=row.version, name=row.name, craft_id=row.craft_id, pack_id=row.pack_id,
        waiting=row.waiting, flight=store.flight_of(row),
    )  # fmt: skip


def _check(
    session: Session, flight: LoggedFlight, *, craft_id: int, pack_id: int, sure: str, row: FlightRow | None = None
) -> None:
    if flight.landed_at > datetime.now(UTC) + CLOCK_AHEAD:
        raise given.refuse([("landed_at", fact("typed.flight.ahead"), "ahead")], at=_AT)
    pack = PACKS.fetch(session, pack_id)
    sheet = None if row is not None else sheet_for(session, craft_id=craft_id, pack=pack, pattern=flight.pattern)
    foretold = None if sheet is None else foretold_by(session, sheet, pack=pack)
    meant: Set[str] = frozenset(sure.split())
    found = doubted(session, flight, pack_id=pack_id, row=row, sure=meant, foretold=foretold)
    if found.errors:
        kinds = " ".join(sorted(found.asked - meant)) or "impossible"
        raise given.refuse([(field, words, kinds) for field, words in found.errors.items()], at=_AT)


def _to_change(session: Session, flight_id: int, change: ChangedFlight, sure: str) -> FlightRow:
    """The flight that is to be changed, still at the version given, once nothing of the change is doubted."""
    row = records.fetch_version(session, FlightRow, flight_id, change.version)
    _check(session, change.flight, craft_id=row.craft_id, pack_id=row.pack_id, sure=sure, row=row)
    return row


@router.get("/flights", response_model=FlightPage, responses=given.TABLE)
def list_flights(
    session: Store,
    craft: given.OfRecord = 0,
    pack: given.OfRecord = 0,
    pattern: Annotated[str, Query(max_length=80)] = "",
    most: Annotated[int, Query(ge=1, le=1000)] = 100,
    skip: Annotated[int, Query(ge=0, le=10_000_000)] = 0,
    table: given.As = "json",
) -> FlightPage | Response:
    """Flights of a craft, a pack, a pattern, the newest first; ``table=csv`` as the log page saves them."""
    found = flown.find(session, craft_id=craft, pack_id=pack, pattern=pattern, most=most, skip=skip)
    if table == "csv":
        text = write_flights(NamedFlight(r.craft.name, r.pack.name, store.flight_of(r)) for r in found.rows)
        return Response(text, media_type="text/csv; charset=utf-8")
    return FlightPage(total=found.total, flights=[_stored(row) for row in found.rows])


@router.post("/flights", status_code=201, responses=given.MISSING | given.UNREADABLE)
def add_flight(session: Store, new: NewFlight, sure: given.Sure = "") -> StoredFlight:
    """Log a flight."""
    CRAFTS.fetch(session, new.craft_id)
    known = None if new.entry is None else store.of_entry(session, new.entry)
    if known is None:
        _check(session, new.flight, craft_id=new.craft_id, pack_id=new.pack_id, sure=sure)
        known = store.add(
            session,
            new.flight,
            craft_id=new.craft_id,
            pack=PACKS.fetch(session, new.pack_id),
            entry=new.entry or f"api-{secrets.token_hex(8)}",
        )
    return _stored(known)


@router.get("/flights/{flight_id}", responses=given.MISSING)
def get_flight(session: Store, flight_id: given.RecordId) -> StoredFlight:
    """One flight."""
    return _stored(store.fetch(session, flight_id))


@router.put("/flights/{flight_id}", responses=given.MISSING | given.UNREADABLE | given.CONFLICT)
def put_flight(
    session: Store, flight_id: given.RecordId, change: ChangedFlight, sure: given.Sure = ""
) -> StoredFlight:
    """Put a flight right, provided it is still at the version given."""
    row = _to_change(session, flight_id, change, sure)
    return _stored(change_flight(session, row, change.flight, version=change.version))


@router.post("/flights/{flight_id}/charged", responses=given.MISSING | given.UNREADABLE | given.CONFLICT)
def charge_flight(
    session: Store, flight_id: given.RecordId, change: ChangedFlight, sure: given.Sure = ""
) -> StoredFlight:
    """The same after its pack was charged: what went back is shared out among its flights since the last charge."""
    return _stored(charge_pack(session, _to_change(session, flight_id, change, sure), change.flight))


@router.delete("/flights/{flight_id}", status_code=204, responses=given.MISSING)
def delete_flight(session: Store, flight_id: given.RecordId) -> None:
    """Take a flight out of the log; undone by POST to /api/flights/{id}/undelete."""
    store.delete(session, store.fetch(session, flight_id))


@router.post("/flights/{flight_id}/undelete", responses=given.MISSING)
def undelete_flight(session: Store, flight_id: given.RecordId) -> StoredFlight:
    """Undo a delete."""
    return _stored(store.restore(session, flight_id))
