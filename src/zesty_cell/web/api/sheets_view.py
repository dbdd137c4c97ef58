"""Sheets and their forecasts: the very same models in and out."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter
from fastapi.responses import Response
from pydantic import BaseModel

from zesty_cell.core.answer.plausibility import sheet_doubts
from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.formats.forecast_json import ForecastDocument, forecast_document
from zesty_cell.formats.sheet_json import SheetDocument, plain_sheet, sheet_schema
from zesty_cell.services import learning
from zesty_cell.services.forecasts import flown
from zesty_cell.store import records
from zesty_cell.store import sheets as store
from zesty_cell.store.hangar import CRAFTS, PACKS
from zesty_cell.store.tables import SheetRow
from zesty_cell.web.api import given
from zesty_cell.web.http import Store

router = APIRouter(prefix="/api", tags=["sheets"])


class StoredSheet(given.Listed):
    """A sheet as stored, with the numbers of its craft and pack in the hangar."""

    craft_id: int
    pack_id: int
    sheet: SheetDocument


class ChangedSheet(BaseModel):
    """A changed sheet with the version it was read at."""

    version: given.Version
    sheet: SheetDocument


def _stored(row: SheetRow) -> StoredSheet:
    document = SheetDocument(**dict(store.as_sheet(row)))
    return StoredSheet(
        id=row.id, version=row.version, name=row.name, craft_id=row.craft_id, pack_id=row.pack_id, sheet=document
    )


def _forecast(sheet: Sheet, *, trace: given.As) -> ForecastDocument | Response:
    try:
        document = forecast_document(flown(sheet))
    except OutOfRangeError as error:
        raise given.out_of_range(error) from error
    return document if trace == "json" else given.csv_of(document.trace.model_dump(), name="flight")


@router.post("/forecast", response_model=ForecastDocument, responses=given.UNREADABLE | given.TABLE)
def forecast_of(sheet: SheetDocument, trace: given.As = "json") -> ForecastDocument | Response:
    """Work out a sheet without storing anything; with ``trace=csv`` the flight alone, second by second."""
    plain = plain_sheet(sheet)
    given.check_doubts(sheet_doubts(plain), sure=None)
    return _forecast(plain, trace=trace)


@router.get("/schema/sheet")
def schema_of_sheet() -> dict[str, Any]:
    """JSON Schema of the sheet document."""
    return sheet_schema()


@router.get("/sheets")
def list_sheets(session: Store) -> list[given.Listed]:
    """Every sheet."""
    return [given.Listed(id=r.id, version=r.version, name=r.name) for r in store.all_sheets(session)]


@router.post("/sheets", status_code=201, responses=given.UNREADABLE)
def add_sheet(session: Store, sheet: SheetDocument, sure: given.Sure = "") -> StoredSheet:
    """Store a new sheet; its craft and pack join the hangar unless equal ones are there."""
    plain = plain_sheet(sheet)
    given.check_doubts(sheet_doubts(plain), sure=sure)
    return _stored(store.bring_in(session, plain))


@router.get("/sheets/{sheet_id}", responses=given.MISSING)
def get_sheet(session: Store, sheet_id: given.RecordId) -> StoredSheet:
    """One sheet."""
    return _stored(store.fetch(session, sheet_id))


@router.put("/sheets/{sheet_id}", responses=given.MISSING | given.UNREADABLE | given.CONFLICT)
def put_sheet(session: Store, sheet_id: given.RecordId, change: ChangedSheet, sure: given.Sure = "") -> StoredSheet:
    """Store a changed sheet, provided it is still at the version given."""
    sheet = plain_sheet(change.sheet)
    given.check_doubts(sheet_doubts(sheet), sure=sure, at=("body", "sheet"))
    records.fetch_version(session, SheetRow, sheet_id, change.version)
    craft, pack = CRAFTS.bring_in(session, sheet.craft), PACKS.bring_in(session, sheet.pack)
    return _stored(store.change(session, sheet_id, change.version, sheet, craft_id=craft.id, pack_id=pack.id))


@router.delete("/sheets/{sheet_id}", status_code=204, responses=given.MISSING)
def delete_sheet(session: Store, sheet_id: given.RecordId) -> None:
    """Delete a sheet; undone by POST to /api/sheets/{id}/undelete."""
    store.delete(session, sheet_id)


@router.post("/sheets/{sheet_id}/undelete", responses=given.MISSING)
def undelete_sheet(session: Store, sheet_id: given.RecordId) -> StoredSheet:
    """Undo a delete."""
    return _stored(store.restore(session, sheet_id))


@router.get("/sheets/{sheet_id}/forecast", response_model=ForecastDocument, responses=given.MISSING | given.TABLE)
def forecast_of_stored(
    session: Store, sheet_id: given.RecordId, trace: given.As = "json"
) -> ForecastDocument | Response:
    """Work out a stored sheet as its page does, with what its logged flights taught; ``trace=csv`` as above."""
    return _forecast(learning.corrected_sheet(session, store.fetch(session, sheet_id)), trace=trace)
