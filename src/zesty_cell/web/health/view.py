"""Pack health: every pack with its verdict, one pack over its life, pairs, and what should be stored."""

from __future__ import annotations

import threading
from collections import OrderedDict
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import Response
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from zesty_cell.core.learn.flights import used_of
from zesty_cell.core.learn.health import (
    CAPACITY_RETIRE,
    CAPACITY_WATCH,
    RESISTANCE_RETIRE,
    RESISTANCE_WATCH,
    Health,
    health,
    storage_word,
)
from zesty_cell.core.learn.matched_pairs import PackFit, matched_pairs
from zesty_cell.core.parts.chemistries import chemistry_for
from zesty_cell.core.parts.ownership import charge_now
from zesty_cell.core.parts.pack import Pack
from zesty_cell.core.parts.pack_figures import pack_figures
from zesty_cell.store import calibrations, flights
from zesty_cell.store.hangar import PACKS, keeping_of
from zesty_cell.store.tables import CalibrationRow, FlightRow, PackRow
from zesty_cell.web.drawing.health_chart import life_chart
from zesty_cell.web.drawing.pack_picture import PackPicture, pack_picture
from zesty_cell.web.http.database import Store
from zesty_cell.web.http.templating import page

router = APIRouter(prefix="/hangar/health", include_in_schema=False)
_KEPT = 2000
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
                while len(_known) > _KEPT:
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


@dataclass(frozen=True)
class Line:
    """A pack of the overview."""

    row: PackRow
    health: Health
    picture: PackPicture


def storage_reminders(session: Session, rows: list[PackRow]) -> list[tuple[PackRow, str]]:
    """Own packs that stand full or empty for days, and what to do with each."""
    now = datetime.now(UTC)
    found = []
    for row in rows:
        newest = flights.newest_of(session, row.id) if row.standing == "own" else None
        if newest is None:
            continue
        pack, flight = PACKS.thing(row), flights.flight_of(newest)
        since = max(flight.landed_at, flight.charged_at or flight.landed_at)
        words = storage_word(
            charge=charge_now(pack=pack, keeping=keeping_of(row)),
            days=(now - since).total_seconds() / 86_400.0,
            storage_v=chemistry_for(pack.chemistry).storage_v,
        )
        if words is not None:
            found.append((row, words))
    return found


def _fit(row: PackRow, pack: Pack, of: Health | None) -> PackFit:
    """A pack as its log shows it, else as the hangar knows it."""
    figures = pack_figures(pack)
    capacity, ohm = figures.capacity_ah, figures.resistance_ohm
    if of is not None and len(of.capacity) >= 3:
        capacity = sum(r.value for r in of.capacity[-3:]) / 3.0
    if of is not None and len(of.resistance) >= 3:
        cell = sum(r.value for r in of.resistance[-3:]) / 3.0
        ohm = figures.external_ohm() + cell * pack.series / pack.parallel
    return PackFit(row.name, (pack.chemistry, pack.series, pack.parallel), capacity, ohm)


@router.get("")
def overview(request: Request, session: Store) -> Response:
    """Every pack with flights or checks, the worst first; pairs; what to store."""
    rows = [row for row in PACKS.all(session) if row.standing != "retired"]
    known = healths(session, rows)
    order = {"retire": 0, "watch": 1, "fit": 2}
    lines = []
    for row in rows:
        of = known.get(row.id)
        if of is not None:
            dry = () if of.weakest is None else (of.weakest,)
            lines.append(Line(row, of, pack_picture(PACKS.thing(row), width=96.0, dry=dry)))
    lines.sort(key=lambda line: order[line.health.verdict])
    own = [row for row in rows if row.standing == "own" and row.series * row.parallel > 1]
    context: dict[str, Any] = {
        "lines": lines,
        "quiet": len(rows) - len(lines),
        "pairs": matched_pairs([_fit(row, PACKS.thing(row), known.get(row.id)) for row in own])[:12],
        "ids": {row.name: row.id for row in rows},
        "store": storage_reminders(session, rows),
    }
    return page(request, "health.html", context)


@router.get("/{pack_id}")
def show(request: Request, session: Store, pack_id: int) -> Response:
    """One pack over its life."""
    row = PACKS.fetch(session, pack_id)
    pack = PACKS.thing(row)
    of = healths(session, [row]).get(row.id)
    dry = () if of is None or of.weakest is None else (of.weakest,)
    charge = charge_now(pack=pack, keeping=keeping_of(row))
    context: dict[str, Any] = {
        "row": row,
        "pack": pack,
        "health": of,
        "charge": 1.0 if charge is None else charge,
        "picture": pack_picture(pack, width=216.0, dry=dry),
        "capacity": None
        if of is None
        else life_chart(of.capacity, watch=CAPACITY_WATCH, retire=CAPACITY_RETIRE, unit="mAh"),
        "resistance": None
        if of is None
        else life_chart(of.resistance, watch=RESISTANCE_WATCH, retire=RESISTANCE_RETIRE, unit="mΩ"),
        "checks": [made for made in calibrations.of_pack(session, pack_id) if made.kind == "cells"][::-1],
    }
    return page(request, "health_pack.html", context)
