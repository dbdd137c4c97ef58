"""One short message carried over a redirect, with an undo where there is one."""

from __future__ import annotations

import base64
import json
import re

from fastapi import Request, Response

from zesty_cell.core.fact import Fact, Words, fact
from zesty_cell.web.http.preferences import preferences_of
from zesty_cell.words.say import say as say_words

COOKIE = "zesty_cell_said"
#: Of a message and its undo, packed: more than this is none of ours.
_MOST = 2_000
#: Of a name or a text in a message; and of facts within facts.
_LONGEST, _DEEPEST = 300, 3
#: A path on this site: never "//somewhere" or "/\\somewhere", which browsers take for another one.
_PATH = re.compile(r"/(?:[A-Za-z0-9_.-]+(?:/[A-Za-z0-9_.-]+)*)?")

#: Where the database took nothing and the form is shown again.
NOT_STORED = fact("typed.not_stored.keep")


def say(response: Response, what: Words, *, undo: str = "") -> Response:
    """Show what became of it on the next page, in the units that it is read in; ``undo`` is a path to post to."""
    packed = _packed(_sent(what), undo)
    if len(packed) > _MOST:  # too much for a cookie: its beginning as a text
        packed = _packed(say_words(what)[:_LONGEST], undo)
    response.set_cookie(COOKIE, packed, max_age=30, httponly=True, samesite="strict")
    return response


def _packed(sent: object, undo: str) -> str:
    return base64.urlsafe_b64encode(json.dumps([sent, undo], ensure_ascii=False).encode()).decode()


def said_to(request: Request, words: Words, /) -> str:
    """What is not put on a page by its template, in the units of who asks: for a message, or for a script."""
    return say_words(words, preferences_of(request))


def _sent(what: object, deep: int = 0) -> object:
    """A message as it goes along: a text or a number as it is, a fact as its key and its figures.

    Where facts stand too deep within facts they are said already.
    """
    if isinstance(what, Fact):
        if deep > _DEEPEST:
            return say_words(what)[:_LONGEST]
        return [what.key, {name: _sent(value, deep + 1) for name, value in what.figures.items()}]
    return what if isinstance(what, int | float) else str(what)[:_LONGEST]


def _received(sent: object, deep: int = 0) -> object:
    """A message that came along.

    Raises
    ------
    ValueError
        What no message of ours is.
    """
    if isinstance(sent, str | int | float):
        return sent
    if not isinstance(sent, list) or len(sent) != 2 or deep > _DEEPEST:
        raise ValueError("no message")
    key, figures = sent
    if not isinstance(key, str) or not isinstance(figures, dict):
        raise ValueError("no message")
    return fact(key, **{name: _received(value, deep + 1) for name, value in figures.items()})


def said(request: Request) -> tuple[str, str] | None:
    """The message to show, if any: its sentence and undo path."""
    packed = request.cookies.get(COOKIE, "")
    if len(packed) > _MOST:
        return None
    try:
        sent, undo = json.loads(base64.urlsafe_b64decode(packed))
        what = _received(sent)
        # A cookie is what anybody writes into it: a key of no sentence, or one without its figures, says nothing.
        text = said_to(request, what) if isinstance(what, str | Fact) else None
    except (ValueError, TypeError, KeyError, AttributeError, OverflowError, RecursionError):
        return None
    if text is None or not isinstance(undo, str) or (undo and _PATH.fullmatch(undo) is None):
        return None
    return text, undo
