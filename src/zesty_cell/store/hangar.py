"""The hangar's three shelves: crafts, packs and cells, kept the same way; finding packs among many."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Generic, NamedTuple, TypeVar

from sqlalchemy import ColumnElement, and_, func, literal, select
from sqlalchemy.orm import InstrumentedAttribute, Session

from zesty_cell.core.parts.cell import CellModel
from zesty_cell.core.parts.craft import Craft
from zesty_cell.core.parts.ownership import Ownership, type_of
from zesty_cell.core.parts.pack import Pack
from zesty_cell.store import records
from zesty_cell.store.columns import stands
from zesty_cell.store.documents import read, to_document
from zesty_cell.store.errors import InUseError
from zesty_cell.store.memory import remembered
from zesty_cell.store.tables import CellRow, CraftRow, PackRow, SheetRow

Row = TypeVar("Row", CraftRow, PackRow, CellRow)
Thing = TypeVar("Thing", Craft, Pack, CellModel)


class Named(NamedTuple):
    """A thing of the hangar as one chooses it from a list."""

    id: int
    name: str
    standing: str


@dataclass(frozen=True)
class Shelf(Generic[Row, Thing]):
    """One kind of thing in the hangar: its table, its entity, and the columns copied for searching."""

    what: str
    table: type[Row]
    entity: type[Thing]
    columns: tuple[str, ...]
    used_by: InstrumentedAttribute[int] | InstrumentedAttribute[int | None]
    users_are: str

    def thing(self, row: Row) -> Thing:
        """The core's entity of a row."""
        return read(self.entity, row.document)

    def _fill(self, row: Row, thing: Thing) -> None:
        for column in self.columns:
            setattr(row, column, getattr(thing, column))
        if isinstance(row, PackRow):
            row.type_name = type_of(thing.name)
        row.document = to_document(thing)

    def all(self, session: Session) -> list[Row]:
        """Every row not deleted, by name."""
        return records.all_of(session, self.table)

    def named(self, session: Session) -> tuple[Named, ...]:
        """Every one not deleted, by name, without what is kept of it: a page asks for them at each key."""
        table = self.table

        def read_names() -> tuple[Named, ...]:
            standing = getattr(table, "standing", literal("own"))  # a cell of the shelf is nobody's
            query = select(table.id, table.name, standing).where(table.deleted_at.is_(None))
            return tuple(Named(*row) for row in session.execute(query.order_by(func.lower(table.name), table.id)))

        return remembered(session, ("named", table.__tablename__), read_names)

    def fetch(self, session: Session, record_id: int) -> Row:
        """One row; MissingRecordError when there is none."""
        return records.fetch(session, self.table, record_id)

    def find(self, session: Session, record_id: int) -> Thing | None:
        """The core's entity of a row that is not deleted; None where there is none."""
        row = session.get(self.table, record_id)
        return None if row is None or row.deleted_at is not None else self.thing(row)

    def add(
        self, session: Session, thing: Thing, *, ownership: Ownership | None = None, cell_id: int | None = None
    ) -> Row:
        """Keep a new one; a pack with the cell of the shelf it is built from."""
        row = self.table()
        self._fill(row, thing)
        _stand(row, ownership, cell_id)
        session.add(row)
        session.flush()
        return row

    def taken(self, session: Session, name: str, *, but: int | None = None) -> bool:
        """Whether another one has that name, whatever the case of its letters."""
        table = self.table
        query = select(table.id).where(func.lower(table.name) == name.lower(), table.deleted_at.is_(None))
        return any(record_id != but for record_id in session.scalars(query))

    def bring_in(self, session: Session, thing: Thing) -> Row:
        """One that is equal in every figure, else a new one; under a name of its own where that is taken."""
        same = self.find_same(session, thing)
        if same is not None:
            return same
        name, k = thing.name, 2
        while self.taken(session, name):
            name, k = f"{thing.name[:70]} ({k})", k + 1
        if name != thing.name:
            thing = self.entity.model_validate(thing.model_dump() | {"name": name})
        return self.find_same(session, thing) or self.add(session, thing)

    def find_same(self, session: Session, thing: Thing) -> Row | None:
        """One kept already that is equal in every figure."""
        table = self.table
        query = select(table).where(table.name == thing.name, table.deleted_at.is_(None)).order_by(table.id)
        return next((row for row in session.scalars(query) if self.thing(row) == thing), None)

    def change(
        self,
        session: Session,
        record_id: int,
        version: int,
        thing: Thing,
        *,
        ownership: Ownership | None = None,
        cell_id: int | None = None,
    ) -> Row:
        """Store a change, provided nobody changed it meanwhile (EditConflictError)."""
        row = records.fetch_version(session, self.table, record_id, version)
        self._fill(row, thing)
        _stand(row, ownership, cell_id)
        session.flush()
        return row

    def users(self, session: Session, record_id: int) -> list[str]:
        """Names of what needs it."""
        table = self.used_by.class_
        query = select(table.name).where(self.used_by == record_id, table.deleted_at.is_(None))
        return list(session.scalars(query.order_by(table.id)))

    def delete(self, session: Session, record_id: int) -> Row:
        """Delete one that nothing needs.

        Raises
        ------
        MissingRecordError, InUseError
        """
        row = self.fetch(session, record_id)
        users = self.users(session, record_id)
        if users:
            raise InUseError(self.what, row.name, users, users_are=self.users_are)
        records.delete(session, row)
        return row

    def restore(self, session: Session, record_id: int) -> Row:
        """Undo a delete."""
        return records.restore(session, self.table, record_id)


CRAFTS = Shelf("craft", CraftRow, Craft, ("name", "kind", "dry_mass_kg"), SheetRow.craft_id, "sheets")
PACKS = Shelf(
    "pack", PackRow, Pack, ("name", "chemistry", "series", "parallel", "capacity_ah"), SheetRow.pack_id, "sheets"
)
CELLS = Shelf("cell", CellRow, CellModel, ("name", "chemistry"), PackRow.cell_id, "packs")


def ownership_of(row: CraftRow | PackRow) -> Ownership:
    """Whose a thing is, and where a pack stands.

    Raises
    ------
    UnreadableError
    """
    return read(Ownership, stands(row))


def _stand(row: CraftRow | PackRow | CellRow, ownership: Ownership | None, cell_id: int | None) -> None:
    """Write standing and cell into a row; without ``ownership`` both stay as they are."""
    if ownership is None or isinstance(row, CellRow):
        return
    row.standing = ownership.standing
    row.lent_to = ownership.lent_to if ownership.standing == "lent" else None
    if isinstance(row, PackRow):
        row.flights, row.rest_v_per_cell, row.cell_id = ownership.flights, ownership.rest_v_per_cell, cell_id


def keep(session: Session, row: CraftRow | PackRow, ownership: Ownership) -> None:
    """Store whose a thing is, and where a pack stands."""
    _stand(row, ownership, row.cell_id if isinstance(row, PackRow) else None)
    session.flush()


@dataclass(frozen=True)
class PackFilter:
    """What is asked of the packs shown; empty or None does not matter."""

    words: str = ""
    chemistry: str = ""
    series: int | None = None
    standing: str = ""


@dataclass(frozen=True)
class PackTypes:
    """Packs found, by type: the types of this page with their individuals, and how many there are in all."""

    types: tuple[tuple[str, tuple[PackRow, ...]], ...]
    type_count: int
    pack_count: int


def find_packs(session: Session, wanted: PackFilter, *, first: int = 0, most: int = 24) -> PackTypes:
    """Types of packs by name, each with its individuals; only a page of them is read in full."""
    where: list[ColumnElement[bool]] = [PackRow.deleted_at.is_(None)]
    for word in wanted.words.split():
        escaped = word.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")
        where.append(PackRow.name.ilike(f"%{escaped}%", escape="\\"))
    if wanted.chemistry:
        where.append(PackRow.chemistry == wanted.chemistry)
    if wanted.series is not None:
        where.append(PackRow.series == wanted.series)
    if wanted.standing:
        where.append(PackRow.standing == wanted.standing)
    counts = select(PackRow.type_name, func.count()).where(and_(*where)).group_by(PackRow.type_name)
    found = session.execute(counts.order_by(func.lower(PackRow.type_name))).all()
    names = [name for name, _ in found[first : first + most]]
    query = select(PackRow).where(and_(*where), PackRow.type_name.in_(names))
    rows: dict[str, list[PackRow]] = {name: [] for name in names}
    # Numbers in names sort as numbers: "Lime 2" before "Lime 10".
    for row in session.scalars(query.order_by(func.length(PackRow.name), func.lower(PackRow.name), PackRow.id)):
        rows[row.type_name].append(row)
    return PackTypes(
        types=tuple((name, tuple(rows[name])) for name in names),
        type_count=len(found),
        pack_count=sum(count for _, count in found),
    )
