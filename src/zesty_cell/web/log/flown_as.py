"""What an opened log was flown like, and what a plan would have said on it."""

from __future__ import annotations

from sqlalchemy.orm import Session

from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.callouts.dry_run import DryRun
from zesty_cell.core.callouts.profiles import facing
from zesty_cell.core.callouts.rules import CalloutPlan
from zesty_cell.core.callouts.schools import FIRST_SCHOOL, write_plan
from zesty_cell.core.callouts.telemetry import Telemetry, on_telemetry
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import Words, fact
from zesty_cell.core.flight.setup import set_up
from zesty_cell.core.flight.summary import full_throttle_at_landing_a
from zesty_cell.core.learn.log_pattern import LogPattern, pattern_from_log
from zesty_cell.services.opened_log import Opened
from zesty_cell.store import callouts


def pattern_of(opened: Opened) -> LogPattern | Words:
    """What the log was flown like, or why that cannot be told."""
    if opened.sheet is None:
        return fact("typed.log.no_sheet")
    try:
        name = f"{opened.flight_row.craft.name}, {opened.flight.landed_at:%-d %B}"
        return pattern_from_log(
            opened.telemetry,
            name=name[:80],
            series=opened.sheet.pack.series,
            setup=set_up(opened.sheet),
        )
    except OutOfRangeError as error:
        return error.why


def dry_run_of(telemetry: Telemetry, plan: CalloutPlan, sheet: Sheet) -> DryRun:
    full_a = full_throttle_at_landing_a(sheet)
    return on_telemetry(telemetry, plan=plan, pack=sheet.pack, full_throttle_a=full_a)[0]


def plan_of_log(session: Session, opened: Opened) -> CalloutPlan | None:
    if opened.sheet_row is None or opened.result is None:
        return None
    row = callouts.for_sheet(session, opened.sheet_row)
    pack = opened.result.setup.sheet.pack
    return facing(callouts.plan_of(row), pack) if row else write_plan(opened.result, school=FIRST_SCHOOL).plan
