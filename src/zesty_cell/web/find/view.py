"""Finding things: what is kept, and pages, by the words of their names."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query, Request
from fastapi.responses import HTMLResponse

from zesty_cell.store import cases, discharges, trials
from zesty_cell.store import sheets as sheet_store
from zesty_cell.store.hangar import CELLS, CRAFTS, PACKS
from zesty_cell.web.http import Store, page

#: Pages that one asks for by what they answer.
_PAGES = (("What is off?", "/off/new"),)

router = APIRouter(include_in_schema=False)


@router.get("/find")
def find(request: Request, session: Store, q: Annotated[str, Query(max_length=80)] = "") -> HTMLResponse:
    """Sheets, crafts, packs, cells, tests, discharge runs and cases whose name holds the words; and pages."""
    words = q.casefold().split()

    def matches(name: str) -> bool:
        return all(word in name.casefold() for word in words)

    found = [
        (kind, row.name, f"{where}/{row.id}")
        for kind, where, rows in (
            ("sheet", "/sheets", sheet_store.all_sheets(session)),
            ("craft", "/hangar/crafts", CRAFTS.named(session)),
            ("pack", "/hangar/packs", PACKS.named(session)),
            ("cell", "/hangar/cells", CELLS.named(session)),
            ("test", "/tests", trials.all_trials(session)),
            ("discharge run", "/tests/discharges/found", discharges.all_runs(session)),
            ("something off", "/off", cases.all_cases(session)),
        )
        for row in rows
        if matches(row.name)
    ]
    found += [("page", name, where) for name, where in _PAGES if matches(name)]
    return page(request, "find.html", {"q": q, "found": found})
