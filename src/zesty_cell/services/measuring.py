"""The result of a measurement, taken into the hangar: doubted first, then craft or pack as it is known now."""

from __future__ import annotations

from pydantic import ValidationError
from sqlalchemy.orm import Session

from zesty_cell.core.answer.plausibility import craft_doubts, pack_doubts
from zesty_cell.core.fact import Words, fact
from zesty_cell.core.learn.surer import MeasureKey
from zesty_cell.core.learn.taken import take
from zesty_cell.core.parts.craft import Craft
from zesty_cell.core.parts.pack import Pack
from zesty_cell.store.hangar import CRAFTS, PACKS, ownership_of
from zesty_cell.store.tables import SheetRow


def taken(key: MeasureKey, values: tuple[float, ...], *, craft: Craft, pack: Pack) -> tuple[Craft, Pack] | Words:
    """Craft and pack after a measurement; why it is left out, where it cannot be or hardly can."""
    if key == "charger_ohm" and len(values) not in (1, pack.series):
        return fact("start.other_count", readings=len(values), series=pack.series)
    try:
        new_craft, new_pack = take(key, values, craft=craft, pack=pack)
    except ValidationError:
        return fact("start.cannot_be")
    known = {doubt.key for doubt in (*craft_doubts(craft), *pack_doubts(pack))}
    odd = [d for d in (*craft_doubts(new_craft), *pack_doubts(new_pack)) if d.key not in known]
    return fact("start.left_out", why=odd[0].why) if odd else (new_craft, new_pack)


def keep_result(session: Session, row: SheetRow, key: MeasureKey, values: tuple[float, ...], /) -> Words | None:
    """Change the craft or the pack of a sheet by a measurement; why it was not, where it cannot be.

    Raises
    ------
    EditConflictError
        When somebody changed it meanwhile.
    """
    craft, pack = CRAFTS.thing(row.craft), PACKS.thing(row.pack)
    found = taken(key, values, craft=craft, pack=pack)
    if not isinstance(found, tuple):
        return found
    new_craft, new_pack = found
    if new_craft != craft:
        kept = ownership_of(row.craft)
        CRAFTS.change(session, row.craft_id, row.craft.version, new_craft, ownership=kept)
    if new_pack != pack:
        kept = ownership_of(row.pack)
        PACKS.change(session, row.pack_id, row.pack.version, new_pack, ownership=kept, cell_id=row.pack.cell_id)
    return None
