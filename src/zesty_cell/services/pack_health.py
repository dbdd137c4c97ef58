"""Health of packs by their flights and cell checks, worked out again only when their log changed."""

from __future__ import annotations

import threading
from collections import OrderedDict
from datetime import UTC, datetime

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from zesty_cell.core.fact import Fact
from zesty_cell.core.learn.flights import used_of
from zesty_cell.core.learn.health import (
    Health,
    health,
    storage_fact,
)
from zesty_cell.core.learn.matched_pairs import PackFit
from zesty_cell.core.parts.chemistries import chemistry_for
from zesty_cell.core.parts.ownership import charge_now
from zesty_cell.core.parts.pack import Pack
from zesty_cell.core.parts.pack_figures import pack_figures
from zesty_cell.store import calibrations, flights
from zesty_cell.store.hangar import PACKS, ownership_of
from zesty_cell.store.tables import CalibrationRow, FlightRow, PackRow

_MOST_KEPT = 2000
_lock = threading.Lock()
_known: OrderedDict[tuple[str, int], tuple[tuple[int, ...], Health]] = OrderedDict()


def _stamps(session: Session) -> dict[int, tuple[int, ...]]:
    """What changes when anything of a pack's log does, by pack."""
    alive = FlightRow.deleted_at.is_(None)
    query = select(FlightRow.pack_id, func.count(), func.sum(FlightRow.version), func.max(FlightRow.id))
    made = session.execute(
        select(func.count(), func.coalesce(func.sum(CalibrationRow.version), 0)).where(
            CalibrationRow.deleted_at.is_(None)
        )
    ).one()
    found = {
        row[0]: (row[1], row[2], row[3], *made)
        for row in session.execute(query.where(alive).group_by(FlightRow.pack_id))
    }
    return {pack_id: tuple(int(v) for v in stamp) for pack_id, stamp in found.items()}


def forget() -> None:
    """Let go of all verdicts: the place holds something else now."""
    with _lock:
        _known.clear()


def healths(session: Session, rows: list[PackRow]) -> dict[int, Health]:
    """Health of packs that have flights or cell checks, by id; worked out again only when their log changed."""
    stamps = _stamps(session)
    checked = set(
        session.scalars(
            select(CalibrationRow.pack_id).where(
                CalibrationRow.kind == "cells", CalibrationRow.deleted_at.is_(None)
            )
        )
    )
    place = str(session.get_bind().engine.url)
    today = datetime.now(UTC).toordinal()
    found: dict[int, Health] = {}
    for row in rows:
        if row.id not in stamps and row.id not in checked:
            continue
        stamp = (*stamps.get(row.id, ()), row.version, len(checked), today)
        with _lock:
            known = _known.get((place, row.id))
        if known is None or known[0] != stamp:
            known = stamp, _health(session, row)
            with _lock:
                _known[place, row.id] = known
                while len(_known) > _MOST_KEPT:
                    _known.popitem(last=False)
        found[row.id] = known[1]
    return found


def _health(session: Session, row: PackRow) -> Health:
    pack, rows = PACKS.thing(row), flights.of_pack(session, row.id)
    made = {craft_id: calibrations.of_craft(session, craft_id) for craft_id in {r.craft_id for r in rows}}
    flown = [flights.flight_of(r) for r in rows]
    return health(
        pack,
        flown,
        now=datetime.now(UTC),
        checks=calibrations.of_pack(session, row.id),
        # As the log counts them: what a sensor showed before it was calibrated is corrected.
        used=[used_of(f, pack=pack, calibrations=made[r.craft_id]) for f, r in zip(flown, rows, strict=True)],
    )


def storage_reminders(session: Session, rows: list[PackRow]) -> list[tuple[PackRow, Fact]]:
    """Own packs that stand full or empty for days, and what to do with each."""
    now = datetime.now(UTC)
    found = []
    for row in rows:
        newest = flights.newest_of(session, row.id) if row.standing == "own" else None
        if newest is None:
            continue
        pack, flight = PACKS.thing(row), flights.flight_of(newest)
        since = max(flight.landed_at, flight.charged_at or flight.landed_at)
        words = storage_fact(
            charge=charge_now(pack=pack, ownership=ownership_of(row)),
            days=(now - since).total_seconds() / 86_400.0,
            storage_v=chemistry_for(pack.chemistry).storage_v,
        )
        if words is not None:
            found.append((row, words))
    return found


def pack_fit(row: PackRow, pack: Pack, of: Health | None) -> PackFit:
    """A pack as its log shows it, else as the hangar knows it."""
    figures = pack_figures(pack)
    capacity, ohm = figures.capacity_ah, figures.resistance_ohm
    if of is not None and len(of.capacity) >= 3:
        capacity = sum(r.value for r in of.capacity[-3:]) / 3.0
    if of is not None and len(of.resistance) >= 3:
        cell = sum(r.value for r in of.resistance[-3:]) / 3.0
        ohm = figures.external_ohm() + cell * pack.series / pack.parallel
    return PackFit(row.name, (pack.chemistry, pack.series, pack.parallel), capacity, ohm)
