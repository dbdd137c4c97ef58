"""The builder's page, from what is typed."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from fastapi import Request
from fastapi.responses import HTMLResponse
from sqlalchemy.orm import Session

from zesty_cell.core.answer.plausibility import pack_doubts
from zesty_cell.core.fact import Words
from zesty_cell.core.parts.cell import CellModel
from zesty_cell.core.parts.chemistries import chemistry_for
from zesty_cell.core.parts.label import nothing_said, read_label
from zesty_cell.core.parts.label_pack import pack_of_label
from zesty_cell.core.parts.ownership import Ownership
from zesty_cell.core.parts.pack import Pack, cells_of, with_what_was_measured
from zesty_cell.core.parts.pack_figures import CABIN_ASKED_WH, CABIN_WH
from zesty_cell.store.hangar import CELLS, PACKS
from zesty_cell.web.builder.built import built
from zesty_cell.web.hangar import form as hangar_form
from zesty_cell.web.hangar import pack_form
from zesty_cell.web.hangar.form import ALREADY, way_back
from zesty_cell.web.http import FormState, page
from zesty_cell.words.naming import pack_name


def builder_page(
    request: Request,
    session: Session,
    state: FormState,
    pack: Pack | None,
    ownership: Ownership | None,
    *,
    record_id: int | None,
    version: int,
    status: int = 200,
    conflict: Words = "",
    troubles: tuple[Words, ...] = (),
) -> HTMLResponse:
    cells = CELLS.all(session)
    chemistry = cells_of(pack) if pack else chemistry_for("lipo")
    context: dict[str, Any] = {
        "texts": state.texts,
        "errors": state.errors,
        "asked": state.asked,
        "units_used": state.units,
        "record_id": record_id,
        "version": version,
        "conflict": conflict,
        "label_troubles": troubles,
        "back": way_back(state.texts),
        "sections": {s.title: s for s in pack_form.PACK_SECTIONS},
        "fields": {f.path: f for s in pack_form.PACK_SECTIONS for f in s.fields},
        "ownership_fields": hangar_form.OWNERSHIP_FIELDS,
        "from_the_cell": pack_form.FROM_THE_CELL,
        "cells": [(row, CELLS.thing(row)) for row in cells],
        "built": built(pack, ownership) if pack else None,
        "chemistry": chemistry,
        "cabin_wh": CABIN_WH,
        "cabin_asked_wh": CABIN_ASKED_WH,
        "tested": [t for t in pack_form.TESTS if any(state.texts.get(f.path) for f in t.fields)],
        "tests": pack_form.TESTS,
    }
    return page(request, "builder.html", context, status=status)


#: What a label that says nothing of cells or charge is taken for.
_USUAL = Pack(name="usual", chemistry="lipo", series=4, capacity_ah=1.5)


def values_of_label(line: str) -> tuple[dict[str, Any], tuple[Words, ...]]:
    """A new pack's values by its label, and what of the line was not understood; empty where it says nothing."""
    label = read_label(line)
    if label.says_nothing():
        return dict(pack_form.NEW_PACK), label.troubles or (nothing_said(),)
    read = pack_of_label(label, usual=_USUAL)
    values = read.pack.model_dump() | {"name": pack_name(read.pack, called=label.called)}
    return values, read.troubles


def shelf_of_cells(session: Session) -> dict[int, CellModel]:
    return {row.id: CELLS.thing(row) for row in CELLS.all(session)}


def read_built(
    session: Session, form: Mapping[str, str], *, record_id: int | None = None
) -> tuple[Pack | None, Ownership | None, FormState, bool]:
    """The pack to draw, its standing, what was typed, and whether it may be kept."""
    pack, state = pack_form.read_pack(form, cells=shelf_of_cells(session))
    ownership = hangar_form.read_ownership(form, state)
    if pack is None or not state.ok:
        return None, ownership, state, False
    if record_id is not None:  # the form has no field for what runs told of it
        pack = with_what_was_measured(pack, before=PACKS.thing(PACKS.fetch(session, record_id)))
    if PACKS.taken(session, pack.name, but=record_id):
        state.errors["name"] = ALREADY
    from_label = form.get("source") != "cells"
    # What was asked back travels with the form; it counts once its button is pressed.
    said = form if form.get("action") == "sure" else {**form, "sure": ""}
    fits = state.weigh(pack_doubts(pack) if from_label else (), said)
    return pack, ownership, state, fits and state.ok


def unnamed_pack(session: Session, form: Mapping[str, str]) -> Pack | None:
    """A pack that lacks nothing but its name is drawn all the same."""
    if form.get("name", "").strip():
        return None
    return pack_form.read_pack(dict(form) | {"name": "New pack"}, cells=shelf_of_cells(session))[0]
