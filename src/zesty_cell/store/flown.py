"""What is asked of the log: a page of flights by what they are, and those that a craft can be learned from."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import ColumnElement, exists, func, select
from sqlalchemy.orm import Session

from zesty_cell.store.tables import CraftRow, FlightRow, PackRow


@dataclass(frozen=True)
class Flown:
    """A craft with a set of propellers on, with packs of a type."""

    craft_id: int
    type_name: str
    propellers: str = ""


def alike(session: Session, of: Flown, *, pattern: str, most: int = 60) -> list[FlightRow]:
    """The last flights so flown on a pattern that may be learned from, the oldest first."""
    return _learnable(session, FlightRow.pattern == pattern, of=of, most=most)


def alike_elsewhere(session: Session, of: Flown, *, pattern: str, most: int = 40) -> list[FlightRow]:
    """The last flights so flown on other patterns, the oldest first."""
    return _learnable(session, FlightRow.pattern != pattern, of=of, most=most)


def _learnable(session: Session, on: ColumnElement[bool], *, of: Flown, most: int) -> list[FlightRow]:
    query = (
        select(FlightRow)
        .join(PackRow, PackRow.id == FlightRow.pack_id)
        .where(
            FlightRow.craft_id == of.craft_id,
            FlightRow.propellers == of.propellers,
            PackRow.type_name == of.type_name,
            on,
            FlightRow.deleted_at.is_(None),
            FlightRow.set_aside.is_(False),
        )
        .order_by(FlightRow.landed_at.desc(), FlightRow.id.desc())
        .limit(most)
    )
    return list(session.scalars(query))[::-1]


@dataclass(frozen=True)
class FoundFlights:
    """A page of flights, and how many there are in all."""

    rows: list[FlightRow]
    total: int


def find(
    session: Session,
    *,
    craft_id: int = 0,
    pack_id: int = 0,
    pattern: str = "",
    propellers: str = "",
    plug: str = "",
    note: str = "",
    air_from_c: float | None = None,
    air_to_c: float | None = None,
    most: int,
    skip: int = 0,
) -> FoundFlights:
    """Flights of a craft, a pack, a pattern, with propellers, through a plug, with words in their note, in air from
    and below a temperature, the newest first; 0, "" and None for any."""
    wanted: list[ColumnElement[bool]] = [FlightRow.deleted_at.is_(None)]
    if craft_id:
        wanted.append(FlightRow.craft_id == craft_id)
    if pack_id:
        wanted.append(FlightRow.pack_id == pack_id)
    if pattern:
        wanted.append(FlightRow.pattern == pattern)
    if propellers:
        wanted.append(FlightRow.propellers == propellers)
    if plug:
        through = PackRow.document["connector"].as_string() == plug
        wanted.append(FlightRow.pack_id.in_(select(PackRow.id).where(through)))
    if note:
        wanted.append(FlightRow.document["note"].as_string().icontains(note, autoescape=True))
    if air_from_c is not None:
        wanted.append(FlightRow.air_c >= air_from_c)
    if air_to_c is not None:
        wanted.append(FlightRow.air_c < air_to_c)
    total = session.scalar(select(func.count()).select_from(FlightRow).where(*wanted)) or 0
    query = select(FlightRow).where(*wanted).order_by(FlightRow.landed_at.desc(), FlightRow.id.desc())
    return FoundFlights(list(session.scalars(query.limit(most).offset(skip))), total)


def newest_on(session: Session, *, craft_id: int, propellers: str, pattern: str | None) -> FlightRow | None:
    """The newest flight of a craft with propellers on, on a pattern or on any, that may be learned from; None where
    there is none."""
    query = select(FlightRow).where(
        FlightRow.craft_id == craft_id,
        FlightRow.propellers == propellers,
        FlightRow.deleted_at.is_(None),
        FlightRow.set_aside.is_(False),
    )
    if pattern is not None:
        query = query.where(FlightRow.pattern == pattern)
    return session.scalars(query.order_by(FlightRow.landed_at.desc(), FlightRow.id.desc()).limit(1)).first()


def flown(session: Session) -> tuple[list[CraftRow], list[PackRow], list[str]]:
    """Crafts, packs and patterns that are in the log, by name."""
    alive = FlightRow.deleted_at.is_(None)
    flying = exists().where(FlightRow.craft_id == CraftRow.id, alive)
    carrying = exists().where(FlightRow.pack_id == PackRow.id, alive)
    crafts = select(CraftRow).where(flying).order_by(CraftRow.name)
    packs = select(PackRow).where(carrying).order_by(PackRow.name)
    patterns = select(FlightRow.pattern).where(alive).distinct().order_by(FlightRow.pattern)
    return list(session.scalars(crafts)), list(session.scalars(packs)), list(session.scalars(patterns))


def propellers_flown(session: Session) -> list[str]:
    """Names of propeller sets that are in the log."""
    named = (FlightRow.deleted_at.is_(None), FlightRow.propellers != "")
    query = select(FlightRow.propellers).where(*named).distinct().order_by(FlightRow.propellers)
    return list(session.scalars(query))
