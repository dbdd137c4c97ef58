"""A large hangar of the made-up club: so many crafts, each with sheets of its types, and so many packs."""

from __future__ import annotations

from pathlib import Path

from zesty_cell.demo.club import load_club
from zesty_cell.store import sheets
from zesty_cell.store.database import Database
from zesty_cell.store.hangar import CRAFTS, PACKS


def large_hangar(path: Path, *, crafts: int = 20, packs: int = 200) -> None:
    """Crafts and packs of the club again and again under other names, all packs charged; each craft has a sheet."""
    database = Database(path)
    with database.session() as session:
        load_club(session)
        for row in PACKS.all(session):
            row.rest_v_per_cell = row.rest_v_per_cell or 4.15
    with database.session() as session:
        models = [(row.id, row.craft_id, row.pack_id) for row in sheets.all_sheets(session)]
        have_crafts, have_packs = len(CRAFTS.all(session)), len(PACKS.all(session))
        kinds: dict[str, int] = {}
        for row in PACKS.all(session):
            kinds.setdefault(row.type_name, row.id)
        names = sorted(kinds)
        for k in range(packs - have_packs):
            kind = names[k % len(names)]
            like = PACKS.fetch(session, kinds[kind])
            thing = PACKS.thing(like).model_copy(update={"name": f"{kind} {20 + k // len(names)}"})
            row = PACKS.add(session, thing)
            row.standing, row.rest_v_per_cell = "own", like.rest_v_per_cell
        for k in range(crafts - have_crafts):
            sheet_id, craft_id, pack_id = models[k % len(models)]
            craft = CRAFTS.thing(CRAFTS.fetch(session, craft_id))
            row = CRAFTS.add(session, craft.model_copy(update={"name": f"{craft.name} {k + 2}"}))
            row.standing = "own"
            sheet = sheets.as_sheet(sheets.fetch(session, sheet_id))
            sheet = sheet.model_copy(update={"name": f"{sheet.name[:60]} {k + 2}"})
            sheets.add_copy(session, sheet, of=sheet_id, craft_id=row.id, pack_id=pack_id)
    database.close()
