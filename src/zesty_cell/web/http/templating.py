"""Jinja set up once: autoescape, strict about unknown names, the same helpers on every page."""

from __future__ import annotations

import json
import os
from contextvars import ContextVar
from pathlib import Path
from typing import Any

from fastapi import Request
from fastapi.responses import HTMLResponse
from jinja2 import Environment, FileSystemBytecodeCache, FileSystemLoader, StrictUndefined, select_autoescape
from markupsafe import Markup

from zesty_cell import __version__
from zesty_cell.core.fact import Fact
from zesty_cell.paired import right_of
from zesty_cell.web.drawing.pack_picture import wheel_segments
from zesty_cell.web.http.messages import COOKIE as SAID_COOKIE
from zesty_cell.web.http.messages import said
from zesty_cell.web.http.preferences import preferences_of
from zesty_cell.words.english.glossary import GLOSSARY
from zesty_cell.words.face import Face, Reader
from zesty_cell.words.say import PLAIN, say

_WEB = Path(__file__).parents[1]


def _data_json(value: Any) -> Markup:
    """JSON safe inside a script data block: no way to close the element from within."""
    text = json.dumps(value, ensure_ascii=False, separators=(",", ":"))
    # Escaping "<" keeps "</script>" in a name from ending the block.
    return Markup(text.replace("<", "\\u003c"))  # noqa: S704


def _compiled_templates() -> FileSystemBytecodeCache | None:
    """Compiled templates are kept beside the compiled modules, where that may be written to.

    Compiling the sheet's takes as long as its forecast, and all of them a second.
    """
    folder = _WEB / "__pycache__"
    # What is kept goes by the source alone: another way of compiling needs another name.
    return FileSystemBytecodeCache(str(folder), "__jinja2_said_%s.cache") if os.access(folder, os.W_OK) else None


#: Who reads the page that is being rendered: macros, which know nothing of it, say facts in the same units.
_READER: ContextVar[Reader] = ContextVar("reader", default=PLAIN)


def _said_or_itself(value: object) -> object:
    """What is written where a template puts a value: a fact as its sentence."""
    return say(value, _READER.get()) if isinstance(value, Fact) else value


def make_environment() -> Environment:
    """The application's template environment."""
    environment = Environment(
        loader=FileSystemLoader(_WEB / "templates"),
        bytecode_cache=_compiled_templates(),
        autoescape=select_autoescape(default=True),
        undefined=StrictUndefined,
        finalize=_said_or_itself,
        trim_blocks=True,
        lstrip_blocks=True,
    )
    environment.filters["data_json"] = _data_json
    environment.filters["said"] = _said_or_itself  # before another filter
    environment.globals["version"] = __version__
    environment.globals["glossary"] = GLOSSARY
    environment.globals["wheel"] = wheel_segments()
    return environment


ENVIRONMENT = make_environment()


def page(request: Request, name: str, context: dict[str, Any], *, status: int = 200) -> HTMLResponse:
    """Render a template for this request, with the person's preferences at hand."""
    view = preferences_of(request)
    _READER.set(view)
    html = ENVIRONMENT.get_template(name).render(
        view=view,
        face=Face(view),
        path=request.url.path,
        said=said(request),
        right=right_of(request.scope),
        **context,
    )
    response = HTMLResponse(html, status_code=status)
    if SAID_COOKIE in request.cookies:
        response.delete_cookie(SAID_COOKIE, httponly=True, samesite="strict")
    return response
