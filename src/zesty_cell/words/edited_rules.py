"""What was overruled, in a sentence beside its rule: how the school wrote it, and what the change does."""

from __future__ import annotations

from zesty_cell.core.answer.forecast import Forecast
from zesty_cell.core.callouts.edited_rules import EditedRule, Spoken, edited_rules
from zesty_cell.core.callouts.rules import CalloutPlan, Rule, Timer
from zesty_cell.words.steps import value_words
from zesty_cell.words.units import minutes


def _rule_parts(written: CalloutPlan, first: Rule, now: Rule) -> list[str]:
    parts = []
    changed = tuple(c for c in first.conditions if c not in now.conditions and c.sensor != "telemetry")
    if changed:
        parts.append(" and ".join(value_words(written, rule=first, condition=c) for c in changed))
    if now.hold_s != first.hold_s:
        parts.append(f"held {first.hold_s:g} s")
    if now.say != first.say:
        parts.append(f"saying “{first.say}”" if first.say else "saying nothing")
    if now.every_s != first.every_s:
        parts.append("once" if first.every_s is None else f"every {first.every_s:g} s")
    if now.on != first.on:
        parts.append("switched on")
    return parts or ["other guards"]


def _timer_parts(first: Timer, now: Timer) -> list[str]:
    parts = []
    if now.at_s != first.at_s:
        parts.append(minutes(first.at_s))
    if now.end != first.end:
        parts.append(f"saying “{first.end}”")
    return parts or ["other times"]


def _moment(spoken: Spoken) -> str:
    if spoken.time_s is None:
        return "stay silent"
    left = "" if spoken.left is None else f" with {100 * spoken.left:.0f} % left"
    return f"speak at {minutes(spoken.time_s)}{left}"


def _sentence(written: CalloutPlan, plan: CalloutPlan, key: str, change: EditedRule) -> str:
    first = change.written
    if isinstance(first, Rule):
        now = plan.rule(key)
        parts = _rule_parts(written, first, now) if now else []
    else:
        parts = _timer_parts(first, next(t for t in plan.timers if t.key == key))
    words = f"The school wrote {', '.join(parts)}."
    if change.moves:
        words += f" That would {_moment(change.then)}; yours will {_moment(change.now)}."
    return words


def changed_words(*, plan: CalloutPlan, written: CalloutPlan, result: Forecast) -> dict[str, str]:
    """A sentence for every rule and timer that was overruled, by key."""
    found = edited_rules(plan=plan, written=written, result=result)
    series = result.setup.sheet.pack.series
    plan, written = plan.flown_with(series=series), written.flown_with(series=series)
    return {key: _sentence(written, plan, key, change) for key, change in found.items()}
