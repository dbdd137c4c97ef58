"""A slow and obvious rule engine, written from the words of the semantics and from nothing else."""

from __future__ import annotations

import math
from fractions import Fraction

from zesty_cell.core.callouts.conditions import Condition
from zesty_cell.core.callouts.rules import CalloutPlan, Rule, Timer

RECEIVED = ("pack_v", "cell_v", "receiver_v", "used_ah", "current_a")
POSITION = {"up": -1, "middle": 0, "down": 1}


def _exact(seconds: float) -> Fraction:
    """Times in whole microseconds, so that nothing rounds."""
    return Fraction(round(seconds * 1_000_000), 1_000_000)


class Reference:
    def __init__(self, plan: CalloutPlan) -> None:
        self.plan = plan
        self.said: list[tuple[float, str, str, float | None]] = []
        self.heard: dict[str, tuple[Fraction, float]] = {}
        self.before: Fraction | None = None
        self.on: Fraction | None = None
        self.armed_at: Fraction | None = None
        self.disarmed_at: Fraction | None = None
        self.lowest: float | None = None
        self.profile: str | None = None
        self.undecided = True
        self.judged = False
        self.since: dict[str, Fraction] = {}
        self.spoke: dict[str, Fraction] = {}
        self.running: dict[str, bool] = {}
        self.elapsed = {t.key: Fraction(0) for t in plan.timers}
        self.times_said: dict[str, set[Fraction]] = {t.key: set() for t in plan.timers}
        self.last_said: dict[str, int] = {}
        self.end_said: dict[str, Fraction] = {}

    def frame(
        self, t_s: float, values: dict[str, float], throttle: float, armed: bool, switches: list[int]
    ) -> None:
        t, lost = _exact(t_s), _exact(self.plan.lost_after_s)
        if self.on is None or self.before is None:
            self.on = self.before = t
        step = t - self.before
        self.before = t
        broken = step < 0 or step > lost
        if step < 0:
            self.on = min(self.on, t)
            self.armed_at = None if self.armed_at is None else min(self.armed_at, t)
            self.disarmed_at = None if self.disarmed_at is None else min(self.disarmed_at, t)
            self.heard = {k: (min(at, t), v) for k, (at, v) in self.heard.items()}
            step = Fraction(0)
        if broken:
            self.since.clear()
            self.spoke.clear()
        for name, value in values.items():
            self.heard[name] = (t, value)

        def known(name: str) -> float | None:
            at, value = self.heard.get(name, (None, 0.0))
            return value if at is not None and t - at <= lost else None

        arming = armed and self.armed_at is None
        if arming:
            self.armed_at, self.disarmed_at = t, None
            self.lowest, self.profile, self.undecided, self.judged = None, None, True, False
        elif not armed:
            if self.armed_at is not None or self.disarmed_at is None:
                self.disarmed_at = t
            self.armed_at = None
        if "pack_v" in values:
            self.lowest = values["pack_v"] if self.lowest is None else min(self.lowest, values["pack_v"])
        self._choose(t_s, arming, armed, switches, known("pack_v"))
        for timer in self.plan.timers:
            if timer.on:
                self._timer(timer, t_s, t, step, throttle, armed, switches)
        for rule in self.plan.rules:
            if rule.on:
                self._rule(rule, t_s, t, bool(values), throttle, armed, switches, known)

    def _choose(self, t_s, arming, armed, switches, pack_v) -> None:
        plan = self.plan
        if not plan.profiles:
            return
        was = (self.profile, self.undecided)
        if plan.choose == "one":
            self.profile, self.undecided = plan.profiles[0].key, False
        elif plan.choose == "switch":
            at = [
                p for p in plan.profiles if switches["ABCDEFGH".index(p.switch.name)] == POSITION[p.switch.position]
            ]
            self.profile, self.undecided = (at[0].key if at else None), False
        elif self.undecided and armed and pack_v is not None:
            fits = sorted((p for p in plan.profiles if p.can_be(pack_v=pack_v)), key=lambda p: p.series)
            self.profile, self.undecided = (fits[0].key if fits else None), False
        if not armed:
            return
        if self.profile is not None and (arming or was != (self.profile, False)):
            self.said.append((t_s, "profile", self.profile, pack_v))
            self.judged = False
        if not self.judged and not self.undecided and pack_v is not None:
            self.judged = True
            profile = plan.profile(self.profile)
            if profile is None or not profile.can_be(pack_v=pack_v):
                self.said.append((t_s, "wrong profile", self.profile or "", pack_v))

    def _timer(self, timer: Timer, t_s, t, step, throttle, armed, switches) -> None:
        key, at = timer.key, _exact(timer.at_s)
        ran = self.running.get(key, False)
        other = timer.profile is not None and self.profile is not None and self.profile != timer.profile
        by = {"always": True, "armed": armed, "throttle": throttle > timer.throttle_over}
        self.running[key] = by[timer.runs] and not other
        back = timer.reset is not None and (
            switches["ABCDEFGH".index(timer.reset.name)] == POSITION[timer.reset.position]
        )
        if timer.reset_disarmed_s is not None and self.disarmed_at is not None:
            back = back or t - self.disarmed_at >= _exact(timer.reset_disarmed_s)
        if back:
            self.elapsed[key] = Fraction(0)
            self.times_said[key] = set()
            self.last_said.pop(key, None)
            self.end_said.pop(key, None)
            return
        if not ran:
            return
        self.elapsed[key] += step
        elapsed = self.elapsed[key]
        if elapsed >= at:
            said = self.end_said.get(key)
            again = (
                timer.end_every_s is not None and said is not None and elapsed - said >= _exact(timer.end_every_s)
            )
            if said is None or again:
                self.end_said[key] = elapsed
                self.said.append((t_s, "end", key, float(elapsed)))
            return
        if timer.every_s is not None:
            every = _exact(timer.every_s)
            marks = []
            moment = every
            while moment < at:
                marks.append(moment if timer.counts == "up" else at - moment)
                moment += every
            due = [m for m in marks if 0 < m <= elapsed and m not in self.times_said[key]]
            self.times_said[key] |= set(due)
            if due and at - max(due) > timer.last_s:
                self.said.append((t_s, "time", key, float(max(due))))
        left = math.ceil(at - elapsed)
        if 0 < left <= timer.last_s and self.last_said.get(key) != left:
            self.last_said[key] = left
            self.said.append((t_s, "last", key, float(left)))

    def _rule(self, rule: Rule, t_s, t, heard, throttle, armed, switches, known) -> None:
        guards = rule.guards
        met = armed or not guards.armed
        met = met and (guards.throttle_over is None or throttle > guards.throttle_over)
        met = met and (guards.throttle_under is None or throttle < guards.throttle_under)
        if guards.switch is not None:
            met = met and switches["ABCDEFGH".index(guards.switch.name)] == POSITION[guards.switch.position]
        met = met and (guards.profile is None or guards.profile == self.profile)
        values = [self._condition(c, t, heard, known) for c in rule.conditions]
        if values:
            met = met and (any if rule.join == "any" else all)(held for held, _ in values)
        if not met:
            self.since.pop(rule.key, None)
            self.spoke.pop(rule.key, None)
            return
        since = self.since.setdefault(rule.key, t)
        begun = self.armed_at if guards.armed else self.on
        if t - since < _exact(rule.hold_s) or t - begun < _exact(rule.quiet_s):
            return
        spoke = self.spoke.get(rule.key)
        if spoke is None or (rule.every_s is not None and t - spoke >= _exact(rule.every_s)):
            self.spoke[rule.key] = t
            first = next((x for held, x in values if held and x is not None), None)
            self.said.append((t_s, "rule", rule.key, first))

    def _condition(self, condition: Condition, t, heard, known) -> tuple[bool, float | None]:
        plan = self.plan
        # Before anything is chosen the first profile's values stand.
        profile = plan.profile(self.profile) or (plan.profiles[0] if plan.profiles else None)
        if condition.profile is not None and condition.profile != profile.key:
            return False, None
        if condition.sensor == "telemetry":
            return heard == (condition.comparison == "present"), None
        if condition.sensor == "armed_s":
            x = None if self.armed_at is None else float(t - self.armed_at)
        elif condition.sensor == "lowest_v":
            x = self.lowest
        else:
            x = known(condition.sensor)
        if x is None:
            return False, None
        limit = condition.threshold(series=profile.series if profile else plan.series)
        return (x < limit if condition.comparison == "below" else x > limit), x
