"""Telemetry logs of flights: sent, their columns confirmed, their numbers and fits read."""

from __future__ import annotations

from dataclasses import fields
from typing import Annotated, Any

from fastapi import APIRouter, Body, Query
from pydantic import BaseModel
from sqlalchemy.orm import Session

from zesty_cell.core.callouts.telemetry import Telemetry
from zesty_cell.core.fact import fact
from zesty_cell.core.learn.calibration import corrected_log
from zesty_cell.core.learn.log_told import LogFit
from zesty_cell.formats.errors import FileFormatError
from zesty_cell.formats.telemetry_columns import Mapping
from zesty_cell.services import attached_logs
from zesty_cell.services.log_fits import FlownLog, fit_of, flown_log, read_packed
from zesty_cell.store import flights, logs
from zesty_cell.store.errors import MissingRecordError
from zesty_cell.store.tables import FlightRow, LogRow
from zesty_cell.web.api import given
from zesty_cell.web.http import Store
from zesty_cell.words.say import say

router = APIRouter(prefix="/api", tags=["telemetry"])
_NOT_READ: given.Responses = {422: {"description": "It is no table, or its columns cannot be read so."}}


class StoredLog(given.Listed):
    """A log as stored; ``columns`` are proposed until they are confirmed, ``doubts`` what speaks against them."""

    flight_id: int | None
    columns: Mapping | None
    confirmed: bool
    doubts: list[str]


class FittedFigure(BaseModel):
    """One figure of the pack by a log: value, 95 % interval, what was expected, and whether the log tells it."""

    key: str
    value: float
    low: float
    high: float
    expected: float
    told: bool


class FitDocument(BaseModel):
    """The pack as a log's fit finds it; ``why_not`` where it cannot tell.

    Resistance is a cell's at 25 °C [Ω], capacity the pack's [Ah], the others are shares [1].
    """

    why_not: str
    figures: list[FittedFigure]
    rmse_v_per_cell: float | None
    noise_v_per_cell: float | None
    current_scale: float | None
    current_scale_error: float | None
    fitted_s: float | None
    misfits: bool


def _listed(row: LogRow) -> StoredLog:
    return StoredLog(
        id=row.id, version=row.version, name=row.name, flight_id=row.flight_id, columns=logs.mapping_of(row),
        confirmed=row.mapping is not None, doubts=[],
    )  # fmt: skip


def _attached(found: attached_logs.Attached) -> StoredLog:
    doubts = [str(found.error)] if found.error is not None else [say(d.why) for d in found.doubts]
    return _listed(found.row).model_copy(update={"columns": found.mapping, "doubts": doubts})


def _of_flight(session: Session, log_id: int) -> tuple[LogRow, FlightRow]:
    row = logs.fetch(session, log_id)
    if row.flight_id is None:
        raise MissingRecordError("flight of this log", log_id)
    return row, flights.fetch(session, row.flight_id)


def _flown(session: Session, log_id: int) -> FlownLog:
    row, flight_row = _of_flight(session, log_id)
    log = flown_log(session, row, flight_row)
    if log is None:
        raise given.refuse([("columns", fact("typed.columns.confirm"), "not_confirmed")], at=("log",))
    return log


@router.get("/flights/{flight_id}/logs", responses=given.MISSING)
def list_logs(session: Store, flight_id: given.RecordId) -> list[StoredLog]:
    """The logs of a flight whose columns are confirmed, the newest first."""
    return [_listed(row) for row in logs.of_flight(session, flights.fetch(session, flight_id).id)]


@router.post("/flights/{flight_id}/logs", status_code=201, responses=given.MISSING | _NOT_READ)
def add_log(
    session: Store,
    flight_id: given.RecordId,
    data: Annotated[bytes, Body(media_type="text/csv")],
    name: Annotated[str, Query(min_length=1, max_length=80)] = "log",
) -> StoredLog:
    """Attach a log, a CSV file; its columns are confirmed by themselves where nothing speaks against them."""
    flight_row = flights.fetch(session, flight_id)
    try:
        found = attached_logs.attach(session, data, name=name, flight_row=flight_row)
    except FileFormatError as error:
        raise given.refuse([("", str(error), "no_table")]) from error
    if found.sound and not found.doubts:
        attached_logs.confirm(session, found, flight_row)
    return _attached(found)


@router.get("/logs/{log_id}", responses=given.MISSING)
def get_log(session: Store, log_id: given.RecordId) -> StoredLog:
    """One log."""
    return _listed(logs.fetch(session, log_id))


@router.put("/logs/{log_id}/columns", responses=given.MISSING | given.UNREADABLE)
def put_columns(session: Store, log_id: given.RecordId, columns: Mapping, sure: given.Sure = "") -> StoredLog:
    """Confirm what the columns of a log are; logs with the same columns are read the same from now on."""
    row, flight_row = _of_flight(session, log_id)
    found = attached_logs.looked_at(row, columns, flight_row=flight_row, known=True)
    if found.error is not None:
        raise given.refuse([("columns", str(found.error), "not_read")])
    given.check_doubts(found.doubts, sure=sure, at=("body", "columns"))
    attached_logs.confirm(session, found, flight_row)
    return _attached(found)


def _columns(telemetry: Telemetry) -> dict[str, list[float | None]]:
    """What the log holds, by the names of its quantities; NaN is nothing received."""
    table: dict[str, list[float | None]] = {}
    for field in fields(telemetry):
        values = getattr(telemetry, field.name)
        if values is not None:
            table[field.name] = [None if v != v else v for v in values.round(6).tolist()]
    return table


@router.get(
    "/logs/{log_id}/data", response_model=dict[str, list[float | None]], responses=given.MISSING | given.TABLE
)
def log_data(session: Store, log_id: given.RecordId, table: given.As = "json") -> Any:
    """The numbers of a log in SI units, corrected by the calibrations made after it; ``table=csv`` as a table."""
    log = _flown(session, log_id)
    read = read_packed(logs.packed_of(log.row), log.mapping)
    telemetry, _ = corrected_log(read.telemetry, calibrations=log.made, at=log.flight.landed_at)
    columns = _columns(telemetry)
    return columns if table == "json" else given.csv_of(columns, name=f"log-{log_id}")


@router.get("/logs/{log_id}/fit", responses=given.MISSING)
def log_fit(session: Store, log_id: given.RecordId) -> FitDocument:
    """What a log tells of its pack."""
    fit = fit_of(_flown(session, log_id))
    if not isinstance(fit, LogFit):
        return FitDocument(
            why_not=say(fit), figures=[], rmse_v_per_cell=None, noise_v_per_cell=None, current_scale=None,
            current_scale_error=None, fitted_s=None, misfits=False,
        )  # fmt: skip
    figures = [
        FittedFigure(key=p.key, value=p.value, low=p.low, high=p.high, expected=p.expected, told=p.told)
        for p in fit.parameters
    ]
    return FitDocument(
        why_not="", figures=figures, rmse_v_per_cell=fit.rmse_v, noise_v_per_cell=fit.noise_v,
        current_scale=fit.current_scale, current_scale_error=fit.current_error, fitted_s=fit.seconds,
        misfits=fit.misfits,
    )  # fmt: skip


@router.delete("/logs/{log_id}", status_code=204, responses=given.MISSING)
def delete_log(session: Store, log_id: given.RecordId) -> None:
    """Delete a log; undone by POST to /api/logs/{id}/undelete."""
    logs.delete(session, logs.fetch(session, log_id))


@router.post("/logs/{log_id}/undelete", responses=given.MISSING)
def undelete_log(session: Store, log_id: given.RecordId) -> StoredLog:
    """Undo a delete."""
    return _listed(logs.restore(session, log_id))
