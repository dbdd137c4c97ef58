"""What is off: the cases there are, a new one, one as it stands, and the table behind it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import UTC, datetime
from typing import Annotated, Any

from fastapi import APIRouter, Query, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from pydantic import ValidationError
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

from zesty_cell.core.errors import ZestyCellError
from zesty_cell.core.fact import Fact, Words, fact
from zesty_cell.core.faults import named
from zesty_cell.core.faults.case import NOTHING, SOMETHING_ELSE, Case, look_at
from zesty_cell.core.faults.part import part_to_change
from zesty_cell.core.faults.table import DANGERS, the_table
from zesty_cell.services.fault_evidence import known_of
from zesty_cell.services.faults import CaseNow, answer, case_now, close, open_again, take_back
from zesty_cell.store import cases
from zesty_cell.store.errors import EditConflictError
from zesty_cell.store.hangar import CRAFTS, PACKS
from zesty_cell.store.tables import CaseRow, CraftRow, PackRow
from zesty_cell.web.faults.shown import ranking_context, shown_known, signs_by_group, table_rows
from zesty_cell.web.http import NOT_STORED, PostedForm, Store, page, say, whole_number
from zesty_cell.web.http.forms import words_of

#: So many cases are told of in a list.
_TOLD = 60
_CHANGED_MEANWHILE = fact("typed.case.changed")

router = APIRouter(prefix="/off", include_in_schema=False)


@dataclass
class _Asked:
    """A new case as it is being ticked."""

    craft: CraftRow | None
    pack: PackRow | None
    signs: tuple[str, ...]
    note: str
    errors: dict[str, Words] = field(default_factory=dict)


def _asked(session: Session, typed: Mapping[str, str]) -> _Asked:
    crafts = {row.id: row for row in CRAFTS.all(session)}
    packs = {row.id: row for row in PACKS.all(session)}
    return _Asked(
        crafts.get(whole_number(typed.get("craft", "")[:12])),
        packs.get(whole_number(typed.get("pack", "")[:12])),
        tuple(key for key in the_table().signs if typed.get(f"sign-{key}")),
        typed.get("note", "").strip()[:400],
    )


@router.get("")
def list_cases(
    request: Request, session: Store,
    craft: Annotated[str, Query(max_length=12)] = "", pack: Annotated[str, Query(max_length=12)] = "",
) -> HTMLResponse:  # fmt: skip
    """Every case, or those of a craft or a pack: the open ones, and what others were."""
    craft_id, pack_id = whole_number(craft), whole_number(pack)
    rows = cases.all_cases(session, craft_id=craft_id if craft else None, pack_id=pack_id if pack else None)
    lines = [(row, cases.case_of(row)) for row in rows[:_TOLD]]
    context = {
        "lines": lines, "more": max(len(rows) - _TOLD, 0), "sign": named.sign, "was": named.was,
        "only": bool(craft or pack), "asked": f"craft={craft_id}" if craft else f"pack={pack_id}" if pack else "",
    }  # fmt: skip
    return page(request, "faults.html", context)


@router.get("/table")
def show_table(request: Request) -> HTMLResponse:
    """The table of causes with its reasoning, and the rule that joins its chances."""
    return page(request, "fault_table.html", {"rows": table_rows()})


@router.get("/new")
def new_case(request: Request, session: Store) -> HTMLResponse:
    """Signs to tick; causes are ranked while one does."""
    return _new(request, session, _asked(session, request.query_params))


def _new(request: Request, session: Session, asked: _Asked, *, status: int = 200) -> HTMLResponse:
    known, _, _ = known_of(session, craft=asked.craft, pack=asked.pack)
    context: dict[str, Any] = {
        "asked": asked, "crafts": CRAFTS.all(session), "packs": PACKS.all(session), "groups": signs_by_group(),
        "known": shown_known(known, {}), "danger": named.in_danger() if DANGERS & set(asked.signs) else None,
        "errors": asked.errors, "ranked": False,
    }  # fmt: skip
    if asked.signs:
        case = Case(craft="it", began_at=datetime.now(UTC), signs=asked.signs)
        look = look_at(case, known={k: v.outcome for k, v in known.items()}, was=cases.turned_out(session))
        context |= ranking_context(look, at={}) | {"ranked": True}
    return page(request, "fault_new.html", context, status=status)


@router.post("/new")
def make_case(request: Request, session: Store, form: PostedForm) -> Response:
    """Keep a case with craft and pack, and look for its cause."""
    asked = _asked(session, form)
    if not asked.signs:
        asked.errors["signs"] = fact("typed.fault.signs")
    if asked.craft is None and asked.pack is None:
        asked.errors["craft"] = fact("refused.case.of_nothing")
    if asked.errors:
        return _new(request, session, asked, status=422)
    names = [row.name for row in (asked.craft, asked.pack) if row is not None]
    try:
        case = Case(
            craft=None if asked.craft is None else asked.craft.name,
            pack=None if asked.pack is None else asked.pack.name,
            began_at=datetime.now(UTC),
            signs=asked.signs,
            note=asked.note,
        )
        row = cases.add(
            session, case, name=" with ".join(names),
            craft_id=None if asked.craft is None else asked.craft.id,
            pack_id=None if asked.pack is None else asked.pack.id,
        )  # fmt: skip
        session.commit()
    except ValidationError as error:
        asked.errors["signs"] = words_of(error.errors(include_url=False)[0])
        return _new(request, session, asked, status=422)
    except OperationalError:
        session.rollback()
        asked.errors["signs"] = NOT_STORED
        return _new(request, session, asked, status=503)
    return RedirectResponse(f"/off/{row.id}", 303)


def _what_it_may_be(now: CaseNow) -> list[tuple[str, Fact]]:
    """What a case may be closed with, the most probable first."""
    ranked = [(r.cause, named.cause(r.cause)) for r in now.look.now.ranked]
    nothing = (NOTHING, named.cause(NOTHING))
    first = [nothing, *ranked] if now.look.stands == "nothing is off" else [*ranked[:1], nothing, *ranked[1:]]
    return [*first, (SOMETHING_ELSE, named.cause(SOMETHING_ELSE))]


def shown_case(
    request: Request, session: Session, row: CaseRow, *, trouble: Words = "",
    typed: Mapping[str, str] | None = None, status: int = 200,
) -> HTMLResponse:  # fmt: skip
    """A case as it stands."""
    now = case_now(session, row)
    answers = {a.reading: a.outcome for a in now.case.answers}
    change = None if now.chain is None else part_to_change(now.chain, signs=set(now.case.signs))
    links = [] if change is None or now.chain is None else [n for n in now.chain.links if n.status != "ok"]
    context: dict[str, Any] = {
        "row": row, "case": now.case, "sheet": now.sheet, "trouble": trouble, "typed": typed or {},
        "danger": named.in_danger() if now.case.dangerous else None,
        "signs": [named.sign(key) for key in now.case.signs], "known": shown_known(now.known, answers),
        "links": links, "change": change,
        "may_be": _what_it_may_be(now), "was": named.was,
    }  # fmt: skip
    of = (("craft", row.craft), ("pack", row.pack), ("sheet", now.sheet))
    at = {name: thing.id for name, thing in of if thing is not None}
    return page(request, "fault.html", context | ranking_context(now.look, at=at), status=status)


@router.get("/{case_id}")
def show_case(request: Request, session: Store, case_id: int) -> HTMLResponse:
    """A case as it stands."""
    return shown_case(request, session, cases.fetch(session, case_id))


def _refused(
    request: Request, session: Session, case_id: int, words: Words, *, typed: Mapping[str, str], status: int = 422
) -> HTMLResponse:
    session.rollback()
    return shown_case(request, session, cases.fetch(session, case_id), trouble=words, typed=typed, status=status)


@router.post("/{case_id}/answer")
def answer_check(request: Request, session: Store, case_id: int, form: PostedForm) -> Response:
    """What a check found, or that it could not be made."""
    row = cases.fetch(session, case_id)
    reading, outcome = form.get("reading", ""), form.get("outcome", "")
    try:
        answer(session, row, whole_number(form.get("version", "")), reading=reading, outcome=outcome)
        session.commit()
    except ValidationError as error:
        return _refused(request, session, case_id, words_of(error.errors(include_url=False)[0]), typed=form)
    except EditConflictError:
        return _refused(request, session, case_id, _CHANGED_MEANWHILE, typed=form, status=409)
    return RedirectResponse(f"/off/{case_id}", 303)


@router.post("/{case_id}/take-back")
def take_answer_back(request: Request, session: Store, case_id: int, form: PostedForm) -> Response:
    """An answer does not count any more."""
    row = cases.fetch(session, case_id)
    try:
        take_back(session, row, whole_number(form.get("version", "")), reading=form.get("reading", ""))
        session.commit()
    except EditConflictError:
        return _refused(request, session, case_id, _CHANGED_MEANWHILE, typed=form, status=409)
    return RedirectResponse(f"/off/{case_id}", 303)


@router.post("/{case_id}/close")
def close_case(request: Request, session: Store, case_id: int, form: PostedForm) -> Response:
    """What it was."""
    row = cases.fetch(session, case_id)
    was, note = form.get("was", ""), form.get("note", "").strip()
    try:
        close(session, row, whole_number(form.get("version", "")), was=was, note=note)
        session.commit()
    except ValidationError as error:
        return _refused(request, session, case_id, words_of(error.errors(include_url=False)[0]), typed=form)
    except (EditConflictError, ZestyCellError):
        return _refused(request, session, case_id, _CHANGED_MEANWHILE, typed=form, status=409)
    return say(RedirectResponse(f"/off/{case_id}", 303), fact("said.case.closed"))


@router.post("/{case_id}/open")
def open_case(request: Request, session: Store, case_id: int, form: PostedForm) -> Response:
    """Look further."""
    row = cases.fetch(session, case_id)
    try:
        open_again(session, row, whole_number(form.get("version", "")))
        session.commit()
    except EditConflictError:
        return _refused(request, session, case_id, _CHANGED_MEANWHILE, typed=form, status=409)
    return RedirectResponse(f"/off/{case_id}", 303)


@router.post("/{case_id}/delete")
def delete_case(session: Store, case_id: int) -> Response:
    """Delete a case; the message offers to undo it."""
    row = cases.delete(session, case_id)
    return say(
        RedirectResponse("/off", 303), fact("said.named.deleted", name=row.name), undo=f"/off/{case_id}/restore"
    )


@router.post("/{case_id}/restore")
def restore_case(session: Store, case_id: int) -> Response:
    """Undo a delete."""
    cases.restore(session, case_id)
    return say(RedirectResponse(f"/off/{case_id}", 303), fact("said.back"))
