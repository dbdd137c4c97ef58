"""Every drill with how one stands, and which comes next."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Final

from fastapi import Request
from fastapi.responses import HTMLResponse
from sqlalchemy.orm import Session

from zesty_cell.core.fact import Words
from zesty_cell.core.practice.told import (
    judgement,
    task,
)
from zesty_cell.services.practice import kept, next_of, standings
from zesty_cell.store import sheets
from zesty_cell.web.http import page

#: So many of the last scores stand beside a drill.
_SCORES: Final = 6


def drills_listed(request: Request, session: Session, *, trouble: Words = "", status: int = 200) -> HTMLResponse:
    now = datetime.now(UTC)
    found = standings(kept(session), now=now)
    lines = [
        (s, judgement(s.key), task(s.key), s.scores[-_SCORES:], None if s.due_at is None else (s.due_at - now).days)
        for s in found
        if s.key != "own"
    ]
    own = found[-1]
    context = {
        "lines": lines, "next": next_of(found), "own": (own, own.scores[-_SCORES:]), "trouble": trouble,
        "sheets": sheets.all_sheets(session), "title": {s.key: judgement(s.key) for s in found},
    }  # fmt: skip
    return page(request, "practice.html", context, status=status)
