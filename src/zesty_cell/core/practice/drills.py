"""The drills: each about one judgement, its truth drawn anew by a seed from what a sheet does not know."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import lru_cache
from types import MappingProxyType
from typing import Any, Final

import numpy as np

from zesty_cell.core.answer.thresholds import on_step
from zesty_cell.core.asked.flying import PATTERNS
from zesty_cell.core.asked.landing import LandingRule
from zesty_cell.core.asked.sheet import COLDEST_C, HOTTEST_C, Conditions, Sheet
from zesty_cell.core.callouts.conditions import Condition, Guards
from zesty_cell.core.callouts.rules import CalloutPlan, Rule, Timer
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import fact
from zesty_cell.core.parts.pack import Pack
from zesty_cell.core.parts.pack_figures import pack_figures
from zesty_cell.core.parts.starting import KINDS, StartKey, starting_craft, usual_pack
from zesty_cell.core.practice.course import Mission
from zesty_cell.core.practice.flown import true_flight
from zesty_cell.core.practice.scenario import DrillKey, Scenario, Truth
from zesty_cell.core.practice.score import ideal

Rng = np.random.Generator
#: The order in which they are offered.
DRILLS: Final[tuple[DrillKey, ...]] = (
    "climb_or_empty", "plain_radio", "flat_middle", "chatter", "headwind_home", "cold_first_minute", "sensor_low",
    "tired_pack", "ion_cliff", "twice_the_pack", "telemetry_lost", "other_count",
)  # fmt: skip
#: A timer turns home, and "pack low" speaks, so much before the sheet would [1].
_TIMER_MARGIN: Final = 0.06
_WORD_MARGIN: Final = 0.12
#: One's own sheet is flown where it turns home before this [s]: with less power and flown gently its pack still
#: ends within the longest drill.
_LONGEST_OWN_S: Final = 3300.0


def _sheet(
    kind: StartKey, pattern: str, *, name: str, pack: Pack | None = None, air_c: float = 18.0, reserve: float = 0.20
) -> Sheet:
    """A sheet of a usual craft of a kind on a pack."""
    of = KINDS[kind]
    flown = usual_pack(of) if pack is None else pack
    craft = starting_craft(of, name=name, pack_kg=pack_figures(flown).mass_kg, pack=flown)
    return Sheet(
        name=name, craft=craft, pack=flown, flying=PATTERNS[pattern], conditions=Conditions(air_c=air_c),
        landing=LandingRule(charge_kept=reserve, home_s=60.0),
    )  # fmt: skip


def _mission(sheet: Sheet, *, out_m: float, wind_m_s: float = 0.0) -> Mission:
    return Mission(air_m_s=sheet.craft.cruise_speed_m_s or 12.0, out_m=out_m, wind_m_s=wind_m_s)


@lru_cache(maxsize=64)
def _believed_turn_s(sheet: Sheet, mission: Mission) -> float:
    """When the sheet, taken as true, would turn home [s], a little before."""
    return round((1.0 - _TIMER_MARGIN) * ideal(_as_believed(sheet, mission)).turn_s)


def _as_believed(sheet: Sheet, mission: Mission) -> Scenario:
    """The sheet taken as true."""
    return Scenario(
        key="own", seed=0, believed=sheet, plan=CalloutPlan(name="none", series=sheet.pack.series),
        mission=mission, truth=Truth(sheet=sheet), turn_s=0.0, reserve=sheet.landing.charge_kept or 0.20,
    )  # fmt: skip


@lru_cache(maxsize=64)
def _plan(sheet: Sheet, mission: Mission) -> CalloutPlan:
    """What the transmitter says by the sheet taken as true, as a careful pilot sets it.

    "Pack low" at the voltage in cruise a little before the turn home, "land now" at that of the reserve, both held
    and only at part throttle, so that no climb makes them speak; and a word when telemetry is lost.
    """
    calm = replace(mission, wind_m_s=0.0)
    believed = _as_believed(sheet, calm)
    turn_s = ideal(believed).turn_s
    flight = true_flight(believed, ())[1]
    lands_s = float(np.interp(-believed.reserve, -flight.charge_left, flight.time_s))

    def at(time_s: float) -> float:
        return on_step(value=float(flight.cruise_v[flight.index_at(time_s)]) * sheet.pack.series, step=0.1, up=True)

    held = Guards(throttle_under=0.6)
    low, land = Condition(value=at((1.0 - _WORD_MARGIN) * turn_s)), Condition(value=at(lands_s))
    silent = Condition(sensor="telemetry", comparison="missing")
    return CalloutPlan(
        name=sheet.name,
        series=sheet.pack.series,
        rules=(
            Rule(key="low", name="Pack low", role="pack_low", conditions=(low,), guards=held, hold_s=3.0,
                 say="pack low", every_s=30.0),
            Rule(key="land", name="Land now", role="land_now", conditions=(land,), guards=held, hold_s=3.0,
                 say="land now", every_s=8.0),
            Rule(key="silence", name="Telemetry lost", role="silence", conditions=(silent,), hold_s=3.0,
                 say="telemetry lost", every_s=60.0),
        ),
    )  # fmt: skip


def _timed(plan: CalloutPlan, turn_s: float) -> CalloutPlan:
    """The plan with its timer for the turn home; minutes are read out."""
    timer = Timer(key="timer", at_s=float(max(turn_s, 5.0)), runs="armed", end="turn home")
    return plan.model_copy(update={"timers": (timer,)})


def _made(key: DrillKey, seed: int, sheet: Sheet, mission: Mission, truth: Truth, **more: Any) -> Scenario:
    turn_s = more.pop("turn_s", None) or _believed_turn_s(sheet, replace(mission, wind_m_s=0.0))
    plan = more.pop("plan", None) or _plan(sheet, mission)
    return Scenario(
        key=key, seed=seed, believed=sheet, plan=_timed(plan, turn_s), mission=mission, truth=truth, turn_s=turn_s,
        reserve=sheet.landing.charge_kept or 0.20, **more,
    )  # fmt: skip


def _usual(rng: Rng, sheet: Sheet, **said: float) -> Truth:
    """A truth as sheets usually miss it, with what a drill is about."""
    drawn = {
        "power": float(rng.uniform(0.94, 1.06)), "capacity": float(rng.uniform(0.94, 1.0)),
        "resistance": float(rng.uniform(0.95, 1.25)), "volts_shown": float(1.0 + 0.003 * rng.normal()),
        "charge_shown": float(1.0 + 0.02 * rng.normal()),
    }  # fmt: skip
    return Truth(sheet=sheet, **(drawn | said))


def _with_rules(plan: CalloutPlan, change: Callable[[Rule], dict[str, Any]]) -> CalloutPlan:
    rules = tuple(r.model_copy(update=change(r)) if r.role in ("pack_low", "land_now") else r for r in plan.rules)
    return plan.model_copy(update={"rules": rules})


def _unheld(plan: CalloutPlan, *, every_s: float) -> CalloutPlan:
    """The plan of somebody who does not know holds: every dip speaks, and again [s]."""
    return _with_rules(plan, lambda r: {"hold_s": 0.0, "every_s": every_s, "guards": Guards()})


def _climb_or_empty(rng: Rng, seed: int) -> Scenario:
    sheet = _sheet("long_range", "cruise", name="Long-range quad")
    mission = _mission(sheet, out_m=float(rng.uniform(700.0, 1400.0)))
    truth = _usual(rng, sheet, resistance=float(rng.uniform(1.3, 1.9)), capacity=float(rng.uniform(0.85, 1.0)))
    # What a climb leaves of the voltage at half charge: from then on climbs speak, and in the end cruising does.
    flight = true_flight(_as_believed(sheet, mission), ())[1]
    dips_v = float(np.min(flight.loaded_v[np.abs(flight.charge_left - rng.uniform(0.5, 0.7)) < 0.06]))
    value = on_step(value=dips_v * sheet.pack.series, step=0.1, up=True)
    plan = _with_rules(
        _plan(sheet, mission),
        lambda r: {
            "hold_s": 0.5, "every_s": 30.0, "guards": Guards(), "on": r.role == "land_now",
            "conditions": (Condition(value=value),),
        },
    )  # fmt: skip
    return _made("climb_or_empty", seed, sheet, mission, truth, plan=plan, ask="climb")


def _flat_middle(rng: Rng, seed: int) -> Scenario:
    sheet = _sheet("plane", "long_range", name="Trainer plane")
    mission = _mission(sheet, out_m=float(rng.uniform(400.0, 900.0)))
    truth = _usual(
        rng, sheet, capacity=float(rng.uniform(0.88, 1.0)), power=float(rng.uniform(0.85, 1.15)),
        volts_shown=float(1.0 + rng.uniform(-0.012, 0.012)),
    )  # fmt: skip
    plan = _plan(sheet, mission)
    # One word, at the reserve, and a timer from calmer days: the voltage has to be read.
    only = plan.model_copy(update={"rules": tuple(r for r in plan.rules if r.role != "pack_low")})
    turn_s = 1.25 * _believed_turn_s(sheet, mission)
    return _made("flat_middle", seed, sheet, mission, truth, plan=only, turn_s=turn_s)


def _ion_cliff(rng: Rng, seed: int) -> Scenario:
    pack = Pack(
        name="Lithium-ion", chemistry="liion_energy", series=6, parallel=1, capacity_ah=5.0, quality="good",
        connector="large_60a",
    )  # fmt: skip
    sheet = _sheet("long_range", "long_range", name="Long-range quad", pack=pack)
    mission = _mission(sheet, out_m=float(rng.uniform(1000.0, 2200.0)))
    truth = _usual(rng, sheet, capacity=float(rng.uniform(0.90, 1.0)))
    # Set by what polymer is landed at: with lithium-ion that is not yet half.
    plan = _with_rules(
        _plan(sheet, mission),
        lambda r: {"conditions": (Condition(value=(3.6 if r.role == "pack_low" else 3.5) * pack.series),)},
    )
    return _made("ion_cliff", seed, sheet, mission, truth, plan=plan)


def _cold_first_minute(rng: Rng, seed: int) -> Scenario:
    sheet = _sheet("freestyle", "cruise", name="Five-inch quad")
    cold = sheet.model_copy(update={"conditions": Conditions(air_c=float(rng.uniform(-9.0, -3.0)))})
    mission = _mission(sheet, out_m=float(rng.uniform(200.0, 500.0)))
    truth = _usual(rng, cold, resistance=float(rng.uniform(1.4, 1.9)))
    return _made("cold_first_minute", seed, sheet, mission, truth, ask="climb")


def _headwind_home(rng: Rng, seed: int) -> Scenario:
    sheet = _sheet("flying_wing", "long_range", name="Flying wing")
    speed = sheet.craft.cruise_speed_m_s or 19.0
    wind_m_s = speed * float(rng.uniform(0.4, 0.6))
    mission = _mission(sheet, out_m=float(rng.uniform(2500.0, 5000.0)), wind_m_s=wind_m_s)
    return _made("headwind_home", seed, sheet, mission, _usual(rng, sheet), ask="none")


def _tired_pack(rng: Rng, seed: int) -> Scenario:
    sheet = _sheet("freestyle", "cruise", name="Five-inch quad")
    mission = _mission(sheet, out_m=float(rng.uniform(200.0, 500.0)))
    truth = _usual(rng, sheet, resistance=float(rng.uniform(1.6, 2.3)), capacity=float(rng.uniform(0.66, 0.78)))
    return _made("tired_pack", seed, sheet, mission, truth)


def _other_count(rng: Rng, seed: int) -> Scenario:
    fewer = bool(rng.uniform() < 0.5)
    # With a cell less the alarm speaks at once, with one more it never does.
    kind: StartKey = "flying_wing" if fewer else "plane"
    name = "Flying wing" if fewer else "Trainer plane"
    sheet = _sheet(kind, "long_range", name=name)
    pack = sheet.pack.model_copy(update={"series": sheet.pack.series + (-1 if fewer else 1)})
    flown = _sheet(kind, "long_range", name=name, pack=pack)
    mission = _mission(sheet, out_m=float(rng.uniform(400.0, 1000.0)))
    turn_s = _believed_turn_s(flown, mission)
    return _made("other_count", seed, sheet, mission, _usual(rng, flown), turn_s=turn_s, ask="none")


def _sensor_low(rng: Rng, seed: int) -> Scenario:
    sheet = _sheet("long_range", "cruise", name="Long-range quad")
    mission = _mission(sheet, out_m=float(rng.uniform(500.0, 1200.0)))
    low = float(rng.uniform(0.62, 0.78))
    truth = _usual(rng, sheet, charge_shown=low, power=float(rng.uniform(1.05, 1.25)))
    plan, believed = _plan(sheet, mission), _as_believed(sheet, mission)
    used_ah = true_flight(believed, ())[1].used_at(_believed_turn_s(sheet, mission))
    charge = Rule(
        key="charge", name="Charge used", role="charge_used", say="charge used",
        conditions=(Condition(sensor="used_ah", comparison="above", value=round(used_ah, 2)),),
    )  # fmt: skip
    late = plan.model_copy(update={"rules": (charge, *(r for r in plan.rules if r.role != "pack_low"))})
    shows = frozenset({"volts", "charge"})
    turn_s = 1.15 * _believed_turn_s(sheet, mission)
    return _made("sensor_low", seed, sheet, mission, truth, plan=late, shows=shows, turn_s=turn_s)


def _telemetry_lost(rng: Rng, seed: int) -> Scenario:
    sheet = _sheet("flying_wing", "long_range", name="Flying wing")
    mission = _mission(sheet, out_m=float(rng.uniform(1500.0, 3000.0)))
    truth = _usual(rng, sheet)
    lost_s = float(rng.uniform(0.35, 0.7)) * _believed_turn_s(sheet, mission)
    return _made("telemetry_lost", seed, sheet, mission, truth, lost_s=lost_s, ask="stopped")


def _chatter(rng: Rng, seed: int) -> Scenario:
    sheet = _sheet("freestyle", "freestyle", name="Five-inch quad")
    mission = _mission(sheet, out_m=float(rng.uniform(100.0, 250.0)))
    truth = _usual(rng, sheet, resistance=float(rng.uniform(1.1, 1.6)))
    plan = _unheld(_plan(sheet, mission), every_s=2.0)
    return _made("chatter", seed, sheet, mission, truth, plan=plan, ask="climb")


def _twice_the_pack(rng: Rng, seed: int) -> Scenario:
    single = usual_pack(KINDS["long_range"])
    small = _sheet("long_range", "cruise", name="Long-range quad", pack=single)
    double = single.model_copy(update={"parallel": 2, "capacity_ah": 2.0 * single.capacity_ah})
    flown = small.model_copy(update={"pack": double})
    mission = _mission(small, out_m=float(rng.uniform(700.0, 1400.0)))
    # Twice the pack, twice the time, thought its pilot, and set the timer so.
    turn_s = 2.0 * _believed_turn_s(small, mission)
    return _made("twice_the_pack", seed, flown, mission, _usual(rng, flown), turn_s=turn_s)


def _plain_radio(rng: Rng, seed: int) -> Scenario:
    sheet = _sheet("plane", "aerobatics", name="Aerobatic plane")
    mission = _mission(sheet, out_m=float(rng.uniform(150.0, 300.0)))
    plan = _plan(sheet, mission)
    none = plan.model_copy(update={"rules": ()})
    return _made("plain_radio", seed, sheet, mission, _usual(rng, sheet), plan=none, shows=frozenset(), ask="none")


_MAKERS: Final[MappingProxyType[str, Callable[[Rng, int], Scenario]]] = MappingProxyType({
    "climb_or_empty": _climb_or_empty, "flat_middle": _flat_middle, "ion_cliff": _ion_cliff,
    "cold_first_minute": _cold_first_minute, "headwind_home": _headwind_home, "tired_pack": _tired_pack,
    "other_count": _other_count, "sensor_low": _sensor_low, "telemetry_lost": _telemetry_lost, "chatter": _chatter,
    "twice_the_pack": _twice_the_pack, "plain_radio": _plain_radio,
})  # fmt: skip


@lru_cache(maxsize=128)
def drill(key: DrillKey, /, *, seed: int) -> Scenario:
    """A drill with the truth of a seed [1].

    Raises
    ------
    KeyError
        For a drill that there is not; one's own sheet is :func:`own_drill`.
    """
    return _MAKERS[key](np.random.default_rng([seed, DRILLS.index(key)]), seed)


def own_drill(sheet: Sheet, plan: CalloutPlan, /, *, seed: int) -> Scenario:
    """One's own sheet with one's own plan, and a truth drawn from what the sheet does not know [1].

    Raises
    ------
    OutOfRangeError
        For a sheet that flies longer than a drill can be played.
    """
    rng = np.random.default_rng([seed, len(DRILLS)])
    speed = sheet.craft.cruise_speed_m_s or 10.0
    wind_m_s = min(max(sheet.landing.headwind_m_s, 0.0), 0.6 * speed) * float(rng.uniform(0.8, 1.3))
    mission = Mission(air_m_s=speed, out_m=max(sheet.landing.home_s, 5.0) * speed, wind_m_s=wind_m_s)
    air_c = min(max(sheet.conditions.air_c + float(rng.uniform(-6.0, 4.0)), COLDEST_C), HOTTEST_C)
    flown = sheet.model_copy(update={"conditions": sheet.conditions.model_copy(update={"air_c": round(air_c, 1)})})
    truth = _usual(rng, flown, power=float(rng.uniform(0.88, 1.14)), capacity=float(rng.uniform(0.85, 1.0)),
                   resistance=float(rng.uniform(0.9, 1.5)))  # fmt: skip
    believed_s = _believed_turn_s(sheet, mission)
    if believed_s > _LONGEST_OWN_S:
        raise OutOfRangeError(
            fact("refused.practice.too_long", flies_s=believed_s, most_s=_LONGEST_OWN_S),
            field="sheet", value=believed_s, limit=_LONGEST_OWN_S,
        )  # fmt: skip
    timer = next((t.at_s for t in plan.timers if t.on), None)
    shows = {"volts"} | ({"charge"} if sheet.craft.can_show("charge") else set())
    return Scenario(
        key="own", seed=seed, believed=sheet, plan=plan, mission=mission, truth=truth,
        turn_s=believed_s if timer is None else timer, shows=frozenset(shows),
        reserve=sheet.landing.charge_kept or 0.20,
    )  # fmt: skip
