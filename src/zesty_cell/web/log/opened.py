"""A telemetry log of a flight, opened: its sheet, its plan, its pattern."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy.orm import Session

from zesty_cell.core.answer.forecast import Forecast
from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.callouts.dry_run import DryRun
from zesty_cell.core.callouts.profiles import facing
from zesty_cell.core.callouts.rules import CalloutPlan
from zesty_cell.core.callouts.schools import FIRST_SCHOOL, write_plan
from zesty_cell.core.callouts.telemetry import Telemetry, on_telemetry
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import Words
from zesty_cell.core.flight.setup import set_up
from zesty_cell.core.flight.summary import full_throttle_at_landing_a
from zesty_cell.core.learn.calibration import corrected_log
from zesty_cell.core.learn.flights import LoggedFlight
from zesty_cell.core.learn.log_pattern import LogPattern, pattern_from_log
from zesty_cell.core.learn.log_plausibility import log_doubts
from zesty_cell.services.forecasts import flown
from zesty_cell.services.learning import corrected_sheet
from zesty_cell.services.log_fits import (
    FlownLog,
    flown_log,
    read_packed,
)
from zesty_cell.services.sheet_for import sheet_for
from zesty_cell.store import callouts, logs
from zesty_cell.store import flights as store
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


def pattern_of(opened: Opened) -> LogPattern | str:
    """What the log was flown like, or why that cannot be told."""
    if opened.sheet is None:
        return "A sheet of this craft is needed: its steady power tells what is cruise and what a climb."
    try:
        name = f"{opened.flight_row.craft.name}, {opened.flight.landed_at:%-d %B}"
        return pattern_from_log(
            opened.telemetry,
            name=name[:80],
            series=opened.sheet.pack.series,
            setup=set_up(opened.sheet),
        )
    except OutOfRangeError as error:
        return str(error)


def dry_run_of(telemetry: Telemetry, plan: CalloutPlan, sheet: Sheet) -> DryRun:
    full_a = full_throttle_at_landing_a(sheet)
    return on_telemetry(telemetry, plan=plan, pack=sheet.pack, full_throttle_a=full_a)[0]


def plan_of_log(session: Session, opened: Opened) -> CalloutPlan | None:
    if opened.sheet_row is None or opened.result is None:
        return None
    row = callouts.for_sheet(session, opened.sheet_row)
    pack = opened.result.setup.sheet.pack
    return facing(callouts.plan_of(row), pack) if row else write_plan(opened.result, school=FIRST_SCHOOL).plan
