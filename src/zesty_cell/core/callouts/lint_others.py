"""Faults of everything but voltages: bench, packs, charge, timers, silence, words, receiver, switches."""

from __future__ import annotations

from collections.abc import Iterator

from zesty_cell.core.answer.thresholds import (
    charge_step_ah,
    on_step,
)
from zesty_cell.core.callouts.conditions import SWITCHES, TELEMETERED
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
from zesty_cell.core.clock import clock
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


def _timers(w: Examined) -> Iterator[Finding]:
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


def _silence(w: Examined) -> Iterator[Finding]:
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
                f"“{rule.name}” and “{first.name}” say the same: you will not know which it was.",
                f"Say “{new}”", w.plan.with_rule(rule.model_copy(update={"say": new})),
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
                state = "all but empty" if condition.value < low_v else "far from empty"
                yield Finding(
                    "not_the_receivers_pack", "stop" if condition.value < low_v else "look", rule.key,
                    f"At {condition.value:g} V {series} cells of {chemistry.short_name} are {state}.",
                    f"Call it below {call_v:g} V", w.with_condition(rule, k, value=call_v),
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
                f"Switch {switch.name} chooses the pack, so “{rule.name}” reads out all flight with one of them.",
                "" if free is None else f"Ask by switch {free}", mended,
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
