"""Everything the sheet page needs, from the stored sheet or from what is being typed."""

from __future__ import annotations

from typing import Any

from fastapi import Request
from sqlalchemy.orm import Session

from zesty_cell.core.asked.flying import PATTERNS
from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.services.advice import Typed, advise
from zesty_cell.services.patterns import own_patterns
from zesty_cell.services.plans import plan_now
from zesty_cell.store import sheets as store
from zesty_cell.store.hangar import CRAFTS, PACKS
from zesty_cell.store.tables import SheetRow
from zesty_cell.web.http import FormState, preferences_of
from zesty_cell.web.sheet import form as sheet_form
from zesty_cell.web.sheet.facts import figures_of
from zesty_cell.web.sheet.margins import margins, tried
from zesty_cell.web.sheet.typed import texts_of, tried_out
from zesty_cell.words.face import Face


def sheet_context(
    request: Request,
    session: Session,
    row: SheetRow,
    read: sheet_form.ReadSheet | None,
    *,
    conflict: str = "",
    also_try: str = "",
    land_at_v: float | None = None,
) -> dict[str, Any]:
    """Everything the sheet page needs, from the stored sheet or from what is being typed."""
    face = Face(view := preferences_of(request))
    stored = first = store.as_sheet(row)
    own = own_patterns(session)
    if read is None:
        first = tried_out(stored, also_try, land_at_v)
        texts = texts_of(session, first, row.craft_id, row.pack_id, row.version, view.units)
        state = FormState(texts=texts, units=view.units)
        sheet: Sheet | None = first
    else:
        state, sheet = read.state, read.sheet
        if sheet is not None and state.units != view.units and read.craft_id and read.pack_id:
            # Typed in other units than the person now wants to see: show the same values in those.
            state.texts = texts_of(session, sheet, read.craft_id, read.pack_id, read.version, view.units)
    advice = figures = plan = None
    if sheet is not None:
        typed = None
        if read is not None and read.craft_id and read.pack_id:
            typed = Typed(sheet, read.craft_id, PACKS.fetch(session, read.pack_id))
        elif first != stored:
            typed = Typed(sheet, row.craft_id, row.pack)
        try:
            advice = advise(session, row, typed=typed)
            plan = plan_now(session, row, advice)
            figures = figures_of(advice, plan, face)
        except OutOfRangeError as error:
            state.errors[error.field] = error.why
            sheet = None
    looked_at, chosen = sheet or stored, state.texts["pack_id"]
    return margins(looked_at, face) | {
        "row": row,
        "trying": tried(looked_at),
        "stale": sheet is None,
        "changed": sheet is not None and sheet != stored if read is None else sheet != stored,
        "texts": state.texts,
        "errors": state.errors,
        "figures": figures,
        "advice": advice,
        "plan": plan,
        "calls": figures.calls if figures else (),
        "conflict": conflict,
        "crafts": CRAFTS.named(session),
        "packs": [p for p in PACKS.named(session) if p.standing != "retired" or str(p.id) == chosen],
        "patterns": PATTERNS,
        "hangar_patterns": own,
        "own_pattern": sheet_form.pattern_key(stored.flying, PATTERNS | own) == sheet_form.OWN_PATTERN,
        "form": sheet_form,
    }
