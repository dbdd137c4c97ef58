"""Propeller sets of a craft: compared on one pattern with one pack, put on, added, changed, taken away."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from pydantic import ValidationError
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

from zesty_cell.core.answer.plausibility import craft_doubts
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import Words, fact
from zesty_cell.core.parts.craft import Craft, PropellerSet
from zesty_cell.core.parts.propellers import source_still, with_set, with_set_on
from zesty_cell.services.propellers import keep_set, put_on, take_away
from zesty_cell.store.errors import EditConflictError, MissingRecordError
from zesty_cell.store.hangar import CRAFTS
from zesty_cell.store.tables import CraftRow
from zesty_cell.web.http import NOT_STORED, FormState, PostedForm, Store, page, preferences_of, say, whole_number
from zesty_cell.web.http.forms import words_of
from zesty_cell.web.propellers.form import ON_FIELD, SECTIONS, first_set_texts, read_set, set_texts
from zesty_cell.words.say import say as in_words

router = APIRouter(prefix="/hangar/crafts", include_in_schema=False)


def _address(craft_id: int) -> str:
    return f"/hangar/crafts/{craft_id}/propellers"


def _other(craft: Craft, name: str) -> PropellerSet:
    found = next((s for s in craft.other_sets if s.name == name), None)
    if found is None:
        raise MissingRecordError("propeller set", 0)
    return found


def _form(
    request: Request, row: CraftRow, state: FormState, *, named: str = "", conflict: Words = "", status: int = 200
) -> HTMLResponse:
    craft = CRAFTS.thing(row)
    context = {
        "row": row, "craft": craft, "named": named, "sections": SECTIONS, "texts": state.texts,
        "errors": state.errors, "units_used": state.units, "conflict": conflict, "asked": state.asked,
        "on_field": None if craft.propellers else ON_FIELD, "version": state.texts.get("version") or row.version,
    }  # fmt: skip
    return page(request, "propeller_set.html", context, status=status)


@router.get("/{craft_id}/propellers/set")
def edit_set(
    request: Request, session: Store, craft_id: int, name: Annotated[str, Query(max_length=80)] = ""
) -> HTMLResponse:
    """The form of a set of a craft, or of a new one."""
    row, units = CRAFTS.fetch(session, craft_id), preferences_of(request).units
    craft = CRAFTS.thing(row)
    texts = set_texts(_other(craft, name), units) if name else first_set_texts(craft, units)
    return _form(request, row, FormState(texts=texts, units=units), named=name)


def _believed(
    craft: Craft, kept: PropellerSet, *, on: str, name: str, state: FormState, form: dict[str, str]
) -> bool:
    """Whether the craft with that set on is one that could be: doubted as on its own form."""
    try:
        flown = with_set_on(with_set(craft, kept, on=on, in_place_of=name), name=kept.name)
    except ValidationError:
        return True  # keeping it says what is wrong
    return state.weigh(craft_doubts(flown), form)


@router.post("/{craft_id}/propellers/set")
def save_set(
    request: Request, session: Store, craft_id: int, form: PostedForm,
    name: Annotated[str, Query(max_length=80)] = "",
) -> Response:  # fmt: skip
    """Keep a new set, or a changed one."""
    row = CRAFTS.fetch(session, craft_id)
    craft = CRAFTS.thing(row)
    was = _other(craft, name) if name else None
    kept, state = read_set(form)
    if kept is not None and was is not None:
        kept = kept.model_copy(update={"source": source_still(kept.steady, before=was)})
    on = form.get("on", "").strip()[:80]
    if not craft.propellers and not on:
        state.errors["on"] = fact("typed.propellers.was")
    if kept is None or state.errors or not _believed(craft, kept, on=on, name=name, state=state, form=form):
        return _form(request, row, state, named=name, status=422)
    try:
        keep_set(session, row, whole_number(form.get("version", "")), kept, on=on, in_place_of=name)
        session.commit()
    except ValidationError as error:
        session.rollback()
        state.errors["name"] = in_words(words_of(error.errors(include_url=False)[0]))
        return _form(request, CRAFTS.fetch(session, craft_id), state, named=name, status=422)
    except (EditConflictError, OperationalError) as error:
        session.rollback()
        status, words = (503, NOT_STORED) if isinstance(error, OperationalError) else (409, error.why)
        fresh = CRAFTS.fetch(session, craft_id)
        return _form(request, fresh, state, named=name, conflict=words, status=status)
    return say(RedirectResponse(_address(craft_id), 303), fact("said.propellers.kept", name=kept.name))


def _done(session: Session, craft_id: int, form: dict[str, str], *, on: bool) -> Response:
    row, name = CRAFTS.fetch(session, craft_id), form.get("name", "")[:80]
    version = whole_number(form.get("version", ""))
    try:
        (put_on if on else take_away)(session, row, version, name=name)
    except (EditConflictError, OutOfRangeError) as error:
        session.rollback()
        return say(RedirectResponse(_address(craft_id), 303), fact("said.nothing_changed", why=error.why))
    words = fact("said.propellers.on", name=name) if on else fact("said.propellers.away", name=name)
    return say(RedirectResponse(_address(craft_id), 303), words)


@router.post("/{craft_id}/propellers/on")
def set_on(session: Store, craft_id: int, form: PostedForm) -> Response:
    """Put a set on."""
    return _done(session, craft_id, form, on=True)


@router.post("/{craft_id}/propellers/away")
def set_away(session: Store, craft_id: int, form: PostedForm) -> Response:
    """Take a set away that is not on."""
    return _done(session, craft_id, form, on=False)
