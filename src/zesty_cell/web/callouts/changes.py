"""The single steps of the callouts page: mend, add, take out, conditions, packs, what tuning found."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import get_args

from zesty_cell.core.callouts.conditions import MOST_CONDITIONS, Condition
from zesty_cell.core.callouts.rules import CalloutPlan, Rule
from zesty_cell.core.callouts.schools import FurtherRule, further_rule
from zesty_cell.core.callouts.several import add_pack, remove_pack
from zesty_cell.core.callouts.tune import tunable
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import Words, fact
from zesty_cell.services.forecasts import flown
from zesty_cell.store.hangar import PACKS
from zesty_cell.web.callouts.desk import Desk
from zesty_cell.web.http import whole_number
from zesty_cell.words.units import read_number

Changed = tuple[CalloutPlan | None, Words]
#: One step: the plan as typed, what the button says, the desk, the form; the new plan and a word of it.
Step = Callable[[CalloutPlan, str, Desk, Mapping[str, str]], Changed]


def _mend(plan: CalloutPlan, what: str, desk: Desk, _form: Mapping[str, str]) -> Changed:
    key, _, concerns = what.partition(":")
    found = next((f for f in desk.findings(plan) if (f.key, f.concerns) == (key, concerns)), None)
    if found is None or found.mended is None or found.mend is None:
        return None, ""
    return found.mended, fact("said.plan.mended", mend=found.mend)


def _remove(plan: CalloutPlan, what: str, desk: Desk, _form: Mapping[str, str]) -> Changed:
    rest = tuple(r for r in plan.rules if r.key != what)
    return plan.model_copy(update={"rules": rest}), fact("said.rule.out")


def _free_key(plan: CalloutPlan) -> str:
    taken = {r.key for r in plan.rules} | {t.key for t in plan.timers}
    return next(k for n in range(1, len(taken) + 2) if (k := f"own_{n}") not in taken)


def _add(plan: CalloutPlan, what: str, desk: Desk, _form: Mapping[str, str]) -> Changed:
    kind = next((k for k in get_args(FurtherRule) if k == what), None)
    if kind is None:
        return None, ""
    rule = further_rule(kind, key=_free_key(plan), result=desk.flight, receiver=plan.receiver)
    return plan.model_copy(update={"rules": (*plan.rules, rule)}), fact("said.rule.added")


def _more(plan: CalloutPlan, what: str, desk: Desk, _form: Mapping[str, str]) -> Changed:
    """One more condition in a rule."""
    rule = plan.rule(what)
    if rule is None or len(rule.conditions) >= MOST_CONDITIONS:
        return None, ""
    new = (
        rule.conditions[-1] if rule.conditions else Condition(value=desk.flight.callouts.pack_low.threshold.pack_v)
    )
    changed = rule.model_copy(update={"conditions": (*rule.conditions, new)})
    return plan.with_rule(changed), fact("said.rule.one_more")


def _fewer(plan: CalloutPlan, what: str, desk: Desk, _form: Mapping[str, str]) -> Changed:
    rule = plan.rule(what)
    if rule is None or len(rule.conditions) < 2:
        return None, ""
    return plan.with_rule(rule.model_copy(update={"conditions": rule.conditions[:-1]})), fact("said.rule.one_less")


def _set(plan: CalloutPlan, what: str, desk: Desk, _form: Mapping[str, str]) -> Changed:
    """What tuning found: threshold of the whole pack and hold."""
    key, _, numbers = what.partition(":")
    series = desk.sheet.pack.series
    rule, condition = plan.rule(key), tunable(plan, key, series=series)
    try:
        pack_v, hold_s = (read_number(n) for n in numbers.split(":"))
        if rule is None or condition is None:
            return None, ""
        value = round(pack_v / series if condition.per == "cell" else pack_v, 3)
        conditions = [c.model_dump() | ({"value": value} if c is condition else {}) for c in rule.conditions]
        changed = Rule.model_validate(rule.model_dump() | {"conditions": conditions, "hold_s": hold_s})
    except ValueError:
        return None, ""
    return plan.with_rule(changed), fact("said.rule.tuned", pack_v=pack_v, hold_s=hold_s)


def _pack(plan: CalloutPlan, _what: str, desk: Desk, form: Mapping[str, str]) -> Changed:
    """A further pack, flown as the sheet says."""
    pack = PACKS.thing(PACKS.fetch(desk.session, whole_number(form.get("another_pack", ""))))
    sheet = desk.sheet.model_copy(update={"pack": pack})
    try:
        changed = add_pack(plan, flown(sheet))
    except OutOfRangeError as error:
        return plan, fact("said.pack.not_added", pack=pack.name, why=error.why)
    by_switch = changed.choose == "switch" != plan.choose
    return changed, fact("said.pack.in_by_switch" if by_switch else "said.pack.in", pack=pack.name)


def _unpack(plan: CalloutPlan, what: str, _desk: Desk, _form: Mapping[str, str]) -> Changed:
    return remove_pack(plan, what), fact("said.pack.out")


STEPS: dict[str, Step] = {
    "set": _set,
    "mend": _mend,
    "remove": _remove,
    "add": _add,
    "more": _more,
    "fewer": _fewer,
    "pack": _pack,
    "unpack": _unpack,
}
