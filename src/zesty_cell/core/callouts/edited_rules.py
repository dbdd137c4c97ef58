"""What the pilot overruled of a school's plan, and what that changes on the flight expected."""

from __future__ import annotations

from dataclasses import dataclass

from zesty_cell.core.answer.forecast import Forecast
from zesty_cell.core.callouts.dry_run import on_forecast
from zesty_cell.core.callouts.rules import CalloutPlan, Rule, Timer


@dataclass(frozen=True)
class Spoken:
    """When a rule or timer first speaks on the flight expected.

    Attributes
    ----------
    time_s : float or None
        [s]; None where it stays silent until a little past the landing point.
    left : float or None
        Charge left then [1].
    """

    time_s: float | None
    left: float | None


@dataclass(frozen=True)
class EditedRule:
    """A rule or timer that is no longer as the school wrote it.

    Attributes
    ----------
    written : Rule or Timer
    now, then : Spoken
        As it is, and as the school wrote it.
    """

    written: Rule | Timer
    now: Spoken
    then: Spoken

    @property
    def moves(self) -> bool:
        """Whether it speaks at another moment by more than a second, or no longer at all."""
        a, b = self.now.time_s, self.then.time_s
        return (a is None) != (b is None) or (a is not None and b is not None and abs(a - b) > 1.0)


def _spoken(plan: CalloutPlan, result: Forecast) -> dict[str, Spoken]:
    flight, found = result.flight, dict[str, Spoken]()
    for event in on_forecast(plan=plan, result=result).ran.events:
        if event.kind in ("rule", "end") and event.key not in found:
            left = flight.left_at(min(event.time_s, flight.end_s))
            found[event.key] = Spoken(event.time_s, left)
    return found


def _changed(first: Rule | Timer, now: Rule | Timer) -> bool:
    """Whether a rule or timer is other than the school wrote it; its name says nothing."""
    ignored = {"name", "join"} if isinstance(now, Rule) and len(now.conditions) < 2 else {"name"}
    return first.model_dump(exclude=ignored) != now.model_dump(exclude=ignored)


def edited_rules(*, plan: CalloutPlan, written: CalloutPlan, result: Forecast) -> dict[str, EditedRule]:
    """Every rule and timer that the pilot changed, by key; what the pilot added is not in it [s].

    Parameters
    ----------
    plan : CalloutPlan
        As it is now.
    written : CalloutPlan
        As the school writes it.
    result : Forecast
        The flight both are run on.
    """
    series = result.setup.sheet.pack.series
    plan, written = (p.flown_with(series=series) for p in (plan, written))
    first_rules, first_timers = {r.key: r for r in written.rules}, {t.key: t for t in written.timers}
    rules = {
        r.key: first for r in plan.rules if (first := first_rules.get(r.key)) is not None and _changed(first, r)
    }
    timers = {t.key: was for t in plan.timers if (was := first_timers.get(t.key)) is not None and _changed(was, t)}
    if not rules and not timers:
        return {}
    before = plan.model_copy(
        update={
            "rules": tuple(rules.get(r.key, r) for r in plan.rules),
            "timers": tuple(timers.get(t.key, t) for t in plan.timers),
        }
    )
    now, then, silent = _spoken(plan, result), _spoken(before, result), Spoken(None, None)
    changed: dict[str, Rule | Timer] = {**rules, **timers}
    return {key: EditedRule(was, now.get(key, silent), then.get(key, silent)) for key, was in changed.items()}
