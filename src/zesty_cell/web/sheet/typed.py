"""A sheet's form: read, and filled in."""

from __future__ import annotations

from sqlalchemy.orm import Session

from zesty_cell.core.asked.changes import CHANGES
from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.services.patterns import known_patterns
from zesty_cell.store.hangar import CRAFTS, PACKS
from zesty_cell.web.http import whole_number
from zesty_cell.web.sheet import form as sheet_form
from zesty_cell.words.naming import sheet_name
from zesty_cell.words.units import System


def texts_of(
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


def tried_out(stored: Sheet, also_try: str, land_at_v: float | None) -> Sheet:
    """The stored sheet with a change, or a landing voltage, that is only tried."""
    tried = tuple(key for key in CHANGES if key in stored.trying or key == also_try)
    first = stored.model_copy(update={"trying": tried})
    if land_at_v is None:
        return first
    return first.model_copy(update={"landing": stored.landing.model_copy(update={"loaded_v": land_at_v})})
