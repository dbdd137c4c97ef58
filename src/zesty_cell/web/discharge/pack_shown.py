"""What the runs of a pack say of it, as a page."""

from __future__ import annotations

from typing import Any

from fastapi import Request
from fastapi.responses import HTMLResponse
from sqlalchemy.orm import Session

from zesty_cell.core.discharge.apart import Apart
from zesty_cell.core.discharge.compared import NotedRun, rates_compared
from zesty_cell.core.fact import Words
from zesty_cell.core.parts.chemistries import chemistry_for
from zesty_cell.core.parts.own_curve import OwnCurve
from zesty_cell.core.parts.pack_figures import pack_figures
from zesty_cell.services.discharges import apart_of, curve_of, run_of, whole_runs
from zesty_cell.store import discharges
from zesty_cell.store.hangar import PACKS
from zesty_cell.web.discharge.shown import cutoff_for, line_of
from zesty_cell.web.drawing.curve_chart import curve_chart
from zesty_cell.web.http import page


def pack_shown(
    request: Request, session: Session, pack_id: int, *, trouble: Words = "", status: int = 200
) -> HTMLResponse:
    row = PACKS.fetch(session, pack_id)
    pack = PACKS.thing(row)
    found, curve = apart_of(session, row), curve_of(session, row)
    usual = chemistry_for(pack.chemistry)
    rows = discharges.of_pack(session, pack_id)
    noted = [NotedRun(run_of(r), discharges.note_of(r)) for r in whole_runs(rows)]
    cutoff_v = cutoff_for([(n.run.lowest_v / pack.series, pack) for n in noted])
    context: dict[str, Any] = {
        "row": row,
        "pack": pack,
        "lines": [line for r in rows if (line := line_of(r)) is not None],
        "whole": whole_runs(rows),
        "found": found if isinstance(found, Apart) else None,
        "why": None if isinstance(found, Apart) else found.why,
        "curve": curve if isinstance(curve, OwnCurve) else None,
        "why_no_curve": None if isinstance(curve, OwnCurve) else curve,
        "figures": pack_figures(pack.model_copy(update={"curve": None})),
        "chart": curve_chart(found if isinstance(found, Apart) else None, pack.curve, usual),
        "cutoff_v": cutoff_v,
        "rates": rates_compared(noted, series=pack.series, capacity_ah=pack.capacity_ah, cutoff_v=cutoff_v),
        "trouble": trouble,
    }
    return page(request, "discharge_pack.html", context, status=status)
