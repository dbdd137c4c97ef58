"""What a pack's runs say together: rest voltage and resistance apart, and the curve they give its sheets."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Form, Request, UploadFile
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from sqlalchemy.orm import Session

from zesty_cell.core.discharge.apart import Apart
from zesty_cell.core.discharge.compared import NotedRun, rates_compared
from zesty_cell.core.fact import Words
from zesty_cell.core.parts.chemistries import chemistry_for
from zesty_cell.core.parts.own_curve import OwnCurve
from zesty_cell.core.parts.pack_figures import pack_figures
from zesty_cell.formats.curve_json import read_curve_json, write_curve_json
from zesty_cell.formats.documents import MAX_BYTES
from zesty_cell.formats.errors import FileFormatError
from zesty_cell.services import discharges as service
from zesty_cell.services.discharges import apart_of, curve_of, run_of, whole_runs
from zesty_cell.store import discharges
from zesty_cell.store.errors import EditConflictError, MissingRecordError, UnstorableError
from zesty_cell.store.hangar import PACKS
from zesty_cell.web.discharge.shown import cutoff_for, line_of
from zesty_cell.web.drawing.curve_chart import curve_chart
from zesty_cell.web.http import PostedForm, Store, page, say, whole_number

router = APIRouter(prefix="/tests/discharges/pack", include_in_schema=False)


def _shown(
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


@router.get("/{pack_id}")
def show_pack(request: Request, session: Store, pack_id: int) -> HTMLResponse:
    """What its runs say of a pack."""
    return _shown(request, session, pack_id)


@router.post("/{pack_id}/curve")
def use_curve(request: Request, session: Store, pack_id: int, form: PostedForm) -> Response:
    """Let the pack's sheets fly on its own curve, or on its chemistry's again."""
    row = PACKS.fetch(session, pack_id)
    own: OwnCurve | None = None
    if form.get("action") == "use":
        curve = curve_of(session, row)
        if not isinstance(curve, OwnCurve):
            return _shown(request, session, pack_id, status=422)
        own = curve
    try:
        service.give_curve(session, pack_id, whole_number(form.get("version", "")), own)
        session.commit()
    except EditConflictError:
        session.rollback()
        words = "This pack was changed meanwhile: look at it again, then decide."
        return _shown(request, session, pack_id, trouble=words, status=409)
    words = (
        f"{row.name} is flown on its own curve." if own else f"{row.name} is flown on its chemistry’s curve again."
    )
    return say(RedirectResponse(f"/tests/discharges/pack/{pack_id}", 303), words)


@router.post("/{pack_id}/curve/import")
def bring_curve_in(request: Request, session: Store, pack_id: int, file: Annotated[UploadFile, Form()]) -> Response:
    """A curve from a file: of a pack of the same kind, measured elsewhere."""
    row = PACKS.fetch(session, pack_id)
    try:
        curve = read_curve_json(file.file.read(MAX_BYTES + 1))
        service.give_curve(session, pack_id, row.version, curve)
        session.commit()
    except (FileFormatError, UnstorableError) as error:
        session.rollback()
        return _shown(request, session, pack_id, trouble=error.why, status=422)
    return say(
        RedirectResponse(f"/tests/discharges/pack/{pack_id}", 303), f"{row.name} is flown on the curve of the file."
    )


@router.get("/{pack_id}/curve.json")
def export_curve(session: Store, pack_id: int) -> Response:
    """The pack's own curve as open JSON."""
    curve = PACKS.thing(PACKS.fetch(session, pack_id)).curve
    if curve is None:
        raise MissingRecordError("curve of its own", pack_id)
    names = f'attachment; filename="curve-{pack_id}.json"'
    return Response(write_curve_json(curve), media_type="application/json", headers={"Content-Disposition": names})
