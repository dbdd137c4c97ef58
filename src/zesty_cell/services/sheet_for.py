"""Which sheet tells of a craft, a pack and a pattern: one rule for every page."""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy.orm import Session

from zesty_cell.store import sheets
from zesty_cell.store.tables import PackRow, SheetRow


def sheet_for(
    session: Session,
    *,
    craft_id: int,
    pack: PackRow | None = None,
    pattern: str | None = None,
    among: Sequence[SheetRow] | None = None,
) -> SheetRow | None:
    """The sheet of a craft that fits best; None where it has none.

    Its type of pack comes first, then its cells (a landing voltage belongs to a chemistry), then the pattern,
    then the very pack, then what was changed last.

    Parameters
    ----------
    among : sequence of SheetRow, optional
        All sheets, where somebody has read them already.
    """

    def fits(row: SheetRow) -> tuple[object, ...]:
        return (
            pack is not None and row.pack.type_name == pack.type_name,
            pack is not None and (row.pack.chemistry, row.pack.series) == (pack.chemistry, pack.series),
            pattern is not None and row.flying.get("name") == pattern,
            pack is not None and row.pack_id == pack.id,
            row.updated_at,
            row.id,
        )

    own = [row for row in (sheets.all_sheets(session) if among is None else among) if row.craft_id == craft_id]
    return max(own, key=fits) if own else None
