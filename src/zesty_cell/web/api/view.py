"""The JSON API: the very same models in and out."""

from __future__ import annotations

from typing import Annotated, Any, cast

from fastapi import APIRouter, HTTPException, Path, Query, Request, status
from pydantic import BaseModel

from zesty_cell.core.answer.plausibility import sheet_doubts
from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.formats.forecast_json import ForecastDocument, forecast_document
from zesty_cell.formats.sheet_json import SheetDocument, sheet_schema
from zesty_cell.services import learning
from zesty_cell.services.forecasts import flown
from zesty_cell.store import records
from zesty_cell.store import sheets as store
from zesty_cell.store.hangar import CRAFTS, PACKS
from zesty_cell.store.tables import SheetRow
from zesty_cell.web.http import Store
from zesty_cell.words.say import say

router = APIRouter(prefix="/api", tags=["sheets"])
_Responses = dict[int | str, dict[str, Any]]
_UNREADABLE: _Responses = {400: {"description": "The body is not readable text."}}
_MISSING: _Responses = {404: {"description": "There is no such record."}}
RecordId = Annotated[int, Path(ge=1, le=2**31, examples=[8])]


#: Kinds of unlikely figures that are meant, as the ``type`` of each refusal names them.
Sure = Annotated[str, Query(max_length=400, examples=["steady_power energy_density"])]


class Listed(BaseModel):
    """A sheet in the list."""

    id: int
    version: int
    name: str


class Stored(Listed):
    """A sheet as stored."""

    sheet: SheetDocument


class NewVersion(BaseModel):
    """A changed sheet with the version it was read at."""

    version: Annotated[int, Path(ge=1, le=2**31)]
    sheet: SheetDocument


def _plain(document: SheetDocument) -> Sheet:
    return Sheet(**{name: getattr(document, name) for name in Sheet.model_fields})


def _plausible(sheet: Sheet, *, sure: str | None) -> Sheet:
    """The sheet, when its figures can be; what hardly can is asked back unless ``sure`` names it, or is None."""
    asked = [d for d in sheet_doubts(sheet) if d.impossible or (sure is not None and d.key not in sure.split())]
    if asked:
        detail = [
            {
                "loc": ["body", *d.field.split(".")],
                "msg": say(d.why),
                "type": "impossible" if d.impossible else d.key,
            }
            for d in asked
        ]
        raise HTTPException(status.HTTP_422_UNPROCESSABLE_CONTENT, detail)
    return sheet


def _stored(row: SheetRow) -> Stored:
    document = SheetDocument(**dict(store.as_sheet(row)))
    return Stored(id=row.id, version=row.version, name=row.name, sheet=document)


def _forecast(sheet: Sheet) -> ForecastDocument:
    try:
        return forecast_document(flown(sheet))
    except OutOfRangeError as error:
        # Said the way FastAPI says it of any value that is out of bounds.
        detail = [{"loc": ["body", *error.field.split(".")], "msg": str(error), "type": "value_error"}]
        raise HTTPException(status.HTTP_422_UNPROCESSABLE_CONTENT, detail) from error


@router.post("/forecast", responses=_UNREADABLE)
def forecast_of(sheet: SheetDocument) -> ForecastDocument:
    """Work out a sheet without storing anything."""
    return _forecast(_plausible(_plain(sheet), sure=None))


@router.get("/schema/sheet")
def schema_of_sheet() -> dict[str, Any]:
    """JSON Schema of the sheet document."""
    return sheet_schema()


@router.get("/openapi.json", include_in_schema=False)
def openapi(request: Request) -> dict[str, Any]:
    """What this API takes and gives, as OpenAPI."""
    return cast(dict[str, Any], request.app.openapi())


@router.get("/sheets")
def list_sheets(session: Store) -> list[Listed]:
    """Every sheet."""
    return [Listed(id=r.id, version=r.version, name=r.name) for r in store.all_sheets(session)]


@router.post("/sheets", status_code=201, responses=_UNREADABLE)
def add_sheet(session: Store, sheet: SheetDocument, sure: Sure = "") -> Stored:
    """Store a new sheet; its craft and pack join the hangar unless equal ones are there."""
    return _stored(store.bring_in(session, _plausible(_plain(sheet), sure=sure)))


@router.get("/sheets/{sheet_id}", responses=_MISSING)
def get_sheet(session: Store, sheet_id: RecordId) -> Stored:
    """One sheet."""
    return _stored(store.fetch(session, sheet_id))


@router.put(
    "/sheets/{sheet_id}",
    responses=_MISSING | _UNREADABLE | {409: {"description": "It was saved by someone else since that version."}},
)
def put_sheet(session: Store, sheet_id: RecordId, change: NewVersion, sure: Sure = "") -> Stored:
    """Store a changed sheet, provided it is still at the version given."""
    sheet = _plausible(_plain(change.sheet), sure=sure)
    records.fetch_version(session, SheetRow, sheet_id, change.version)
    craft, pack = CRAFTS.bring_in(session, sheet.craft), PACKS.bring_in(session, sheet.pack)
    return _stored(store.change(session, sheet_id, change.version, sheet, craft_id=craft.id, pack_id=pack.id))


@router.delete("/sheets/{sheet_id}", status_code=204, responses=_MISSING)
def delete_sheet(session: Store, sheet_id: RecordId) -> None:
    """Delete a sheet; undone by POST to /api/sheets/{id}/undelete."""
    store.delete(session, sheet_id)


@router.post("/sheets/{sheet_id}/undelete", responses=_MISSING)
def undelete_sheet(session: Store, sheet_id: RecordId) -> Stored:
    """Undo a delete."""
    return _stored(store.restore(session, sheet_id))


@router.get("/sheets/{sheet_id}/forecast", responses=_MISSING)
def forecast_of_stored(session: Store, sheet_id: RecordId) -> ForecastDocument:
    """Work out a stored sheet as its page does, with what its logged flights taught."""
    return _forecast(learning.as_flown(session, store.fetch(session, sheet_id)))
