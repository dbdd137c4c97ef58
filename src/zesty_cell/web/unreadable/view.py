"""What is stored and cannot be read: each with its reason, to be mended, taken along as it is, or left out."""

from __future__ import annotations

import json
from dataclasses import dataclass

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from zesty_cell.core.fact import Words, fact
from zesty_cell.store import setting_aside as store
from zesty_cell.store import unreadable
from zesty_cell.store.columns import Wrong
from zesty_cell.store.errors import UnstorableError
from zesty_cell.store.setting_aside import SetAside
from zesty_cell.web.http import PostedForm, Store, page, say
from zesty_cell.web.http.forms import MAX_TEXT, words_of

router = APIRouter(prefix="/unreadable", include_in_schema=False)

#: What a row of each table is called.
_CALLED = {
    "craft": "Craft", "cell": "Cell", "pack": "Pack", "sheet": "Sheet", "callouts": "Callout plan",
    "flight": "Flight", "log": "Telemetry log", "calibration": "Calibration", "voice_line": "Spoken line",
    "pattern": "Flying pattern",
}  # fmt: skip


#: What no other value at its place would mend.
_NOT_HERE = frozenset({"refused", "sheet", "needs", "bytes"})


@dataclass(frozen=True)
class Place:
    """Where something is wrong: what it is called, what stands there or was typed, and why it cannot be."""

    label: str
    text: str
    why: Words
    can_mend: bool


@dataclass(frozen=True)
class Shown:
    """A row that is set aside."""

    row: SetAside
    called: str
    places: tuple[Place, ...]


def _label(wrong: Wrong) -> str:
    parts = [wrong.column] if wrong.column not in ("", "document") else []
    parts += [str(part + 1) if isinstance(part, int) else part for part in wrong.place]
    return " · ".join(parts).replace("_", " ") or "as a whole"


def _text(value: object) -> str:
    if isinstance(value, str):
        return value
    return json.dumps(value, ensure_ascii=False, default=str)


def _value(text: str) -> object:
    """What somebody typed: a number, yes or no where it is one, else the text."""
    try:
        return json.loads(text[:MAX_TEXT])
    except (ValueError, RecursionError):
        return text.strip()


def _why(wrong: Wrong) -> Words:
    expected = wrong.problem.get("ctx", {}).get("expected")
    if wrong.problem["type"] == "literal_error" and isinstance(expected, str):
        return f"It can be {expected}.".replace("'", "")
    return words_of(wrong.problem)


def _shown(one: SetAside, typed: dict[str, str]) -> Shown:
    places = []
    for k, wrong in enumerate(one.wrongs):
        text = _text(wrong.value)
        can = bool(wrong.column) and len(text) <= MAX_TEXT and wrong.problem["type"] not in _NOT_HERE
        places.append(Place(_label(wrong), typed.get(f"value_{k}", text)[:MAX_TEXT], _why(wrong), can))
    return Shown(one, _CALLED.get(one.table, one.table), tuple(places))


def _list(
    request: Request, session: Store, *, typed: dict[str, str] | None = None, of: int = 0, error: Words = ""
) -> Response:
    shown = [_shown(one, typed or {} if one.id == of else {}) for one in store.all_of(session)]
    # The many flights of one pack are one line.
    needing = [(_CALLED[table].lower(), many) for table, many in unreadable.needing(session)]
    context = {"shown": shown, "needing": needing, "error": error, "of": of}
    return page(request, "unreadable.html", context, status=422 if error else 200)


@router.get("")
def show(request: Request, session: Store) -> Response:
    """Everything that is set aside."""
    return _list(request, session)


@router.post("/{unreadable_id}")
def mend(request: Request, session: Store, unreadable_id: int, form: PostedForm) -> Response:
    """Put what was typed where a row was wrong, and take it back."""
    values = {
        int(name.removeprefix("value_")): _value(text)
        for name, text in form.items()
        if name.startswith("value_") and name.removeprefix("value_").isdecimal() and len(name) < 12
    }
    try:
        left = store.mend(session, unreadable_id, values)
    except UnstorableError as error:
        return _list(request, session, typed=form, of=unreadable_id, error=error.why)
    if left:
        words = fact("typed.aside.unreadable_still")
        return _list(request, session, typed=form, of=unreadable_id, error=words)
    return say(RedirectResponse("/unreadable", 303), fact("said.aside.back"))


@router.post("/{unreadable_id}/leave")
def leave(session: Store, unreadable_id: int) -> Response:
    """Leave it out."""
    store.leave(session, unreadable_id)
    return say(RedirectResponse("/unreadable", 303), fact("said.aside.left_out"))


@router.get("/{unreadable_id}/document")
def document(session: Store, unreadable_id: int) -> Response:
    """All that is stored of it, as it is, as a file."""
    text = json.dumps(store.document(session, unreadable_id), indent=2, ensure_ascii=True, default=str)
    headers = {"Content-Disposition": f'attachment; filename="set-aside-{unreadable_id}.json"'}
    return Response(text, media_type="application/json", headers=headers)
