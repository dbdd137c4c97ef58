"""The pack builder: a form with the pack drawn and worked out beside it, live."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Query, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from sqlalchemy.exc import OperationalError

from zesty_cell.core.fact import Words, fact
from zesty_cell.core.parts.ownership import Ownership
from zesty_cell.store.errors import EditConflictError
from zesty_cell.store.hangar import CELLS, PACKS, ownership_of
from zesty_cell.web.builder.page import builder_page, read_built, shelf_of_cells, unnamed_pack, values_of_label
from zesty_cell.web.hangar import form as hangar_form
from zesty_cell.web.hangar import pack_form
from zesty_cell.web.hangar.form import way_back
from zesty_cell.web.http import NOT_STORED, FormState, PostedForm, Store, preferences_of, say, whole_number

#: What is of the very pack that another one is made like.
_ANOTHER_ONE: dict[str, Any] = {"tests": {}, "curve": None, "plug": None, "lead": None, "cycles": 0}

router = APIRouter(prefix="/hangar/packs", include_in_schema=False)


@router.get("/new")
def new_pack(
    request: Request,
    session: Store,
    cell: Annotated[str, Query(max_length=12)] = "",
    like: Annotated[str, Query(max_length=12)] = "",
    label: Annotated[str, Query(max_length=130)] = "",
) -> HTMLResponse:
    """An empty builder; as a label says, from a cell of the shelf, or like a pack of the hangar."""
    units = preferences_of(request).units
    values: dict[str, Any] = dict(pack_form.NEW_PACK)
    cell_id = whole_number(cell) or None
    troubles: tuple[Words, ...] = ()
    if label.strip():
        values, troubles = values_of_label(label)
    if like_id := whole_number(like):
        row = PACKS.fetch(session, like_id)
        values, cell_id = PACKS.thing(row).model_dump() | _ANOTHER_ONE, row.cell_id
    elif cell_id:
        CELLS.fetch(session, cell_id)
        values |= {"series": 6, "parallel": 1}
    cell_model = shelf_of_cells(session).get(cell_id or 0)
    texts = pack_form.first_pack_texts(values, units, cell_id=cell_id, cell=cell_model)
    texts |= hangar_form.ownership_texts(Ownership(), units)
    pack, _ = pack_form.read_pack(texts, cells=shelf_of_cells(session)) if texts.get("series") else (None, None)
    if pack is None and texts.get("series"):
        pack, _ = pack_form.read_pack(texts | {"name": "New pack"}, cells=shelf_of_cells(session))
    state = FormState(texts=texts | {"label_line": label}, units=units)
    return builder_page(request, session, state, pack, None, record_id=None, version=0, troubles=troubles)


@router.post("/new")
def add_pack(request: Request, session: Store, form: PostedForm) -> Response:
    """Look at a pack being built, or keep it."""
    pack, ownership, state, fits = read_built(session, form)
    looking = form.get("action") == "look"
    if looking or pack is None or ownership is None or not fits:
        shown = pack or unnamed_pack(session, form)
        status = 200 if looking else 422
        return builder_page(request, session, state, shown, ownership, record_id=None, version=0, status=status)
    try:
        row = PACKS.add(session, pack, ownership=ownership, cell_id=pack_form.cell_chosen(form))
        session.commit()
    except OperationalError:
        session.rollback()
        return builder_page(
            request, session, state, pack, ownership, record_id=None, version=0, status=503, conflict=NOT_STORED
        )
    return say(RedirectResponse(way_back(form), 303), fact("said.in_hangar", name=row.name))


@router.get("/{record_id}")
def edit_pack(
    request: Request, session: Store, record_id: int, back: Annotated[str, Query(max_length=12)] = ""
) -> HTMLResponse:
    """The builder with a pack of the hangar; ``back`` is the number of the sheet to return to."""
    units = preferences_of(request).units
    row = PACKS.fetch(session, record_id)
    pack, ownership = PACKS.thing(row), ownership_of(row)
    cell = shelf_of_cells(session).get(row.cell_id or 0)
    texts = pack_form.first_pack_texts(pack.model_dump(), units, cell_id=row.cell_id, cell=cell)
    texts |= hangar_form.ownership_texts(ownership, units) | {"back": back}
    state = FormState(texts=texts, units=units)
    return builder_page(request, session, state, pack, ownership, record_id=record_id, version=row.version)


@router.post("/{record_id}")
def change_pack(request: Request, session: Store, record_id: int, form: PostedForm) -> Response:
    """Look at a changed pack, or store it."""
    request.state.anew = "/hangar/packs/new"  # should it be gone meanwhile
    row = PACKS.fetch(session, record_id)
    pack, ownership, state, fits = read_built(session, form, record_id=record_id)
    version = whole_number(form.get("version", ""))
    looking = form.get("action") == "look"
    if looking or pack is None or ownership is None or not fits:
        shown = pack or PACKS.thing(row)
        status = 200 if looking else 422
        return builder_page(
            request, session, state, shown, ownership, record_id=record_id, version=version, status=status
        )
    try:
        cell_id = pack_form.cell_chosen(form)
        row = PACKS.change(session, record_id, version, pack, ownership=ownership, cell_id=cell_id)
        session.commit()
    except (EditConflictError, OperationalError) as error:
        session.rollback()
        status, words = (503, NOT_STORED) if isinstance(error, OperationalError) else (409, error.why)
        return builder_page(
            request, session, state, pack, ownership,
            record_id=record_id, version=version, status=status, conflict=words,
        )  # fmt: skip
    return say(RedirectResponse(way_back(form), 303), fact("said.named.saved", name=row.name))
