"""Cells on the shelf, from which packs are built, read and written."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel

from zesty_cell.core.parts.cell import CellModel
from zesty_cell.store.hangar import CELLS
from zesty_cell.store.tables import CellRow
from zesty_cell.web.api import given
from zesty_cell.web.http import Store

router = APIRouter(prefix="/api", tags=["hangar"])


class NewCell(BaseModel):
    """A cell."""

    cell: CellModel


class ChangedCell(NewCell):
    """A changed cell with the version it was read at."""

    version: given.Version


class StoredCell(given.Listed):
    """A cell as stored."""

    cell: CellModel


def _cell(row: CellRow) -> StoredCell:
    return StoredCell(id=row.id, version=row.version, name=row.name, cell=CELLS.thing(row))


@router.get("/cells")
def list_cells(session: Store) -> list[StoredCell]:
    """Every cell of the shelf."""
    return [_cell(row) for row in CELLS.all(session)]


@router.post("/cells", status_code=201, responses=given.UNREADABLE)
def add_cell(session: Store, new: NewCell) -> StoredCell:
    """Put a cell on the shelf, under a name of its own."""
    given.own_name(session, CELLS, new.cell.name)
    return _cell(CELLS.add(session, new.cell))


@router.get("/cells/{cell_id}", responses=given.MISSING)
def get_cell(session: Store, cell_id: given.RecordId) -> StoredCell:
    """One cell."""
    return _cell(CELLS.fetch(session, cell_id))


@router.put("/cells/{cell_id}", responses=given.MISSING | given.UNREADABLE | given.CONFLICT)
def put_cell(session: Store, cell_id: given.RecordId, change: ChangedCell) -> StoredCell:
    """Store a changed cell, provided it is still at the version given."""
    CELLS.fetch(session, cell_id)
    given.own_name(session, CELLS, change.cell.name, but=cell_id)
    return _cell(CELLS.change(session, cell_id, change.version, change.cell))


@router.delete("/cells/{cell_id}", status_code=204, responses=given.MISSING | given.NEEDED)
def delete_cell(session: Store, cell_id: given.RecordId) -> None:
    """Delete a cell that no pack is built from; undone by POST to /api/cells/{id}/undelete."""
    CELLS.delete(session, cell_id)


@router.post("/cells/{cell_id}/undelete", responses=given.MISSING)
def undelete_cell(session: Store, cell_id: given.RecordId) -> StoredCell:
    """Undo a delete."""
    return _cell(CELLS.restore(session, cell_id))
