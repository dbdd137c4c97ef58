"""Every propeller set of a craft beside the others."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Query, Request
from fastapi.responses import HTMLResponse

from zesty_cell.core.choose.compare import compare_sheets
from zesty_cell.core.parts.propellers import sets_of
from zesty_cell.services.propellers import sheet_by_set
from zesty_cell.services.sheet_for import sheet_for
from zesty_cell.store import sheets
from zesty_cell.store.hangar import CRAFTS
from zesty_cell.web.drawing.compare_chart import bars
from zesty_cell.web.http import Store, page, whole_number

router = APIRouter(prefix="/hangar/crafts", include_in_schema=False)


@router.get("/{craft_id}/propellers")
def compare_sets(
    request: Request, session: Store, craft_id: int, sheet: Annotated[str, Query(max_length=12)] = ""
) -> HTMLResponse:
    """Every set of a craft on one pattern, with one pack."""
    row = CRAFTS.fetch(session, craft_id)
    craft = CRAFTS.thing(row)
    own = [r for r in sheets.all_sheets(session) if r.craft_id == craft_id]
    chosen = next((r for r in own if r.id == whole_number(sheet)), None) or sheet_for(session, craft_id=craft_id)
    context: dict[str, Any] = {
        "row": row, "craft": craft, "own": own, "chosen": chosen, "sets": sets_of(craft), "rows": (),
        "left_out": (),
    }  # fmt: skip
    if chosen is not None:
        by_set = sheet_by_set(session, chosen)
        rows, left_out = compare_sheets([b.sheet for b in by_set], names=[b.of.name for b in by_set])
        out = {x.name for x in left_out}
        shown = [b for b in by_set if b.of.name not in out]
        context |= {
            "rows": list(zip(shown, rows, bars(rows), strict=True)), "left_out": left_out,
            "pattern": chosen.flying.get("name", ""),
        }  # fmt: skip
    return page(request, "propellers.html", context)
