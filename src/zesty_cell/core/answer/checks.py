"""Checks of a flight: each ok, look or stop, with its number, its limit, the moment and the mend.

Volts are per cell.  Limits that are rules of thumb of ours are constants here, reasoned in
docs/physics.md, "Checks".
"""

from __future__ import annotations

import math

import numpy as np

from zesty_cell.core.answer.calls import DerivedCallouts, Means, Trial, VoltageCall
from zesty_cell.core.answer.check import Check, Status
from zesty_cell.core.answer.current_checks import current_checks, rolling_rms
from zesty_cell.core.answer.thresholds import OVER_CUTOFF_V
from zesty_cell.core.asked.flying import STEP_S
from zesty_cell.core.fact import Fact, fact
from zesty_cell.core.flight.honest_current import HonestCurrent
from zesty_cell.core.flight.kernel import LONGEST_BURST
from zesty_cell.core.flight.one import Flight
from zesty_cell.core.flight.setup import Setup
from zesty_cell.core.flight.summary import LandingSummary
from zesty_cell.core.parts.connectors import CONNECTORS
from zesty_cell.core.parts.craft import Craft

HOT_LOOK_C, HOT_STOP_C = 50.0, 60.0
#: A burst that lasts so many times its nominal length is worth a look [1].
STRETCHED_LOOK = 1.8
COLD_PACK_C = 10.0
THRUST_KEPT_OK, THRUST_KEPT_LOW = 0.85, 0.70
CHARGE_LEFT_OK, CHARGE_LEFT_LOW = 0.195, 0.10
THRUST_TO_WEIGHT_STOP, THRUST_TO_WEIGHT_LOOK = 1.15, 1.6
POWER_MARGIN_STOP, POWER_MARGIN_LOOK = 1.05, 1.3
_ORDER = {"stop": 0, "look": 1, "ok": 2}


def _esc_cutoff(setup: Setup, flight: Flight, stop: int) -> Check | None:
    """Does the ESC take the power away?  Number, moment and verdict are of one event."""
    cutoff_v = setup.sheet.craft.limits.esc_cutoff_v_per_cell
    if cutoff_v is None:
        return None
    lowest = int(np.argmin(flight.loaded_v[:stop]))
    # Just below what the flight needs, and never below what the cell may see.
    lower_v = math.floor((float(flight.loaded_v[lowest]) - 0.01) * 10.0) / 10.0
    can_lower = lower_v >= setup.chemistry.hard_floor_v
    if flight.landing_reason == "ESC cutoff":
        at = flight.index_at(flight.cutoff_s)
        # Where the flight would end without it.
        lower_v = min(lower_v, round(cutoff_v - 0.1, 2))
        may_lower = lower_v >= setup.chemistry.hard_floor_v
        return Check(
            "esc_cutoff",
            "stop",
            fact("check.esc_cutoff.steady"),
            float(flight.loaded_v[at]),
            cutoff_v,
            "V",
            flight.cutoff_s,
            fact("check.esc_cutoff.steady.lower" if may_lower else "check.esc_cutoff.steady.land"),
            land_at_v=round(cutoff_v + OVER_CUTOFF_V, 2),
        )
    if flight.cutoff_touched_s > flight.landing_s:
        lowest_v = float(flight.loaded_v[lowest])
        title = fact("check.esc_cutoff.quiet")
        return Check("esc_cutoff", "ok", title, lowest_v, cutoff_v, "V", lowest * STEP_S, None)
    return Check(
        "esc_cutoff",
        "stop",
        fact("check.esc_cutoff.bursts"),
        float(flight.loaded_v[lowest]),
        cutoff_v,
        "V",
        lowest * STEP_S,
        fact("check.esc_cutoff.bursts.lower", from_s=flight.cutoff_touched_s, cutoff_v=lower_v)
        if can_lower
        else fact("check.esc_cutoff.bursts.less", from_s=flight.cutoff_touched_s),
    )


def _floor(setup: Setup, flight: Flight, stop: int) -> Check | None:
    if flight.floor_touched_s > flight.landing_s:
        return None
    k = int(np.argmin(flight.weakest_v[:stop]))
    return Check(
        "hard_floor",
        "stop",
        fact("check.hard_floor"),
        float(flight.weakest_v[k]),
        setup.chemistry.hard_floor_v,
        "V",
        flight.floor_touched_s,
        fact("check.hard_floor.mend"),
    )


def _power(setup: Setup, flight: Flight, at_landing: LandingSummary) -> Check:
    """Can the craft hold itself up, fresh and at landing?"""
    rotor = setup.sheet.craft.lifts_itself()
    value = at_landing.to_spare
    stop_at, look_at = (
        (THRUST_TO_WEIGHT_STOP, THRUST_TO_WEIGHT_LOOK) if rotor else (POWER_MARGIN_STOP, POWER_MARGIN_LOOK)
    )
    what = fact("margin.thrust" if rotor else "margin.power")
    if flight.first_clipped_s <= flight.landing_s or value < stop_at:
        early = not at_landing.flies
        return Check(
            "power",
            "stop",
            (fact("check.power.no_lift") if early and rotor else fact("check.power.not_enough")),
            value,
            stop_at,
            "ratio",
            flight.first_clipped_s if math.isfinite(flight.first_clipped_s) else flight.landing_s,
            fact("check.power.mend"),
        )
    status: Status = "ok" if value >= look_at else "look"
    return Check(
        "power",
        status,
        (fact("check.power.to_spare", what=what) if status == "ok" else fact("check.power.little", what=what)),
        value,
        look_at,
        "ratio",
        flight.landing_s,
        (None if status == "ok" else fact("check.power.little.mend")),
    )


def _heat(flight: Flight, stop: int) -> Check:
    k = int(np.argmax(flight.temperature_c[:stop]))
    hottest_c = float(flight.temperature_c[k])
    if hottest_c <= HOT_LOOK_C:
        return Check("heat", "ok", fact("check.heat.cool"), hottest_c, HOT_STOP_C, "°C", k * STEP_S, None)
    status: Status = "look" if hottest_c <= HOT_STOP_C else "stop"
    return Check(
        "heat",
        status,
        fact("check.heat.hot"),
        hottest_c,
        HOT_STOP_C,
        "°C",
        k * STEP_S,
        fact("check.heat.mend"),
    )


def _cold(setup: Setup) -> Check | None:
    if setup.start_c >= COLD_PACK_C:
        return None
    return Check(
        "cold",
        "look",
        fact("check.cold"),
        setup.start_c,
        COLD_PACK_C,
        "°C",
        0.0,
        fact("check.cold.mend"),
    )


def _bursts(at_landing: LandingSummary) -> Check | None:
    """Do climbs take much longer than where the craft's full throttle is known?"""
    times = at_landing.longest_stretch
    if times < STRETCHED_LOOK:
        return None
    cut = times >= LONGEST_BURST - 1e-9
    return Check(
        "bursts",
        "look",
        (fact("check.bursts.cut") if cut else fact("check.bursts.longer")),
        times,
        STRETCHED_LOOK,
        "times",
        None,
        fact("check.bursts.mend"),
    )


def _thrust_fade(at_landing: LandingSummary, stop: int) -> Check:
    share = at_landing.thrust_share
    status: Status = "ok" if share >= THRUST_KEPT_OK else "look" if share >= THRUST_KEPT_LOW else "stop"
    return Check(
        "thrust_fade",
        status,
        (fact("check.thrust_fade.keeps") if status == "ok" else fact("check.thrust_fade.fades")),
        share,
        THRUST_KEPT_OK,
        "share",
        (stop - 1) * STEP_S,
        (None if status == "ok" else fact("check.thrust_fade.mend")),
    )


def _weight_class(setup: Setup) -> Check | None:
    limits = setup.sheet.craft.limits
    if limits.weight_class_kg is None:
        return None
    name = limits.weight_class_name or "the weight class"
    over = setup.all_up_mass_kg > limits.weight_class_kg
    return Check(
        "weight_class",
        "look" if over else "ok",
        (fact("check.weight_class.above", name=name) if over else fact("check.weight_class.inside", name=name)),
        setup.all_up_mass_kg,
        limits.weight_class_kg,
        "kg",
        None,
        (fact("check.weight_class.local_rules") if over else None),
    )


def _maximum_voltage(setup: Setup) -> Check | None:
    maximum_v = setup.sheet.craft.limits.maximum_v
    if maximum_v is None:
        return None
    full_v = setup.figures.full_v
    over = full_v > maximum_v
    return Check(
        "maximum_voltage",
        "stop" if over else "ok",
        (fact("check.maximum_voltage.above") if over else fact("check.maximum_voltage.suits")),
        full_v,
        maximum_v,
        "pack V",
        0.0,
        (fact("check.maximum_voltage.mend") if over else None),
    )


def _room(setup: Setup) -> Check | None:
    """Whether the pack goes into the room that its craft has, lying as it fits; sides nobody gave are free."""
    limits, size = setup.sheet.craft.limits, setup.figures.size
    room_m = (limits.bay_length_m, limits.bay_width_m, limits.bay_height_m)
    if all(side is None for side in room_m):
        return None
    sides = sorted((float("inf") if side is None else side for side in room_m), reverse=True)
    pack = sorted((size.length_m, size.width_m, size.height_m), reverse=True)
    over_m = max(own - side for own, side in zip(pack, sides, strict=True))
    if over_m <= 0.0:
        return Check("room", "ok", fact("check.room.fits"), None, None, "ratio", None, None)
    mend = fact("check.room.mend.estimated" if setup.figures.size_known == "estimated" else "check.room.mend")
    return Check("room", "look", fact("check.room.over", over_m=over_m), None, None, "ratio", None, mend)


def _connector(setup: Setup, flight: Flight, stop: int) -> Check | None:
    connector = CONNECTORS[setup.sheet.pack.connector]
    rms = rolling_rms(flight.current_a[:stop], 60.0)
    k = int(np.argmax(rms))
    if rms[k] <= connector.rating_a:
        return None
    return Check(
        "connector",
        "look",
        fact("check.connector"),
        float(rms[k]),
        connector.rating_a,
        "A",
        k * STEP_S,
        fact("check.connector.mend"),
    )


def _charge_left(flight: Flight) -> Check:
    left = flight.left_at(flight.landing_s)
    if flight.landing_reason in ("floor", "empty"):
        return Check(
            "charge_left",
            "stop",
            fact("check.charge_left.finished"),
            left,
            CHARGE_LEFT_OK,
            "share",
            flight.landing_s,
            fact("check.charge_left.finished.mend"),
        )
    status: Status = "ok" if left >= CHARGE_LEFT_OK else "look" if left >= CHARGE_LEFT_LOW else "stop"
    return Check(
        "charge_left",
        status,
        (fact("check.charge_left.enough") if status == "ok" else fact("check.charge_left.little")),
        left,
        0.2,
        "share",
        flight.landing_s,
        (None if status == "ok" else fact("check.charge_left.little.mend")),
    )


#: What makes a voltage call right where the plain one is not.
_HELPED: dict[Means, str | None] = {
    "hold": None,
    "another voltage": "check.callouts.helped.voltage",
    "throttle": "check.callouts.helped.throttle",
    "charge too": "check.callouts.helped.charge",
}


def _helped(call: VoltageCall) -> Fact | None:
    key, plain = _HELPED[call.means], call.plain
    if key is None:
        return None
    if call.means == "throttle":
        return fact(key, false=plain.false_flights, flights=plain.flights, late=plain.late_flights)
    return fact(key, false=plain.false_flights, late=plain.late_flights)


def _wrong(plain: Trial) -> Fact:
    """How a voltage would call, had it to call by itself."""
    if plain.false_flights and plain.late_flights:
        return fact(
            "check.callouts.both", false=plain.false_flights, late=plain.late_flights, flights=plain.flights
        )
    if plain.late_flights:
        return fact("check.callouts.late", late=plain.late_flights, flights=plain.flights)
    return fact("check.callouts.false", false=plain.false_flights, flights=plain.flights)


def _callouts(callouts: DerivedCallouts, craft: Craft) -> Check:
    """Is there a voltage that may call, and what leads where there is none?"""
    call = callouts.land_now
    plain, flights = call.plain, call.plain.flights
    if call.stands == "calls":
        wrong = call.trial.false_flights + call.trial.late_flights
        title = fact("check.callouts.true", right=flights - wrong, flights=flights)
        return Check("voltage_callouts", "ok", title, float(wrong), 0.0, "flights", None, _helped(call))
    value: float | None = None
    if not (craft.can_show("volts") or craft.can_show("cells")):
        title = fact("check.callouts.no_volts")
    else:
        title, value = _wrong(plain), float(plain.false_flights + plain.late_flights)
    leads = (
        "charge"
        if callouts.leads == "charge used"
        else "timer_unchecked"
        if callouts.charge is not None
        else "timer"
    )
    guard = "guarded" if call.stands == "guard" else "alone"
    mend = fact(f"check.callouts.leads.{leads}.{guard}")
    limit = None if value is None else 0.0
    return Check("voltage_callouts", "look", title, value, limit, "flights", None, mend)


def check_flight(
    *,
    setup: Setup,
    flight: Flight,
    at_landing: LandingSummary,
    callouts: DerivedCallouts | None,
    honest: HonestCurrent,
) -> tuple[Check, ...]:
    """Every check that applies to a flight, worst first; until landing, not beyond.

    Without ``callouts`` theirs is left out: a comparison sets none.
    """
    stop = flight.index_at(flight.landing_s) + 1
    found = (
        _charge_left(flight),
        _power(setup, flight, at_landing),
        _floor(setup, flight, stop),
        *current_checks(setup=setup, flight=flight, honest=honest, stop=stop),
        _esc_cutoff(setup, flight, stop),
        _maximum_voltage(setup),
        _connector(setup, flight, stop),
        _heat(flight, stop),
        _cold(setup),
        _thrust_fade(at_landing, stop),
        _bursts(at_landing),
        _weight_class(setup),
        _room(setup),
        None if callouts is None else _callouts(callouts, setup.sheet.craft),
    )
    return tuple(sorted((c for c in found if c is not None), key=lambda c: _ORDER[c.status]))
