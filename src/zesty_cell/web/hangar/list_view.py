"""The hangar: crafts, packs by type, cells of the shelf."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Query, Request
from fastapi.responses import HTMLResponse
from sqlalchemy.orm import Session

from zesty_cell.core.parts.chemistries import CHEMISTRIES
from zesty_cell.services.pack_health import healths
from zesty_cell.store import sheets, unreadable
from zesty_cell.store.hangar import CELLS, CRAFTS, PackFilter, find_packs, ownership_of
from zesty_cell.web.hangar import form as hangar_form
from zesty_cell.web.hangar.types import cell_picture, type_shown
from zesty_cell.web.http import Store, page, whole_number

router = APIRouter(prefix="/hangar", include_in_schema=False)

#: Types of packs on one page.
TYPES_A_PAGE = 24


@router.get("")
def show_hangar(
    request: Request,
    session: Store,
    q: Annotated[str, Query(max_length=80)] = "",
    chemistry: Annotated[str, Query(max_length=20)] = "",
    series: Annotated[str, Query(max_length=4)] = "",
    standing: Annotated[str, Query(max_length=12)] = "",
    first: Annotated[str, Query(max_length=6)] = "",
) -> HTMLResponse:
    """Crafts, packs by type, cells; the packs filtered on the server."""
    wanted = PackFilter(
        words=q,
        chemistry=chemistry if chemistry in CHEMISTRIES else "",
        series=whole_number(series) or None,
        standing=standing if standing in {k for k, _ in hangar_form.STANDINGS} else "",
    )
    start = whole_number(first)
    found = find_packs(session, wanted, first=start, most=TYPES_A_PAGE)
    known = healths(session, [row for _, rows in found.types for row in rows])
    return page(
        request,
        "hangar.html",
        _hangar_context(session)
        | {
            "wanted": wanted,
            "found": found,
            "types": [type_shown(name, rows, known) for name, rows in found.types],
            "filtered": wanted != PackFilter(),
            "start": start,
            "next_start": start + TYPES_A_PAGE if start + TYPES_A_PAGE < found.type_count else None,
            "query": [(k, v) for k, v in request.query_params.multi_items() if k != "first"],
            "words": q,
        },
    )


def _hangar_context(session: Session) -> dict[str, Any]:
    # The sheet changed last of each craft: there is told what to measure next.
    by_change = sorted(sheets.heads(session), key=lambda row: (row.updated_at, row.id))
    cells = [(row, CELLS.thing(row)) for row in CELLS.all(session)]
    return {
        "crafts": [(row, CRAFTS.thing(row), ownership_of(row)) for row in CRAFTS.all(session)],
        "sheet_of": {row.craft_id: row.id for row in by_change},
        "cells": [(row, cell, cell_picture(cell), len(CELLS.users(session, row.id))) for row, cell in cells],
        "chemistries": CHEMISTRIES,
        "standings": hangar_form.STANDINGS,
        "cannot_be_read": unreadable.count(session),
    }
