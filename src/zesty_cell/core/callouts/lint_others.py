"""Faults of everything but voltages: bench, packs, charge, timers, silence, words, receiver, switches."""

from __future__ import annotations

from collections.abc import Iterator

from zesty_cell.core.answer.thresholds import (
    charge_step_ah,
    on_step,
)
from zesty_cell.core.callouts.conditions import SWITCHES
from zesty_cell.core.callouts.examined import (
    CRIES_SHARE,
    RECEIVER_EARLY_V,
    SILENT_SHARE,
    TRUSTED_ERROR,
    Check,
    Examined,
    Finding,
)
from zesty_cell.core.callouts.profiles import alike_cells
from zesty_cell.core.callouts.rules import MOST_TIMERS, CalloutPlan, Rule, Timer, switches_asking
from zesty_cell.core.callouts.schools import receiver_call_v
from zesty_cell.core.callouts.score import score_kept
from zesty_cell.core.callouts.sensors import TELEMETERED
from zesty_cell.core.fact import fact
from zesty_cell.core.parts.chemistries import chemistry_for


def _bench(w: Examined) -> Iterator[Finding]:
    for rule in w.rules:
        guards = rule.guards
        watches = any(c.sensor in TELEMETERED for c in rule.conditions)
        free = not guards.armed and guards.throttle_over is None and guards.switch is None
        if watches and free:
            armed = w.plan.with_rule(rule.model_copy(update={"guards": guards.model_copy(update={"armed": True})}))
            if rule.every_s is not None:
                yield Finding(
                    "no_way_to_stop", "stop", rule.key,
                    fact("lint.no_way_to_stop", rule=rule.name, every_s=rule.every_s),
                    fact("lint.only_while_armed"), armed,
                )  # fmt: skip
            else:
                yield Finding(
                    "speaks_on_the_bench", "look", rule.key,
                    fact("lint.speaks_on_the_bench", rule=rule.name),
                    fact("lint.only_while_armed"), armed,
                )  # fmt: skip


def _profiles(w: Examined) -> Iterator[Finding]:
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
                fact("lint.no_profile_guard.kinds", rule=rule.name),
                fact("lint.no_profile_guard.kinds.mend", profile=own.name),
                w.with_condition(rule, k, profile=own.key),
            )  # fmt: skip
        elif condition.per == "pack":
            value = on_step(value=condition.value / w.plan.series_of(rule, condition), step=0.01)
            counts = " and ".join(f"{p.series}S" for p in w.plan.profiles)
            yield Finding(
                "no_profile_guard", "stop", rule.key,
                fact("lint.no_profile_guard.counts", set_v=condition.value, counts=counts),
                fact("lint.no_profile_guard.counts.mend", cell_v=value),
                w.with_condition(rule, k, per="cell", value=value),
            )  # fmt: skip


def _charge(w: Examined) -> Iterator[Finding]:
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
                    fact("lint.more_than_the_pack_holds", set_ah=condition.value, capacity_ah=w.capacity_ah),
                    fact("lint.more_than_the_pack_holds.mend", set_ah=value),
                    w.with_condition(rule, k, value=value),
                )  # fmt: skip
                continue
            error = w.plan.current_error
            if unchecked or (error is not None and error <= TRUSTED_ERROR):
                continue
            unchecked = True  # once is enough
            other = [r for r in w.rules if r.role == "land_now" and any(c.sensor == "pack_v" for c in r.conditions)]
            guard = w.written("guard") or w.written("land_now")
            state = fact("lint.sensor.never") if error is None else fact("lint.sensor.out", out_share=error)
            if other or guard is None or not any(c.sensor == "pack_v" for c in guard.conditions):
                mend, mended = fact("lint.switch_off"), w.plan.with_rule(rule.model_copy(update={"on": False}))
            else:
                guard = guard.model_copy(update={"key": "guard", "name": "Voltage guard"})
                mend = fact("lint.current_sensor_unchecked.mend")
                mended = w.plan.model_copy(update={"rules": (*w.plan.rules, guard)})
            yield Finding(
                "current_sensor_unchecked", "note" if other else "look", rule.key,
                fact("lint.current_sensor_unchecked", state=state),
                mend, mended,
            )  # fmt: skip


def _timers(w: Examined) -> Iterator[Finding]:
    for timer in w.timers:
        low_s = w.result.range.low_s
        if timer.at_s > low_s:
            at_s = max(w.result.callouts.timers.timer_s, 5.0)
            mended = _with_timer(w.plan, timer.model_copy(update={"at_s": at_s}))
            yield Finding(
                "timer_after_the_landing", "look", timer.key,
                fact("lint.timer_after_the_landing", at_s=timer.at_s, low_s=low_s),
                fact("lint.timer_after_the_landing.mend", at_s=at_s), mended,
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
            fact("lint.nothing_without_telemetry"),
            fact("lint.nothing_without_telemetry.mend", at_s=timer.at_s),
            w.plan.model_copy(update={"timers": (timer, *rest)[:MOST_TIMERS]}),
        )  # fmt: skip


def _silence(w: Examined) -> Iterator[Finding]:
    watching = any(c.sensor in TELEMETERED - {"telemetry"} for r in w.rules for c in r.conditions)
    said = any(c.sensor == "telemetry" and c.comparison == "missing" for r in w.rules for c in r.conditions)
    if watching and not said:
        silence = w.written("silence")
        rest = tuple(r for r in w.plan.rules if r.key != "silence")
        yield Finding(
            "telemetry_loss_unsaid", "look", "",
            fact("lint.telemetry_loss_unsaid"),
            fact("lint.telemetry_loss_unsaid.mend"),
            w.plan.model_copy(update={"rules": (*rest, silence)}) if silence else None,
        )  # fmt: skip


def _together(one: Rule, other: Rule) -> bool:
    """Whether two rules can speak on the same flight."""
    profiles = one.guards.profile, other.guards.profile
    return None in profiles or profiles[0] == profiles[1]


def _words(w: Examined) -> Iterator[Finding]:
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
                fact("lint.same_words", rule=rule.name, other=first.name),
                fact("lint.same_words.mend", words=new), w.plan.with_rule(rule.model_copy(update={"say": new})),
            )  # fmt: skip


def _with_timer(plan: CalloutPlan, timer: Timer) -> CalloutPlan:
    return plan.model_copy(update={"timers": tuple(timer if t.key == timer.key else t for t in plan.timers)})


def _receiver(w: Examined) -> Iterator[Finding]:
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
                state = fact("lint.receiver.empty") if condition.value < low_v else fact("lint.receiver.full")
                yield Finding(
                    "not_the_receivers_pack", "stop" if condition.value < low_v else "look", rule.key,
                    fact(
                        "lint.not_the_receivers_pack", set_v=condition.value, series=series,
                        chemistry=chemistry.short_name, state=state,
                    ),
                    fact("lint.not_the_receivers_pack.mend", call_v=call_v),
                    w.with_condition(rule, k, value=call_v),
                )  # fmt: skip


def _switches(w: Examined) -> Iterator[Finding]:
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
                fact("lint.switch_reads_all_flight", switch=switch.name, rule=rule.name),
                (None if free is None else fact("lint.switch_reads_all_flight.mend", switch=free)), mended,
            )  # fmt: skip


def _by_flights(w: Examined) -> Iterator[Finding]:
    """“Land now” that most flights never hear, or that many hear for nothing."""
    lands = [r for r in w.rules if r.role == "land_now"]
    if w.kept is None or not lands:
        return
    score = score_kept(w.plan.flown_with(series=w.series), w.kept)
    if score.missed is not None and score.missed > SILENT_SHARE * score.flights:
        yield Finding(
            "land_now_is_silent", "stop", lands[0].key,
            fact("lint.land_now_is_silent", rule=lands[0].name, missed=score.missed, flights=score.flights),
            fact("lint.as_the_flight_asks"), w.as_written(),
        )  # fmt: skip
    for rule in lands:
        alone = w.plan.flown_with(series=w.series).model_copy(update={"rules": (rule,)})
        of_rule = score_kept(alone, w.kept)
        if of_rule.false_flights > CRIES_SHARE * of_rule.flights:
            yield Finding(
                "land_now_cries_wolf", "look", rule.key,
                fact(
                    "lint.land_now_cries_wolf", rule=rule.name, false_flights=of_rule.false_flights,
                    flights=of_rule.flights,
                ),
                fact("lint.as_the_flight_asks"), w.as_written(),
            )  # fmt: skip


OTHER_CHECKS: tuple[Check, ...] = (
    _bench,
    _profiles,
    _charge,
    _timers,
    _silence,
    _words,
    _switches,
    _receiver,
    _by_flights,
)
