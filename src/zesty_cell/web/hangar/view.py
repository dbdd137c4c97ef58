"""The hangar: crafts, packs and cells, drawn; the forms of crafts and cells; standing, deleting, undoing."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Annotated, Any

from fastapi import APIRouter, Form, Path, Query, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from pydantic import ValidationError
from sqlalchemy.exc import OperationalError

from zesty_cell.core.fact import Words, fact
from zesty_cell.core.parts.chemistries import CHEMISTRIES
from zesty_cell.core.parts.craft import Craft
from zesty_cell.core.parts.ownership import Ownership
from zesty_cell.core.parts.starting import KINDS
from zesty_cell.store.errors import EditConflictError, InUseError, MissingRecordError
from zesty_cell.store.hangar import CELLS, CRAFTS, PACKS, Shelf, keep, ownership_of
from zesty_cell.web.hangar import craft_form
from zesty_cell.web.hangar import form as hangar_form
from zesty_cell.web.hangar.form import ALREADY, way_back
from zesty_cell.web.http import NOT_STORED, FormState, PostedForm, Store, page, preferences_of, say, whole_number
from zesty_cell.web.http.forms import form_units, words_of
from zesty_cell.words.naming import KIND_WORDS, LIKE_WORDS

router = APIRouter(prefix="/hangar", include_in_schema=False)


@dataclass(frozen=True)
class ThingForm:
    """A shelf of the hangar with its plain form."""

    shelf: Shelf[Any, Any]
    title: str
    sections: tuple[hangar_form.Section, ...]
    read: Callable[[Mapping[str, str], Any], tuple[Any, FormState]]


DESKS = {
    "crafts": ThingForm(CRAFTS, "craft", craft_form.CRAFT_SECTIONS, craft_form.read_craft),
    "cells": ThingForm(CELLS, "cell", hangar_form.CELL_SECTIONS, hangar_form.read_cell),
}
#: Every shelf that things are deleted from and brought back to; packs have a builder of their own.
SHELVES: dict[str, Shelf[Any, Any]] = {"crafts": CRAFTS, "packs": PACKS, "cells": CELLS}
ShelfName = Annotated[str, Path(max_length=20)]


def _thing_form(name: str) -> ThingForm:
    if name not in DESKS:
        raise MissingRecordError("shelf", 0)
    return DESKS[name]


def _shelf(name: str) -> Shelf[Any, Any]:
    if name not in SHELVES:
        raise MissingRecordError("shelf", 0)
    return SHELVES[name]


def _form_page(
    request: Request,
    kind: ThingForm,
    state: FormState,
    *,
    record_id: int | None,
    version: int,
    status: int = 200,
    conflict: Words = "",
    craft: Craft | None = None,
) -> HTMLResponse:
    is_craft = kind.shelf is CRAFTS
    context = {
        "reasons": craft_form.reasons(craft, new=record_id is None),
        "likes": [(key, *LIKE_WORDS.get(key, KIND_WORDS[key])) for key in KINDS]
        if is_craft and record_id is None
        else [],
        "kind": kind,
        "texts": state.texts,
        "errors": state.errors,
        "asked": state.asked,
        "units_used": state.units,
        "record_id": record_id,
        "version": version,
        "conflict": conflict,
        "back": way_back(state.texts),
        "chemistry": CHEMISTRIES.get(state.texts.get("chemistry", ""), CHEMISTRIES["lipo"]),  # type: ignore[call-overload]
    }
    return page(request, "hangar_form.html", context, status=status)


@router.get("/{shelf}/new")
def new_thing(request: Request, shelf: ShelfName, like: Annotated[str, Query(max_length=20)] = "") -> HTMLResponse:
    """The form of a new craft with what is usual for its kind, or an empty one of a cell."""
    kind, units = _thing_form(shelf), preferences_of(request).units
    if kind.shelf is not CRAFTS:
        texts = hangar_form.first_texts(kind.sections, hangar_form.NEW_CELL, units)
        return _form_page(request, kind, FormState(texts=texts, units=units), record_id=None, version=0)
    parts = {k: v[:24] for k, v in request.query_params.items() if k.startswith("propulsion.")}
    state = FormState(texts=craft_form.with_parts(craft_form.proposed_texts(like, units), parts), units=units)
    craft = craft_form.proposed(state.texts["like"])
    return _form_page(request, kind, state, record_id=None, version=0, craft=craft)


@router.post("/{shelf}/new")
def add_thing(request: Request, session: Store, shelf: ShelfName, form: PostedForm) -> Response:
    """Keep a new craft or cell; a craft may become one of another kind first."""
    kind = _thing_form(shelf)
    if kind.shelf is CRAFTS and form.get("become"):
        units = form_units(form)
        state = FormState(texts=craft_form.become(form, form["become"], units), units=units)
        craft = craft_form.proposed(state.texts["like"])
        return _form_page(request, kind, state, record_id=None, version=0, craft=craft)
    thing, state = kind.read(form, None)
    proposal = craft_form.proposed(form.get("like", "")) if kind.shelf is CRAFTS else None
    if thing is not None and kind.shelf.taken(session, thing.name):
        state.errors["name"] = ALREADY
        thing = None
    if thing is None:
        return _form_page(request, kind, state, record_id=None, version=0, status=422, craft=proposal)
    try:
        row = kind.shelf.add(session, thing)
        session.commit()
    except OperationalError:
        session.rollback()
        return _form_page(
            request, kind, state, record_id=None, version=0, status=503, conflict=NOT_STORED, craft=proposal
        )
    return say(RedirectResponse("/hangar", 303), fact("said.in_hangar", name=row.name))


@router.get("/{shelf}/{record_id}")
def edit_thing(
    request: Request,
    session: Store,
    shelf: ShelfName,
    record_id: int,
    back: Annotated[str, Query(max_length=12)] = "",
) -> HTMLResponse:
    """The form of a craft or cell; ``back`` is the number of the sheet to return to."""
    kind, units = _thing_form(shelf), preferences_of(request).units
    row = kind.shelf.fetch(session, record_id)
    thing = kind.shelf.thing(row)
    values = thing.model_dump()
    texts = hangar_form.first_texts(kind.sections, values, units) | {"back": back}
    state = FormState(texts=texts, units=units)
    craft = thing if isinstance(thing, Craft) else None
    return _form_page(request, kind, state, record_id=record_id, version=row.version, craft=craft)


@router.post("/{shelf}/{record_id}")
def change_thing(request: Request, session: Store, shelf: ShelfName, record_id: int, form: PostedForm) -> Response:
    """Store a changed craft or cell."""
    kind = _thing_form(shelf)
    request.state.anew = f"/hangar/{shelf}/new"  # should it be gone meanwhile
    before = kind.shelf.thing(kind.shelf.fetch(session, record_id))
    thing, state = kind.read(form, before)
    craft = before if isinstance(before, Craft) else None
    if thing is not None and kind.shelf.taken(session, thing.name, but=record_id):
        state.errors["name"] = ALREADY
        thing = None
    version = whole_number(form.get("version", ""))
    if thing is None:
        return _form_page(request, kind, state, record_id=record_id, version=version, status=422, craft=craft)
    try:
        row = kind.shelf.change(session, record_id, version, thing)
        session.commit()
    except (EditConflictError, OperationalError) as error:
        session.rollback()
        status, words = (503, NOT_STORED) if isinstance(error, OperationalError) else (409, error.why)
        return _form_page(
            request, kind, state, record_id=record_id, version=version, status=status, conflict=words, craft=craft
        )
    return say(RedirectResponse(way_back(form), 303), fact("said.named.saved", name=row.name))


@router.post("/crafts/{record_id}/copy")
def copy_craft(session: Store, record_id: int) -> Response:
    """A craft like this one, under a name of its own, to be changed."""
    craft = CRAFTS.thing(CRAFTS.fetch(session, record_id))
    row = CRAFTS.bring_in(session, craft.model_copy(update={"name": f"{craft.name[:72]}, copy"}))
    return say(RedirectResponse(f"/hangar/crafts/{row.id}", 303), fact("said.copy"))


@router.post("/{shelf}/{record_id}/standing")
def change_standing(
    session: Store,
    shelf: ShelfName,
    record_id: int,
    standing: Annotated[str, Form(max_length=12)],
    lent_to: Annotated[str, Form(max_length=80)] = "",
) -> Response:
    """Own, lend, want or retire a craft or a pack."""
    if shelf not in ("crafts", "packs"):
        raise MissingRecordError("shelf", 0)
    row = _shelf(shelf).fetch(session, record_id)
    if standing not in {k for k, _ in hangar_form.STANDINGS}:
        return say(RedirectResponse("/hangar", 303), fact("said.choose_option"))
    change = {"standing": standing, "lent_to": lent_to.strip() or None}
    try:
        keep(session, row, Ownership.model_validate(ownership_of(row).model_dump() | change))
    except ValidationError as error:
        why = words_of(error.errors(include_url=False)[0])
        return say(RedirectResponse("/hangar", 303), fact("said.nothing_changed", why=why))
    return say(RedirectResponse("/hangar", 303), fact(f"said.standing.{standing}", name=row.name))


@router.post("/{shelf}/{record_id}/delete")
def delete_thing(session: Store, shelf: ShelfName, record_id: int) -> Response:
    """Delete, with undo; refused while a sheet or a pack needs it."""
    try:
        row = _shelf(shelf).delete(session, record_id)
    except InUseError as error:
        return say(RedirectResponse("/hangar", 303), error.why)
    undo = f"/hangar/{shelf}/{record_id}/undelete"
    return say(RedirectResponse("/hangar", 303), fact("said.named.deleted", name=row.name), undo=undo)


@router.post("/{shelf}/{record_id}/undelete")
def undelete_thing(session: Store, shelf: ShelfName, record_id: int) -> Response:
    """Undo a delete."""
    row = _shelf(shelf).restore(session, record_id)
    return say(RedirectResponse("/hangar", 303), fact("said.named.back", name=row.name))
