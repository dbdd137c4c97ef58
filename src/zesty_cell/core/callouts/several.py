"""One plan for a model flown with several packs: a profile each, every spoken word serving all of them."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import replace

from zesty_cell.core.answer.forecast import Forecast
from zesty_cell.core.callouts.conditions import MOST_CONDITIONS, Condition
from zesty_cell.core.callouts.profiles import alike_cells, by_switch, same_profile, told_by_voltage
from zesty_cell.core.callouts.rules import (
    DERIVED_ROLES,
    MOST_PROFILES,
    MOST_RULES,
    MOST_TIMERS,
    CalloutPlan,
    Profile,
    Rule,
    School,
    Timer,
)
from zesty_cell.core.callouts.schools import write_plan
from zesty_cell.core.callouts.sensors import PACK_VOLTAGES
from zesty_cell.core.callouts.writer import SetTimer, Written, profile_of
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import Fact, fact


def _of_pack(condition: Condition, *, alike: bool) -> bool:
    """Whether a value means something else with another pack, of cells that are ``alike`` or not."""
    volts = condition.sensor in PACK_VOLTAGES and (condition.per == "pack" or not alike)
    return condition.sensor == "used_ah" or volts or (condition.sensor == "cell_v" and not alike)


def _cautious(old: Condition, new: Condition) -> Condition:
    """Of two values for the same cell count, the one that speaks first."""
    value = max(old.value, new.value) if old.comparison == "below" else min(old.value, new.value)
    return old.model_copy(update={"value": value})


def _joined(rule: Rule, other: Rule, own: Profile, theirs: Profile) -> Rule:
    """A rule that serves a further pack too: its conditions, and the longer hold."""
    alike = alike_cells(own, other=theirs)
    conditions = [
        c.model_copy(update={"profile": c.profile or own.key}) if _of_pack(c, alike=alike) else c
        for c in rule.conditions
    ]
    for new in other.conditions:
        same = [k for k, c in enumerate(conditions) if c.sensor == new.sensor and c.profile == theirs.key]
        if same:
            conditions[same[0]] = _cautious(conditions[same[0]], new)
        elif _of_pack(new, alike=alike):
            conditions.append(new.model_copy(update={"profile": theirs.key}))
    return rule.model_copy(
        update={"conditions": tuple(conditions), "join": "any", "hold_s": max(rule.hold_s, other.hold_s)}
    )


def add_pack(plan: CalloutPlan, result: Forecast, /, *, now: SetTimer | None = None) -> CalloutPlan:
    """The plan with a further pack: its profile, and its values in every rule that the school writes for it.

    A cell count that has a profile already keeps the more cautious of both values, and the wider bounds; with
    another chemistry it is a pack of its own, told by a switch.  A value of the pilot's own rules is taken per
    cell, so that it is right for every pack of its chemistry.

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
        When there are as many profiles as a plan holds, or no switch is left to tell the packs apart.
    """
    school = plan.school or "loaded voltage"
    other = write_plan(result, school=school, current_error=plan.current_error, now=now).plan
    [theirs] = other.profiles
    if any(p.series == theirs.series and not same_profile(p, other=theirs) for p in plan.profiles):
        words = result.setup.chemistry.short_name.replace("-", " ")
        named = {"name": f"{theirs.name} {words}", "say": f"{theirs.say} {words}"}
        other = other.model_copy(update={"profiles": (theirs.model_copy(update=named),)})
    return _with_plan(plan, other)


def keep_packs(plan: CalloutPlan, /, *, of: CalloutPlan) -> CalloutPlan:
    """A plan written anew for one pack, with the other packs of an older one, as they were there [V, Ah].

    Raises
    ------
    OutOfRangeError
        When there are as many profiles as a plan holds.
    """
    own = plan.profiles
    for profile in of.profiles:
        if not any(same_profile(profile, other=p) for p in own):
            rest = tuple(p for p in of.profiles if p.key != profile.key)
            other = of.model_copy(update={"profiles": (profile, *rest)}).flown_with(series=profile.series)
            plan = _with_plan(plan, other.model_copy(update={"profiles": (profile,)}))
    if len(plan.profiles) > 1:
        plan = plan.model_copy(update={"choose": of.choose, "wrong_profile": of.wrong_profile})
        profiles = []
        for profile in plan.profiles:
            was = next((p for p in of.profiles if same_profile(p, other=profile)), None)
            profiles.append(profile.model_copy(update={"switch": was.switch if was else profile.switch}))
        plan = plan.model_copy(update={"profiles": tuple(profiles)})
    return CalloutPlan.model_validate(plan.model_dump())


def named_like(written: CalloutPlan, /, *, plan: CalloutPlan) -> CalloutPlan:
    """A plan with the keys that another one has for the same packs: which comes first is each page's own."""
    names: dict[str | None, str] = {}
    for profile in written.profiles:
        same = next((p for p in plan.profiles if same_profile(p, other=profile)), profile)
        names[profile.key] = same.key
    if len(set(names.values())) < len(names) or all(k == v for k, v in names.items()):
        return written

    def called(key: str | None) -> str | None:
        return names.get(key, key)

    rules = []
    for rule in written.rules:
        conditions = tuple(c.model_copy(update={"profile": called(c.profile)}) for c in rule.conditions)
        guards = rule.guards.model_copy(update={"profile": called(rule.guards.profile)})
        rules.append(rule.model_copy(update={"conditions": conditions, "guards": guards}))
    return written.model_copy(
        update={
            "rules": tuple(rules),
            "timers": tuple(t.model_copy(update={"profile": called(t.profile)}) for t in written.timers),
            "profiles": tuple(p.model_copy(update={"key": names[p.key]}) for p in written.profiles),
        }
    )


def _with_plan(plan: CalloutPlan, other: CalloutPlan) -> CalloutPlan:
    """A plan with what another one, for one further pack, says."""
    theirs = other.profiles[0]
    own = next((p for p in plan.profiles if p.series == plan.series), plan.profiles[0])
    known = next((p for p in plan.profiles if same_profile(p, other=theirs)), None)
    if known is None and len(plan.profiles) >= MOST_PROFILES:
        raise OutOfRangeError(
            fact("refused.plan.full", most=MOST_PROFILES),
            field="profiles",
            value=MOST_PROFILES + 1,
            limit=MOST_PROFILES,
        )
    if known is not None:
        wide = {"floor_v": min(known.floor_v, theirs.floor_v), "full_v": max(known.full_v, theirs.full_v)}
        theirs = known.model_copy(update=wide)
        profiles = tuple(theirs if p.key == known.key else p for p in plan.profiles)
    else:
        keys = {p.key for p in plan.profiles}
        named = (theirs.key, *(f"{theirs.key[:20]}_{n}" for n in range(2, MOST_PROFILES + 2)))
        theirs = theirs.model_copy(update={"key": next(k for k in named if k not in keys), "switch": None})
        profiles = (*plan.profiles, theirs)
    rules = _rules(plan, other, own, theirs)
    if len(profiles) == 1:
        rules = [_for_any(rule) for rule in rules]
    timers = _timers(plan, other, own, theirs)
    choose = "one" if len(profiles) == 1 else plan.choose if plan.choose == "switch" else "automatic"
    joined = plan.model_copy(
        update={"rules": tuple(rules), "timers": timers, "profiles": profiles, "choose": choose}
    )
    counts = [p.series for p in profiles]
    if choose == "switch" or len(set(counts)) < len(counts):
        joined = by_switch(joined)
    return CalloutPlan.model_validate(joined.model_dump())


def _rules(plan: CalloutPlan, other: CalloutPlan, own: Profile, theirs: Profile) -> list[Rule]:
    """The plan's rules with those of a further pack: one word for both where one rule can serve both."""
    rules: list[Rule] = []
    served = set()
    alike = alike_cells(own, other=theirs)
    for rule in plan.rules:
        written = other.rule(rule.key)
        if not any(_of_pack(c, alike=alike) for c in rule.conditions):
            rules.append(rule)
        elif written is not None and _alike(rule, written, theirs):
            joins = len(rule.conditions) < MOST_CONDITIONS
            rules.append(_joined(rule, written, own, theirs) if joins else rule)
            served.add(rule.key)
        elif rule.role in DERIVED_ROLES and own.key == theirs.key and written is not None:
            rules.append(_least_asking(rule, written))
            served.add(rule.key)
        elif rule.role in DERIVED_ROLES:
            # What the forecast asked for with one pack says nothing of another.
            rules.append(_bound(rule, own))
        else:
            rules.append(_per_cell(plan, rule, own) if alike else _bound(rule, own))
    if own.key == theirs.key:
        return rules
    taken = {r.key for r in rules} | {t.key for t in plan.timers}
    further: list[Rule] = []
    for rule in other.rules:
        if rule.role in DERIVED_ROLES and rule.key not in served:
            # By its role, and not by the key it has: that one grows each time the plan is written anew.
            key = f"{rule.role}_{theirs.key}"[:24]
            if key not in taken:
                taken.add(key)
                further.append(_bound(rule, theirs).model_copy(update={"key": key}))
    room = MOST_RULES - len(rules)
    place = next((k for k, r in enumerate(rules) if r.role not in DERIVED_ROLES), len(rules))
    rules[place:place] = further[:room]
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


def _least_asking(rule: Rule, written: Rule) -> Rule:
    """One rule for two packs that are not told apart and whose rules ask for different things: the cautious one.

    The higher voltage; and what only one of them waits for, throttle or charge, neither does.
    """
    mine, theirs = ([c for c in r.conditions if c.sensor in PACK_VOLTAGES] for r in (rule, written))
    if not mine or not theirs:
        return rule
    unders = rule.guards.throttle_under, written.guards.throttle_under
    under = None if unders[0] is None or unders[1] is None else max(unders[0], unders[1])
    return rule.model_copy(
        update={
            "conditions": (_cautious(mine[0], theirs[0]),),
            "hold_s": max(rule.hold_s, written.hold_s),
            "guards": rule.guards.model_copy(update={"throttle_under": under}),
        }
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
            notes.append(fact("plan.not_in_it", why=error.why))
    results = joined
    if plan.choose == "switch":
        notes.append(fact("plan.told_by_switch"))
    elif len(plan.profiles) > 1 and not told_by_voltage(plan.profiles):
        notes.append(fact("plan.alike_at_arming"))
    craft = results[0].setup.sheet.craft
    packs = {r.setup.sheet.pack.name for r in results}
    if len(packs) > 1:
        plan = plan.model_copy(update={"name": f"{craft.name}, {len(packs)} packs"[:80]})
    reasons = first.reasons if len(results) == 1 else first.reasons | _reasons(plan, results, first.reasons)
    return replace(first, plan=plan, reasons=reasons, notes=tuple(notes))


def _reasons(plan: CalloutPlan, results: Sequence[Forecast], known: Collection[str]) -> dict[str, Fact]:
    """Why each timer, and each rule of several packs that has a reason already, is as it is."""
    reasons: dict[str, Fact] = {}
    for clock in plan.timers:
        profile = plan.profile(clock.profile)
        of = [r for r in results if profile is None or same_profile(profile, other=profile_of(r.setup.sheet.pack))]
        shortest = min(of, key=lambda r: r.callouts.timers.timer_s).setup.sheet.pack.name
        one = fact("plan.timer.of_pack", pack=shortest)
        reasons[clock.key] = fact("plan.timer.of_packs", pack=shortest, packs=len(of)) if len(of) > 1 else one
    for key in {r.key for r in plan.rules if len(r.conditions) > 1} & {*known, *reasons}:
        reasons[key] = fact("plan.one_word")
    return reasons
