"""The sheet page and the list of sheets."""

from __future__ import annotations

from typing import Annotated, Any
from urllib.parse import quote

from fastapi import APIRouter, Form, Query, Request, UploadFile
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session
from sqlalchemy.orm.exc import StaleDataError

from zesty_cell.core.answer.plausibility import sheet_doubts
from zesty_cell.core.asked.changes import CHANGES, as_flown
from zesty_cell.core.asked.flying import FIRST_PATTERN, PATTERNS, FlyingPattern
from zesty_cell.core.asked.landing import LandingRule
from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.parts.pack_figures import pack_figures
from zesty_cell.formats.errors import FileFormatError
from zesty_cell.formats.sheet_json import read_sheet, write_sheet
from zesty_cell.services.advice import Typed, advise
from zesty_cell.services.plans import plan_now
from zesty_cell.store import sheets as store
from zesty_cell.store.errors import EditConflictError
from zesty_cell.store.hangar import CRAFTS, PACKS
from zesty_cell.store.tables import SheetRow
from zesty_cell.web.drawing.pack_picture import pack_picture
from zesty_cell.web.http.database import Store
from zesty_cell.web.http.forms import FormState
from zesty_cell.web.http.messages import say
from zesty_cell.web.http.posted import PostedForm
from zesty_cell.web.http.preferences import preferences_of
from zesty_cell.web.http.templating import page
from zesty_cell.web.sheet import facts as sheet_view
from zesty_cell.web.sheet import form as sheet_form
from zesty_cell.words.calls import call_rows, card_plan
from zesty_cell.words.face import Face

router = APIRouter(include_in_schema=False)


@router.get("/sheets")
def list_sheets(request: Request, session: Store) -> HTMLResponse:
    """Every sheet, newest change first."""
    return _list_page(request, session)


def _list_page(request: Request, session: Session, *, error: str = "", status: int = 200) -> HTMLResponse:
    rows = sorted(store.all_sheets(session), key=lambda r: r.updated_at, reverse=True)
    items = [
        (row, sheet, pack_picture(sheet.pack, width=104.0)) for row in rows for sheet in (store.as_sheet(row),)
    ]
    context = {
        "items": items,
        "can_make": bool(CRAFTS.all(session) and PACKS.all(session)),
        "import_error": error,
    }
    return page(request, "sheets.html", context, status=status)


@router.post("/sheets")
def new_sheet(session: Store) -> Response:
    """A new sheet of the first craft and pack, to be changed on its page."""
    crafts, packs = CRAFTS.all(session), PACKS.all(session)
    if not crafts or not packs:
        return RedirectResponse("/hangar", 303)
    craft = CRAFTS.thing(crafts[0])
    sheet = Sheet(
        name=f"{craft.name}, new sheet",
        craft=craft,
        pack=PACKS.thing(packs[0]),
        flying=PATTERNS[FIRST_PATTERN[craft.kind]],
        landing=LandingRule(),
    )
    row = store.add(session, sheet, craft_id=crafts[0].id, pack_id=packs[0].id)
    return RedirectResponse(f"/sheets/{row.id}", 303)


@router.post("/sheets/import")
def import_sheet(request: Request, session: Store, file: Annotated[UploadFile, Form()]) -> Response:
    """Load a sheet from a file."""
    try:
        sheet = read_sheet(file.file.read())
    except FileFormatError as error:
        return _list_page(request, session, error=str(error), status=422)
    row = store.bring_in(session, sheet)
    odd = " ".join(d.words for d in sheet_doubts(sheet))
    words = f"Loaded. Unlikely in it: {odd}"[:400] if odd else "Loaded."
    return say(RedirectResponse(f"/sheets/{row.id}", 303), words)


def _context(
    request: Request,
    session: Session,
    row: SheetRow,
    read: sheet_form.ReadSheet | None,
    *,
    conflict: str = "",
    also_try: str = "",
    land_at_v: float | None = None,
) -> dict[str, Any]:
    """Everything the sheet page needs, from the stored sheet or from what is being typed."""
    view = preferences_of(request)
    face = Face(view)
    stored = first = store.as_sheet(row)
    if read is None:
        tried = tuple(key for key in CHANGES if key in stored.trying or key == also_try)
        first = stored.model_copy(update={"trying": tried})
        if land_at_v is not None:
            landing = stored.landing.model_copy(update={"loaded_v": land_at_v})
            first = first.model_copy(update={"landing": landing})
        texts = sheet_form.first_texts(
            first, craft_id=row.craft_id, pack_id=row.pack_id, version=row.version, units=view.units
        )
        state = FormState(texts=texts, units=view.units)
        sheet: Sheet | None = first
    else:
        state, sheet = read.state, read.sheet
        if sheet is not None and state.units != view.units and read.craft_id and read.pack_id:
            # Typed in other units than the person now wants to see: show the same values in those.
            state.texts = sheet_form.first_texts(
                sheet, craft_id=read.craft_id, pack_id=read.pack_id, version=read.version, units=view.units
            )
    advice = figures = plan = None
    if sheet is not None:
        typed = None
        if read is not None and read.craft_id and read.pack_id:
            typed = Typed(sheet, read.craft_id, PACKS.fetch(session, read.pack_id))
        elif first != stored:
            typed = Typed(sheet, row.craft_id, row.pack)
        try:
            advice = advise(session, row, typed=typed)
            plan = plan_now(session, row, advice)
            figures = sheet_view.figures_of(advice, plan, face)
        except OutOfRangeError as error:
            state.errors[error.field] = str(error)
            sheet = None
    looked_at = sheet or stored
    shown = as_flown(looked_at)
    return {
        "row": row,
        "sheet": shown,
        "trying": _tried(looked_at, face),
        "stale": sheet is None,
        "changed": sheet is not None and sheet != stored if read is None else sheet != stored,
        "texts": state.texts,
        "errors": state.errors,
        "figures": figures,
        "advice": advice,
        "plan": plan,
        "calls": call_rows(plan.written, series=plan.written.series) if plan else [],
        "conflict": conflict,
        "crafts": CRAFTS.all(session),
        "packs": [r for r in PACKS.all(session) if r.standing != "retired" or str(r.id) == state.texts["pack_id"]],
        "patterns": PATTERNS,
        "own_pattern": sheet_form.pattern_key(stored.flying) == sheet_form.OWN_PATTERN,
        "form": sheet_form,
        "picture": sheet_view.picture_of(shown),
        "pack_kind": sheet_view.pack_kind(shown),
        "craft_facts": sheet_view.craft_facts(shown, face),
        "pack_facts": sheet_view.pack_facts(shown),
        "pack_mass": face.mass(pack_figures(shown.pack).mass_kg),
        "strip": sheet_view.pattern_strip(shown.flying),
        "pattern_summary": sheet_view.pattern_summary(shown.flying),
    }


def _tried(sheet: Sheet, face: Face) -> list[tuple[str, str]]:
    """What is being tried: key and words."""
    return [(key, CHANGES[key].title(sheet, face.mass_about, face.temperature)) for key in sheet.trying]


def _read(session: Session, form: dict[str, str], own: FlyingPattern | None) -> sheet_form.ReadSheet:
    return sheet_form.read_sheet_form(
        form,
        craft_of=lambda craft_id: CRAFTS.find(session, craft_id),
        pack_of=lambda pack_id: PACKS.find(session, pack_id),
        own_pattern=own,
    )


@router.get("/sheets/{sheet_id}")
def show_sheet(
    request: Request,
    session: Store,
    sheet_id: int,
    also_try: Annotated[str, Query(alias="try", max_length=30)] = "",
    land_at: Annotated[float | None, Query(ge=0.8, le=4.35)] = None,
) -> HTMLResponse:
    """One sheet; ``try`` names a change to look at, ``land_at`` a loaded voltage to land at: not saved yet."""
    row = store.fetch(session, sheet_id)
    return page(request, "sheet.html", _context(request, session, row, None, also_try=also_try, land_at_v=land_at))


@router.post("/sheets/{sheet_id}")
def change_sheet(request: Request, session: Store, sheet_id: int, form: PostedForm) -> Response:
    """Look at a change, or save it: the same form either way."""
    row = store.fetch(session, sheet_id)
    read = _read(session, form, store.as_sheet(row).flying)
    if form.get("action") != "save":
        return page(request, "sheet.html", _context(request, session, row, read))
    context = _context(request, session, row, read)
    if read.sheet is None or context["errors"] or read.craft_id is None or read.pack_id is None:
        return page(request, "sheet.html", context, status=422)
    try:
        store.change(session, sheet_id, read.version, read.sheet, craft_id=read.craft_id, pack_id=read.pack_id)
        session.commit()  # here, not after the handler: a full disk must not cost what was typed
    except EditConflictError as error:
        return page(request, "sheet.html", context | {"conflict": str(error)}, status=409)
    except (StaleDataError, OperationalError):
        # Two saves in the same moment, or a database that is locked or full: what was typed stays.
        session.rollback()
        words = "This could not be stored just now. What you typed is still here: save it again."
        return page(request, "sheet.html", context | {"conflict": words}, status=503)
    return say(RedirectResponse(f"/sheets/{sheet_id}", 303), "Saved.")


@router.post("/sheets/{sheet_id}/copy")
def save_as_copy(request: Request, session: Store, sheet_id: int, form: PostedForm) -> Response:
    """Keep what is being typed as a new sheet; from the list, where nothing is typed, the stored one."""
    row = store.fetch(session, sheet_id)
    if "craft_id" not in form:
        copy = store.duplicate(session, sheet_id)
        return say(RedirectResponse(f"/sheets/{copy.id}", 303), "This is the copy.")
    read = _read(session, form, store.as_sheet(row).flying)
    if read.sheet is None or read.craft_id is None or read.pack_id is None:
        return page(request, "sheet.html", _context(request, session, row, read), status=422)
    copy = store.add_copy(session, read.sheet, of=sheet_id, craft_id=read.craft_id, pack_id=read.pack_id)
    return say(RedirectResponse(f"/sheets/{copy.id}", 303), "Kept as a copy.")


@router.post("/sheets/{sheet_id}/delete")
def delete_sheet(session: Store, sheet_id: int) -> Response:
    """Delete, with undo."""
    row = store.delete(session, sheet_id)
    return say(RedirectResponse("/sheets", 303), f"“{row.name}” is deleted.", undo=f"/sheets/{sheet_id}/undelete")


@router.post("/sheets/{sheet_id}/undelete")
def undelete_sheet(session: Store, sheet_id: int) -> Response:
    """Undo a delete."""
    row = store.restore(session, sheet_id)
    return say(RedirectResponse(f"/sheets/{sheet_id}", 303), f"“{row.name}” is back.")


@router.get("/sheets/{sheet_id}/card")
def setup_card(
    request: Request, session: Store, sheet_id: int, sides: Annotated[str, Query(max_length=1)] = "2"
) -> HTMLResponse:
    """The setup card: one A5 side to fly by, and a second one to set the transmitter by."""
    row = store.fetch(session, sheet_id)
    context = _context(request, session, row, None)
    now = context["plan"]
    card = card_plan(now.plan, series=context["sheet"].pack.series) if now else None
    return page(request, "card.html", context | {"callouts": card, "sides": 1 if sides == "1" else 2})


@router.get("/sheets/{sheet_id}/export")
def export_sheet(session: Store, sheet_id: int) -> Response:
    """The sheet as open JSON."""
    row = store.fetch(session, sheet_id)
    plain = (
        "".join(c if c.isascii() and (c.isalnum() or c in "-_") else "-" for c in row.name).strip("-") or "sheet"
    )
    names = f"attachment; filename=\"{plain}.json\"; filename*=UTF-8''{quote(row.name, safe='')}.json"
    return Response(
        write_sheet(store.as_sheet(row)), media_type="application/json", headers={"Content-Disposition": names}
    )
