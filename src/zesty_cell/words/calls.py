"""The calls of a plan as a table: the same lines on the sheet, on the card and at the field."""

from __future__ import annotations

from dataclasses import dataclass

from zesty_cell.core.callouts.rules import CalloutPlan, Rule
from zesty_cell.core.clock import clock
from zesty_cell.words.steps import Steps, setup_steps, value_words

_SHOWN = ("pack_low", "land_now", "guard", "charge_used")
_MARKS = {"pack_low": "pack_low", "land_now": "land_now", "guard": "land_now", "charge_used": "charge"}
_RUNS = {"throttle": "throttle up", "armed": "from arming", "always": "from switching on"}
_RUNNING = {"throttle": "while the throttle is up", "armed": "from arming", "always": "from switching on"}
#: Lines there is room for.
_MOST = 6


@dataclass(frozen=True)
class CallRow:
    """A line: its mark and role, what it is, how it is held, and the value per cell and as set."""

    mark: str
    role: str
    title: str
    how: str
    hold_s: float
    cell: str
    value: str


@dataclass(frozen=True)
class CardPlan:
    """The callouts of a card."""

    rows: list[CallRow]
    steps: Steps


def _row(plan: CalloutPlan, rule: Rule) -> CallRow | None:
    if not rule.on or rule.role not in _SHOWN or not rule.conditions:
        return None
    condition = rule.conditions[0]
    value = value_words(plan, rule=rule, condition=condition)
    mark = _MARKS[rule.role]
    if condition.sensor == "used_ah":
        return CallRow("charge", rule.role, rule.name, "as your sensor shows it", 0.0, "", value)
    series = plan.series_of(rule, condition)
    cell = f"{condition.cell_value_v(series=series):.2f}" if condition.sensor in ("pack_v", "lowest_v") else ""
    if condition.sensor == "cell_v":
        cell, value = f"{condition.value:.2f}", "lowest cell"
    how = []
    if rule.guards.throttle_under is not None:
        how.append(f"throttle under {100 * rule.guards.throttle_under:.0f} %")
    how += [
        f"once {value_words(plan, rule=rule, condition=c)} used" for c in rule.conditions if c.sensor == "used_ah"
    ]
    return CallRow(mark, rule.role, rule.name, ", ".join(how), rule.hold_s, cell, value)


def call_rows(plan: CalloutPlan, *, series: int) -> list[CallRow]:
    """The timers and calls of a plan for a pack of so many cells."""
    flown = plan.flown_with(series=series)
    rows = [
        CallRow("timer", "timer", f"{t.name}, {_RUNS[t.runs]}", "", 0.0, "", clock(t.at_s))
        for t in flown.timers
        if t.on
    ]
    return [*rows, *(found for r in flown.rules if (found := _row(flown, r)) is not None)][:_MOST]


@dataclass(frozen=True)
class Sentence:
    """A call in one plain sentence: what is said, when, and how it is kept from crying wolf."""

    role: str
    says: str
    when: str
    value: str
    how: str


_SENTENCES = 3


def _sentence(plan: CalloutPlan, rule: Rule) -> Sentence | None:
    row = _row(plan, rule)
    if row is None:
        return None
    says, condition = rule.say or rule.name.lower(), rule.conditions[0]
    if row.mark == "charge":
        return Sentence(rule.role, says, "once", row.value, "are used, as your sensor shows it")
    what = {"pack_v": "the pack", "lowest_v": "the pack at its lowest", "cell_v": "the lowest cell"}
    when = f"when {what.get(condition.sensor, 'the voltage')} stays below"
    value = f"{row.cell} V" if row.value == "lowest cell" else row.value
    if row.cell and row.value != "lowest cell" and plan.series_of(rule, condition) > 1:
        value += f" ({row.cell} V a cell)"
    held = f"for {row.hold_s:g} s" if row.hold_s else ""
    return Sentence(rule.role, says, when, value, ", ".join(part for part in (held, row.how) if part))


#: What comes first where there is room for three.
_WEIGHT = {"land_now": 0, "pack_low": 1, "charge_used": 2, "guard": 3}


def in_short(plan: CalloutPlan, *, series: int) -> tuple[list[Sentence], list[str]]:
    """A plan in three sentences for a pack of so many cells, and the names of what else speaks.

    Its timer, and the calls that matter most: “land now” last, as it is heard.
    """
    flown = plan.flown_with(series=series)
    timers = [t for t in flown.timers if t.on]
    first = [
        Sentence("timer", t.end, "at", clock(t.at_s), f"on the timer, which runs {_RUNNING[t.runs]}")
        for t in timers[:1]
    ]
    calls = [(rule, _sentence(flown, rule)) for rule in flown.rules if rule.on]
    weighed = sorted((s for _, s in calls if s is not None), key=lambda s: _WEIGHT[s.role])
    chosen = weighed[: _SENTENCES - len(first)]
    rest = [t.name for t in timers[1:]] + [rule.name for rule, s in calls if s is None or s not in chosen]
    return [*first, *reversed(chosen)], rest


def card_plan(plan: CalloutPlan, *, series: int) -> CardPlan:
    """The plan a sheet is flown with as the card shows it: lines for its pack, steps for all the plan's packs."""
    return CardPlan(rows=call_rows(plan, series=series), steps=setup_steps(plan))
