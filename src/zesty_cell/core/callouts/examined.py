"""A plan held against the flight it is for, and what may be found wrong with it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Literal

from zesty_cell.core.answer.forecast import Forecast
from zesty_cell.core.answer.thresholds import (
    HOLDS_S,
    on_step,
    voltage_step_v,
)
from zesty_cell.core.callouts.conditions import Condition
from zesty_cell.core.callouts.rules import CalloutPlan, Rule
from zesty_cell.core.callouts.schools import write_plan
from zesty_cell.core.callouts.score import DayScore, KeptFlights
from zesty_cell.core.callouts.sensors import PACK_VOLTAGES
from zesty_cell.core.callouts.update import brought_up_to_date
from zesty_cell.core.fact import Fact, fact

Severity = Literal["stop", "look", "note"]
FindingKey = Literal[
    "not_for_this_cell_count",
    "land_now_not_below_pack_low",
    "under_the_cells_floor",
    "under_the_esc_cutoff",
    "over_the_voltage_at_take_off",
    "craft_lands_first",
    "craft_lamp_first",
    "hold_too_short",
    "hold_too_long",
    "lowest_latches",
    "speaks_on_the_bench",
    "no_profile_guard",
    "more_than_the_pack_holds",
    "current_sensor_unchecked",
    "no_way_to_stop",
    "timer_after_the_landing",
    "nothing_without_telemetry",
    "telemetry_loss_unsaid",
    "same_words",
    "land_now_is_silent",
    "land_now_cries_wolf",
    "switch_reads_all_flight",
    "not_the_receivers_pack",
]
#: A current sensor further out than this is not trusted with a callout [1].
TRUSTED_ERROR = 0.10
#: Share of flights in which "land now" may stay silent, and may speak for nothing, before it is said [1].
SILENT_SHARE, CRIES_SHARE = 0.5, 0.10
#: A receiver's pack called more than this over its landing voltage at rest is called too early [V a cell].
RECEIVER_EARLY_V = 0.12
#: "Land now" that speaks with less than this share of the reserve left has waited too long [1].
LEAST_OF_RESERVE = 0.5


@dataclass(frozen=True)
class Finding:
    """Something wrong with a plan.

    Attributes
    ----------
    key : FindingKey
    severity : "stop", "look" or "note"
    concerns : str
        Key of the rule or timer it is about; empty for the plan.
    reason : Fact
    mend : Fact or None
        What the one step does; None where only the pilot can.
    mended : CalloutPlan or None
        The plan after that step.
    before, after : DayScore or None
        How the plan does on the sampled flights, as it is and after that step; where those were given.
    """

    key: FindingKey
    severity: Severity
    concerns: str
    reason: Fact
    mend: Fact | None
    mended: CalloutPlan | None
    before: DayScore | None = None
    after: DayScore | None = None


class Examined:
    """The plan against the flight it is for."""

    def __init__(self, plan: CalloutPlan, result: Forecast, kept: KeptFlights | None = None) -> None:
        self.plan, self.result, self.kept = plan, result, kept
        self.flight, self.chemistry = result.flight, result.setup.chemistry
        self.cutoff_v = result.setup.sheet.craft.limits.esc_cutoff_v_per_cell
        self.capacity_ah = result.setup.figures.capacity_ah
        self.series = result.setup.sheet.pack.series
        flown = plan.profile_for(series=self.series)
        own = {None, flown.key if flown else None}
        self.timers = [t for t in plan.timers if t.on and t.profile in own]
        self.rules = [r for r in plan.rules if r.on]

    # What the rules watch

    def volts(self, *roles: str) -> Iterator[tuple[Rule, int, Condition, float]]:
        """Rules that call below a pack voltage: with the condition's place and its value per cell."""
        for rule in self.rules:
            if roles and rule.role not in roles:
                continue
            for k, condition in enumerate(rule.conditions):
                if condition.sensor in PACK_VOLTAGES and condition.comparison == "below":
                    series = self.plan.series_of(rule, condition)
                    yield rule, k, condition, condition.cell_value_v(series=series)

    def sensible(self, *roles: str) -> Iterator[tuple[Rule, int, Condition, float]]:
        """The same for the pack of the forecast, without values that no cell of it can have: they are told of
        by themselves."""
        low_v, high_v = self.cell_range_v()
        return (
            found
            for found in self.volts(*roles)
            if low_v <= found[3] <= high_v and self.plan.concerns(found[0], found[2], series=self.series)
        )

    def cell_range_v(self) -> tuple[float, float]:
        """Lowest and highest voltage a cell of this chemistry can have under load [V]."""
        return 0.9 * self.chemistry.hard_floor_v, self.chemistry.full_v

    def counts_from_ah(self, rule: Rule) -> float:
        """The charge that must truly be used before a rule counts [Ah]; 0 where it asks for none."""
        if rule.join != "all":
            return 0.0
        shown = [
            c.value for c in rule.conditions
            if c.sensor == "used_ah" and c.comparison == "above" and self.own(rule, c)
        ]  # fmt: skip
        return max(shown, default=0.0) / max(1.0 + self.result.setup.sheet.sensor.out, 0.02)

    def own(self, rule: Rule, condition: Condition) -> bool:
        """Whether a condition is for the very pack of the forecast."""
        return self.plan.series_of(rule, condition) == self.result.setup.sheet.pack.series

    def with_condition(self, rule: Rule, place: int, **changes: object) -> CalloutPlan:
        """The plan with one condition changed."""
        conditions = list(rule.conditions)
        conditions[place] = conditions[place].model_copy(update=changes)
        return self.plan.with_rule(rule.model_copy(update={"conditions": tuple(conditions)}))

    def at_cell_v(self, rule: Rule, place: int, cell_v: float, *, up: bool) -> tuple[Fact, CalloutPlan]:
        """The plan with a threshold put to a value per cell, on the transmitter's step; and that value."""
        condition = rule.conditions[place]
        series = self.plan.series_of(rule, condition)
        if condition.per == "cell":
            value = on_step(value=cell_v, step=0.01, up=up)
            return fact("lint.cell_value", cell_v=value), self.with_condition(rule, place, value=value)
        value = on_step(value=cell_v * series, step=voltage_step_v(series=series), up=up)
        return fact("lint.pack_value", pack_v=value), self.with_condition(rule, place, value=value)

    def low_for_good_s(self, cell_v: float) -> float | None:
        """When the voltage in steady flight goes under a value for good [s]; None where it never does."""
        low = self.flight.low_from(cell_v)
        return None if low >= self.flight.time_s.size else float(self.flight.time_s[low])

    def derived_cell_v(self, rule: Rule, condition: Condition) -> float:
        """What the forecast asks of a rule [V a cell]; the chemistry's usual value for another pack's."""
        if not self.own(rule, condition):
            return self.chemistry.landing_loaded_v
        callouts = self.result.callouts
        return (callouts.land_now if rule.role == "land_now" else callouts.pack_low).threshold.cell_v

    def outlast(self, rule: Rule, place: int, burst_s: float) -> tuple[Fact, CalloutPlan]:
        """A hold that outlasts a burst; where there is none a lower voltage; else the rule switched off."""
        hold = next((h for h in HOLDS_S if h >= burst_s + 0.5 - 1e-9), None)
        if hold is not None:
            return fact("lint.hold_it", hold_s=hold), self.plan.with_rule(rule.model_copy(update={"hold_s": hold}))
        off = self.plan.with_rule(rule.model_copy(update={"on": False}))
        return fact("lint.switch_off.leads"), off

    def as_written(self) -> CalloutPlan:
        """The plan with its values as the forecast asks for; words and own rules stay."""
        written = write_plan(self.result, school=self.plan.school or "loaded voltage").plan
        at_s = {t.key: t.at_s for t in self.plan.timers}
        timers = tuple(t.model_copy(update={"at_s": at_s.get(t.key, t.at_s)}) for t in written.timers)
        return brought_up_to_date(self.plan, written=written.model_copy(update={"timers": timers}))

    def written(self, key: str) -> Rule | None:
        """The rule of the plan's school, written anew."""
        return write_plan(self.result, school=self.plan.school or "loaded voltage").plan.rule(key)


Check = Callable[[Examined], Iterator[Finding]]
