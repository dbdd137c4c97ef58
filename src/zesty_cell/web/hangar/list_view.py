"""The hangar: crafts, packs by type, cells of the shelf."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Annotated, Any

from fastapi import APIRouter, Query, Request
from fastapi.responses import HTMLResponse
from sqlalchemy.orm import Session

from zesty_cell.core.flight.honest_current import HonestCurrent, honest_current
from zesty_cell.core.learn.health import Health
from zesty_cell.core.learn.verdict import Verdict
from zesty_cell.core.parts.cell import CellModel
from zesty_cell.core.parts.chemistries import CHEMISTRIES, chemistry_for
from zesty_cell.core.parts.ownership import Keeping, charge_now
from zesty_cell.core.parts.pack import Pack
from zesty_cell.core.parts.pack_figures import PackFigures, pack_figures
from zesty_cell.services.pack_health import healths
from zesty_cell.store.hangar import CELLS, CRAFTS, PACKS, PackFilter, find_packs, keeping_of
from zesty_cell.store.tables import PackRow
from zesty_cell.web.drawing.pack_picture import PackPicture, pack_picture
from zesty_cell.web.hangar import form as hangar_form
from zesty_cell.web.http import Store, page, whole_number

router = APIRouter(prefix="/hangar", include_in_schema=False)

#: Types of packs on one page.
TYPES_A_PAGE = 24


@dataclass(frozen=True)
class PackType:
    """A type of pack: its picture and figures, and every individual."""

    name: str
    pack: Pack
    figures: PackFigures
    honest: HonestCurrent
    picture: PackPicture
    individuals: tuple[Individual, ...]


def _type(name: str, rows: tuple[PackRow, ...], known: Mapping[int, Health]) -> PackType:
    packs = [PACKS.thing(row) for row in rows]
    individuals = tuple(
        Individual(
            row=row,
            keeping=kept,
            charge=charge_now(pack=pack, keeping=kept),
            verdict=known[row.id].verdict if row.id in known else "fit",
        )
        for row, pack in zip(rows, packs, strict=True)
        for kept in (keeping_of(row),)
    )
    return PackType(
        name=name,
        pack=packs[0],
        figures=pack_figures(packs[0]),
        honest=honest_current(packs[0]),
        picture=pack_picture(packs[0], width=102.0),
        individuals=individuals,
    )


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
            "types": [_type(name, rows, known) for name, rows in found.types],
            "filtered": wanted != PackFilter(),
            "start": start,
            "next_start": start + TYPES_A_PAGE if start + TYPES_A_PAGE < found.type_count else None,
            "query": [(k, v) for k, v in request.query_params.multi_items() if k != "first"],
            "words": q,
        },
    )


def _hangar_context(session: Session) -> dict[str, Any]:
    cells = [(row, CELLS.thing(row)) for row in CELLS.all(session)]
    return {
        "crafts": [(row, CRAFTS.thing(row), keeping_of(row)) for row in CRAFTS.all(session)],
        "cells": [(row, cell, _cell_picture(cell), len(CELLS.users(session, row.id))) for row, cell in cells],
        "chemistries": CHEMISTRIES,
        "standings": hangar_form.STANDINGS,
    }


def _cell_picture(cell: CellModel) -> PackPicture:
    """A cell drawn as the pack it would make alone, to one scale: a 21 mm round cell is 46 wide."""
    chemistry = chemistry_for(cell.chemistry)
    capacity_ah = cell.capacity_ah or max(0.02, 0.3 * (cell.mass_kg or 0.05) * chemistry.energy_density_wh_kg / 3.6)
    alone = Pack(
        name="cell", chemistry=cell.chemistry, series=1, capacity_ah=min(capacity_ah, 200.0), cell_size=cell.size
    )
    return pack_picture(alone, width=64.0)


@dataclass(frozen=True)
class Individual:
    """One pack of a type."""

    row: PackRow
    keeping: Keeping
    charge: float | None
    verdict: Verdict = "fit"
