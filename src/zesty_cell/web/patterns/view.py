"""Flying patterns: those that ship, those of the hangar, and the editor."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

from zesty_cell.core.asked.flying import PATTERNS, FlyingPattern
from zesty_cell.core.errors import ZestyCellError
from zesty_cell.core.fact import Words, fact
from zesty_cell.services.advice import advice_for
from zesty_cell.services.patterns import known_patterns
from zesty_cell.store import patterns, sheets
from zesty_cell.store.errors import EditConflictError
from zesty_cell.web.drawing.pattern_strip import pattern_strip
from zesty_cell.web.http import NOT_STORED, PostedForm, Store, page, preferences_of, say, whole_number
from zesty_cell.web.patterns.form import KINDS, MOST_ACTIVITIES, PatternForm, read_pattern, rows_of
from zesty_cell.words.face import Face

router = APIRouter(prefix="/hangar/patterns", include_in_schema=False)


@router.get("")
def list_patterns(request: Request, session: Store) -> HTMLResponse:
    """Every pattern with its strip."""
    face = Face(preferences_of(request))
    own = [(row, patterns.pattern_of(row)) for row in patterns.all_patterns(session)]
    context = {
        "own": [(row, p, pattern_strip(p, 360.0, face=face), len(patterns.flown_by(session, p))) for row, p in own],
        "shipped": [(key, p, pattern_strip(p, 360.0, face=face)) for key, p in PATTERNS.items()],
    }
    return page(request, "patterns.html", context)


def _tried_on(session: Session, pattern: FlyingPattern | None) -> tuple[str, float, float, float] | None:
    """What the sheet changed last would answer if it flew so: its name, landing time and range [s]."""
    if pattern is None:
        return None
    newest = max(sheets.heads(session), key=lambda head: (head.updated_at, head.id), default=None)
    if newest is None:
        return None
    row = sheets.fetch(session, newest.id)
    try:
        sheet = sheets.as_sheet(row).model_copy(update={"flying": pattern})
        result = advice_for(session, sheet, craft_id=row.craft_id, pack=row.pack, from_log=row.from_log).result
    except ZestyCellError:
        return None
    return row.name, result.flight.landing_s, result.range.low_s, result.range.high_s


def _editor(
    request: Request,
    session: Session,
    read: PatternForm,
    *,
    pattern_id: int | None,
    version: int,
    status: int = 200,
    conflict: Words = "",
) -> HTMLResponse:
    width, face = 1000.0, Face(preferences_of(request))
    context = {
        "read": read,
        "kinds": KINDS,
        "most": MOST_ACTIVITIES,
        "strip": [] if read.pattern is None else pattern_strip(read.pattern, width, face=face),
        "period_s": 0.0 if read.pattern is None else read.pattern.period_s,
        "width": width,
        "tried": _tried_on(session, read.pattern),
        "pattern_id": pattern_id,
        "version": version,
        "conflict": conflict,
        "flown_by": [] if pattern_id is None else _flown_by(session, pattern_id),
    }
    return page(request, "pattern.html", context, status=status)


def _flown_by(session: Session, pattern_id: int) -> list[str]:
    return [
        row.name for row in patterns.flown_by(session, patterns.pattern_of(patterns.fetch(session, pattern_id)))
    ]


@router.get("/new")
def new_pattern(
    request: Request, session: Store, like: Annotated[str, Query(max_length=30)] = "freestyle"
) -> HTMLResponse:
    """The editor with a new pattern, like another."""
    units = preferences_of(request).units
    first = known_patterns(session).get(like, PATTERNS["freestyle"])
    read = PatternForm(f"{first.name[:70]}, mine", rows_of(first, units), units, first)
    return _editor(request, session, read, pattern_id=None, version=0)


@router.get("/{pattern_id}")
def edit_pattern(request: Request, session: Store, pattern_id: int) -> HTMLResponse:
    """The editor with a pattern of the hangar."""
    units = preferences_of(request).units
    row = patterns.fetch(session, pattern_id)
    pattern = patterns.pattern_of(row)
    read = PatternForm(pattern.name, rows_of(pattern, units), units, pattern)
    return _editor(request, session, read, pattern_id=pattern_id, version=row.version)


def _kept(request: Request, session: Session, form: dict[str, str], *, pattern_id: int | None) -> Response:
    read, version = read_pattern(form), whole_number(form.get("version", ""))
    name = read.name.strip()
    shipped = {p.name.casefold() for p in PATTERNS.values()}
    if name and (name.casefold() in shipped or patterns.taken(session, name, but=pattern_id)):
        read.errors["name"] = fact("typed.name.taken")
    if form.get("action") != "save":
        return _editor(request, session, read, pattern_id=pattern_id, version=version)
    if read.pattern is None or read.errors:
        return _editor(request, session, read, pattern_id=pattern_id, version=version, status=422)
    try:
        if pattern_id is None:
            patterns.add(session, read.pattern)
            said = fact("said.pattern.made", name=read.pattern.name)
        else:
            changed = patterns.change(session, pattern_id, version, read.pattern)
            said = fact("said.named.saved", name=read.pattern.name)
            if changed:
                said = fact("said.pattern.saved_with", name=read.pattern.name, sheets=changed)
        session.commit()
    except (EditConflictError, OperationalError) as error:
        session.rollback()
        status, words = (503, NOT_STORED) if isinstance(error, OperationalError) else (409, error.why)
        return _editor(
            request, session, read, pattern_id=pattern_id, version=version, status=status, conflict=words
        )
    return say(RedirectResponse("/hangar/patterns", 303), said)


@router.post("/new")
def add_pattern(request: Request, session: Store, form: PostedForm) -> Response:
    """Look at a pattern being made, or keep it."""
    return _kept(request, session, form, pattern_id=None)


@router.post("/{pattern_id}")
def change_pattern(request: Request, session: Store, pattern_id: int, form: PostedForm) -> Response:
    """Look at a changed pattern, or store it; the sheets that fly it change with it."""
    request.state.anew = "/hangar/patterns/new"  # should it be gone meanwhile
    patterns.fetch(session, pattern_id)
    return _kept(request, session, form, pattern_id=pattern_id)


@router.post("/{pattern_id}/delete")
def delete_pattern(session: Store, pattern_id: int) -> Response:
    """Delete, with undo; sheets keep what they fly."""
    row = patterns.delete(session, pattern_id)
    undo = f"/hangar/patterns/{pattern_id}/undelete"
    return say(RedirectResponse("/hangar/patterns", 303), fact("said.named.deleted", name=row.name), undo=undo)


@router.post("/{pattern_id}/undelete")
def undelete_pattern(session: Store, pattern_id: int) -> Response:
    """Undo a delete."""
    row = patterns.restore(session, pattern_id)
    return say(RedirectResponse("/hangar/patterns", 303), fact("said.named.back", name=row.name))
