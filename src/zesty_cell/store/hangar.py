"""The hangar's two shelves: crafts and packs, kept the same way."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Generic, TypeVar

from sqlalchemy import select
from sqlalchemy.orm import InstrumentedAttribute, Session

from zesty_cell.core.craft import Craft
from zesty_cell.core.pack import Pack
from zesty_cell.store import records
from zesty_cell.store.errors import InUseError
from zesty_cell.store.tables import CraftRow, PackRow, SheetRow

Row = TypeVar("Row", CraftRow, PackRow)
Thing = TypeVar("Thing", Craft, Pack)


@dataclass(frozen=True)
class Shelf(Generic[Row, Thing]):
    """One kind of thing in the hangar: its table, its entity, and the columns copied for searching."""

    what: str
    table: type[Row]
    entity: type[Thing]
    columns: tuple[str, ...]
    used_by: InstrumentedAttribute[int]

    def thing(self, row: Row) -> Thing:
        """The core's entity of a row."""
        return self.entity.model_validate(row.document)

    def _fill(self, row: Row, thing: Thing) -> None:
        for column in self.columns:
            setattr(row, column, getattr(thing, column))
        row.document = thing.model_dump(mode="json")

    def all(self, session: Session) -> list[Row]:
        """Every row not deleted, by name."""
        return records.all_of(session, self.table)

    def fetch(self, session: Session, record_id: int) -> Row:
        """One row; MissingRecordError when there is none."""
        return records.fetch(session, self.table, record_id)

    def add(self, session: Session, thing: Thing) -> Row:
        """Keep a new one."""
        row = self.table()
        self._fill(row, thing)
        session.add(row)
        session.flush()
        return row

    def find_same(self, session: Session, thing: Thing) -> Row | None:
        """One kept already that is equal in every figure."""
        table = self.table
        query = select(table).where(table.name == thing.name, table.deleted_at.is_(None)).order_by(table.id)
        return next((row for row in session.scalars(query) if self.thing(row) == thing), None)

    def change(self, session: Session, record_id: int, version: int, thing: Thing) -> Row:
        """Store a change, provided nobody changed it meanwhile (EditConflictError)."""
        row = records.fetch_version(session, self.table, record_id, version)
        self._fill(row, thing)
        session.flush()
        return row

    def users(self, session: Session, record_id: int) -> list[str]:
        """Names of the sheets that need it."""
        query = select(SheetRow.name).where(self.used_by == record_id, SheetRow.deleted_at.is_(None))
        return list(session.scalars(query.order_by(SheetRow.id)))

    def delete(self, session: Session, record_id: int) -> Row:
        """Delete one that no sheet needs.

        Raises
        ------
        MissingRecordError, InUseError
        """
        row = self.fetch(session, record_id)
        users = self.users(session, record_id)
        if users:
            raise InUseError(self.what, row.name, users)
        records.delete(session, row)
        return row

    def restore(self, session: Session, record_id: int) -> Row:
        """Undo a delete."""
        return records.restore(session, self.table, record_id)


CRAFTS = Shelf("craft", CraftRow, Craft, ("name", "kind", "dry_mass_kg"), SheetRow.craft_id)
PACKS = Shelf("pack", PackRow, Pack, ("name", "chemistry", "series", "parallel", "capacity_ah"), SheetRow.pack_id)
