"""Crafts and packs of the hangar, read and written."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel

from zesty_cell.core.answer.plausibility import cell_volts_doubt, craft_doubts, pack_doubts
from zesty_cell.core.parts.craft import Craft
from zesty_cell.core.parts.ownership import Ownership
from zesty_cell.core.parts.pack import Pack
from zesty_cell.store.hangar import CRAFTS, PACKS, ownership_of
from zesty_cell.store.tables import CraftRow, PackRow
from zesty_cell.web.api import given
from zesty_cell.web.http import Store

router = APIRouter(prefix="/api", tags=["hangar"])


class NewCraft(BaseModel):
    """A craft, and whose it is."""

    craft: Craft
    ownership: Ownership | None = None


class ChangedCraft(NewCraft):
    """A changed craft with the version it was read at; without ``ownership`` that stays as it is."""

    version: given.Version


class StoredCraft(given.Listed):
    """A craft as stored."""

    craft: Craft
    ownership: Ownership


class NewPack(BaseModel):
    """A pack, whose it is and where it stands."""

    pack: Pack
    ownership: Ownership | None = None


class ChangedPack(NewPack):
    """A changed pack with the version it was read at; without ``ownership`` that stays as it is."""

    version: given.Version


class StoredPack(given.Listed):
    """A pack as stored."""

    pack: Pack
    ownership: Ownership


def _craft(row: CraftRow) -> StoredCraft:
    return StoredCraft(
        id=row.id, version=row.version, name=row.name, craft=CRAFTS.thing(row), ownership=ownership_of(row)
    )


def _pack(row: PackRow) -> StoredPack:
    return StoredPack(
        id=row.id, version=row.version, name=row.name, pack=PACKS.thing(row), ownership=ownership_of(row)
    )


def _check_craft(session: Store, new: NewCraft, sure: str, *, but: int | None = None) -> None:
    given.check_doubts(craft_doubts(new.craft), sure=sure, at=("body", "craft"))
    given.own_name(session, CRAFTS, new.craft.name, but=but)


def _check_pack(session: Store, new: NewPack, sure: str, *, but: int | None = None) -> None:
    given.check_doubts(pack_doubts(new.pack), sure=sure, at=("body", "pack"))
    rest_v = None if new.ownership is None else new.ownership.rest_v_per_cell
    doubt = None if rest_v is None else cell_volts_doubt(rest_v, pack=new.pack, field="ownership.rest_v_per_cell")
    given.check_doubts([] if doubt is None else [doubt], sure=sure)
    given.own_name(session, PACKS, new.pack.name, but=but)


@router.get("/crafts")
def list_crafts(session: Store) -> list[StoredCraft]:
    """Every craft."""
    return [_craft(row) for row in CRAFTS.all(session)]


@router.post("/crafts", status_code=201, responses=given.UNREADABLE)
def add_craft(session: Store, new: NewCraft, sure: given.Sure = "") -> StoredCraft:
    """Put a craft into the hangar, under a name of its own."""
    _check_craft(session, new, sure)
    return _craft(CRAFTS.add(session, new.craft, ownership=new.ownership))


@router.get("/crafts/{craft_id}", responses=given.MISSING)
def get_craft(session: Store, craft_id: given.RecordId) -> StoredCraft:
    """One craft."""
    return _craft(CRAFTS.fetch(session, craft_id))


@router.put("/crafts/{craft_id}", responses=given.MISSING | given.UNREADABLE | given.CONFLICT)
def put_craft(session: Store, craft_id: given.RecordId, change: ChangedCraft, sure: given.Sure = "") -> StoredCraft:
    """Store a changed craft, provided it is still at the version given; its sheets change with it."""
    CRAFTS.fetch(session, craft_id)
    _check_craft(session, change, sure, but=craft_id)
    return _craft(CRAFTS.change(session, craft_id, change.version, change.craft, ownership=change.ownership))


@router.delete("/crafts/{craft_id}", status_code=204, responses=given.MISSING | given.NEEDED)
def delete_craft(session: Store, craft_id: given.RecordId) -> None:
    """Delete a craft that no sheet needs; undone by POST to /api/crafts/{id}/undelete."""
    CRAFTS.delete(session, craft_id)


@router.post("/crafts/{craft_id}/undelete", responses=given.MISSING)
def undelete_craft(session: Store, craft_id: given.RecordId) -> StoredCraft:
    """Undo a delete."""
    return _craft(CRAFTS.restore(session, craft_id))


@router.get("/packs")
def list_packs(session: Store) -> list[StoredPack]:
    """Every pack."""
    return [_pack(row) for row in PACKS.all(session)]


@router.post("/packs", status_code=201, responses=given.UNREADABLE)
def add_pack(session: Store, new: NewPack, sure: given.Sure = "") -> StoredPack:
    """Put a pack into the hangar, under a name of its own."""
    _check_pack(session, new, sure)
    return _pack(PACKS.add(session, new.pack, ownership=new.ownership))


@router.get("/packs/{pack_id}", responses=given.MISSING)
def get_pack(session: Store, pack_id: given.RecordId) -> StoredPack:
    """One pack."""
    return _pack(PACKS.fetch(session, pack_id))


@router.put("/packs/{pack_id}", responses=given.MISSING | given.UNREADABLE | given.CONFLICT)
def put_pack(session: Store, pack_id: given.RecordId, change: ChangedPack, sure: given.Sure = "") -> StoredPack:
    """Store a changed pack, provided it is still at the version given; its sheets change with it."""
    row = PACKS.fetch(session, pack_id)
    _check_pack(session, change, sure, but=pack_id)
    return _pack(
        PACKS.change(
            session, pack_id, change.version, change.pack, ownership=change.ownership, cell_id=row.cell_id
        )
    )  # fmt: skip


@router.delete("/packs/{pack_id}", status_code=204, responses=given.MISSING | given.NEEDED)
def delete_pack(session: Store, pack_id: given.RecordId) -> None:
    """Delete a pack that no sheet needs; undone by POST to /api/packs/{id}/undelete."""
    PACKS.delete(session, pack_id)


@router.post("/packs/{pack_id}/undelete", responses=given.MISSING)
def undelete_pack(session: Store, pack_id: given.RecordId) -> StoredPack:
    """Undo a delete."""
    return _pack(PACKS.restore(session, pack_id))
