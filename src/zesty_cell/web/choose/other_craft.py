"""Another craft flown beside the sheet's own."""

from __future__ import annotations

from sqlalchemy.orm import Session

from zesty_cell.core.asked.flying import FIRST_PATTERN, PATTERNS
from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.services import learning
from zesty_cell.services.sheet_for import sheet_for
from zesty_cell.store.hangar import CRAFTS
from zesty_cell.store.tables import CraftRow
from zesty_cell.web.choose.base import Origin


def sheet_of_craft(craft_row: CraftRow, origin: Origin, session: Session) -> Sheet:
    """How another craft is flown beside the sheet's: in the same air, by the same landing rule, and in the same
    pattern where it is of the same kind; another kind flies its own kind's first."""
    craft = CRAFTS.thing(craft_row)
    same = craft.kind == origin.sheet.craft.kind
    flying = origin.sheet.flying if same else PATTERNS[FIRST_PATTERN[craft.kind]]
    of = {"flying": flying, "conditions": origin.sheet.conditions, "landing": origin.sheet.landing, "trying": ()}
    own = sheet_for(session, craft_id=craft_row.id, pattern=flying.name)
    if own is not None:
        return learning.corrected_sheet(session, own).model_copy(update=of)
    return origin.sheet.model_copy(update=of | {"craft": craft})
