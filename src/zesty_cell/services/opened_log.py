"""A telemetry log of a flight, opened: its numbers, its sheet, its forecast."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy.orm import Session

from zesty_cell.core.answer.forecast import Forecast
from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.callouts.telemetry import Telemetry
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import Words
from zesty_cell.core.learn.calibration import corrected_log
from zesty_cell.core.learn.flights import LoggedFlight
from zesty_cell.core.learn.log_plausibility import log_doubts
from zesty_cell.services.forecasts import flown
from zesty_cell.services.learning import corrected_sheet
from zesty_cell.services.log_fits import (
    FlownLog,
    flown_log,
    read_packed,
)
from zesty_cell.services.sheet_for import sheet_for
from zesty_cell.store import flights as store
from zesty_cell.store import logs
from zesty_cell.store.errors import MissingRecordError
from zesty_cell.store.hangar import PACKS
from zesty_cell.store.tables import FlightRow, LogRow, SheetRow


def sheet_of(session: Session, row: FlightRow) -> SheetRow | None:
    """The sheet that tells most of a flight."""
    return sheet_for(session, craft_id=row.craft_id, pack=row.pack, pattern=row.pattern)


@dataclass(frozen=True)
class Opened:
    """A log of a flight, its numbers corrected by the calibrations made after it."""

    log: FlownLog
    row: LogRow
    flight_row: FlightRow
    flight: LoggedFlight
    telemetry: Telemetry
    notes: tuple[Words, ...]
    sheet_row: SheetRow | None
    sheet: Sheet | None
    result: Forecast | None


def open_log(session: Session, flight_id: int, log_id: int) -> Opened:
    row, flight_row = logs.fetch(session, log_id), store.fetch(session, flight_id)
    log = flown_log(session, row, flight_row)
    if row.flight_id != flight_id or log is None:
        raise MissingRecordError("log of this flight", log_id)
    read = read_packed(logs.packed_of(row), log.mapping)
    flight = log.flight
    telemetry, notes = corrected_log(read.telemetry, calibrations=log.made, at=flight.landed_at)
    sheet_row = sheet_of(session, flight_row)
    sheet, result = None, None
    if sheet_row is not None:
        sheet = corrected_sheet(session, sheet_row, pack=flight_row.pack)
        if flight.air_c is not None:
            air = sheet.conditions.model_copy(update={"air_c": flight.air_c, "pack_c": None})
            sheet = sheet.model_copy(update={"conditions": air})
        try:
            result = flown(sheet)
        except OutOfRangeError:
            result = None
    doubts = tuple(d.why for d in log_doubts(read.telemetry, pack=PACKS.thing(flight_row.pack)))
    return Opened(log, row, flight_row, flight, telemetry, (*read.notes, *notes, *doubts), sheet_row, sheet, result)
