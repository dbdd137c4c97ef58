"""What the core answers to a fixed set of questions, in text: every figure and every sentence.

Kept in answers.txt beside it, and compared by test_answers.py: whatever moves an answer shows up there as a line
that changed.  `python -m tests.core.answers` writes it anew, and the change is read before it is kept.
"""

from __future__ import annotations

import dataclasses
import inspect
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from enum import Enum
from importlib import import_module
from pathlib import Path
from typing import Any

import numpy as np
from pydantic import BaseModel, ValidationError

from tests.core.learn.test_health import life
from tests.core.learn.test_log_fit import flown as logged
from tests.mutants import MODULES
from tests.sheets import checked, heron, pomelo, satsuma, sheet
from zesty_cell.core.answer.forecast import forecast
from zesty_cell.core.answer.plausibility import craft_doubts, pack_doubts
from zesty_cell.core.asked.changes import CHANGES, changed
from zesty_cell.core.asked.flying import PATTERNS
from zesty_cell.core.asked.landing import LandingRule
from zesty_cell.core.asked.sheet import Conditions, Sheet, corrected
from zesty_cell.core.callouts.schools import write_plan
from zesty_cell.core.callouts.score import BAD_DAYS, OWN_DAY, score_plan
from zesty_cell.core.choose.buys import what_buys_minutes
from zesty_cell.core.choose.candidates import SearchSpace, candidates
from zesty_cell.core.choose.compare import PURPOSES, Contender, compare_packs, verdict
from zesty_cell.core.choose.search import SearchLimits, search
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import Fact
from zesty_cell.core.learn.calibration import (
    CellCheck,
    CurrentCalibration,
    VoltageCalibration,
    corrected_log,
    current_now,
    voltage_now,
)
from zesty_cell.core.learn.correction import learn
from zesty_cell.core.learn.flights import LoggedFlight
from zesty_cell.core.learn.health import health
from zesty_cell.core.learn.log_fit import fit_log
from zesty_cell.core.learn.log_told import told_by_log
from zesty_cell.core.learn.matched_pairs import PackFit, matched_pairs
from zesty_cell.core.learn.observation import Observation, PackTold, pack_told
from zesty_cell.core.learn.plausibility import flight_doubts, lamp_doubts, voltage_points_doubts
from zesty_cell.core.learn.threshold import Landing, next_threshold
from zesty_cell.core.learn.timer import TimedFlight, next_timer
from zesty_cell.core.parts.craft import Limits
from zesty_cell.demo.club import SHEET_LIST
from zesty_cell.demo.crafts import CRAFT_LIST
from zesty_cell.demo.packs import PACK_LIST
from zesty_cell.standins.craft import Hidden, Sensors
from zesty_cell.words.say import say as in_words

KEPT = Path(__file__).with_name("answers.txt")
NOON = datetime(2026, 6, 1, 12, 0, tzinfo=UTC)


def say(value: Any) -> str:
    """A value in short: figures to six places, arrays by their ends, mean and length."""
    if isinstance(value, Fact):
        value = in_words(value)
    if isinstance(value, bool | str | None | Enum):
        return repr(value)
    if isinstance(value, int | float | np.floating | np.integer):
        return f"{float(value):.6g}"
    if isinstance(value, np.ndarray):
        if value.size <= 8:
            return "[" + " ".join(f"{float(v):.6g}" for v in value.ravel()) + "]"
        flat = value.astype(float).ravel()
        return f"[{flat[0]:.6g} … {flat[-1]:.6g}, mean {np.nanmean(flat):.6g}, {flat.size}]"
    if isinstance(value, BaseModel):
        facts = {
            name: found for name in type(value).model_fields if isinstance(found := getattr(value, name), Fact)
        }
        value = value.model_dump(mode="json", exclude=set(facts)) | facts
    if isinstance(value, tuple) and hasattr(value, "_asdict"):
        value = value._asdict()
    if dataclasses.is_dataclass(value):
        value = {f.name: getattr(value, f.name) for f in dataclasses.fields(value)}
    if isinstance(value, dict):
        return "{" + ", ".join(f"{k}: {say(v)}" for k, v in value.items()) + "}"
    if isinstance(value, tuple | list):
        return "(" + ", ".join(say(v) for v in value) + ")"
    return type(value).__name__


def constants() -> Iterator[str]:
    """Every constant of the modules whose rules are pinned."""
    for name in MODULES:
        module = import_module(f"zesty_cell.core.{name.replace('/', '.')}")
        for key, value in sorted(vars(module).items()):
            own = key.isupper() and not inspect.ismodule(value) and not inspect.isclass(value)
            if own and isinstance(value, int | float | str | tuple | dict | frozenset):
                yield f"{name}.{key} {say(sorted(value) if isinstance(value, frozenset) else value)}"


def _club() -> Iterator[tuple[str, Sheet]]:
    crafts, packs = {c.name: c for c in CRAFT_LIST}, {p.name: p for p in PACK_LIST}
    for name, craft, pack, pattern, conditions, landing, *_ in SHEET_LIST:
        yield name, Sheet(
            name=name, craft=crafts[craft], pack=packs[pack], flying=PATTERNS[pattern], conditions=conditions,
            landing=landing,
        )  # fmt: skip


def _others() -> Iterator[tuple[str, Sheet]]:
    tight = Limits(
        motor_count=4, motor_a=14.0, esc_a=16.0, esc_burst_a=20.0, esc_cutoff_v_per_cell=3.2, maximum_v=24.0
    )
    yield "plain", sheet()
    yield "checked", checked(sheet())
    yield "cold", sheet(conditions=Conditions(air_c=-8.0))
    yield "hot and high", sheet(conditions=Conditions(air_c=37.0, altitude_m=2200.0, pack_c=45.0))
    yield "tight limits", sheet(craft=heron(limits=tight.model_dump()))
    yield "cutoff too high", sheet(craft=heron(limits=Limits(esc_cutoff_v_per_cell=3.4).model_dump()))
    yield "lipo freestyle", sheet(pack=satsuma(), pattern="freestyle")
    yield "tiny plug", sheet(pack=satsuma(connector="small_15a"), pattern="freestyle")
    yield "rest rule", sheet(landing=LandingRule(charge_kept=None, rest_v=3.5))
    yield "loaded rule", sheet(landing=LandingRule(charge_kept=None, loaded_v=3.1, loaded_hold_s=4.0))
    yield "timer rule", sheet(landing=LandingRule(charge_kept=0.2, timer_s=300.0))
    yield "weak pack", sheet(pack=satsuma(cell_resistance_ohm=0.02), pattern="freestyle")
    yield "used pack", sheet(pack=satsuma(cell_resistance_ohm=None, cycles=140, quality="ordinary"))
    yield "part full", sheet(conditions=Conditions(start_charge=0.8))


def sheets() -> Iterator[str]:
    """Forecasts, checks, callouts and scores."""
    for name, one in (*_club(), *_others()):
        try:
            result = forecast(one)
        except OutOfRangeError as error:
            yield f"{name}: {error}"
            continue
        spread = result.range
        yield f"{name}: {result.flight.landing_s:.3f} {result.flight.landing_reason} {say(result.at_landing)}"
        yield f"  range {spread.low_s:.3f} {spread.middle_s:.3f} {spread.high_s:.3f} load {say(result.setup.load)}"
        yield f"  pack {say(result.setup.figures)}"
        yield f"  callouts {say(result.callouts)}"
        yield f"  honest {say(result.honest)} used {result.used_wh:.5g} reserve {result.reserve_ah:.5g}"
        yield from (f"  check {say(check)}" for check in result.checks)


def changes() -> Iterator[str]:
    """What is tried on a sheet, and what buys minutes."""
    for name, one in (*list(_club())[3:8], *_others()):
        for key in CHANGES:
            other = changed(one, key=key)
            if other is not None:
                before, after = one.model_dump(mode="json"), other.model_dump(mode="json")
                moved = {
                    f"{part}.{k}": v
                    for part in ("craft", "pack", "flying", "conditions")
                    for k, v in after[part].items()
                    if before[part].get(k) != v
                }
                yield f"{name} {key} {say(moved)}"
    for name, one in (list(_club())[7], list(_club())[6]):
        yield from (f"{name} buys {say(buy)}" for buy in what_buys_minutes(one))


def choice() -> Iterator[str]:
    """Comparisons and a search."""
    one = dict(_club())["Heron on Pomelo, lighthouse run"]
    packs = [p for p in PACK_LIST if p.series in (4, 6)][:7]
    rows, left_out = compare_packs(one, contenders=[Contender(p) for p in packs])
    yield f"left out {say(left_out)}"
    for row in rows:
        yield f"row {row.pack.name} {row.low_s:.4f} {row.high_s:.4f} {row.cruise_a:.5g} {say(row.at_landing)}"
    for purpose in PURPOSES:
        yield f"{purpose} {say({'words': vars(verdict(rows, purpose=purpose))})}"
        yield f"{purpose}, of two {say({'words': vars(verdict(rows[:2], purpose=purpose))})}"
    space = SearchSpace(
        chemistries=("lipo",), capacity_from_ah=0.8, capacity_to_ah=4.0, capacity_steps=5, series_from=4,
        series_to=6, parallel_to=2,
    )  # fmt: skip
    for limits in (SearchLimits(), SearchLimits(most_pack_kg=0.3, most_width_m=0.04, most_c=40.0)):
        yield f"search {say(search(one, packs=tuple(candidates(space, like=one.pack)), limits=limits))}"


def doubts() -> Iterator[str]:
    """What is asked back, and how."""
    yield from (f"{c.name} {say(craft_doubts(c))}" for c in CRAFT_LIST)
    point = heron().steady.model_dump()
    for amps, kg in ((1.0, 1.063), (400.0, 1.063), (8.9, 0.62), (8.9, 2.4)):
        odd = heron(steady=point | {"current_a": amps, "all_up_mass_kg": kg})
        yield f"{amps} A, {kg} kg {say(craft_doubts(odd))}"
    for change in (
        {"mass_kg": 0.05}, {"mass_kg": 1.6}, {"cell_resistance_ohm": 0.0005}, {"cell_resistance_ohm": 0.4},
        {"capacity_ah": 42.0}, {"label_c": 400.0}, {"mass_kg": 0.02},
    ):  # fmt: skip
        try:
            yield f"{say(change)} {say(pack_doubts(satsuma(**change)))}"
        except ValidationError as error:
            yield f"{say(change)} refused: {error.errors()[0]['msg']}"
    flight = LoggedFlight(landed_at=NOON, duration_s=600.0, pattern="cruise")
    for update in (
        {"duration_s": 40.0}, {"duration_s": 3000.0}, {"shown_ah": 0.1}, {"put_back_ah": 4.4}, {"put_back_ah": 0.2},
        {"rest_v_per_cell": 3.9, "put_back_ah": 3.6}, {"rest_v_per_cell": 3.2, "put_back_ah": 1.0},
        {"hottest_c": 85.0}, {"resistance_ohm": 0.2}, {"air_c": -20.0},
    ):  # fmt: skip
        for forecast_a in (None, 11.0):
            asked = flight_doubts(
                flight.model_copy(update=update), pack=pomelo(), forecast_s=1200.0, forecast_a=forecast_a
            )
            yield f"{say(update)} {forecast_a} {say(asked)}"
    for alarm_v, rest_v, amps in ((19.8, 21.6, 8.6), (23.8, 24.0, 60.0), (12.0, 21.6, None), (19.8, 25.4, 1.0)):
        asked = lamp_doubts(
            alarm_v=alarm_v, rest_v=rest_v, wanted_rest_v=3.4, current_a=amps, pack=pomelo(), cruise_a=8.6
        )
        yield f"lamp {alarm_v} {rest_v} {amps} {say(asked)}"
    for points in (((24.0, 24.2), (21.0, 22.0)), ((24.0, 16.2),)):
        yield f"points {say(points)} {say(voltage_points_doubts(points, pack=pomelo(), takes_offset=False))}"


def _seen() -> list[Observation]:
    return [
        Observation(pack="one", duration_s=700.0, used_ah=2.2),
        Observation(pack="one", duration_s=760.0, used_ah=2.3, left=0.42, left_sigma=0.05, air_c=20.0),
        Observation(pack="two", duration_s=640.0, used_ah=1.9, effort=-1, air_c=2.0),
        Observation(pack="two", duration_s=800.0, used_ah=2.9, effort=1),
        Observation(pack="one", duration_s=820.0, used_ah=1.5),
        Observation(
            pack="two", duration_s=500.0, used_ah=1.9, pattern=PATTERNS["freestyle"], sensor="p", sensor_sigma=0.1
        ),
        Observation(pack="one", duration_s=700.0, used_ah=2.5, used_sigma=0.02, sensor="p", sensor_sigma=0.1),
        Observation(pack="one", duration_s=700.0, used_ah=None, left=0.5),
    ]  # fmt: skip


def learned() -> Iterator[str]:
    """What flights and logs teach, and the timers and calls that follow."""
    told = [PackTold("one", resistance=0.3, resistance_sigma=0.06, capacity=-0.08, capacity_sigma=0.1, at_c=8.0)]
    for seen, by_logs in ((_seen(), []), (_seen()[:1], []), (_seen()[:3], told), ([], told), (_seen(), told * 2)):
        found = learn(sheet(), seen, told=by_logs)
        learned_factors = found.learned_factors("one")
        yield f"theta {' '.join(f'{t:.5f}' for t in found.theta)} scatter {found.scatter:.6f} odd {say(found.odd)}"
        yield f"  residuals {say(found.residuals)} plain {say(found.plain)}"
        yield f"  taught {say(learned_factors)}; another {say(found.learned_factors('other'))}"
        yield f"  used {say([found.used(p, 700.0) for p in ('one', 'other')])} {found.capacity_ah('one'):.6g}"
        result = forecast(corrected(sheet(), learned_factors))
        timed = [
            TimedFlight(o.duration_s, o.used_ah, bool(b)) for o, b in zip(seen, found.odd, strict=True) if o.used_ah
        ]
        yield f"  timer {say(next_timer(flights=timed, result=result))}"
    result = forecast(sheet())
    for lefts in ((0.3, 0.31), (0.1, 0.12, 0.11), (0.26, 0.27, 0.26, 0.25, 0.26, 0.6), (0.22, 0.23), (0.6, 0.7)):
        for early_s in (9.0, 11.0):
            landings = [
                Landing(
                    LoggedFlight(
                        landed_at=NOON + timedelta(days=k),
                        duration_s=1200.0 - early_s,
                        pattern="cruise",
                        timer_s=1200.0,
                    ),
                    left,
                )
                for k, left in enumerate(lefts)
            ]
            cell_v = result.callouts.land_now.threshold.cell_v
            step = next_threshold(landings, result=result, kept=0.2, cell_v=cell_v)
            yield f"threshold {lefts} {early_s} {say(step)}"


def lives() -> Iterator[str]:
    """Health of packs through their lives, and which belong together."""
    for fade, growth in ((0.0, 0.0), (0.004, 0.02), (0.0, 0.06), (0.012, 0.0)):
        flights = life(24, fade=fade, growth=growth)
        checks = [
            CellCheck(made_at=flights[-1].landed_at, cells_v=(3.81, 3.80, 3.76, 3.81, 3.80, 3.81)),
            CellCheck(
                made_at=flights[-3].landed_at, cells_v=(3.81, 3.81, 3.81, 3.81, 3.80, 3.81), resistance_ohm=0.007
            ),
        ]
        for made in ([], checks):
            found = health(satsuma(), flights, now=flights[-1].landed_at + timedelta(days=9), checks=made)
            yield f"life {fade} {growth} {len(made)} {say(found)}"
    fits = [PackFit(k, f"pack {k}", 1.3 - 0.02 * k, 0.006 + 0.0004 * (k % 3)) for k in range(5)]
    yield f"pairs {say(matched_pairs(fits))}"


def calibrations() -> Iterator[str]:
    """Logs and sensors after calibrations."""
    log, _ = logged(seconds=240.0)
    current = CurrentCalibration(
        made_at=NOON, old=400.0, step=1.0, reading_rises=True, flights=((2.0, 2.2), (2.1, 2.25)), capacity_ah=4.2,
        entered=430.0,
    )  # fmt: skip
    volts = VoltageCalibration(
        made_at=NOON, old=110.0, step=0.1, points=((24.0, 24.3),), entered=111.0, offset_v=0.02
    )
    falls = current.model_copy(update={"reading_rises": False, "made_at": NOON + timedelta(days=2)})
    for made in ([], [current], [volts], [current, volts, falls]):
        for at in (NOON - timedelta(days=1), NOON, NOON + timedelta(days=1)):
            fixed, notes = corrected_log(log, calibrations=made, at=at)
            yield f"log {len(made)} {at:%d} {say(fixed.current_a)} {say(fixed.pack_v)} {say(fixed.used_ah)} {notes}"
        yield f"now {say(current_now(calibrations=made, flights=[]))} {say(voltage_now(made))}"
        flown = [(NOON + timedelta(days=k), 2.0 + 0.1 * k, 2.2 + 0.08 * k) for k in range(1, 4)]
        yield from (f"now {say(current_now(calibrations=made, flights=flown[:n]))}" for n in (1, 3))


def fits() -> Iterator[str]:
    """Logs of hidden packs."""
    for hidden, sensors, put_back in (
        (Hidden(capacity=0.9, resistance=1.3), Sensors(voltage=1.01), True),
        (Hidden(), Sensors(current=1.08), False),
    ):
        log, flight = logged(hidden, sensors)
        found = fit_log(log, pack=sheet().pack, air_c=12.0, put_back_ah=flight.used_ah if put_back else None)
        told = told_by_log(found, at_c=12.0)
        yield f"fit {say(found)} {say(told)} {say(pack_told(told, pack='one', of=sheet().pack)) if told else None}"
    try:
        fit_log(log, pack=sheet().pack, air_c=12.0, put_back_ah=0.2)
    except OutOfRangeError as error:
        yield f"refused {error}"


def scores() -> Iterator[str]:
    """How a plan does on its own day and on bad ones."""
    one = sheet()
    plan = write_plan(forecast(one), school="loaded voltage").plan
    yield from (f"score {say(day)}" for day in score_plan(plan=plan, sheet=one, days=(OWN_DAY, *BAD_DAYS[:3])))


PARTS = (constants, sheets, changes, choice, doubts, learned, lives, calibrations, fits, scores)


def answers() -> str:
    """All of it."""
    return "\n".join(f"# {part.__name__}\n" + "\n".join(part()) for part in PARTS) + "\n"


if __name__ == "__main__":
    KEPT.write_text(answers())
