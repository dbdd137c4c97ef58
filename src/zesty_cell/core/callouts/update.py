"""A plan that is older than what its sheet says now: what differs, and the plan brought up to date."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import reduce
from typing import Literal

from zesty_cell.core.callouts.rules import DERIVED_ROLES, CalloutPlan, Role, Rule
from zesty_cell.core.callouts.several import keep_packs, named_like
from zesty_cell.core.callouts.values import typed_value
from zesty_cell.core.fact import Fact, Words, fact

#: Timers this near are the same [s].
_SAME_S = 4.0


@dataclass(frozen=True)
class Difference:
    """Something a plan holds otherwise than the sheet says now.

    Attributes
    ----------
    what : str or Fact
        Name of the rule, or the timer.
    held, now : Fact
    unsafe : bool
        The plan speaks later than it should now, or not at all.
    """

    what: Words
    held: Fact
    now: Fact
    unsafe: bool


def _joined(key: Literal["update.and", "update.comma"], said: Sequence[Fact]) -> Fact:
    return reduce(lambda one, other: fact(key, one=one, other=other), said) if said else fact("update.nothing")


def _said(plan: CalloutPlan, rule: Rule) -> tuple[Fact, Fact, Fact]:
    """Its values, its hold and what it asks of the throttle."""
    under = rule.guards.throttle_under
    return (
        _joined("update.and", [typed_value(plan, rule=rule, condition=c) for c in rule.conditions]),
        fact("update.held", hold_s=round(rule.hold_s, 3)),
        fact("update.any_throttle")
        if under is None
        else fact("update.throttle_under", under_share=round(under, 2)),
    )


def _apart(held: tuple[Fact, ...], now: tuple[Fact, ...]) -> tuple[Fact, Fact]:
    """Both without what they share."""
    kept = [k for k, (a, b) in enumerate(zip(held, now, strict=True)) if a != b]
    return _joined("update.comma", [held[k] for k in kept]), _joined("update.comma", [now[k] for k in kept])


def _later(plan: CalloutPlan, held: Rule, now: Rule) -> bool:
    """Whether a rule speaks later than it should: a lower voltage, more charge, a longer hold."""
    if {c.sensor for c in held.conditions} != {c.sensor for c in now.conditions}:
        return True
    for was, wanted in zip(held.conditions, now.conditions, strict=False):
        a, b = (c.threshold(series=plan.series_of(held, c)) for c in (was, wanted))
        if (a < b - 1e-6) if wanted.comparison == "below" else (a > b + 1e-6):
            return True
    return held.hold_s > now.hold_s + 1e-6


def _by_role(plan: CalloutPlan) -> dict[Role, Rule]:
    """The first rule of each role that follows from the forecast."""
    found: dict[Role, Rule] = {}
    for rule in plan.rules:
        if rule.on and rule.role in DERIVED_ROLES:
            found.setdefault(rule.role, rule)
    return found


def differences(*, plan: CalloutPlan, written: CalloutPlan, series: int) -> tuple[Difference, ...]:
    """What a plan holds otherwise than it would be written now, for a pack of so many cells [1].

    Only what follows from the forecast: timers, and the rules of :data:`DERIVED_ROLES`.
    """
    plan, written = plan.flown_with(series=series), written.flown_with(series=series)
    found, off = list[Difference](), fact("update.off")
    held_s = min((t.at_s for t in plan.timers if t.on), default=None)
    now_s = min((t.at_s for t in written.timers if t.on), default=None)
    if now_s is not None and (held_s is None or abs(held_s - now_s) > _SAME_S):
        held = fact("update.none") if held_s is None else fact("update.at", at_s=held_s)
        late = held_s is None or held_s > now_s
        found.append(Difference(fact("update.timer"), held, fact("update.at", at_s=now_s), late))
    mine, wanted = _by_role(plan), _by_role(written)
    for role, now in wanted.items():
        rule = mine.get(role)
        if rule is None:
            found.append(Difference(now.name, off, _said(written, now)[0], now.role in ("land_now", "guard")))
        elif _said(plan, rule) != _said(written, now):
            held, new = _apart(_said(plan, rule), _said(written, now))
            found.append(Difference(now.name, held, new, _later(plan, rule, now)))
    found += [Difference(r.name, _said(plan, r)[0], off, True) for role, r in mine.items() if role not in wanted]
    return tuple(found)


def _matched(held: list[Rule], now: list[Rule]) -> dict[str, Rule]:
    """Which rule each one held is now, by its key: what it says for the same pack, whatever it is called there.

    Two pages of one craft write the same plan with its packs in another order, and then other rules have a
    pack's name in their key.
    """
    found: dict[str, Rule] = {}
    left = list(now)
    for by_key, by_pack in ((True, True), (False, True), (True, False)):
        for rule in held:
            wanted = (
                None
                if rule.key in found
                else next(
                    (
                        r
                        for r in left
                        if (rule.key == r.key if by_key else rule.role == r.role)
                        and (not by_pack or rule.guards.profile == r.guards.profile)
                    ),
                    None,
                )
            )
            if wanted is not None:
                found[rule.key] = wanted
                left.remove(wanted)
    return found


def brought_up_to_date(plan: CalloutPlan, /, *, written: CalloutPlan) -> CalloutPlan:
    """The plan with timers and values as they would be written now [V, Ah, s]; words and own rules stay."""
    written = named_like(keep_packs(written, of=plan), plan=plan)
    now = [r for r in written.rules if r.role in DERIVED_ROLES]
    wanted_by = _matched([r for r in plan.rules if r.role in DERIVED_ROLES], now)
    rules: list[Rule] = []
    for rule in plan.rules:
        wanted = wanted_by.get(rule.key)
        if rule.role not in DERIVED_ROLES:
            rules.append(rule)
        elif wanted is None:
            rules.append(rule.model_copy(update={"on": False}))
        else:
            now.remove(wanted)
            under = {"throttle_under": wanted.guards.throttle_under, "profile": wanted.guards.profile}
            rules.append(
                rule.model_copy(
                    update={
                        "conditions": wanted.conditions,
                        "join": wanted.join,
                        "hold_s": wanted.hold_s,
                        "role": wanted.role,
                        "guards": rule.guards.model_copy(update=under),
                        "on": True,
                    }
                )
            )
    first = next((k for k, r in enumerate(rules) if r.role not in DERIVED_ROLES), len(rules))
    taken = {r.key for r in rules} | {t.key for t in plan.timers}
    for rule in now:
        key = rule.key if rule.key not in taken else f"{rule.role}_{rule.guards.profile or 'any'}"[:24]
        rules.insert(first, rule.model_copy(update={"key": key}))
        taken.add(key)
        first += 1
    times = {t.profile: t.at_s for t in written.timers}
    earliest = min(times.values(), default=None)
    timers = [
        t if earliest is None else t.model_copy(update={"at_s": times.get(t.profile, earliest), "on": True})
        for t in plan.timers
    ] or list(written.timers)
    values = plan.model_dump() | {
        "rules": [r.model_dump() for r in rules],
        "timers": [t.model_dump() for t in timers],
        "profiles": [p.model_dump() for p in written.profiles],
        "choose": plan.choose if len(plan.profiles) == len(written.profiles) else written.choose,
    }
    return CalloutPlan.model_validate(values)
