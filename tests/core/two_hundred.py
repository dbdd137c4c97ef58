"""Two hundred sheets, plans and logs, and every figure that the core gives for them.

Kept in two_hundred.txt to the last digit, and compared by test_two_hundred.py: whoever moves walls in the core sees
there that no figure moved with them.  `python -m tests.core.two_hundred` says how many lines differ, and writes it.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from pathlib import Path

import numpy as np

from tests.core.learn.test_log_fit import flown as logged
from tests.sheets import checked
from zesty_cell.core.answer.forecast import Forecast, forecast
from zesty_cell.core.asked.changes import CHANGES, changed
from zesty_cell.core.asked.flying import PATTERNS
from zesty_cell.core.asked.landing import LandingRule
from zesty_cell.core.asked.sheet import Conditions, Sheet, corrected
from zesty_cell.core.callouts.lint import lint
from zesty_cell.core.callouts.rules import School
from zesty_cell.core.callouts.schools import SCHOOLS, write_plan
from zesty_cell.core.callouts.score import OWN_DAY, score_plan
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.learn.correction import learn
from zesty_cell.core.learn.log_fit import fit_log
from zesty_cell.core.learn.observation import Observation
from zesty_cell.core.parts.chemistries import CHEMISTRIES, chemistry_for
from zesty_cell.core.parts.pack import Pack
from zesty_cell.demo.club import SHEET_LIST
from zesty_cell.demo.crafts import CRAFT_LIST
from zesty_cell.demo.packs import PACK_LIST
from zesty_cell.standins.craft import Hidden, Sensors

KEPT = Path(__file__).with_name("two_hundred.txt")
SHEETS, PLANS, LOGS = 150, 38, 12
_SEED = 20_261_128


def _rule(rng: np.random.Generator, pack: Pack) -> LandingRule:
    own = chemistry_for(pack.chemistry)
    kept, home_s = float(rng.uniform(0.12, 0.4)), float(rng.uniform(5.0, 120.0))
    rule: dict[str, object] = {"charge_kept": kept, "home_s": home_s}
    kind = rng.integers(5)
    if kind == 0:
        rule |= {"charge_kept": None, "rest_v": own.landing_rest_v}
    elif kind == 1:
        rule |= {"charge_kept": None, "loaded_v": own.landing_loaded_v, "loaded_hold_s": 3.0}
    elif kind == 2:
        rule |= {"timer_s": float(rng.uniform(100.0, 900.0))}
    return LandingRule.model_validate(rule)


def sheets(count: int, *, seed: int = _SEED) -> list[Sheet]:
    """Sheets of all crafts, chemistries, patterns, airs and rules, some taught, some with a change tried."""
    rng = np.random.default_rng(seed)
    crafts, packs = {c.name: c for c in CRAFT_LIST}, {p.name: p for p in PACK_LIST}
    patterns, chemistries, tries = list(PATTERNS)[:9], sorted(CHEMISTRIES), list(CHANGES)
    found: list[Sheet] = []
    while len(found) < count:
        name, craft, pack_name, pattern, *_ = SHEET_LIST[rng.integers(len(SHEET_LIST))]
        pack = packs[pack_name]
        if rng.uniform() < 0.4:
            other = chemistry_for(chemistries[rng.integers(len(chemistries))])
            series = max(1, round(pack.series * chemistry_for(pack.chemistry).nominal_v / other.nominal_v))
            pack = Pack(
                name="another", chemistry=other.key, series=series, parallel=int(rng.integers(1, 3)),
                capacity_ah=pack.capacity_ah * float(rng.uniform(0.6, 1.5)), cycles=int(rng.integers(0, 150)),
                label_c=float(rng.choice([25.0, 75.0])) if rng.uniform() < 0.5 else None,
            )  # fmt: skip
        if rng.uniform() < 0.5:
            pattern = patterns[rng.integers(len(patterns))]
        air_c = float(rng.uniform(-10.0, 38.0))
        one = Sheet(
            name=name, craft=crafts[craft], pack=pack, flying=PATTERNS[pattern], landing=_rule(rng, pack),
            conditions=Conditions(
                air_c=air_c, altitude_m=float(rng.uniform(0.0, 2000.0)),
                start_charge=float(rng.choice([1.0, 1.0, 0.9])),
                pack_c=max(air_c, 22.0) if rng.uniform() < 0.2 else None,
            ),
        )  # fmt: skip
        if rng.uniform() < 0.15:
            one = changed(one, key=tries[rng.integers(len(tries))]) or one
        if rng.uniform() < 0.3:
            one = checked(one)
        try:
            result = forecast(one)
        except OutOfRangeError:
            continue
        if rng.uniform() < 0.3:
            seen = [
                Observation(
                    pack="one", duration_s=result.flight.landing_s * float(rng.uniform(0.7, 1.0)),
                    used_ah=result.at_landing.used_ah * float(rng.uniform(0.7, 1.0)),
                )
                for _ in range(4)
            ]  # fmt: skip
            one = corrected(one, learn(one, seen).learned_factors("one"))
        found.append(one)
    return found


def _forecast(result: Forecast) -> Iterator[float]:
    flight, calls, spread = result.flight, result.callouts, result.range
    at = np.linspace(0, flight.time_s.size - 1, 3).astype(int)
    yield from (flight.landing_s, flight.end_s, flight.hottest_c, flight.heat_wh, flight.first_clipped_s)
    for line in (flight.loaded_v, flight.cruise_v, flight.current_a, flight.charge_left, flight.temperature_c):
        yield from line[at].tolist()
    yield from (spread.low_s, spread.middle_s, spread.high_s, float(spread.landing_s.sum()))
    yield from (result.used_wh, result.reserve_ah, result.mean_a, result.cruise_a, result.honest.current_a)
    yield from (result.at_landing.worst_v, result.at_landing.to_spare, result.at_landing.full_landing_a)
    yield from (calls.timers.timer_s, calls.timers.down_s, calls.timers.start_home_s)
    for call in (calls.pack_low, calls.land_now):
        yield from (call.threshold.pack_v, call.hold_s, call.throttle_under or 0.0, call.used_over_ah or 0.0)
        yield from (float(call.trial.false_flights), float(call.trial.late_flights))
    if calls.charge is not None:
        yield from (calls.charge.land_ah, calls.charge.true_ah)
    for check in result.checks:
        yield from (-1.0 if v is None else float(v) for v in (check.value, check.limit, check.at_s))


def _plan(one: Sheet, result: Forecast, school: School, *, scored: bool) -> Iterator[float | str]:
    plan = write_plan(result, school=school).plan
    for rule in plan.rules:
        yield from (rule.hold_s, *(c.value for c in rule.conditions))
    yield from (t.at_s for t in plan.timers)
    yield from sorted(f"{f.key}:{f.severity}" for f in lint(plan=plan, result=result))
    if scored:
        for day in score_plan(plan=plan, sheet=one, days=(OWN_DAY,)):
            yield from (day.first_word_s or 0.0, day.false_calls, float(day.missed or 0), *day.warning_s, *day.left)


def _fit(seed: int) -> Iterator[float | str]:
    rng = np.random.default_rng(seed)
    hidden = Hidden(capacity=float(rng.uniform(0.85, 1.0)), resistance=float(rng.uniform(0.9, 1.5)))
    sensors = Sensors(voltage=float(rng.uniform(0.99, 1.01)), current=float(rng.uniform(0.94, 1.06)))
    one = sheets(1, seed=_SEED + seed)[0]
    base = one.model_copy(update={"landing": LandingRule(charge_kept=0.25)})
    log, flight = logged(hidden, sensors, seconds=240.0, of=base, seed=seed)
    put_back_ah = flight.used_ah if seed % 2 else None
    try:
        fit = fit_log(log, pack=one.pack, air_c=one.conditions.air_c, put_back_ah=put_back_ah)
    except OutOfRangeError as error:
        yield type(error).__name__
        return
    for parameter in fit.parameters:
        yield from (parameter.value, parameter.low, parameter.high)


def _line(name: str, figures: Iterable[float | str]) -> str:
    return " ".join([name, *(f if isinstance(f, str) else f"{float(f)!r}" for f in figures)])


def lines() -> Iterator[str]:
    """One line a case: its name, its figures to the last digit, the keys of what was found."""
    schools = [s.school for s in SCHOOLS]
    for k, one in enumerate(sheets(SHEETS)):
        result = forecast(one)
        yield _line(f"sheet-{k}", _forecast(result))
        if k % (SHEETS // PLANS) == 0 and k // (SHEETS // PLANS) < PLANS:
            number = k // (SHEETS // PLANS)
            school = schools[number % len(schools)]
            yield _line(f"plan-{number}", _plan(one, result, school, scored=number % 6 == 0))
    for k in range(LOGS):
        yield _line(f"log-{k}", _fit(k))


if __name__ == "__main__":
    before = KEPT.read_text().splitlines() if KEPT.exists() else []
    now = list(lines())
    print(f"{len(now)} lines, {sum(a != b for a, b in zip(before, now, strict=False))} of {len(before)} differ")
    KEPT.write_text("\n".join(now) + "\n")
