"""The callout plan of a sheet as it stands: kept or written now, and whether what is kept is out of date."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlalchemy.orm import Session

from zesty_cell.core.callouts.profiles import facing
from zesty_cell.core.callouts.rules import CalloutPlan
from zesty_cell.core.callouts.schools import FIRST_SCHOOL, write_plan
from zesty_cell.core.callouts.update import Difference, differences
from zesty_cell.core.callouts.writer import SetTimer
from zesty_cell.services.advice import Advice
from zesty_cell.store import callouts
from zesty_cell.store.documents import read
from zesty_cell.store.tables import CalloutsRow, SheetRow


@dataclass(frozen=True)
class PlanNow:
    """The plan a sheet is flown with.

    Attributes
    ----------
    plan : CalloutPlan
        As kept, else as written now.
    written : CalloutPlan
        As it would be written now, for this sheet's pack alone.
    row : CalloutsRow or None
        Where it is kept.
    differs, printed_differs, loaded_differs : tuple of Difference
        What the kept plan, the card as last printed, and the transmitter as last loaded hold otherwise.
    """

    plan: CalloutPlan
    written: CalloutPlan
    row: CalloutsRow | None
    differs: tuple[Difference, ...]
    printed_differs: tuple[Difference, ...]
    loaded_differs: tuple[Difference, ...]

    @property
    def stale(self) -> list[tuple[str, tuple[Difference, ...]]]:
        """What is out of date, with how: those that hold the same stand together, as “The saved plan holds”."""
        all_of = (
            ("saved plan", self.differs),
            ("printed card", self.printed_differs),
            ("loaded transmitter", self.loaded_differs),
        )
        names: dict[tuple[Difference, ...], list[str]] = {}
        for name, found in all_of:
            if found:
                names.setdefault(found, []).append(name)
        return [(f"The {' and '.join(n)} hold{'s' if len(n) == 1 else ''}", found) for found, n in names.items()]


def set_timer(advice: Advice, /) -> SetTimer:
    """The timer that is advised, as a plan takes it."""
    return SetTimer(advice.timer.timer_s, advice.timer.why)


def plan_now(session: Session, sheet: SheetRow, advice: Advice) -> PlanNow:
    """The plan of a sheet, with what of it is older than what the sheet and its flights say now."""
    row = callouts.for_sheet(session, sheet)
    pack = advice.sheet.pack
    kept = None if row is None else facing(callouts.plan_of(row), pack)
    school = (kept.school if kept else None) or FIRST_SCHOOL
    written = write_plan(advice.result, school=school, now=set_timer(advice)).plan
    if row is None or kept is None:
        return PlanNow(written, written, None, (), (), ())

    def against(document: dict[str, Any] | None) -> tuple[Difference, ...]:
        if document is None:
            return ()
        held = facing(read(CalloutPlan, document), pack)
        return differences(plan=held, written=written, series=pack.series)

    return PlanNow(kept, written, row, against(row.document), against(row.printed), against(row.loaded))
