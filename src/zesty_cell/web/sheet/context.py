"""Everything the sheet page needs, from the stored sheet or from what is being typed."""

from __future__ import annotations

from typing import Any

from fastapi import Request
from sqlalchemy.orm import Session

from zesty_cell.core.asked.changes import CHANGES, with_changes
from zesty_cell.core.asked.flying import PATTERNS
from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import Fact
from zesty_cell.core.parts.pack_figures import pack_figures
from zesty_cell.services.advice import Typed, advise
from zesty_cell.services.patterns import known_patterns, own_patterns
from zesty_cell.services.plans import plan_now
from zesty_cell.store import sheets as store
from zesty_cell.store.hangar import CRAFTS, PACKS
from zesty_cell.store.tables import SheetRow
from zesty_cell.web.drawing.pack_picture import pack_picture
from zesty_cell.web.drawing.pattern_strip import pattern_strip
from zesty_cell.web.http import FormState, preferences_of, whole_number
from zesty_cell.web.sheet import form as sheet_form
from zesty_cell.web.sheet.facts import figures_of
from zesty_cell.words import sheet as in_words
from zesty_cell.words.calls import call_rows
from zesty_cell.words.face import Face
from zesty_cell.words.naming import sheet_name
from zesty_cell.words.units import System


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
        first = _tried_out(stored, also_try, land_at_v)
        texts = _texts(session, first, row.craft_id, row.pack_id, row.version, view.units)
        state = FormState(texts=texts, units=view.units)
        sheet: Sheet | None = first
    else:
        state, sheet = read.state, read.sheet
        if sheet is not None and state.units != view.units and read.craft_id and read.pack_id:
            # Typed in other units than the person now wants to see: show the same values in those.
            state.texts = _texts(session, sheet, read.craft_id, read.pack_id, read.version, view.units)
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
    looked_at = sheet or stored
    return _facts(with_changes(looked_at), face) | {
        "row": row,
        "trying": _tried(looked_at),
        "stale": sheet is None,
        "changed": sheet is not None and sheet != stored if read is None else sheet != stored,
        "texts": state.texts,
        "errors": state.errors,
        "figures": figures,
        "advice": advice,
        "plan": plan,
        "calls": call_rows(plan.written, series=plan.written.series) if plan else [],
        "conflict": conflict,
        "crafts": CRAFTS.all(session),
        "packs": [r for r in PACKS.all(session) if r.standing != "retired" or str(r.id) == state.texts["pack_id"]],
        "patterns": PATTERNS,
        "hangar_patterns": own,
        "own_pattern": sheet_form.pattern_key(stored.flying, PATTERNS | own) == sheet_form.OWN_PATTERN,
        "form": sheet_form,
    }


def _texts(
    session: Session, sheet: Sheet, craft_id: int, pack_id: int, version: int, units: System
) -> dict[str, str]:
    return sheet_form.first_texts(
        sheet,
        craft_id=craft_id,
        pack_id=pack_id,
        version=version,
        units=units,
        patterns=known_patterns(session),
    )


def _tried_out(stored: Sheet, also_try: str, land_at_v: float | None) -> Sheet:
    """The stored sheet with a change, or a landing voltage, that is only tried."""
    tried = tuple(key for key in CHANGES if key in stored.trying or key == also_try)
    first = stored.model_copy(update={"trying": tried})
    if land_at_v is None:
        return first
    return first.model_copy(update={"landing": stored.landing.model_copy(update={"loaded_v": land_at_v})})


def _facts(sheet: Sheet, face: Face) -> dict[str, Any]:
    """The margins of the sheet: craft, pack and pattern as they are flown."""
    return {
        "sheet": sheet,
        "picture": pack_picture(sheet.pack),
        "pack_kind": in_words.pack_kind(sheet),
        "craft_facts": in_words.craft_facts(sheet, face),
        "pack_facts": in_words.pack_facts(sheet),
        "pack_mass": face.mass(pack_figures(sheet.pack).mass_kg),
        "strip": pattern_strip(sheet.flying, face=face),
        "pattern_summary": in_words.pattern_summary(sheet.flying),
    }


def _tried(sheet: Sheet) -> list[tuple[str, Fact]]:
    """What is being tried: key and words."""
    return [(key, CHANGES[key].title(sheet)) for key in sheet.trying]


def read_typed(session: Session, form: dict[str, str], stored: Sheet) -> sheet_form.ReadSheet:
    """The form read; a name that was made of craft and pack follows them until somebody gives another."""
    craft = CRAFTS.find(session, whole_number(form.get("craft_id", "")))
    pack = PACKS.find(session, whole_number(form.get("pack_id", "")))
    made = sheet_name(craft=stored.craft.name, pack=stored.pack.name)
    if stored.name == made == form.get("name") and craft is not None and pack is not None:
        form = {**form, "name": sheet_name(craft=craft.name, pack=pack.name)}
    return sheet_form.read_sheet_form(
        form,
        craft_of=lambda craft_id: CRAFTS.find(session, craft_id),
        pack_of=lambda pack_id: PACKS.find(session, pack_id),
        own_pattern=stored.flying,
        patterns=known_patterns(session),
    )
