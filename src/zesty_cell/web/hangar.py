"""The hangar: crafts and packs, and their plain forms."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Annotated, Any

from fastapi import APIRouter, Path, Query, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from zesty_cell.core.chemistries import CHEMISTRIES
from zesty_cell.core.craft import Craft
from zesty_cell.core.honest import honest_current
from zesty_cell.core.pack import Pack, pack_figures
from zesty_cell.store.errors import EditConflictError, InUseError, MissingRecordError
from zesty_cell.store.hangar import CRAFTS, PACKS, Shelf
from zesty_cell.web import hangar_form
from zesty_cell.web.drawing.pack_picture import pack_picture
from zesty_cell.web.forms import FormState, whole_number
from zesty_cell.web.messages import say
from zesty_cell.web.preferences import preferences_of
from zesty_cell.web.sheets import PostedForm, Store
from zesty_cell.web.templating import page

router = APIRouter(prefix="/hangar", include_in_schema=False)


@dataclass(frozen=True)
class Desk:
    """One shelf of the hangar with its form."""

    shelf: Shelf[Any, Any]
    title: str
    sections: tuple[hangar_form.Section, ...]
    new: Mapping[str, Any]
    read: Callable[[Mapping[str, str]], tuple[Craft | Pack | None, FormState]]


DESKS = {
    "crafts": Desk(CRAFTS, "craft", hangar_form.CRAFT_SECTIONS, hangar_form.NEW_CRAFT, hangar_form.read_craft),
    "packs": Desk(PACKS, "pack", hangar_form.PACK_SECTIONS, hangar_form.NEW_PACK, hangar_form.read_pack),
}
ShelfName = Annotated[str, Path(max_length=20)]


def _desk(name: str) -> Desk:
    if name not in DESKS:
        raise MissingRecordError("shelf", 0)
    return DESKS[name]


@router.get("")
def show_hangar(request: Request, session: Store) -> HTMLResponse:
    """Crafts and packs."""
    packs = [(row, PACKS.thing(row)) for row in PACKS.all(session)]
    context = {
        "crafts": [(row, CRAFTS.thing(row)) for row in CRAFTS.all(session)],
        "packs": [
            (row, pack, pack_figures(pack), honest_current(pack), pack_picture(pack, width=104.0))
            for row, pack in packs
        ],
        "chemistries": CHEMISTRIES,
    }
    return page(request, "hangar.html", context)


def _form_page(
    request: Request,
    desk: Desk,
    state: FormState,
    *,
    record_id: int | None,
    version: int,
    status: int = 200,
    conflict: str = "",
) -> HTMLResponse:
    context = {
        "desk": desk,
        "texts": state.texts,
        "errors": state.errors,
        "units_used": state.units,
        "record_id": record_id,
        "version": version,
        "conflict": conflict,
        "back": _way_back(state.texts),
        "chemistry": CHEMISTRIES.get(state.texts.get("chemistry", ""), CHEMISTRIES["lipo"]),  # type: ignore[call-overload]
    }
    return page(request, "hangar_form.html", context, status=status)


def _way_back(form: Mapping[str, str]) -> str:
    """Where saving leads: to the sheet the form was opened from, or to the hangar."""
    sheet_id = whole_number(form.get("back", ""))
    return f"/sheets/{sheet_id}" if sheet_id else "/hangar"


@router.get("/{shelf}/new")
def new_thing(request: Request, shelf: ShelfName) -> HTMLResponse:
    """An empty form."""
    desk, units = _desk(shelf), preferences_of(request).units
    state = FormState(texts=hangar_form.first_texts(desk.sections, desk.new, units), units=units)
    return _form_page(request, desk, state, record_id=None, version=0)


@router.post("/{shelf}/new")
def add_thing(request: Request, session: Store, shelf: ShelfName, form: PostedForm) -> Response:
    """Keep a new craft or pack."""
    desk = _desk(shelf)
    thing, state = desk.read(form)
    if thing is None:
        return _form_page(request, desk, state, record_id=None, version=0, status=422)
    row = desk.shelf.add(session, thing)
    return say(RedirectResponse("/hangar", 303), f"“{row.name}” is in the hangar.")


@router.get("/{shelf}/{record_id}")
def edit_thing(
    request: Request,
    session: Store,
    shelf: ShelfName,
    record_id: int,
    back: Annotated[str, Query(max_length=12)] = "",
) -> HTMLResponse:
    """The form of a craft or pack; ``back`` is the number of the sheet to return to."""
    desk, units = _desk(shelf), preferences_of(request).units
    row = desk.shelf.fetch(session, record_id)
    values = desk.shelf.thing(row).model_dump()
    texts = hangar_form.first_texts(desk.sections, values, units) | {"back": back}
    state = FormState(texts=texts, units=units)
    return _form_page(request, desk, state, record_id=record_id, version=row.version)


@router.post("/{shelf}/{record_id}")
def change_thing(request: Request, session: Store, shelf: ShelfName, record_id: int, form: PostedForm) -> Response:
    """Store a changed craft or pack."""
    desk = _desk(shelf)
    desk.shelf.fetch(session, record_id)
    thing, state = desk.read(form)
    if thing is None:
        return _form_page(
            request, desk, state, record_id=record_id, version=whole_number(form.get("version", "")), status=422
        )
    try:
        row = desk.shelf.change(session, record_id, whole_number(form.get("version", "")), thing)
    except EditConflictError as error:
        return _form_page(
            request,
            desk,
            state,
            record_id=record_id,
            version=whole_number(form.get("version", "")),
            status=409,
            conflict=str(error),
        )
    return say(RedirectResponse(_way_back(form), 303), f"“{row.name}” is saved.")


@router.post("/{shelf}/{record_id}/delete")
def delete_thing(session: Store, shelf: ShelfName, record_id: int) -> Response:
    """Delete, with undo; refused while a sheet needs it."""
    desk = _desk(shelf)
    try:
        row = desk.shelf.delete(session, record_id)
    except InUseError as error:
        return say(RedirectResponse("/hangar", 303), str(error))
    undo = f"/hangar/{shelf}/{record_id}/undelete"
    return say(RedirectResponse("/hangar", 303), f"“{row.name}” is deleted.", undo=undo)


@router.post("/{shelf}/{record_id}/undelete")
def undelete_thing(session: Store, shelf: ShelfName, record_id: int) -> Response:
    """Undo a delete."""
    row = _desk(shelf).shelf.restore(session, record_id)
    return say(RedirectResponse("/hangar", 303), f"“{row.name}” is back.")
