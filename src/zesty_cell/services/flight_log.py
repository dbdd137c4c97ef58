"""Logging a flight, and changing one: what is doubted of it, what goes back shared out, its logs told anew."""

from __future__ import annotations

from collections.abc import Set
from contextlib import suppress
from dataclasses import dataclass
from datetime import timedelta

from sqlalchemy.orm import Session

from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import Words
from zesty_cell.core.learn.flights import LoggedFlight, doubts, shared_out
from zesty_cell.core.learn.plausibility import flight_doubts
from zesty_cell.services.advice import advise
from zesty_cell.services.log_fits import keep_fits
from zesty_cell.store import flights
from zesty_cell.store.hangar import PACKS
from zesty_cell.store.tables import FlightRow, PackRow, SheetRow

#: A clock may be ahead by so much; a landing later than that has not been.
CLOCK_AHEAD = timedelta(minutes=10)


@dataclass(frozen=True)
class Doubted:
    """What is wrong with a flight.

    Attributes
    ----------
    errors : dict
        Words by field.
    asked : frozenset of str
        Keys of what is only improbable, with those that were meant before: sent back they are taken.  Empty where
        something cannot be.
    """

    errors: dict[str, Words]
    asked: frozenset[str] = frozenset()


def doubted(
    session: Session,
    flight: LoggedFlight,
    *,
    pack_id: int,
    row: FlightRow | None = None,
    sure: Set[str] = frozenset(),
    foretold: Foretold | None = None,
) -> Doubted:
    """What of a flight of a pack cannot be, else what hardly can: against its neighbours in the log and its sheet.

    Parameters
    ----------
    row : FlightRow, optional
        Where it is kept already: what was taken of it then is not asked again.
    sure : set of str
        Keys of what is meant.
    foretold : Foretold, optional
        By its sheet.
    """
    pack = PACKS.thing(PACKS.fetch(session, pack_id))
    near = flights.near(session, pack_id, flight)
    others = [other for flight_id, other in near.items() if row is None or flight_id != row.id]
    impossible = doubts(flight, pack=pack, others=others)
    if impossible:
        return Doubted(dict(impossible))
    found = flight_doubts(
        flight,
        pack=pack,
        forecast_s=None if foretold is None else foretold.end_s,
        forecast_a=None if foretold is None else foretold.mean_a,
    )
    before = set() if row is None else {d.key for d in flight_doubts(flights.flight_of(row), pack=pack)}
    asked = [d for d in found if d.key not in sure | before]
    keys = frozenset(sure | {d.key for d in asked}) if asked else frozenset()
    return Doubted({d.field: d.why for d in asked}, keys)


@dataclass(frozen=True)
class Foretold:
    """What a flight is doubted by: how long a full pack lasts, and the mean current [s, A]."""

    end_s: float
    mean_a: float


def foretold_by(session: Session, sheet: SheetRow, *, pack: PackRow) -> Foretold | None:
    """What a sheet foretells with a pack; None where it contradicts itself."""
    with suppress(OutOfRangeError):
        result = advise(session, sheet, pack=pack).result
        return Foretold(result.flight.end_s, result.mean_a)
    return None


def log_flight(session: Session, flight: LoggedFlight, *, sheet: SheetRow, pack: PackRow, entry: str) -> FlightRow:
    """Put a flight of a sheet's craft with a pack into the log, under the name of the entry that brought it."""
    return flights.add(session, flight, craft_id=sheet.craft_id, pack=pack, entry=entry)


def change_flight(
    session: Session, row: FlightRow, flight: LoggedFlight, *, version: int | None = None
) -> FlightRow:
    """Change a flight of the log; what its telemetry tells is worked out anew.

    Parameters
    ----------
    version : int, optional
        At which it was read; as it is by default.

    Raises
    ------
    EditConflictError
        When somebody changed it since.
    """
    changed = flights.change(session, row.id, row.version if version is None else version, flight)
    keep_fits(session, changed)
    return changed


def charge_pack(session: Session, row: FlightRow, flight: LoggedFlight) -> FlightRow:
    """Change a flight by what went back after it.

    Where its pack was flown again without a charge between, what goes back now is for all of those flights, and is
    shared out by their times.
    """
    before = flights.waiting_before(session, row) if row.waiting else []
    if before and flight.put_back_ah is not None:
        earlier = [flights.flight_of(r) for r in before]
        shares = shared_out(flight.put_back_ah, durations_s=[*(f.duration_s for f in earlier), flight.duration_s])
        for other, was, share in zip(before, earlier, shares, strict=False):
            told = was.model_dump() | {"put_back_ah": share, "charged_with_next": True}
            flights.change(session, other.id, other.version, LoggedFlight.model_validate(told))
        flight = LoggedFlight.model_validate(flight.model_dump() | {"put_back_ah": shares[-1]})
    return change_flight(session, row, flight)
