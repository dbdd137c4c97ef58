"""Which pack for this craft: up to eight side by side."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query, Request
from fastapi.responses import HTMLResponse

from zesty_cell.core.choose.buys import LEAST_GAIN_S
from zesty_cell.core.choose.compare import (
    MOST_COMPARED,
    PURPOSES,
    Contender,
    Purpose,
    compare_crafts,
    compare_packs,
    verdict,
)
from zesty_cell.core.parts.pack_figures import pack_figures
from zesty_cell.services.turns import TURNS
from zesty_cell.store.hangar import CRAFTS, PACKS
from zesty_cell.store.tables import CraftRow
from zesty_cell.web.choose.base import base_context, origin_of
from zesty_cell.web.choose.compared import (
    by_type,
    first_buys,
    line_of,
    other_verdicts,
    pictures_of,
)
from zesty_cell.web.choose.knee_shown import knee_of
from zesty_cell.web.choose.other_craft import sheet_of_craft
from zesty_cell.web.choose.picked import pick
from zesty_cell.web.http import Store, page, preferences_of, whole_number
from zesty_cell.words.face import Face
from zesty_cell.words.landing import CHEMISTRY_WORDS

router = APIRouter(prefix="/choose", include_in_schema=False)


@router.get("/{sheet_id}")
def compare_page(
    request: Request, session: Store, sheet_id: int, purpose: Annotated[str, Query(max_length=40)] = "longest"
) -> HTMLResponse:
    """Up to eight packs on the sheet's craft, pattern, air and landing rule."""
    face = Face(preferences_of(request))
    origin = origin_of(session, sheet_id)
    rows = PACKS.all(session)
    picked = pick(origin, rows, request.query_params, face)
    contenders = [Contender(pack=c.pack, pack_c=c.pack_c) for c in picked.chosen]
    with TURNS.live():
        compared, left_out = compare_packs(origin.sheet, contenders=contenders, volts=picked.volts)
    flown = [c for c in picked.chosen if c.pack.name not in {x.name for x in left_out}]
    lines = [line_of(row, c, c.pack.name) for row, c in zip(compared, flown, strict=True)]
    wanted: Purpose = purpose if purpose in PURPOSES else "longest"
    chemistry = request.query_params.get("knee", origin.sheet.pack.chemistry)
    chemistry = chemistry if chemistry in CHEMISTRY_WORDS else origin.sheet.pack.chemistry
    chart, knee_words = knee_of(origin.sheet, chemistry, compared, face)
    buys = [b for b in first_buys(origin.sheet) if abs(b.gained_s) >= LEAST_GAIN_S][:5]
    return page(
        request,
        "choose_compare.html",
        base_context(origin, face, "")
        | pictures_of(lines, face)
        | {
            "title": f"Which pack for {origin.sheet.craft.name}?",
            "picked": picked,
            "rows": rows,
            "mine": sum(1 for c in picked.chosen if c.pack_id in {r.id for r in rows if r.standing == "own"}),
            "left_out": left_out,
            "purposes": PURPOSES,
            "purpose": wanted,
            "verdict": verdict(compared, purpose=wanted),
            "others": other_verdicts(compared, wanted),
            "knee": chart,
            "knee_words": knee_words,
            "knee_chemistry": chemistry,
            "knee_choices": list(CHEMISTRY_WORDS.items()),
            "buys": buys,
            "most_gain": max((abs(b.gained_s) for b in buys), default=1.0),
            "reverse": False,
            "query": request.query_params,
            "types": by_type(rows),
        },
    )


@router.get("/{sheet_id}/crafts")
def crafts_page(request: Request, session: Store, sheet_id: int) -> HTMLResponse:
    """The sheet's pack on several crafts."""
    face = Face(preferences_of(request))
    origin = origin_of(session, sheet_id)
    crafts = CRAFTS.all(session)
    asked = {whole_number(text) for text in request.query_params.getlist("craft")}
    full_v = pack_figures(origin.sheet.pack).full_v

    sheets = {row.id: sheet_of_craft(row, origin, session) for row in crafts}

    def suits(row: CraftRow) -> bool:
        """Near the voltage it flies on today, and not above what its parts take."""
        own_v = pack_figures(sheets[row.id].pack).full_v
        limit_v = sheets[row.id].craft.limits.maximum_v or 1.05 * own_v
        return row.id == origin.row.craft_id or 0.6 * own_v <= full_v <= limit_v

    shown = [r for r in crafts if (r.id in asked if asked else suits(r))][:MOST_COMPARED]
    compared, left_out = compare_crafts(origin.sheet, sheets=[sheets[r.id] for r in shown])
    out = {x.name for x in left_out}
    names = [r.name for r in shown if r.name not in out]
    lines = [line_of(row, None, name) for row, name in zip(compared, names, strict=True)]
    return page(
        request,
        "choose_compare.html",
        base_context(origin, face, "/crafts")
        | pictures_of(lines, face)
        | {
            "title": f"Which craft for {origin.sheet.pack.name}?",
            "left_out": left_out,
            "crafts": crafts,
            "shown_ids": {r.id for r in shown},
            "reverse": True,
            "purposes": (),
            "query": request.query_params,
        },
    )
