"""What a browser installs the phone's application by: its manifest, and the worker that serves it offline."""

from __future__ import annotations

import hashlib
import json
from functools import lru_cache
from pathlib import Path
from typing import Final

from fastapi import APIRouter
from fastapi.responses import JSONResponse, Response

from zesty_cell import __version__

router = APIRouter(include_in_schema=False)

_STATIC: Final = Path(__file__).parents[1] / "static"
_TEMPLATES: Final = Path(__file__).parents[1] / "templates"
#: Everything the page needs, kept on the phone as it is installed.
SHELL: Final = (
    "app.css", "pocket.js", "pocket/queue.js", "pocket/day.js", "pocket/speak.js", "pocket/numbers.js",
    "pocket/supply.js", "vendor/alpine-csp.js", "vendor/idb.js", "icon.svg", "icon-192.png",
    "fonts/atkinson-hyperlegible-next-latin-wght-normal.woff2", "fonts/bricolage-grotesque-latin-wght-normal.woff2",
)  # fmt: skip


@lru_cache(maxsize=1)
def _edition() -> str:
    """Of all that is kept: a phone that holds another edition takes this one when it has a line."""
    found = hashlib.sha256(__version__.encode())
    for path in (*(_STATIC / name for name in SHELL), _STATIC / "sw.js", _TEMPLATES / "pocket.html"):
        found.update(path.read_bytes())
    return found.hexdigest()[:16]


@router.get("/sw.js")
def worker() -> Response:
    """The service worker, which knows its edition and what belongs to it."""
    files = [f"/static/{name}" for name in SHELL]
    known = f"self.EDITION = {json.dumps(_edition())};\nself.SHELL = {json.dumps(files)};\n"
    return Response(known + (_STATIC / "sw.js").read_text(), media_type="text/javascript; charset=utf-8")


@router.get("/manifest.webmanifest")
def manifest() -> Response:
    """What a home screen shows it as."""
    icons = [
        {"src": "/static/icon-192.png", "sizes": "192x192", "type": "image/png", "purpose": "any"},
        {"src": "/static/icon-512.png", "sizes": "512x512", "type": "image/png", "purpose": "any"},
        {"src": "/static/icon-maskable-512.png", "sizes": "512x512", "type": "image/png", "purpose": "maskable"},
    ]
    document = {
        "id": "/pocket",
        "name": "Zesty Cell, field",
        "short_name": "Zesty Cell",
        "description": "Timer, voltages and log of the day, without a network",
        "start_url": "/pocket",
        "scope": "/",
        "display": "standalone",
        "orientation": "portrait",
        "background_color": "#F8F8EF",
        "theme_color": "#1B2A21",
        "icons": icons,
    }
    return JSONResponse(document, media_type="application/manifest+json")
