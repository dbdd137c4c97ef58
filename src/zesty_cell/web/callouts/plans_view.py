"""A plan as a whole: written anew, brought up to date, for all packs or one, dropped, in a file."""

from __future__ import annotations

from typing import Annotated, get_args

from fastapi import APIRouter, Form, Request, UploadFile
from fastapi.responses import RedirectResponse, Response

from zesty_cell.core.callouts.profiles import not_told_apart
from zesty_cell.core.callouts.update import brought_up_to_date
from zesty_cell.core.fact import fact
from zesty_cell.core.parts.craft import Craft, Shown
from zesty_cell.formats.errors import FileFormatError, Problem
from zesty_cell.formats.plan_json import read_plan, write_plan_json
from zesty_cell.store import callouts as store
from zesty_cell.store.hangar import CRAFTS
from zesty_cell.web.callouts import plan_form
from zesty_cell.web.callouts.desk import DeskOf
from zesty_cell.web.callouts.keeping import keep_plan
from zesty_cell.web.callouts.shown import plan_context
from zesty_cell.web.http import FormState, PostedForm, Store, page, say

router = APIRouter(prefix="/callouts", include_in_schema=False)


@router.post("/{sheet_id}/anew")
def write_anew(session: Store, desk: DeskOf) -> Response:
    """Let go of the kept plan: the school writes it from the forecast again; with undo."""
    if desk.row is None:
        return RedirectResponse(desk.address, 303)
    store.delete(session, desk.row)
    undo = f"{desk.address}/undelete/{desk.row.id}"
    return say(RedirectResponse(desk.address, 303), fact("said.plan.anew"), undo=undo)


@router.post("/{sheet_id}/up-to-date")
def up_to_date(session: Store, desk: DeskOf, form: PostedForm) -> Response:
    """Bring a kept plan to what the sheet and its flights say now; with undo."""
    back = {"card": f"/sheets/{desk.sheet_row.id}/card", "field": "/field", "callouts": desk.address}.get(
        form.get("back", ""), f"/sheets/{desk.sheet_row.id}"
    )
    if desk.row is None or desk.plan is None or desk.written is None:
        return RedirectResponse(back, 303)
    plan = brought_up_to_date(desk.plan, written=desk.written.plan)
    old = store.replace(session, plan, owner=desk.owner, version=desk.row.version)
    undo = "" if old is None else f"{desk.address}/undelete/{old}"
    return say(RedirectResponse(back, 303), fact("said.plan.up_to_date"), undo=undo)


@router.post("/{sheet_id}/shows")
def shows(session: Store, desk: DeskOf, form: PostedForm) -> Response:
    """Keep what the transmitter shows of this craft: asked once, and it decides what leads."""
    told = tuple(what for what in get_args(Shown) if form.get(f"shows.{what}"))
    row = desk.sheet_row.craft
    craft = CRAFTS.thing(row)
    CRAFTS.change(session, row.id, row.version, Craft.model_validate(craft.model_dump() | {"shows": told}))
    return say(RedirectResponse(desk.address, 303), fact("said.plan.with_craft"))


@router.post("/{sheet_id}/all-packs")
def all_packs(session: Store, desk: DeskOf) -> Response:
    """From now on one plan for the craft, whatever pack it flies; the sheet's own gives way, with undo."""
    if desk.result is None or desk.for_craft or desk.plan is None:
        return RedirectResponse(desk.address, 303)
    own, owner = desk.row, store.Owner(craft_id=desk.sheet_row.craft_id)
    if own is not None:
        store.delete(session, own)
    if store.of(session, owner) is None:
        desk.owner = owner
        plan = desk.write(desk.school, desk.plan.current_error).plan
        store.keep(session, plan, owner=owner, version=0)
    undo = f"{desk.address}/undelete/{own.id}" if own is not None else f"{desk.address}/anew"
    words = fact("said.plan.for_all", craft=desk.sheet.craft.name)
    return say(RedirectResponse(desk.address, 303), words, undo=undo)


@router.post("/{sheet_id}/own")
def own(session: Store, desk: DeskOf) -> Response:
    """A plan of the sheet's own, written for its pack; the craft's stays for the others."""
    if desk.result is None or not desk.for_craft or desk.plan is None:
        return RedirectResponse(desk.address, 303)
    desk.owner = store.Owner(sheet_id=desk.sheet_row.id)
    plan = desk.write(desk.school, desk.plan.current_error).plan
    row = store.keep(session, plan, owner=desk.owner, version=0)
    undo = f"{desk.address}/drop/{row.id}"
    return say(RedirectResponse(desk.address, 303), fact("said.plan.own"), undo=undo)


@router.post("/{sheet_id}/drop/{callouts_id}")
def drop(session: Store, desk: DeskOf, callouts_id: int) -> Response:
    """Undo :func:`own`: the sheet goes back to its craft's plan."""
    if desk.row is not None and desk.row.id == callouts_id:
        store.delete(session, desk.row)
    return say(RedirectResponse(desk.address, 303), fact("said.plan.shared"))


@router.post("/{sheet_id}/undelete/{callouts_id}")
def undelete(session: Store, sheet_id: int, callouts_id: int) -> Response:
    """Undo :func:`write_anew`."""
    store.restore(session, callouts_id)
    return say(RedirectResponse(f"/callouts/{sheet_id}", 303), fact("said.plan.back"))


@router.post("/{sheet_id}/printed", status_code=204)
def printed(session: Store, desk: DeskOf) -> Response:
    """Remember the plan as it was printed; one that is only written from the sheet is kept by that."""
    row = desk.row
    if row is None and desk.plan is not None:
        row = store.keep(session, desk.plan, owner=desk.owner, version=0)
    if row is not None:
        store.mark(session, row, printed=True)
    return Response(status_code=204)


@router.get("/{sheet_id}/export")
def export(desk: DeskOf) -> Response:
    """The plan as open JSON."""
    if desk.plan is None:
        return Response(status_code=404)
    names = f'attachment; filename="callouts-{desk.sheet_row.id}.json"'
    return Response(
        write_plan_json(desk.plan), media_type="application/json", headers={"Content-Disposition": names}
    )


@router.post("/{sheet_id}/import")
def bring_in(request: Request, session: Store, desk: DeskOf, file: Annotated[UploadFile, Form()]) -> Response:
    """Take a plan from a file for this sheet."""
    try:
        plan = read_plan(file.file.read())
        alike = not_told_apart(plan)
        if alike is not None:
            raise FileFormatError(fact("file.json.cannot", what="plan"), problems=(Problem(*alike),))
    except FileFormatError as error:
        context = plan_context(request, desk, conflict=error.why)
        return page(request, "callouts.html", context, status=422)
    asked = plan_form.ReadPlan(
        plan, FormState(texts=plan_form.first_texts(plan, version=desk.version), units="metric"), desk.version
    )
    return keep_plan(request, session, desk, plan, asked, fact("said.loaded"), undo=True)
