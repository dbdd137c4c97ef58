"""A sheet with its forecast and its callout plan: its own, its craft's, or written anew."""

from __future__ import annotations

from contextlib import suppress
from dataclasses import replace
from functools import cached_property

from sqlalchemy.orm import Session

from zesty_cell.core.answer.forecast import Forecast
from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.callouts.examined import Finding
from zesty_cell.core.callouts.lint import lint
from zesty_cell.core.callouts.profiles import facing
from zesty_cell.core.callouts.rules import CalloutPlan, School
from zesty_cell.core.callouts.schools import FIRST_SCHOOL
from zesty_cell.core.callouts.several import write_for_packs
from zesty_cell.core.callouts.writer import Written
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import Words
from zesty_cell.core.learn.calibration import SensorNow
from zesty_cell.services import learning
from zesty_cell.services.advice import Advice, advise
from zesty_cell.services.forecasts import flights_of
from zesty_cell.services.plans import set_timer
from zesty_cell.store import callouts as store
from zesty_cell.store import sheets as sheet_store
from zesty_cell.store.tables import CalloutsRow, SheetRow


class SheetPlan:
    """A sheet with its forecast and its plan, kept or written anew."""

    def __init__(self, session: Session, sheet_id: int) -> None:
        self.session = session
        self.sheet_row: SheetRow = sheet_store.fetch(session, sheet_id)
        self.sheet: Sheet = learning.corrected_sheet(session, self.sheet_row)
        self.row: CalloutsRow | None = store.for_sheet(session, self.sheet_row)
        self.owner = store.Owner(sheet_id=sheet_id) if self.row is None else store.owner_of(self.row)
        self.trouble: Words = ""
        self.advice: Advice | None = None
        self.result: Forecast | None = None
        self.written: Written | None = None
        self.plan: CalloutPlan | None = (
            None if self.row is None else facing(store.plan_of(self.row), self.sheet.pack)
        )
        try:
            self.advice = advise(session, self.sheet_row)
            self.result = self.advice.result
        except OutOfRangeError as error:
            self.trouble = error.why
            return
        self.written = self.write(self.school, self.plan.current_error if self.plan else self.sensor_error)
        if self.plan is None:
            self.plan = self.written.plan

    @cached_property
    def sensor(self) -> SensorNow:
        """How far out the craft's current sensor is now."""
        return learning.current_sensor(self.session, self.sheet_row.craft_id)

    @property
    def sensor_error(self) -> float | None:
        """What has to be reckoned with of it, where anything tells [1]."""
        return None if self.sensor.by == "nothing" else round(self.sensor.worst, 3)

    def write(self, school: School, current_error: float | None) -> Written:
        """The plan of a school: for the sheet, or for all packs of its craft where the plan is the craft's."""
        every = self.advice_of_craft() if self.for_craft else [self.own_advice]
        written = write_for_packs(
            [a.result for a in every], school=school, current_error=current_error, now=[set_timer(a) for a in every]
        )
        return replace(written, plan=facing(written.plan, self.sheet.pack))

    @property
    def own_advice(self) -> Advice:
        """What to fly this sheet by, which is there: the pages ask for trouble first."""
        assert self.advice is not None  # noqa: S101
        return self.advice

    def advice_of_craft(self) -> list[Advice]:
        """What to fly all the craft's sheets by that can be flown, in one order from whichever it is asked."""
        every = [(self.sheet_row, self.own_advice), *self.other_sheets]
        return [advice for _, advice in sorted(every, key=lambda one: one[0].id)]

    @cached_property
    def other_sheets(self) -> list[tuple[SheetRow, Advice]]:
        """The other sheets of the craft that have no plan of their own and can be flown."""
        found = []
        for row in self.sheets_of_craft:
            if row.id != self.sheet_row.id:
                with suppress(OutOfRangeError):
                    found.append((row, advise(self.session, row)))
        return found

    def findings(self, plan: CalloutPlan) -> tuple[Finding, ...]:
        """What is wrong with a plan, each mend with what it does on the sampled flights."""
        return lint(plan=plan, result=self.flight, kept=flights_of(self.flight.setup.sheet))

    @property
    def flight(self) -> Forecast:
        """The forecast, which is there: the pages ask for trouble first."""
        assert self.result is not None  # noqa: S101
        return self.result

    @property
    def for_craft(self) -> bool:
        """Whether the plan is kept for the craft, whatever pack it flies."""
        return self.owner.craft_id is not None

    @cached_property
    def sheets_of_craft(self) -> list[SheetRow]:
        """This sheet and those of the same craft that have no plan of their own, by name."""
        return [
            row
            for row in sheet_store.all_sheets(self.session)
            if row.craft_id == self.sheet_row.craft_id
            and (row.id == self.sheet_row.id or store.of(self.session, store.Owner(sheet_id=row.id)) is None)
        ]

    @property
    def version(self) -> int:
        """Of the plan kept; 0 where none is."""
        return self.row.version if self.row else 0

    @property
    def school(self) -> School:
        """Of the plan kept; the first one where none is."""
        return (self.plan.school if self.plan else None) or FIRST_SCHOOL

    @property
    def series(self) -> int:
        """Cells of the pack flown here."""
        return self.sheet.pack.series
