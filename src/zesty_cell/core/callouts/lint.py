"""A plan is checked as code is: what is wrong with it on this craft, why, and one step that mends it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from typing import Literal

from zesty_cell.core.answer.calls import Leads
from zesty_cell.core.answer.forecast import Forecast
from zesty_cell.core.answer.thresholds import (
    HOLDS_S,
    OVER_CUTOFF_V,
    charge_step_ah,
    longest_burst_s,
    on_step,
    voltage_step_v,
)
from zesty_cell.core.callouts.conditions import PACK_VOLTAGES, SWITCHES, TELEMETERED, Condition
from zesty_cell.core.callouts.profiles import alike_cells
from zesty_cell.core.callouts.rules import MOST_TIMERS, CalloutPlan, Rule, Timer, switches_asking
from zesty_cell.core.callouts.schools import LANDING_UNDER_V, receiver_call_v, write_plan
from zesty_cell.core.callouts.score import DayScore, KeptFlights, score_kept
from zesty_cell.core.callouts.tune import badness
from zesty_cell.core.callouts.update import brought_up_to_date
from zesty_cell.core.clock import clock
from zesty_cell.core.parts.chemistries import chemistry_for

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
#: So many mends are flown and offered at once.
_MOST_WEIGHED = 6
#: What flights show of a rule, whatever the cause.
_TRACES: tuple[FindingKey, ...] = ("land_now_is_silent", "land_now_cries_wolf")
_ORDER: dict[Severity, int] = {"stop": 0, "look": 1, "note": 2}
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
    reason : str
    mend : str
        What the one step does; empty where only the pilot can.
    mended : CalloutPlan or None
        The plan after that step.
    before, after : DayScore or None
        How the plan does on the sampled flights, as it is and after that step; where those were given.
    """

    key: FindingKey
    severity: Severity
    concerns: str
    reason: str
    mend: str
    mended: CalloutPlan | None
    before: DayScore | None = None
    after: DayScore | None = None


class _Linter:
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

    def at_cell_v(self, rule: Rule, place: int, cell_v: float, *, up: bool) -> tuple[str, CalloutPlan]:
        """The plan with a threshold put to a value per cell, on the transmitter's step; and that in words."""
        condition = rule.conditions[place]
        series = self.plan.series_of(rule, condition)
        if condition.per == "cell":
            value = on_step(value=cell_v, step=0.01, up=up)
            return f"{value:.2f} V a cell", self.with_condition(rule, place, value=value)
        value = on_step(value=cell_v * series, step=voltage_step_v(series=series), up=up)
        return f"{value:g} V", self.with_condition(rule, place, value=value)

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

    def outlast(self, rule: Rule, place: int, burst_s: float) -> tuple[str, CalloutPlan]:
        """A hold that outlasts a burst; where there is none a lower voltage; else the rule switched off."""
        hold = next((h for h in HOLDS_S if h >= burst_s + 0.5 - 1e-9), None)
        if hold is not None:
            return f"Hold it {hold:g} s", self.plan.with_rule(rule.model_copy(update={"hold_s": hold}))
        off = self.plan.with_rule(rule.model_copy(update={"on": False}))
        return "Switch it off: charge used and the timer lead here", off

    def as_written(self) -> CalloutPlan:
        """The plan with its values as the forecast asks for; words and own rules stay."""
        written = write_plan(self.result, school=self.plan.school or "loaded voltage").plan
        at_s = {t.key: t.at_s for t in self.plan.timers}
        timers = tuple(t.model_copy(update={"at_s": at_s.get(t.key, t.at_s)}) for t in written.timers)
        return brought_up_to_date(self.plan, written=written.model_copy(update={"timers": timers}))

    def written(self, key: str) -> Rule | None:
        """The rule of the plan's school, written anew."""
        return write_plan(self.result, school=self.plan.school or "loaded voltage").plan.rule(key)


_Check = Callable[[_Linter], Iterator[Finding]]


def _cell_count(w: _Linter) -> Iterator[Finding]:
    low_v, high_v = w.cell_range_v()
    for rule, k, condition, cell_v in w.volts():
        series = w.plan.series_of(rule, condition)
        if low_v <= cell_v <= high_v:
            continue
        shown = f"{condition.value:g} V is {cell_v:.2f} V a cell for {series}S"
        if condition.per == "pack" and low_v <= condition.value <= high_v:
            mended = w.with_condition(rule, k, per="cell")
            yield Finding(
                "not_for_this_cell_count", "stop", rule.key,
                f"{shown}: it looks like the voltage of one cell.",
                f"Take it as {condition.value:g} V a cell, {condition.value * series:.1f} V for the pack", mended,
            )  # fmt: skip
            continue
        fits = [s for s in range(1, 15) if s != series and low_v <= condition.value / s <= high_v]
        meant = min(fits, key=lambda s: abs(condition.value / s - w.chemistry.landing_loaded_v), default=None)
        if condition.per == "pack" and meant is not None:
            words, mended = w.at_cell_v(rule, k, condition.value / meant, up=False)
            yield Finding(
                "not_for_this_cell_count", "stop", rule.key,
                f"{shown}, which no {w.chemistry.short_name} cell has: it would suit {meant}S.",
                f"Set {words}, the same a cell", mended,
            )  # fmt: skip
        else:
            words, mended = w.at_cell_v(rule, k, w.derived_cell_v(rule, condition), up=False)
            yield Finding(
                "not_for_this_cell_count", "stop", rule.key,
                f"{shown}, which no {w.chemistry.short_name} cell has.", f"Set {words}", mended,
            )  # fmt: skip


def _order(w: _Linter) -> Iterator[Finding]:
    for low, _, low_condition, low_v in w.sensible("pack_low"):
        for land, k, condition, land_v in w.sensible("land_now"):
            same = w.plan.series_of(low, low_condition) == w.plan.series_of(land, condition)
            if same and land_v >= low_v - 1e-9:
                series = w.plan.series_of(land, condition)
                step = voltage_step_v(series=series) / series
                words, mended = w.at_cell_v(land, k, low_v - max(step, 0.05), up=False)
                yield Finding(
                    "land_now_not_below_pack_low", "stop", land.key,
                    f"“{land.name}” at {land_v:.2f} V a cell is not under “{low.name}” at {low_v:.2f}: the first "
                    "word would be the last.",
                    f"Set “{land.name}” to {words}", mended,
                )  # fmt: skip


def _floor(w: _Linter) -> Iterator[Finding]:
    floor_v = w.chemistry.loaded_floor_v
    for rule, k, _, cell_v in w.sensible():
        if cell_v < floor_v - 0.0051:
            words, mended = w.at_cell_v(rule, k, floor_v, up=True)
            yield Finding(
                "under_the_cells_floor", "stop", rule.key,
                f"{cell_v:.2f} V a cell is under the {floor_v:g} V that {w.chemistry.short_name} is landed at.",
                f"Set {words}", mended,
            )  # fmt: skip


def _cutoff(w: _Linter) -> Iterator[Finding]:
    if w.cutoff_v is None:
        return
    for rule, k, _, cell_v in w.sensible("land_now"):
        if cell_v <= w.cutoff_v + 1e-9:
            words, mended = w.at_cell_v(rule, k, w.cutoff_v + OVER_CUTOFF_V, up=True)
            yield Finding(
                "under_the_esc_cutoff", "stop", rule.key,
                f"The ESC takes the power away at {w.cutoff_v:.2f} V a cell, before “{rule.name}” at {cell_v:.2f}.",
                f"Set {words}, or lower the ESC's cutoff", mended,
            )  # fmt: skip


def _at_take_off(w: _Linter) -> Iterator[Finding]:
    fresh_v = float(w.flight.cruise_v[0])
    for rule, k, condition, cell_v in w.sensible():
        if w.own(rule, condition) and fresh_v <= cell_v:
            words, mended = w.at_cell_v(rule, k, w.derived_cell_v(rule, condition), up=False)
            yield Finding(
                "over_the_voltage_at_take_off", "stop", rule.key,
                f"A full pack is at {fresh_v:.2f} V a cell once it flies: at {cell_v:.2f} this speaks at take-off.",
                f"Set {words}", mended,
            )  # fmt: skip


def _craft_stages(w: _Linter) -> Iterator[Finding]:
    lands = [(rule, v) for rule, _, c, v in w.sensible("land_now") if w.own(rule, c)]
    if not lands:
        return
    rule, land_v = min(lands, key=lambda pair: pair[1])
    stages, hard_v = w.plan.stages, w.chemistry.hard_floor_v
    if stages.landing_v is not None and stages.landing_v >= land_v - 1e-9:
        lower = round(max(land_v - LANDING_UNDER_V, hard_v), 2)
        new = stages.model_copy(update={"landing_v": lower if lower < land_v else None})
        yield Finding(
            "craft_lands_first", "stop", rule.key,
            f"The craft lands by itself at {stages.landing_v:.2f} V a cell, before you hear “{rule.name}” at "
            f"{land_v:.2f}: wherever it is then, over water too.",
            f"Let it land at {lower:.2f} V" if lower < land_v else "Switch its landing off",
            w.plan.model_copy(update={"stages": new}),
        )  # fmt: skip
    if stages.lamp_v is not None and stages.lamp_v >= land_v - 1e-9:
        lower = round(max(land_v - LANDING_UNDER_V / 2, hard_v), 2)
        new = stages.model_copy(update={"lamp_v": lower if lower < land_v else None})
        yield Finding(
            "craft_lamp_first", "look", rule.key,
            f"The craft's lamp comes on at {stages.lamp_v:.2f} V a cell, before “{rule.name}” at {land_v:.2f}: it "
            "will be taken for nothing.",
            f"Let it come on at {lower:.2f} V" if lower < land_v else "Switch the lamp off",
            w.plan.model_copy(update={"stages": new}),
        )  # fmt: skip


def _holds(w: _Linter) -> Iterator[Finding]:
    reserve = w.flight.left_at(w.flight.landing_s)
    for rule, k, condition, cell_v in w.sensible():
        if not w.own(rule, condition) or condition.sensor != "pack_v":
            continue
        if not w.chemistry.hard_floor_v <= cell_v < float(w.flight.cruise_v[0]):
            continue  # there is something worse wrong with it
        burst_s = longest_burst_s(
            flight=w.flight,
            cell_v=cell_v,
            throttle_under=rule.guards.throttle_under,
            used_over_ah=w.counts_from_ah(rule),
        )
        if rule.hold_s < burst_s - 1e-9:
            mend, mended = w.outlast(rule, k, burst_s)
            yield Finding(
                "hold_too_short", "look", rule.key,
                f"A climb holds the voltage under {cell_v:.2f} V for {burst_s:.1f} s: held {rule.hold_s:g} s, "
                f"“{rule.name}” speaks for nothing.",
                mend, mended,
            )  # fmt: skip
        low_s = w.low_for_good_s(cell_v)
        if rule.role != "land_now" or low_s is None or rule.hold_s <= HOLDS_S[-1]:
            continue
        left = w.flight.left_at(min(low_s + rule.hold_s, w.flight.end_s))
        if left < LEAST_OF_RESERVE * reserve:
            written = w.result.callouts.land_now.hold_s
            yield Finding(
                "hold_too_long", "stop", rule.key,
                f"Held {rule.hold_s:g} s, “{rule.name}” comes with {100 * left:.0f} % of the charge left.",
                f"Hold it {written:g} s",
                w.plan.with_rule(rule.model_copy(update={"hold_s": written})),
            )  # fmt: skip


def _lowest(w: _Linter) -> Iterator[Finding]:
    for rule, k, condition, _ in w.sensible():
        if condition.sensor == "lowest_v":
            yield Finding(
                "lowest_latches", "stop", rule.key,
                "The lowest voltage so far never rises again: after the first climb this stays true.",
                "Watch the live voltage", w.with_condition(rule, k, sensor="pack_v"),
            )  # fmt: skip


def _bench(w: _Linter) -> Iterator[Finding]:
    for rule in w.rules:
        guards = rule.guards
        watches = any(c.sensor in TELEMETERED for c in rule.conditions)
        free = not guards.armed and guards.throttle_over is None and guards.switch is None
        if watches and free:
            armed = w.plan.with_rule(rule.model_copy(update={"guards": guards.model_copy(update={"armed": True})}))
            if rule.every_s is not None:
                yield Finding(
                    "no_way_to_stop", "stop", rule.key,
                    f"“{rule.name}” repeats every {rule.every_s:g} s, armed or not: nothing on the transmitter "
                    "makes it stop.",
                    "Speak only while armed", armed,
                )  # fmt: skip
            else:
                yield Finding(
                    "speaks_on_the_bench", "look", rule.key,
                    f"“{rule.name}” also speaks while the craft is not armed: on the bench, with every pack "
                    "plugged in or out.",
                    "Speak only while armed", armed,
                )  # fmt: skip


def _profiles(w: _Linter) -> Iterator[Finding]:
    profiles = w.plan.profiles
    if len(profiles) < 2:
        return
    alike = all(alike_cells(p, other=profiles[0]) for p in profiles)
    for rule, k, condition, _ in w.sensible():
        if condition.profile is not None or rule.guards.profile is not None:
            continue
        if not alike:
            own = w.plan.profile_for(series=w.series) or profiles[0]
            yield Finding(
                "no_profile_guard", "stop", rule.key,
                f"“{rule.name}” is watched whichever pack is flown, and it flies cells of several kinds.",
                f"Watch it with {own.name} alone", w.with_condition(rule, k, profile=own.key),
            )  # fmt: skip
        elif condition.per == "pack":
            value = on_step(value=condition.value / w.plan.series_of(rule, condition), step=0.01)
            yield Finding(
                "no_profile_guard", "stop", rule.key,
                f"{condition.value:g} V is watched whichever pack is flown, and this model flies "
                f"{' and '.join(f'{p.series}S' for p in w.plan.profiles)}.",
                f"Watch {value:.2f} V a cell", w.with_condition(rule, k, per="cell", value=value),
            )  # fmt: skip


def _charge(w: _Linter) -> Iterator[Finding]:
    unchecked = False
    for rule in w.rules:
        for k, condition in enumerate(rule.conditions):
            if condition.sensor != "used_ah" or condition.comparison != "above":
                continue
            if not w.plan.concerns(rule, condition, series=w.series):
                continue
            if condition.value >= w.capacity_ah:
                holds_ah = 0.8 * w.capacity_ah
                value = on_step(value=holds_ah, step=charge_step_ah(holds_ah), up=False)
                yield Finding(
                    "more_than_the_pack_holds", "stop", rule.key,
                    f"{1000 * condition.value:.0f} mAh is more than the {1000 * w.capacity_ah:.0f} mAh in the "
                    "pack: it is never reached.",
                    f"Set {1000 * value:.0f} mAh, four fifths", w.with_condition(rule, k, value=value),
                )  # fmt: skip
                continue
            error = w.plan.current_error
            if unchecked or (error is not None and error <= TRUSTED_ERROR):
                continue
            unchecked = True  # once is enough
            other = [r for r in w.rules if r.role == "land_now" and any(c.sensor == "pack_v" for c in r.conditions)]
            guard = w.written("guard") or w.written("land_now")
            state = "never checked" if error is None else f"{100 * error:.0f} % out"
            if other or guard is None or not any(c.sensor == "pack_v" for c in guard.conditions):
                mend, mended = "Switch this rule off", w.plan.with_rule(rule.model_copy(update={"on": False}))
            else:
                guard = guard.model_copy(update={"key": "guard", "name": "Voltage guard"})
                mend = "Let the voltage speak too"
                mended = w.plan.model_copy(update={"rules": (*w.plan.rules, guard)})
            yield Finding(
                "current_sensor_unchecked", "note" if other else "look", rule.key,
                f"The current sensor was {state}: charge used can be out by as much. Compare one flight with the "
                "charge put back.",
                mend, mended,
            )  # fmt: skip


def _timers(w: _Linter) -> Iterator[Finding]:
    for timer in w.timers:
        low_s = w.result.range.low_s
        if timer.at_s > low_s:
            at_s = max(w.result.callouts.timers.timer_s, 5.0)
            mended = _with_timer(w.plan, timer.model_copy(update={"at_s": at_s}))
            yield Finding(
                "timer_after_the_landing", "look", timer.key,
                f"The timer ends at {clock(timer.at_s)}; one flight in twenty is over by {clock(low_s)}.",
                f"Set it to {clock(at_s)}", mended,
            )  # fmt: skip
    heard = [r for r in w.rules if r.conditions and not any(c.sensor in TELEMETERED for c in r.conditions)]
    if not w.timers and not heard:
        flown = w.plan.profile_for(series=w.series)
        profile = flown.key if flown and len(w.plan.profiles) > 1 else None
        key = f"timer_{profile}" if profile else "timer"
        timer = Timer(key=key, at_s=max(w.result.callouts.timers.timer_s, 5.0), profile=profile)
        rest = tuple(t for t in w.plan.timers if t.key != key)
        yield Finding(
            "nothing_without_telemetry", "stop", "",
            "When telemetry stops, nothing in this plan tells you to land.",
            f"Add a timer of {clock(timer.at_s)}",
            w.plan.model_copy(update={"timers": (timer, *rest)[:MOST_TIMERS]}),
        )  # fmt: skip


def _silence(w: _Linter) -> Iterator[Finding]:
    watching = any(c.sensor in TELEMETERED - {"telemetry"} for r in w.rules for c in r.conditions)
    said = any(c.sensor == "telemetry" and c.comparison == "missing" for r in w.rules for c in r.conditions)
    if watching and not said:
        silence = w.written("silence")
        rest = tuple(r for r in w.plan.rules if r.key != "silence")
        yield Finding(
            "telemetry_loss_unsaid", "look", "",
            "When telemetry stops these rules fall silent, and silence sounds like a full pack.",
            "Say “telemetry lost”",
            w.plan.model_copy(update={"rules": (*rest, silence)}) if silence else None,
        )  # fmt: skip


def _together(one: Rule, other: Rule) -> bool:
    """Whether two rules can speak on the same flight."""
    profiles = one.guards.profile, other.guards.profile
    return None in profiles or profiles[0] == profiles[1]


def _words(w: _Linter) -> Iterator[Finding]:
    seen: dict[str, list[Rule]] = {}
    for rule in w.rules:
        if rule.say is None:
            continue
        others = seen.setdefault(rule.say.casefold(), [])
        # Rules of two profiles never speak on the same flight.
        first = next((o for o in others if _together(o, rule)), None)
        others.append(rule)
        if first is not None:
            new = f"{rule.name}: {rule.say}"[:60].casefold()
            yield Finding(
                "same_words", "look", rule.key,
                f"“{rule.name}” and “{first.name}” say the same: you will not know which it was.",
                f"Say “{new}”", w.plan.with_rule(rule.model_copy(update={"say": new})),
            )  # fmt: skip


def _with_timer(plan: CalloutPlan, timer: Timer) -> CalloutPlan:
    return plan.model_copy(update={"timers": tuple(timer if t.key == timer.key else t for t in plan.timers)})


def _by_flights(w: _Linter) -> Iterator[Finding]:
    """“Land now” that most flights never hear, or that many hear for nothing."""
    lands = [r for r in w.rules if r.role == "land_now"]
    if w.kept is None or not lands:
        return
    score = score_kept(w.plan.flown_with(series=w.series), w.kept)
    if score.missed is not None and score.missed > SILENT_SHARE * score.flights:
        yield Finding(
            "land_now_is_silent", "stop", lands[0].key,
            f"“{lands[0].name}” stays silent, or comes late, in {score.missed} of {score.flights} flights.",
            "Set what this flight asks for", w.as_written(),
        )  # fmt: skip
    for rule in lands:
        alone = w.plan.flown_with(series=w.series).model_copy(update={"rules": (rule,)})
        of_rule = score_kept(alone, w.kept)
        if of_rule.false_flights > CRIES_SHARE * of_rule.flights:
            yield Finding(
                "land_now_cries_wolf", "look", rule.key,
                f"“{rule.name}” speaks for nothing in {of_rule.false_flights} of {of_rule.flights} flights.",
                "Set what this flight asks for", w.as_written(),
            )  # fmt: skip


def _receiver(w: _Linter) -> Iterator[Finding]:
    """A receiver's battery that is called when it is empty, or while it is nearly full."""
    if w.plan.receiver is None:
        return
    series, chemistry = w.plan.receiver.series, chemistry_for(w.plan.receiver.chemistry)
    low_v, high_v = series * chemistry.landing_loaded_v, series * (chemistry.landing_rest_v + RECEIVER_EARLY_V)
    call_v = receiver_call_v(w.plan.receiver)
    for rule in w.rules:
        for k, condition in enumerate(rule.conditions):
            if condition.sensor != "receiver_v" or condition.comparison != "below":
                continue
            if not low_v <= condition.value <= high_v:
                state = "all but empty" if condition.value < low_v else "far from empty"
                yield Finding(
                    "not_the_receivers_pack", "stop" if condition.value < low_v else "look", rule.key,
                    f"At {condition.value:g} V {series} cells of {chemistry.short_name} are {state}.",
                    f"Call it below {call_v:g} V", w.with_condition(rule, k, value=call_v),
                )  # fmt: skip


def _switches(w: _Linter) -> Iterator[Finding]:
    """A switch that chooses the pack and also asks for a value reads it out all flight."""
    choosing = {p.switch.name for p in w.plan.profiles if p.switch is not None and w.plan.choose == "switch"}
    for rule in w.rules:
        switch = rule.guards.switch
        if rule.role == "ask" and switch is not None and switch.name in choosing:
            free = next((s for s in SWITCHES if s not in choosing and s not in switches_asking(w.plan)), None)
            mended = None
            if free is not None:
                guards = rule.guards.model_copy(update={"switch": switch.model_copy(update={"name": free})})
                mended = w.plan.with_rule(rule.model_copy(update={"guards": guards}))
            yield Finding(
                "switch_reads_all_flight", "stop", rule.key,
                f"Switch {switch.name} chooses the pack, so “{rule.name}” reads out all flight with one of them.",
                "" if free is None else f"Ask by switch {free}", mended,
            )  # fmt: skip


_CHECKS: tuple[_Check, ...] = (
    _cell_count, _order, _floor, _cutoff, _at_take_off, _craft_stages, _holds, _lowest, _bench, _profiles, _charge,
    _timers, _silence, _words, _switches, _receiver, _by_flights,
)  # fmt: skip


def lint(*, plan: CalloutPlan, result: Forecast, kept: KeptFlights | None = None) -> tuple[Finding, ...]:
    """Everything wrong with a plan on the flight it is for, worst first [findings are words, no unit].

    A mend that makes the plan worse on the sampled flights is not offered, where those are given.

    Parameters
    ----------
    plan : CalloutPlan
    result : Forecast
        Of the sheet the plan belongs to.
    kept : KeptFlights, optional
        Its sampled flights.
    """
    linter = _Linter(plan, result, kept)
    found = [finding for check in _CHECKS for finding in check(linter)]
    if kept is not None and any(f.mended is not None for f in found):
        series, leads = linter.series, result.callouts.leads
        before = score_kept(plan.flown_with(series=series), kept)
        found.sort(key=lambda f: _ORDER[f.severity])
        mendable = [f for f in found if f.mended is not None]
        # The rest gets its turn when these are mended: a plan with thirty faults must not take a minute.
        later = {id(f) for f in mendable[_MOST_WEIGHED:]}
        found = [
            replace(f, mend="", mended=None)
            if id(f) in later
            else _weighed(f, before, kept, series=series, leads=leads)
            for f in found
        ]
    return tuple(sorted(_causes(found), key=lambda f: _ORDER[f.severity]))


def _weighed(finding: Finding, before: DayScore, kept: KeptFlights, *, series: int, leads: Leads) -> Finding:
    """A finding with what its mend does on the sampled flights; without the mend where that is worse."""
    if finding.mended is None:
        return finding
    after = score_kept(finding.mended.flown_with(series=series), kept)
    if badness(after, leads=leads) > badness(before, leads=leads) + 1e-9:
        return replace(finding, mend="", mended=None, before=before)
    return replace(finding, before=before, after=after)


def _causes(findings: list[Finding], /) -> list[Finding]:
    """Findings without the traces of others: a call for other cells is silent too, and one mend serves both."""
    mendable = {
        f.concerns for f in findings if f.severity == "stop" and f.mended is not None and f.key not in _TRACES
    }
    return [f for f in findings if f.key not in _TRACES or f.concerns not in mendable]
