"""What buys minutes, a little more power, which cell count, out and back, from pack to propeller."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query, Request
from fastapi.responses import HTMLResponse

from zesty_cell.core.choose.buys import what_buys_minutes
from zesty_cell.core.choose.chain import parts_chain
from zesty_cell.core.choose.power import STYLES, StyleKey, first_cell_count, more_power
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.flight.honest_current import honest_current
from zesty_cell.core.flight.one import fly
from zesty_cell.core.flight.setup import set_up
from zesty_cell.core.flight.summary import fly_to_landing
from zesty_cell.web.choose.base import base_context, origin_of
from zesty_cell.web.choose.trip import trip_of
from zesty_cell.web.drawing.trip_chart import chain_bars
from zesty_cell.web.http import Store, page, preferences_of
from zesty_cell.words.face import Face

router = APIRouter(prefix="/choose", include_in_schema=False)


@router.get("/{sheet_id}/buys")
def buys_page(
    request: Request, session: Store, sheet_id: int, style: Annotated[str, Query(max_length=20)] = ""
) -> HTMLResponse:
    """Everything that would lengthen or strengthen this flight, each by a changed run."""
    face = Face(preferences_of(request))
    origin = origin_of(session, sheet_id)
    context = base_context(origin, face, "/buys") | {"title": f"What buys minutes on {origin.sheet.craft.name}"}
    try:
        setup = set_up(origin.sheet)
        flight, at_landing = fly(setup), fly_to_landing(setup)
        buys = what_buys_minutes(origin.sheet)
        options = more_power(origin.sheet)
    except OutOfRangeError as error:
        return page(request, "choose_buys.html", context | {"trouble": error.why}, status=422)
    rotor = setup.sheet.craft.lifts_itself()
    styles = [s for s in STYLES.values() if (s.rotor_need if rotor else s.wing_need) is not None]
    wanted: StyleKey = style if style in {s.key for s in styles} else styles[1].key
    chain = parts_chain(setup=setup, flight=flight, at_landing=at_landing, honest=honest_current(setup.sheet.pack))
    return page(
        request,
        "choose_buys.html",
        context
        | trip_of(face, setup, flight)
        | {
            "trouble": "",
            "setup": setup,
            "at_landing": at_landing,
            "buys": buys,
            "most_gain": max((abs(b.gained_s) for b in buys), default=1.0),
            "options": options,
            "styles": styles,
            "style": wanted,
            "count": first_cell_count(origin.sheet, style=wanted),
            "chain": chain,
            "chain_bars": chain_bars(chain),
            "word": "weight" if rotor else "level",
        },
    )
