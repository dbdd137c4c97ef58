"""What the setup card takes from the callouts: its table, and the steps of its second side."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy.orm import Session

from zesty_cell.core.callouts.rules import CalloutPlan, Rule
from zesty_cell.core.callouts.schools import FIRST_SCHOOL, write_plan
from zesty_cell.core.callouts.steps import Steps, clock, setup_steps, value_words
from zesty_cell.core.forecast import Forecast
from zesty_cell.store import callouts as store
from zesty_cell.store.tables import SheetRow

_SHOWN = ("pack_low", "land_now", "charge_used")


@dataclass(frozen=True)
class CardRow:
    """A line of the card: its mark, what it is, how, and the value per cell and as set."""

    mark: str
    title: str
    how: str
    cell: str
    value: str


@dataclass(frozen=True)
class CardPlan:
    """The callouts of a card."""

    rows: list[CardRow]
    steps: Steps
    stale: bool


def _row(plan: CalloutPlan, rule: Rule) -> CardRow | None:
    if not rule.on or rule.role not in _SHOWN or not rule.conditions:
        return None
    condition = rule.conditions[0]
    often = "once" if rule.every_s is None else "repeated"
    armed = ", while armed" if rule.guards.armed else ""
    if condition.sensor == "used_ah":
        how = "needs a calibrated current sensor"
        return CardRow("charge", rule.name, how, "", value_words(plan, rule=rule, condition=condition))
    series = plan.series_of(rule, condition)
    cell = f"{condition.cell_value_v(series=series):.2f} V" if condition.sensor in ("pack_v", "lowest_v") else ""
    return CardRow(
        "pack_low" if rule.role == "pack_low" else "land_now",
        f"{rule.name}, {often}",
        f"under it for {rule.hold_s:g} s{armed}",
        cell,
        value_words(plan, rule=rule, condition=condition),
    )


def card_plan(session: Session, sheet: SheetRow, result: Forecast) -> CardPlan:
    """The kept plan of a sheet, or the one the forecast writes, as the card shows it."""
    row = store.for_sheet(session, sheet)
    plan = write_plan(result, school=FIRST_SCHOOL).plan if row is None else store.plan_of(row)
    runs = {"throttle": "throttle up", "armed": "from arming", "always": "from switching on"}
    # The first side is for the pack of the sheet; the steps are for all the plan's packs.
    flown = plan.flown_with(series=result.setup.sheet.pack.series)
    rows = [
        CardRow("timer", f"{t.name}, {runs[t.runs]}", f"“{t.end}”", "", clock(t.at_s)) for t in flown.timers if t.on
    ]
    rows += [found for r in flown.rules if (found := _row(flown, r)) is not None]
    stale = row is not None and "printed" in store.is_stale(row)
    return CardPlan(rows=rows[:6], steps=setup_steps(plan), stale=stale)
