"""One plan for a model flown with several packs: a profile each, every spoken word serving all of them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from itertools import pairwise

from zesty_cell.core.callouts.rules import (
    DERIVED_ROLES,
    FULL_TOLERANCE_V,
    MOST_CONDITIONS,
    MOST_PROFILES,
    MOST_RULES,
    MOST_TIMERS,
    PACK_VOLTAGES,
    CalloutPlan,
    Condition,
    Profile,
    Rule,
    School,
    Timer,
)
from zesty_cell.core.callouts.schools import SetTimer, Written, write_plan
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.forecast import Forecast


def _of_pack(condition: Condition) -> bool:
    """Whether a value means something else with another pack."""
    return condition.sensor == "used_ah" or (condition.sensor in PACK_VOLTAGES and condition.per == "pack")


def _cautious(old: Condition, new: Condition) -> Condition:
    """Of two values for the same cell count, the one that speaks first."""
    value = max(old.value, new.value) if old.comparison == "below" else min(old.value, new.value)
    return old.model_copy(update={"value": value})


def _joined(rule: Rule, other: Rule, own: Profile, theirs: Profile) -> Rule:
    """A rule that serves a further pack too: its conditions, and the longer hold."""
    conditions = [
        c.model_copy(update={"profile": c.profile or own.key}) if _of_pack(c) else c for c in rule.conditions
    ]
    for new in other.conditions:
        same = [k for k, c in enumerate(conditions) if c.sensor == new.sensor and c.profile == theirs.key]
        if same:
            conditions[same[0]] = _cautious(conditions[same[0]], new)
        elif _of_pack(new):
            conditions.append(new.model_copy(update={"profile": theirs.key}))
    return rule.model_copy(
        update={"conditions": tuple(conditions), "join": "any", "hold_s": max(rule.hold_s, other.hold_s)}
    )


#: Profiles of as many cells are one where their bounds are this near [V a cell]; else it is another chemistry.
_SAME_BOUNDS_V = 0.12


def another_chemistry(plan: CalloutPlan, result: Forecast, /) -> bool:
    """Whether a pack has as many cells as one of the plan, and other voltages [V a cell].

    Such a pack cannot be in the plan: one value would be wrong for both, and the voltage does not tell them apart.
    """
    chemistry, series = result.setup.chemistry, result.setup.sheet.pack.series
    return any(
        p.series == series
        and max(abs(p.floor_v - chemistry.landing_rest_v), abs(p.full_v - chemistry.full_v)) > _SAME_BOUNDS_V
        for p in plan.profiles
    )


def _told_by_voltage(profiles: Sequence[Profile]) -> bool:
    """Whether the voltage at arming tells the packs apart, full or part-used."""
    spans = sorted((p.floor_v * p.series, (p.full_v + FULL_TOLERANCE_V) * p.series) for p in profiles)
    return all(high < low for (_, high), (low, _) in pairwise(spans))


def add_pack(plan: CalloutPlan, result: Forecast, /, *, now: SetTimer | None = None) -> CalloutPlan:
    """The plan with a further pack: its profile, and its values in every rule that the school writes for it.

    A cell count that has a profile already keeps the more cautious of both values, and the wider bounds.
    A value of the pilot's own rules is taken per cell, so that it is right for every pack.

    Parameters
    ----------
    plan : CalloutPlan
        With at least one profile.
    result : Forecast
        Of the craft with that pack [V, Ah, s].
    now : SetTimer, optional
        The timer to set with it now, where the log advises one [s].

    Raises
    ------
    OutOfRangeError
        When there are as many profiles as a plan holds, or the pack has as many cells as one of the plan and
        another chemistry.
    """
    if another_chemistry(plan, result):
        pack = result.setup.sheet.pack
        raise OutOfRangeError(
            f"{pack.name} has {pack.series} cells as well, and another chemistry: one value would be wrong for "
            "both. Give its sheet a plan of its own.",
            field="profiles", value=pack.series, limit=pack.series,
        )  # fmt: skip
    school = plan.school or "loaded voltage"
    other = write_plan(result, school=school, current_error=plan.current_error, now=now).plan
    return _with_plan(plan, other)


def keep_packs(plan: CalloutPlan, /, *, of: CalloutPlan) -> CalloutPlan:
    """A plan written anew for one pack, with the other packs of an older one, as they were there [V, Ah].

    Raises
    ------
    OutOfRangeError
        When there are as many profiles as a plan holds.
    """
    own = {p.series for p in plan.profiles}
    for profile in of.profiles:
        if profile.series not in own:
            other = of.flown_with(series=profile.series)
            plan = _with_plan(plan, other.model_copy(update={"profiles": (profile,)}))
    if len(plan.profiles) > 1:
        plan = plan.model_copy(update={"choose": of.choose, "wrong_profile": of.wrong_profile})
        switches = {p.key: p.switch for p in of.profiles}
        profiles = tuple(p.model_copy(update={"switch": switches.get(p.key, p.switch)}) for p in plan.profiles)
        plan = plan.model_copy(update={"profiles": profiles})
    return CalloutPlan.model_validate(plan.model_dump())


def _with_plan(plan: CalloutPlan, other: CalloutPlan) -> CalloutPlan:
    """A plan with what another one, for one further pack, says."""
    theirs = other.profiles[0]
    own = next((p for p in plan.profiles if p.series == plan.series), plan.profiles[0])
    known = next((p for p in plan.profiles if p.series == theirs.series), None)
    if known is None and len(plan.profiles) >= MOST_PROFILES:
        raise OutOfRangeError(
            f"A plan holds {MOST_PROFILES} packs.", field="profiles", value=MOST_PROFILES + 1, limit=MOST_PROFILES
        )
    if known is not None:
        wide = {"floor_v": min(known.floor_v, theirs.floor_v), "full_v": max(known.full_v, theirs.full_v)}
        theirs = known.model_copy(update=wide)
        profiles = tuple(theirs if p.key == known.key else p for p in plan.profiles)
    else:
        profiles = (*plan.profiles, theirs)
    rules = _rules(plan, other, own, theirs)
    if len(profiles) == 1:
        rules = [_for_any(rule) for rule in rules]
    timers = _timers(plan, other, own, theirs)
    choose = "one" if len(profiles) == 1 else plan.choose if plan.choose == "switch" else "automatic"
    return CalloutPlan.model_validate(
        plan.model_copy(
            update={"rules": tuple(rules), "timers": timers, "profiles": profiles, "choose": choose}
        ).model_dump()
    )


def _rules(plan: CalloutPlan, other: CalloutPlan, own: Profile, theirs: Profile) -> list[Rule]:
    """The plan's rules with those of a further pack: one word for both where one rule can serve both."""
    rules: list[Rule] = []
    served = set()
    for rule in plan.rules:
        written = other.rule(rule.key)
        if not any(_of_pack(c) for c in rule.conditions):
            rules.append(rule)
        elif written is not None and _alike(rule, written, theirs):
            joins = len(rule.conditions) < MOST_CONDITIONS
            rules.append(_joined(rule, written, own, theirs) if joins else rule)
            served.add(rule.key)
        elif rule.role in DERIVED_ROLES:
            # What the forecast asked for with one pack says nothing of another.
            rules.append(_bound(rule, own))
        else:
            rules.append(_per_cell(plan, rule, own))
    if own.key == theirs.key:
        return rules
    taken = {r.key for r in rules} | {t.key for t in plan.timers}
    further = [
        _bound(rule, theirs).model_copy(update={"key": f"{rule.key}_{theirs.key}"[:24]})
        for rule in other.rules
        if rule.role in DERIVED_ROLES and rule.key not in served
    ]
    room = MOST_RULES - len(rules)
    place = next((k for k, r in enumerate(rules) if r.role not in DERIVED_ROLES), len(rules))
    rules[place:place] = [rule for rule in further if rule.key not in taken][:room]
    return rules


def _alike(rule: Rule, written: Rule, theirs: Profile) -> bool:
    """Whether one rule can serve both packs: one condition each, under the same throttle."""
    mine = [c for c in rule.conditions if c.profile in (None, theirs.key)]
    return (
        (rule.join == "any" or len(rule.conditions) == 1)
        and len(mine) <= 1
        and len(written.conditions) == 1
        and rule.guards.profile in (None, theirs.key)
        and rule.guards.throttle_under == written.guards.throttle_under
        and {c.sensor for c in rule.conditions} == {written.conditions[0].sensor}
    )


def _bound(rule: Rule, profile: Profile) -> Rule:
    """A rule that is watched with one profile alone."""
    if rule.guards.profile is not None or any(c.profile is not None for c in rule.conditions):
        return rule
    return rule.model_copy(update={"guards": rule.guards.model_copy(update={"profile": profile.key})})


def _for_any(rule: Rule) -> Rule:
    """A rule that is not for one profile: there is only one."""
    conditions = tuple(c.model_copy(update={"profile": None}) for c in rule.conditions)
    guards = rule.guards.model_copy(update={"profile": None})
    return rule.model_copy(update={"conditions": conditions, "guards": guards})


def _timers(plan: CalloutPlan, other: CalloutPlan, own: Profile, theirs: Profile) -> tuple[Timer, ...]:
    """The timers with the further pack's: each pack its own; the earlier one where cells are as many."""
    written = other.timers[0] if other.timers else None
    if written is None:
        return plan.timers
    if own.key == theirs.key or any(t.profile == theirs.key for t in plan.timers):
        mine = (None, theirs.key) if own.key == theirs.key else (theirs.key,)
        return tuple(
            t.model_copy(update={"at_s": min(t.at_s, written.at_s)}) if t.profile in mine else t
            for t in plan.timers
        )
    bound = tuple(
        t.model_copy(update={"profile": own.key, "name": f"{t.name}, {own.name}"[:80]}) if t.profile is None else t
        for t in plan.timers
    )
    further = written.model_copy(
        update={"key": f"timer_{theirs.key}", "name": f"Timer, {theirs.name}", "profile": theirs.key}
    )
    if len(bound) >= MOST_TIMERS or any(t.key == further.key for t in bound):
        return tuple(t.model_copy(update={"at_s": min(t.at_s, written.at_s)}) for t in plan.timers)
    return (*bound, further)


def _per_cell(plan: CalloutPlan, rule: Rule, own: Profile) -> Rule:
    """A rule of the pilot's own: volts of the pack become volts a cell; charge stays with the pack it was for."""
    changed = []
    for c in rule.conditions:
        if c.sensor in PACK_VOLTAGES and c.per == "pack" and c.profile is None:
            cell_v = c.cell_value_v(series=plan.series_of(rule, c))
            changed.append(c.model_copy(update={"per": "cell", "value": round(cell_v, 3)}))
        elif c.sensor == "used_ah" and c.profile is None:
            changed.append(c.model_copy(update={"profile": own.key}))
        else:
            changed.append(c)
    return rule.model_copy(update={"conditions": tuple(changed)})


def remove_pack(plan: CalloutPlan, key: str, /) -> CalloutPlan:
    """The plan without a profile, and without what was for it alone [V, Ah]; the last one stays."""
    rest = tuple(p for p in plan.profiles if p.key != key)
    if not rest or len(rest) == len(plan.profiles):
        return plan
    rules = []
    for rule in plan.rules:
        kept = tuple(c for c in rule.conditions if c.profile != key)
        if rule.guards.profile != key and (kept or not rule.conditions):
            rules.append(rule.model_copy(update={"conditions": kept}))
    timers = tuple(t for t in plan.timers if t.profile != key)
    if len(rest) == 1:
        rules = [_for_any(rule) for rule in rules]
        timers = tuple(
            t.model_copy(update={"profile": None, "name": t.name.removesuffix(f", {rest[0].name}")}) for t in timers
        )
    return plan.model_copy(
        update={
            "rules": tuple(rules),
            "timers": timers,
            "profiles": rest,
            "choose": "one" if len(rest) == 1 else plan.choose,
            "series": rest[0].series if len(rest) == 1 else plan.series,
        }
    )


def write_for_packs(
    results: Sequence[Forecast],
    /,
    *,
    school: School,
    current_error: float | None = None,
    now: Sequence[SetTimer | None] = (),
) -> Written:
    """The plan of a school for one craft with several packs.

    Every cell count has its own timer and values; holds are the longest; of two packs with as many cells the value
    that speaks first counts.

    Parameters
    ----------
    results : sequence of Forecast
        At least one, of the same craft [V, Ah, s].
    school : School
    current_error : float, optional
        How far the current sensor was out at its last check [1].
    now : sequence of SetTimer
        The timer to set with each now, as many as results; their own without any [s].
    """
    timers = list(now) or [None] * len(results)
    first = write_plan(results[0], school=school, current_error=current_error, now=timers[0])
    plan = first.plan
    notes = list(first.notes)
    joined = [results[0]]
    for result, timer in zip(results[1:], timers[1:], strict=True):
        try:
            plan = add_pack(plan, result, now=timer)
            joined.append(result)
        except OutOfRangeError as error:
            notes.append(f"Not in it: {error}")
    results = joined
    if len(plan.profiles) > 1 and not _told_by_voltage(plan.profiles):
        notes.append(
            "A full pack of fewer cells and a part-used one of more look alike at arming, and the fewer are taken: "
            "choose by a switch if you fly part-used packs."
        )
    craft = results[0].setup.sheet.craft
    packs = {r.setup.sheet.pack.name for r in results}
    if len(packs) > 1:
        plan = plan.model_copy(update={"name": f"{craft.name}, {len(packs)} packs"[:80]})
    reasons = dict(first.reasons)
    if len(results) > 1:
        for clock in plan.timers:
            profile = plan.profile(clock.profile)
            of = [r for r in results if profile is None or r.setup.sheet.pack.series == profile.series]
            shortest = min(of, key=lambda r: r.callouts.timers.timer_s).setup.sheet.pack.name
            first_of = f"the earliest of {len(of)} packs, {shortest}" if len(of) > 1 else shortest
            reasons[clock.key] = f"For {first_of}: the guard that needs no telemetry."
        for key in {r.key for r in plan.rules if len(r.conditions) > 1} & set(reasons):
            reasons[key] = "One word for every pack, each with its own value; the longest hold of them."
    return replace(first, plan=plan, reasons=reasons, notes=tuple(notes))
