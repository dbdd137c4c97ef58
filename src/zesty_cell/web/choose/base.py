"""What all choosing pages share: the sheet they start from, its title line, the cells of the shelf."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlalchemy.orm import Session

from zesty_cell.core.asked.changes import CHANGES
from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.fact import fact
from zesty_cell.core.parts.cell import CellModel
from zesty_cell.services import learning
from zesty_cell.store import sheets as sheet_store
from zesty_cell.store.hangar import CELLS
from zesty_cell.store.tables import SheetRow
from zesty_cell.words.face import Face
from zesty_cell.words.landing import landing_words

#: Pages of a sheet's choosing, in the order of their tabs: address, word.
TABS = (("", "Compare"), ("/search", "Search"), ("/buys", "What buys minutes"), ("/crafts", "Other crafts"))


@dataclass(frozen=True)
class Origin:
    """A sheet taken as the starting point."""

    row: SheetRow
    sheet: Sheet
    cells: dict[int, CellModel]

    @property
    def address(self) -> str:
        """Where its choosing pages are."""
        return f"/choose/{self.row.id}"


def origin_of(session: Session, sheet_id: int) -> Origin:
    """The stored sheet and the shelf."""
    row = sheet_store.fetch(session, sheet_id)
    cells = {r.id: CELLS.thing(r) for r in CELLS.all(session)}
    return Origin(row=row, sheet=learning.corrected_sheet(session, row), cells=cells)


def base_context(origin: Origin, face: Face, tab: str) -> dict[str, Any]:
    """The common part of every choosing page."""
    rule = origin.sheet.landing
    looks_at_volts = rule.rest_v is not None or rule.loaded_v is not None
    tried = [(key, CHANGES[key].title(origin.sheet)) for key in origin.sheet.trying]
    return {
        "origin": origin,
        "sheet": origin.sheet,
        "tabs": TABS,
        "tab": tab,
        "tried": tried,
        "flown_words": fact(
            "compared.flown_each" if looks_at_volts else "compared.flown",
            pattern=origin.sheet.flying.name,
            air_c=origin.sheet.conditions.air_c,
            landing=landing_words(origin.sheet),
        ),
    }
