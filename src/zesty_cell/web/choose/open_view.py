"""A sheet of the same flight on another pack."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Form, Request
from fastapi.responses import RedirectResponse, Response

from zesty_cell.core.choose.candidates import with_pack
from zesty_cell.core.fact import fact
from zesty_cell.core.parts.ownership import Ownership
from zesty_cell.store import sheets as sheet_store
from zesty_cell.store.hangar import PACKS
from zesty_cell.web.choose.base import origin_of
from zesty_cell.web.choose.imagined import cell_of_spec, pack_of_spec
from zesty_cell.web.http import Store, say

router = APIRouter(prefix="/choose", include_in_schema=False)


@router.post("/{sheet_id}/open")
def open_as_sheet(
    request: Request,
    session: Store,
    sheet_id: int,
    pack: Annotated[int | None, Form()] = None,
    also: Annotated[str, Form(max_length=80)] = "",
) -> Response:
    """A new sheet of the same flight on another pack; an imagined one joins the hangar as wanted."""
    origin = origin_of(session, sheet_id)
    if pack is not None:
        row = PACKS.fetch(session, pack)
        words = fact("said.chosen.sheet")
    else:
        imagined = pack_of_spec(also, like=origin.sheet.pack, cells=origin.cells)
        if imagined is None:
            return say(RedirectResponse(origin.address, 303), fact("said.imagined.not_built"))
        row = PACKS.find_same(session, imagined) or PACKS.add(
            session, imagined, ownership=Ownership(standing="wanted"), cell_id=cell_of_spec(also)
        )
        words = fact("said.chosen.wanted", name=row.name)
    sheet = with_pack(origin.sheet, pack=PACKS.thing(row))
    made = sheet_store.add(session, sheet, craft_id=origin.row.craft_id, pack_id=row.id)
    return say(RedirectResponse(f"/sheets/{made.id}", 303), words, undo=f"/sheets/{made.id}/delete")
