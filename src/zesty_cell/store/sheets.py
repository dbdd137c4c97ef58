"""Sheets: a craft and a pack of the hangar with a way of flying and a landing rule."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime
from typing import Any, NamedTuple

from pydantic import ValidationError
from sqlalchemy import case, func, select
from sqlalchemy.orm import Session

from zesty_cell.core.asked.flying import FlyingPattern
from zesty_cell.core.asked.landing import LandingRule
from zesty_cell.core.asked.sheet import Conditions, Sheet
from zesty_cell.core.fact import fact
from zesty_cell.store import callouts, records
from zesty_cell.store.documents import read, reason, to_document
from zesty_cell.store.errors import UnreadableError
from zesty_cell.store.hangar import CRAFTS, PACKS
from zesty_cell.store.tables import CraftRow, PackRow, SheetRow

_NAME_LENGTH = 80


def as_sheet(row: SheetRow) -> Sheet:
    """The core's sheet of a row, with its craft and pack as they are now.

    Raises
    ------
    UnreadableError
    """
    parts: dict[str, Any] = {
        "name": row.name,
        "craft": CRAFTS.thing(row.craft),
        "pack": PACKS.thing(row.pack),
        "flying": read(FlyingPattern, row.flying),
        "conditions": read(Conditions, row.conditions),
        "landing": read(LandingRule, row.landing),
        "trying": row.trying,
    }
    try:
        return Sheet(**parts)
    except ValidationError as error:
        raise UnreadableError(fact("stored.sheet_unreadable", reason=reason(error))) from error


def all_sheets(session: Session) -> list[SheetRow]:
    """Every sheet not deleted, by name."""
    return records.all_of(session, SheetRow)


class SheetHead(NamedTuple):
    """A sheet as a list needs it, without its documents."""

    id: int
    name: str
    version: int
    updated_at: datetime
    craft_id: int
    craft_name: str
    craft_version: int
    craft_updated_at: datetime
    pack_id: int
    pack_name: str
    pack_type: str
    pattern: str


def heads(session: Session) -> list[SheetHead]:
    """Every sheet not deleted, by name, without its documents."""
    query = (
        select(
            SheetRow.id, SheetRow.name, SheetRow.version, SheetRow.updated_at,
            CraftRow.id, CraftRow.name, CraftRow.version, CraftRow.updated_at,
            PackRow.id, PackRow.name, PackRow.type_name,
            # A document that is none must not keep all the others from being listed.
            case((func.json_valid(SheetRow.flying) == 1, func.json_extract(SheetRow.flying, "$.name"))),
        )
        .join(CraftRow, CraftRow.id == SheetRow.craft_id)
        .join(PackRow, PackRow.id == SheetRow.pack_id)
        .where(SheetRow.deleted_at.is_(None))
        .order_by(func.lower(SheetRow.name), SheetRow.id)
    )  # fmt: skip
    return [SheetHead._make((*found[:-1], str(found[-1] or ""))) for found in session.execute(query)]


def some_of(session: Session, sheet_ids: Iterable[int]) -> dict[int, SheetRow]:
    """Some sheets whole, by their number."""
    query = select(SheetRow).where(SheetRow.id.in_(list(sheet_ids)), SheetRow.deleted_at.is_(None))
    return {row.id: row for row in session.scalars(query)}


def is_empty(session: Session) -> bool:
    """Whether no sheet was ever kept."""
    return session.scalars(select(SheetRow.id).limit(1)).first() is None


def fetch(session: Session, sheet_id: int) -> SheetRow:
    """One sheet; MissingRecordError when there is none."""
    return records.fetch(session, SheetRow, sheet_id)


def _fill(row: SheetRow, sheet: Sheet, craft_id: int, pack_id: int) -> None:
    to_document(sheet)  # as a whole: its parts may contradict each other
    row.name, row.craft_id, row.pack_id = sheet.name, craft_id, pack_id
    row.flying = to_document(sheet.flying)
    row.conditions = to_document(sheet.conditions)
    row.landing = to_document(sheet.landing)
    row.trying = list(sheet.trying)


def add(session: Session, sheet: Sheet, *, craft_id: int, pack_id: int) -> SheetRow:
    """Keep a new sheet of a craft and a pack in the hangar."""
    row = SheetRow()
    _fill(row, sheet, craft_id, pack_id)
    session.add(row)
    session.flush()
    session.refresh(row)
    return row


def change(session: Session, sheet_id: int, version: int, sheet: Sheet, *, craft_id: int, pack_id: int) -> SheetRow:
    """Store a changed sheet, provided nobody changed it meanwhile (EditConflictError)."""
    row = records.fetch_version(session, SheetRow, sheet_id, version)
    _fill(row, sheet, craft_id, pack_id)
    session.flush()
    session.refresh(row)
    return row


def add_copy(session: Session, sheet: Sheet, *, of: int, craft_id: int, pack_id: int) -> SheetRow:
    """Keep a sheet under a name of its own, made from the name it has; with the callouts of the one it copies."""
    taken = {r.name for r in all_sheets(session)}
    base = sheet.name[: _NAME_LENGTH - 10]
    name = next(n for k in range(1, 10_000) if (n := f"{base}, copy" + (f" {k}" if k > 1 else "")) not in taken)
    row = add(session, sheet.model_copy(update={"name": name}), craft_id=craft_id, pack_id=pack_id)
    callouts.copy(session, from_sheet=of, to_sheet=row.id)
    return row


def duplicate(session: Session, sheet_id: int) -> SheetRow:
    """Keep a copy of a stored sheet."""
    row = fetch(session, sheet_id)
    return add_copy(session, as_sheet(row), of=row.id, craft_id=row.craft_id, pack_id=row.pack_id)


def bring_in(session: Session, sheet: Sheet) -> SheetRow:
    """Keep a sheet from a file; craft and pack join the hangar unless equal ones are there."""
    craft, pack = CRAFTS.bring_in(session, sheet.craft), PACKS.bring_in(session, sheet.pack)
    return add(session, sheet, craft_id=craft.id, pack_id=pack.id)


def delete(session: Session, sheet_id: int) -> SheetRow:
    """Delete a sheet; :func:`restore` undoes it."""
    row = fetch(session, sheet_id)
    records.delete(session, row)
    return row


def restore(session: Session, sheet_id: int) -> SheetRow:
    """Undo a delete; the craft and pack it needs come back with it."""
    row = records.restore(session, SheetRow, sheet_id)
    row.craft.deleted_at = row.pack.deleted_at = None
    return row
