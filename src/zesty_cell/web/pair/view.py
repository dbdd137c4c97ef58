"""Two packs in parallel: who carries what, and whether they may be joined at all."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from zesty_cell.core.errors import UnequalPacksError
from zesty_cell.core.fact import Words, fact
from zesty_cell.core.flight.parallel import (
    EQUAL_VOLTAGE_V,
    ParallelPair,
    joined_pack,
    joining_current_a,
    parallel_pair,
)
from zesty_cell.core.parts.pack_figures import pack_figures
from zesty_cell.store.hangar import PACKS
from zesty_cell.web.drawing.pack_picture import pack_picture
from zesty_cell.web.http import PostedForm, Store, page, say, whole_number
from zesty_cell.web.pair.halves import Half, first_pair, half_volts

router = APIRouter(prefix="/hangar/pair", include_in_schema=False)


@router.post("/keep")
def keep_pair(session: Store, form: PostedForm) -> Response:
    """Keep two packs as the one they are flown as."""
    rows = [PACKS.fetch(session, whole_number(form.get(side, ""))) for side in ("first", "second")]
    try:
        if rows[0].id == rows[1].id:
            raise UnequalPacksError(fact("typed.pair.two"), difference=0.0, limit=0.0)
        pack = joined_pack(first=PACKS.thing(rows[0]), second=PACKS.thing(rows[1]))
    except UnequalPacksError as error:
        back = f"/hangar/pair?first={rows[0].id}&second={rows[1].id}"
        return say(RedirectResponse(back, 303), str(error))
    row = PACKS.bring_in(session, pack)
    return say(RedirectResponse(f"/hangar/packs/{row.id}", 303), fact("said.in_hangar", name=row.name))


@router.get("")
def show_pair(
    request: Request,
    session: Store,
    first: Annotated[str, Query(max_length=12)] = "",
    second: Annotated[str, Query(max_length=12)] = "",
    first_v: Annotated[str, Query(max_length=20)] = "",
    second_v: Annotated[str, Query(max_length=20)] = "",
) -> HTMLResponse:
    """Two packs of the hangar side by side in parallel."""
    rows = [row for row in PACKS.all(session) if row.standing != "retired"]
    by_id = {row.id: row for row in rows}
    chosen = first_pair(rows)
    one = by_id.get(whole_number(first)) or (chosen[0] if chosen else None)
    two = by_id.get(whole_number(second)) or (chosen[1] if chosen else None)
    errors: dict[str, Words] = {}
    pair: ParallelPair | None = None
    refusal: Words = ""
    joining_a: float | None = None
    halves: list[Half] = []
    if one is not None and two is not None:
        volts = half_volts(first_v, one, errors, "first_v"), half_volts(second_v, two, errors, "second_v")
        for row, text, v in ((one, first_v, volts[0]), (two, second_v, volts[1])):
            pack = PACKS.thing(row)
            halves.append(Half(row, pack, pack_figures(pack), pack_picture(pack, width=190.0), text or f"{v:.2f}"))
        if one.id == two.id:
            errors["second"] = fact("typed.pair.two")
        if not errors:
            try:
                pair = parallel_pair(
                    first=halves[0].pack, second=halves[1].pack, first_rest_v=volts[0], second_rest_v=volts[1]
                )
            except UnequalPacksError as error:
                refusal = error.why
                if halves[0].pack.series == halves[1].pack.series:
                    joining_a = joining_current_a(
                        first=halves[0].pack, second=halves[1].pack, first_rest_v=volts[0], second_rest_v=volts[1]
                    )
    context = {"rows": rows, "halves": halves, "pair": pair, "refusal": refusal, "joining_a": joining_a}
    return page(request, "pair.html", context | {"errors": errors, "equal_v": EQUAL_VOLTAGE_V})
