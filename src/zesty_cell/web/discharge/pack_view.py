"""What a pack's runs say together: rest voltage and resistance apart, and the curve they give its sheets."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Form, Request, UploadFile
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from zesty_cell.core.fact import fact
from zesty_cell.core.parts.own_curve import OwnCurve
from zesty_cell.formats.curve_json import read_curve_json, write_curve_json
from zesty_cell.formats.documents import MAX_BYTES
from zesty_cell.formats.errors import FileFormatError
from zesty_cell.services import discharges as service
from zesty_cell.services.discharges import curve_of
from zesty_cell.store.errors import EditConflictError, MissingRecordError, UnstorableError
from zesty_cell.store.hangar import PACKS
from zesty_cell.web.discharge.pack_shown import pack_shown
from zesty_cell.web.http import PostedForm, Store, say, whole_number

router = APIRouter(prefix="/tests/discharges/pack", include_in_schema=False)


@router.get("/{pack_id}")
def show_pack(request: Request, session: Store, pack_id: int) -> HTMLResponse:
    """What its runs say of a pack."""
    return pack_shown(request, session, pack_id)


@router.post("/{pack_id}/curve")
def use_curve(request: Request, session: Store, pack_id: int, form: PostedForm) -> Response:
    """Let the pack's sheets fly on its own curve, or on its chemistry's again."""
    row = PACKS.fetch(session, pack_id)
    own: OwnCurve | None = None
    if form.get("action") == "use":
        curve = curve_of(session, row)
        if not isinstance(curve, OwnCurve):
            return pack_shown(request, session, pack_id, status=422)
        own = curve
    try:
        service.give_curve(session, pack_id, whole_number(form.get("version", "")), own)
        session.commit()
    except EditConflictError:
        session.rollback()
        words = fact("typed.pack.changed")
        return pack_shown(request, session, pack_id, trouble=words, status=409)
    words = fact("said.curve.own", name=row.name) if own else fact("said.curve.chemistry", name=row.name)
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
        return pack_shown(request, session, pack_id, trouble=error.why, status=422)
    return say(RedirectResponse(f"/tests/discharges/pack/{pack_id}", 303), fact("said.curve.file", name=row.name))


@router.get("/{pack_id}/curve.json")
def export_curve(session: Store, pack_id: int) -> Response:
    """The pack's own curve as open JSON."""
    curve = PACKS.thing(PACKS.fetch(session, pack_id)).curve
    if curve is None:
        raise MissingRecordError("curve of its own", pack_id)
    names = f'attachment; filename="curve-{pack_id}.json"'
    return Response(write_curve_json(curve), media_type="application/json", headers={"Content-Disposition": names})
