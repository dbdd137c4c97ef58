"""How large a body each page takes, and which pages nobody is led to from another site."""

from __future__ import annotations

import re

#: Largest body taken; a sheet is a few kB.
MAX_BODY_BYTES = 1_000_000
#: Files that are larger by their nature, by the end of the path they are sent to: telemetry, recordings and sound.
MAX_FILE_BYTES = {
    "/logs": 25_000_000,
    "/own-voice": 9_000_000,
    "/log/import": 25_000_000,
    "/telemetry": 25_000_000,
    "/discharges/new": 25_000_000,
    "/thrust/file": 25_000_000,
    "/backup/restore": 510_000_000,
}
#: Pages that take long to work out, or give much away: nobody is led to them from another site, not even by a link.
_NOT_LED_TO = re.compile(
    r"/choose/.*|/tests/discharges/pack/.*|/callouts/\d+/voices\.zip|/callouts/say\.wav|/backup/file|/log/flights\.csv|/api/.*"
)


def most_bytes(path: str) -> int:
    """The largest body that is taken at a path."""
    return next((m for end, m in MAX_FILE_BYTES.items() if path.endswith(end)), MAX_BODY_BYTES)


def by_link(path: str) -> bool:
    """Whether a link of another site may lead to a path."""
    return _NOT_LED_TO.fullmatch(path) is None
