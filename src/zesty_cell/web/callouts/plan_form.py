"""The plan's form: every underlined word of the sentences is an input; texts to plan and back."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations
from typing import Any, cast

from pydantic import ValidationError

from zesty_cell.core.callouts.conditions import POSITIONS, SWITCHES, Condition, Guards, Switch, free_positions
from zesty_cell.core.callouts.profiles import not_told_apart
from zesty_cell.core.callouts.rules import CalloutPlan, Profile, Rule, Timer
from zesty_cell.core.callouts.sensors import SENSORS, SensorKey
from zesty_cell.core.parts.chemistries import CHEMISTRIES
from zesty_cell.web.http import FormState, whole_number
from zesty_cell.web.http.forms import Field, form_units, get, put, read_field, words_of
from zesty_cell.words.english.sensors import SENSOR_NAMES, the
from zesty_cell.words.units import CAPACITY, COUNT, CURRENT, DURATION, SECONDS, SHARE, VOLTAGE, Quantity, typed

SENSOR_CHOICES = tuple(SENSOR_NAMES.items())
COMPARISONS: tuple[tuple[str, str], ...] = (
    ("below", "stays below"),
    ("above", "passes"),
    ("missing", "is missing"),
    ("present", "is there"),
)
READS: tuple[tuple[str, str], ...] = (
    ("", "nothing read out"),
    *(
        (key, f"read {the(key)}")
        for key, sensor in SENSORS.items()
        if key != "lowest_v" and sensor.kind != "presence"
    ),
)
SWITCH_WORDS: tuple[tuple[str, str], ...] = (
    ("", "whatever the switches"),
    *((f"{name}.{position}", f"switch {name} is {position}") for name in SWITCHES for position in POSITIONS),
)
#: What a rule listens to: one position of a switch, or two of its three.
LISTENS: tuple[tuple[str, str], ...] = (
    *SWITCH_WORDS,
    *(
        (f"{name}.{one}.{other}", f"switch {name} is {one} or {other}")
        for name in SWITCHES
        for one, other in combinations(POSITIONS, 2)
    ),
)
VIBRATIONS = (
    ("", "no shaking"),
    ("short", "a short shake"),
    ("medium", "a medium shake"),
    ("long", "a long shake"),
)
RUNS = (("throttle", "throttle above idle"), ("armed", "arming"), ("always", "switching on"))
_UNIT: dict[str, Quantity] = {"volts": VOLTAGE, "charge": CAPACITY, "current": CURRENT, "time": DURATION}


def unit_of(sensor: str) -> Quantity | None:
    """How a sensor's value is typed; None for what is no sensor, or has no value."""
    found = SENSORS.get(cast(SensorKey, sensor))
    return None if found is None else _UNIT.get(found.kind)


@dataclass
class ReadPlan:
    """What was posted: the plan, or what is wrong with it; the version it was read from."""

    plan: CalloutPlan | None
    state: FormState
    version: int


def _switch_text(switch: Switch | None) -> str:
    return "" if switch is None else f"{switch.name}.{switch.position}"


def _switch_value(text: str) -> dict[str, str] | None:
    name, _, position = text.partition(".")
    return {"name": name, "position": position} if text else None


def _listens_text(guards: Guards) -> str:
    text = _switch_text(guards.switch)
    if guards.or_position is None or guards.switch is None:
        return text
    return ".".join((guards.switch.name, *sorted(guards.positions(), key=list(POSITIONS).index)))


def _rule_fields(rule: Rule) -> tuple[Field, ...]:
    prefix = f"rules.{rule.key}."
    return (
        Field(f"{prefix}hold_s", "Hold", SECONDS, required=True),
        Field(f"{prefix}say", "Words", kind="text"),
        Field(f"{prefix}every_s", "Again every", SECONDS),
        Field(f"{prefix}quiet_s", "Quiet at the start", SECONDS),
        Field(f"{prefix}guards.throttle_over", "Throttle over", SHARE),
        Field(f"{prefix}guards.throttle_under", "Throttle under", SHARE),
    )


def _timer_fields(timer: Timer) -> tuple[Field, ...]:
    prefix = f"timers.{timer.key}."
    return (
        Field(f"{prefix}at_s", "At", DURATION, required=True),
        Field(f"{prefix}every_s", "Every", DURATION),
        Field(f"{prefix}last_s", "Last seconds", SECONDS),
        Field(f"{prefix}end", "Words at the end", kind="text", required=True),
        Field(f"{prefix}end_every_s", "Again every", SECONDS),
        Field(f"{prefix}reset_disarmed_s", "Reset when disarmed for", SECONDS),
    )


def _profile_fields(profile: Profile) -> tuple[Field, ...]:
    prefix = f"profiles.{profile.key}."
    return (
        Field(f"{prefix}floor_v", "Lowest at arming", VOLTAGE, required=True),
        Field(f"{prefix}full_v", "Full", VOLTAGE, required=True),
        Field(f"{prefix}say", "Words at arming", kind="text", required=True),
    )


def _condition_field(rule: Rule, place: int, sensor: str) -> Field:
    return Field(f"rules.{rule.key}.conditions.{place}.value", "Value", unit_of(sensor), required=True)


STAGES = (
    Field("stages.lamp_v", "Its lamp comes on at", VOLTAGE, hint="off"),
    Field("stages.landing_v", "It lands by itself at", VOLTAGE, hint="off"),
    Field("current_error", "Current sensor, last check", SHARE, hint="never checked"),
)


RECEIVER = Field("receiver.series", "Cells of the receiver's pack", COUNT, required=True)
RECEIVERS = (("", "no pack of its own"), *((c.key, c.short_name) for c in CHEMISTRIES.values()))
WRONG_PROFILE = Field("wrong_profile", "Words for a wrong pack", kind="text", required=True)
CHOICES = (("one", "there is only one"), ("automatic", "the voltage at arming"), ("switch", "a switch"))


def _value_text(condition: Condition) -> str:
    """A value as it is set: volts keep their tenth, “20.0”."""
    unit = unit_of(condition.sensor)
    if unit is None:
        return ""
    text = typed(condition.value, unit, "metric")
    return f"{text}.0" if unit is VOLTAGE and "." not in text else text


def first_texts(plan: CalloutPlan, *, version: int) -> dict[str, str]:
    """What the form holds for a plan."""
    texts = {"version": str(version), "units": "metric"}
    values = plan.model_dump()
    for item in STAGES:
        texts[item.path] = typed(get(values, item.path), item.quantity or VOLTAGE, "metric")
    for rule in plan.rules:
        prefix = f"rules.{rule.key}."
        texts |= {
            f"{prefix}on": "on" if rule.on else "",
            f"{prefix}hold_s": typed(rule.hold_s, SECONDS, "metric"),
            f"{prefix}say": rule.say or "",
            f"{prefix}read": rule.read or "",
            f"{prefix}vibrate": rule.vibrate or "",
            f"{prefix}every_s": typed(rule.every_s, SECONDS, "metric"),
            f"{prefix}quiet_s": typed(rule.quiet_s, SECONDS, "metric"),
            f"{prefix}join": rule.join,
            f"{prefix}guards.armed": "armed" if rule.guards.armed else "always",
            f"{prefix}guards.throttle_over": typed(rule.guards.throttle_over, SHARE, "metric"),
            f"{prefix}guards.throttle_under": typed(rule.guards.throttle_under, SHARE, "metric"),
            f"{prefix}guards.switch": _listens_text(rule.guards),
            f"{prefix}guards.profile": rule.guards.profile or "",
        }
        for place, condition in enumerate(rule.conditions):
            at = f"{prefix}conditions.{place}."
            texts |= {
                f"{at}sensor": condition.sensor,
                f"{at}comparison": condition.comparison,
                f"{at}per": condition.per,
                f"{at}profile": condition.profile or "",
                f"{at}value": _value_text(condition),
            }
    for timer in plan.timers:
        prefix = f"timers.{timer.key}."
        texts |= {
            f"{prefix}on": "on" if timer.on else "",
            f"{prefix}counts": timer.counts,
            f"{prefix}runs": timer.runs,
            f"{prefix}reset": _switch_text(timer.reset),
            f"{prefix}kept": "on" if timer.kept else "",
            f"{prefix}profile": timer.profile or "",
        }
        for item in _timer_fields(timer):
            value = getattr(timer, item.path.rpartition(".")[2])
            texts[item.path] = value if isinstance(value, str) else typed(value, item.quantity or SECONDS, "metric")
    texts |= {"choose": plan.choose, "wrong_profile": plan.wrong_profile}
    texts["receiver.chemistry"] = plan.receiver.chemistry if plan.receiver else ""
    texts["receiver.series"] = str(plan.receiver.series) if plan.receiver else "4"
    for profile in plan.profiles:
        texts[f"profiles.{profile.key}.switch"] = _switch_text(profile.switch)
        for item in _profile_fields(profile):
            value = getattr(profile, item.path.rpartition(".")[2])
            texts[item.path] = value if isinstance(value, str) else typed(value, VOLTAGE, "metric")
    return texts


def read_plan_form(form: Mapping[str, str], base: CalloutPlan) -> ReadPlan:
    """The plan of the posted form; ``base`` has what the form does not show, such as roles and profiles."""
    state = FormState(texts={k: v for k, v in form.items() if isinstance(v, str)}, units=form_units(form))
    version = whole_number(form.get("version", ""))
    values = base.model_dump()

    def take(item: Field, target: dict[str, Any], name: str) -> None:
        try:
            value = read_field(item, form.get(item.path, ""), "metric")
        except ValueError as error:
            state.errors[item.path] = str(error)
            return
        put(target, name, value)

    for item in STAGES:
        take(item, values, item.path)
    if "receiver.chemistry" in form:
        _read_receiver(values, form, take, state.texts)
    for stage in ("lamp_v", "landing_v"):
        if values["stages"][stage] == 0.0:  # as good a way to say off as an empty field
            values["stages"][stage] = None
    for rule, target in zip(base.rules, values["rules"], strict=True):
        if f"rules.{rule.key}.hold_s" in form:
            _read_rule(rule, target, form, take, base)
    for timer, target in zip(base.timers, values["timers"], strict=True):
        if f"timers.{timer.key}.at_s" in form:
            _read_timer(timer, target, form, take)
    for profile, target in zip(base.profiles, values["profiles"], strict=True):
        if f"profiles.{profile.key}.say" in form:
            for item in _profile_fields(profile):
                take(item, target, item.path.rpartition(".")[2])
            if (at := f"profiles.{profile.key}.switch") in form:
                target["switch"] = _switch_value(form[at])
    if "choose" in form:
        values["choose"] = form["choose"]
        if form["choose"] == "switch":
            _give_switches(values, state.texts)
        take(WRONG_PROFILE, values, WRONG_PROFILE.path)
    return ReadPlan(_checked(values, base, state) if state.ok else None, state, version)


def _checked(values: dict[str, Any], base: CalloutPlan, state: FormState) -> CalloutPlan | None:
    """The plan of values that could each be read; else what is wrong stands in the form, at its place."""
    try:
        plan = CalloutPlan.model_validate(values)
    except ValidationError as error:
        for problem in error.errors(include_url=False, include_input=False):
            path = _place(problem, base)
            state.errors.setdefault(path, words_of(problem))
        return None
    alike = not_told_apart(plan)
    if alike is None:
        return plan
    place, words = alike
    head, _, rest = place.partition(".")
    if head == "profiles":  # on the page a profile goes by its key
        place = f"profiles.{plan.profiles[int(rest.partition('.')[0])].key}.switch"
    state.errors.setdefault(place, words)
    return None


def _read_receiver(values: dict[str, Any], form: Mapping[str, str], take: Any, texts: dict[str, str]) -> None:
    chemistry = form["receiver.chemistry"]
    usual = 4 if chemistry == "nimh" else 2
    values["receiver"] = {"chemistry": chemistry, "series": usual} if chemistry else None
    if chemistry and RECEIVER.path in form:
        take(RECEIVER, values, RECEIVER.path)
    elif chemistry:  # chosen just now: the page asks for the cells next
        texts[RECEIVER.path] = str(usual)


def _give_switches(values: dict[str, Any], texts: dict[str, str]) -> None:
    """Profiles that have no switch yet get a free position, to begin with, and the page shows it."""
    profiles = values["profiles"]
    taken = {(p["switch"]["name"], p["switch"]["position"]) for p in profiles if p["switch"]}
    asking = {r["guards"]["switch"]["name"] for r in values["rules"] if r["guards"]["switch"]}
    asking |= {t["reset"]["name"] for t in values["timers"] if t["reset"]}
    free = free_positions(taken=taken, asking=asking)
    for profile in profiles:
        if profile["switch"] is None and (switch := next(free, None)) is not None:
            profile["switch"] = switch.model_dump()
            texts[f"profiles.{profile['key']}.switch"] = f"{switch.name}.{switch.position}"


def _read_rule(rule: Rule, target: dict[str, Any], form: Mapping[str, str], take: Any, base: CalloutPlan) -> None:
    prefix = f"rules.{rule.key}."
    for item in _rule_fields(rule):
        take(item, target, item.path.removeprefix(prefix))
    target["quiet_s"] = target["quiet_s"] or 0.0
    target["on"] = bool(form.get(f"{prefix}on"))
    for name in ("read", "vibrate"):
        target[name] = form.get(f"{prefix}{name}") or None
    target["join"] = form.get(f"{prefix}join") or "all"
    target["guards"]["armed"] = form.get(f"{prefix}guards.armed") == "armed"
    heard = form.get(f"{prefix}guards.switch", "")
    first, _, other = heard.rpartition(".") if heard.count(".") > 1 else (heard, "", "")
    target["guards"]["switch"] = _switch_value(first)
    target["guards"]["or_position"] = other or None
    target["guards"]["profile"] = form.get(f"{prefix}guards.profile") or None
    for place in range(len(rule.conditions)):
        at = f"{prefix}conditions.{place}."
        sensor = form.get(f"{at}sensor", "")
        condition = target["conditions"][place]
        condition["sensor"] = sensor
        comparison = form.get(f"{at}comparison", "")
        # A changed sensor takes the comparison that it knows along.
        fits = ("missing", "present") if sensor == "telemetry" else ("below", "above")
        condition["comparison"] = comparison if comparison in fits else fits[0]
        was_per = condition["per"]
        condition["per"] = form.get(f"{at}per") or "pack" if sensor in ("pack_v", "lowest_v") else "pack"
        condition["profile"] = form.get(f"{at}profile") or None
        if sensor == "telemetry":
            condition["value"] = 0.0
        else:
            take(_condition_field(rule, place, sensor), condition, "value")
            _other_way(rule, place, condition, was_per, base)


def _other_way(rule: Rule, place: int, condition: dict[str, Any], was_per: str, base: CalloutPlan) -> None:
    """“V” made “V a cell”, or back, with its number left alone: the same voltage, written the other way."""
    before = rule.conditions[place]
    if condition["per"] == was_per or condition["value"] != before.value or condition["sensor"] != before.sensor:
        return
    series = base.series_of(rule, before)
    factor = 1.0 / series if condition["per"] == "cell" else series
    condition["value"] = round(before.value * factor, 2)


def _read_timer(timer: Timer, target: dict[str, Any], form: Mapping[str, str], take: Any) -> None:
    prefix = f"timers.{timer.key}."
    for item in _timer_fields(timer):
        take(item, target, item.path.removeprefix(prefix))
    target["last_s"] = target["last_s"] or 0
    target["on"], target["kept"] = bool(form.get(f"{prefix}on")), bool(form.get(f"{prefix}kept"))
    for name in ("counts", "runs"):
        target[name] = form.get(f"{prefix}{name}") or getattr(timer, name)
    target["reset"] = _switch_value(form.get(f"{prefix}reset", ""))
    if f"{prefix}profile" in form:
        target["profile"] = form[f"{prefix}profile"] or None


def _place(problem: Mapping[str, Any], base: CalloutPlan) -> str:
    """Where in the form an error belongs: rules and timers by their key instead of their number."""
    parts = [str(p) for p in problem["loc"]]
    if problem["type"] == "refused" and problem["ctx"]["field"]:
        parts += str(problem["ctx"]["field"]).split(".")
    keyed: dict[str, Sequence[Rule | Timer | Profile]] = {
        "rules": base.rules, "timers": base.timers, "profiles": base.profiles,
    }  # fmt: skip
    if len(parts) > 1 and parts[0] in keyed and parts[1].isdigit():
        parts[1] = keyed[parts[0]][int(parts[1])].key
    return ".".join(parts)


def both_volts(plan: CalloutPlan, rule: Rule, condition: Condition) -> tuple[float, float] | None:
    """A voltage condition per cell and as pack; None for any other."""
    if condition.sensor not in ("pack_v", "lowest_v"):
        return None
    series = plan.series_of(rule, condition)
    return condition.cell_value_v(series=series), condition.threshold(series=series)


def profile_options(plan: CalloutPlan) -> list[tuple[str, str]]:
    """What a rule or a condition may be limited to."""
    return [("", "any pack"), *((p.key, p.name) for p in plan.profiles)]
