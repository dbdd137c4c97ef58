"""Flying patterns that a sheet may choose from: those that ship, and those of the hangar."""

from __future__ import annotations

from sqlalchemy.orm import Session

from zesty_cell.core.asked.flying import PATTERNS, FlyingPattern
from zesty_cell.store import patterns
from zesty_cell.store.memory import remembered

#: What the key of a pattern of the hangar begins with.
OWN = "own-"


def own_patterns(session: Session) -> dict[str, FlyingPattern]:
    """Patterns of the hangar, by a key that none that ships has."""
    return dict(remembered(session, "own patterns", lambda: _read(session)))


def _read(session: Session) -> dict[str, FlyingPattern]:
    return {f"{OWN}{row.id}": patterns.pattern_of(row) for row in patterns.all_patterns(session)}


def known_patterns(session: Session) -> dict[str, FlyingPattern]:
    """All of them, those that ship first."""
    return PATTERNS | own_patterns(session)
