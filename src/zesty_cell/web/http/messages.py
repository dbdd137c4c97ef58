"""One short message carried over a redirect, with an undo where there is one."""

from __future__ import annotations

import base64
import json
import re

from fastapi import Request, Response

from zesty_cell.core.fact import Words
from zesty_cell.web.http.preferences import preferences_of
from zesty_cell.words.say import say as say_words

COOKIE = "zesty_cell_said"
#: Of a message and its undo, packed: more than this is none of ours.
_MOST = 2_000
#: A path on this site: never "//somewhere" or "/\\somewhere", which browsers take for another one.
_PATH = re.compile(r"/(?:[A-Za-z0-9_.-]+(?:/[A-Za-z0-9_.-]+)*)?")

#: Where the database took nothing and the form is shown again.
NOT_STORED = "This could not be stored just now. What you typed is still here: keep it again."


def say(response: Response, text: str, *, undo: str = "") -> Response:
    """Show ``text`` on the next page; ``undo`` is a path to post to."""
    packed = base64.urlsafe_b64encode(json.dumps([text[:300], undo]).encode()).decode()
    response.set_cookie(COOKIE, packed, max_age=30, httponly=True, samesite="strict")
    return response


def said_to(request: Request, words: Words, /) -> str:
    """What is not put on a page by its template, in the units of who asks: for a message, or for a script."""
    return say_words(words, preferences_of(request))


def said(request: Request) -> tuple[str, str] | None:
    """The message to show, if any: text and undo path."""
    packed = request.cookies.get(COOKIE, "")
    if len(packed) > _MOST:
        return None
    try:
        text, undo = json.loads(base64.urlsafe_b64decode(packed))
    except (ValueError, TypeError, RecursionError):
        return None
    if not isinstance(text, str) or not isinstance(undo, str) or (undo and _PATH.fullmatch(undo) is None):
        return None
    return text, undo
