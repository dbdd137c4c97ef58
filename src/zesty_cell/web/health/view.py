"""Pack health: every pack with its verdict, one pack over its life, pairs, and what should be stored."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import Response

from zesty_cell.core.learn.health import (
    Health,
)
from zesty_cell.core.learn.matched_pairs import matched_pairs
from zesty_cell.services.pack_health import healths, pack_fit, storage_reminders
from zesty_cell.store.hangar import PACKS
from zesty_cell.store.tables import PackRow
from zesty_cell.web.drawing.pack_picture import PackPicture, pack_picture
from zesty_cell.web.http import Store, page

router = APIRouter(prefix="/hangar/health", include_in_schema=False)


@dataclass(frozen=True)
class Line:
    """A pack of the overview."""

    row: PackRow
    health: Health
    picture: PackPicture


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
        "pairs": matched_pairs([pack_fit(row, PACKS.thing(row), known.get(row.id)) for row in own])[:12],
        "ids": {row.name: row.id for row in rows},
        "store": storage_reminders(session, rows),
    }
    return page(request, "health.html", context)
