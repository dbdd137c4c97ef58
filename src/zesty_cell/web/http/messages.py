"""One short message carried over a redirect, with an undo where there is one."""

from __future__ import annotations

import base64
import json

from fastapi import Request, Response

COOKIE = "zesty_cell_said"

#: Where the database took nothing and the form is shown again.
NOT_STORED = "This could not be stored just now. What you typed is still here: keep it again."


def say(response: Response, text: str, *, undo: str = "") -> Response:
    """Show ``text`` on the next page; ``undo`` is a path to post to."""
    packed = base64.urlsafe_b64encode(json.dumps([text[:300], undo]).encode()).decode()
    response.set_cookie(COOKIE, packed, max_age=30, httponly=True, samesite="strict")
    return response


def said(request: Request) -> tuple[str, str] | None:
    """The message to show, if any: text and undo path."""
    try:
        text, undo = json.loads(base64.urlsafe_b64decode(request.cookies.get(COOKIE, "")))
    except (ValueError, TypeError):
        return None
    if not isinstance(text, str) or not isinstance(undo, str) or (undo and not undo.startswith("/")):
        return None
    return text, undo
