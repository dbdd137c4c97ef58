"""Checks of a flight: each ok, look or stop, with its number, its limit, the moment and the mend.

Volts are per cell.  Limits that are rules of thumb of ours are constants here, reasoned in
docs/physics.md, "Checks".
"""

from __future__ import annotations

import math

import numpy as np

from zesty_cell.core.answer.calls import DerivedCallouts, Means
from zesty_cell.core.answer.check import Check, Status
from zesty_cell.core.answer.current_checks import current_checks, rolling_rms
from zesty_cell.core.answer.thresholds import OVER_CUTOFF_V
from zesty_cell.core.asked.flying import STEP_S
from zesty_cell.core.clock import clock
from zesty_cell.core.flight.honest_current import HonestCurrent
from zesty_cell.core.flight.kernel import LONGEST_BURST
from zesty_cell.core.flight.one import Flight
from zesty_cell.core.flight.setup import Setup
from zesty_cell.core.flight.summary import Brief
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
        lower = "Lower the cutoff in the ESC, or land" if lower_v >= setup.chemistry.hard_floor_v else "Land"
        return Check(
            "esc_cutoff",
            "stop",
            "The ESC takes the power away in steady flight: it ends the flight",
            float(flight.loaded_v[at]),
            cutoff_v,
            "V",
            flight.cutoff_s,
            f"{lower} before it acts.",
            land_at_v=round(cutoff_v + OVER_CUTOFF_V, 2),
        )
    if flight.cutoff_touched_s > flight.landing_s:
        lowest_v = float(flight.loaded_v[lowest])
        title = "The ESC's low-voltage cutoff stays quiet"
        return Check("esc_cutoff", "ok", title, lowest_v, cutoff_v, "V", lowest * STEP_S, "")
    return Check(
        "esc_cutoff",
        "stop",
        "The ESC takes the power away in bursts",
        float(flight.loaded_v[lowest]),
        cutoff_v,
        "V",
        lowest * STEP_S,
        f"From {clock(flight.cutoff_touched_s)} on. "
        + (
            f"Lower the cutoff to {lower_v:.1f} V a cell, or use less throttle."
            if can_lower
            else "Use less throttle late in the flight, or land earlier: the cells themselves are near their floor."
        ),
    )


def _floor(setup: Setup, flight: Flight, stop: int) -> Check | None:
    if flight.floor_touched_s > flight.landing_s:
        return None
    k = int(np.argmin(flight.weakest_v[:stop]))
    return Check(
        "hard_floor",
        "stop",
        "A burst pulls the weakest cell under its hard floor",
        float(flight.weakest_v[k]),
        setup.chemistry.hard_floor_v,
        "V",
        flight.floor_touched_s,
        "Warm the pack, use part throttle, or take a pack of lower resistance.",
    )


def _power(setup: Setup, flight: Flight, brief: Brief) -> Check:
    """Can the craft hold itself up, fresh and at landing?"""
    rotor = setup.sheet.craft.lifts_itself()
    value = brief.to_spare
    stop_at, look_at = (
        (THRUST_TO_WEIGHT_STOP, THRUST_TO_WEIGHT_LOOK) if rotor else (POWER_MARGIN_STOP, POWER_MARGIN_LOOK)
    )
    what = "thrust over weight" if rotor else "full power over level flight"
    if flight.first_clipped_s <= flight.landing_s or value < stop_at:
        early = not brief.flies
        return Check(
            "power",
            "stop",
            "The pack cannot lift this craft"
            if early and rotor
            else "The pack cannot give the power this flight asks for",
            value,
            stop_at,
            "ratio",
            flight.first_clipped_s if math.isfinite(flight.first_clipped_s) else flight.landing_s,
            "Take weight off, or a pack with more cells or lower resistance.",
        )
    status: Status = "ok" if value >= look_at else "look"
    return Check(
        "power",
        status,
        f"Power to spare at landing ({what})" if status == "ok" else f"Little power to spare at landing ({what})",
        value,
        look_at,
        "ratio",
        flight.landing_s,
        "" if status == "ok" else "Land earlier, or take weight off.",
    )


def _heat(flight: Flight, stop: int) -> Check:
    k = int(np.argmax(flight.temperature_c[:stop]))
    hottest_c = float(flight.temperature_c[k])
    if hottest_c <= HOT_LOOK_C:
        return Check("heat", "ok", "The cells stay cool enough", hottest_c, HOT_STOP_C, "°C", k * STEP_S, "")
    status: Status = "look" if hottest_c <= HOT_STOP_C else "stop"
    return Check(
        "heat",
        status,
        "The cells get hot",
        hottest_c,
        HOT_STOP_C,
        "°C",
        k * STEP_S,
        "Fly it gentler or shorter, give the pack air, and let it cool before charging.",
    )


def _cold(setup: Setup) -> Check | None:
    if setup.start_c >= COLD_PACK_C:
        return None
    return Check(
        "cold",
        "look",
        "The pack takes off cold: it sags more",
        setup.start_c,
        COLD_PACK_C,
        "°C",
        0.0,
        "Keep packs warm until flight and fly gently for the first minute.",
    )


def _bursts(brief: Brief) -> Check | None:
    """Do climbs take much longer than where the craft's full throttle is known?"""
    times = brief.longest_stretch
    if times < STRETCHED_LOOK:
        return None
    cut = times >= LONGEST_BURST - 1e-9
    return Check(
        "bursts",
        "look",
        "Late climbs are not finished: they are cut where they take too long"
        if cut
        else "Late climbs take much longer",
        times,
        STRETCHED_LOOK,
        "times",
        None,
        "Do the climbing early, warm the pack, or take one of lower resistance.",
    )


def _thrust_fade(brief: Brief, stop: int) -> Check:
    share = brief.thrust_share
    status: Status = "ok" if share >= THRUST_KEPT_OK else "look" if share >= THRUST_KEPT_LOW else "stop"
    return Check(
        "thrust_fade",
        status,
        "Full throttle keeps most of its thrust to landing"
        if status == "ok"
        else "Full throttle fades before landing",
        share,
        THRUST_KEPT_OK,
        "share",
        (stop - 1) * STEP_S,
        "" if status == "ok" else "Do the low, hard flying in the first half.",
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
        f"All-up weight is above “{name}”" if over else f"All-up weight is inside “{name}”",
        setup.all_up_mass_kg,
        limits.weight_class_kg,
        "kg",
        None,
        "Check what your local rules ask above this weight." if over else "",
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
        "A full pack is above what the craft's parts take" if over else "A full pack suits the craft's parts",
        full_v,
        maximum_v,
        "pack V",
        0.0,
        "Take fewer cells in series." if over else "",
    )


def _connector(setup: Setup, flight: Flight, stop: int) -> Check | None:
    connector = CONNECTORS[setup.sheet.pack.connector]
    rms = rolling_rms(flight.current_a[:stop], 60.0)
    k = int(np.argmax(rms))
    if rms[k] <= connector.rating_a:
        return None
    return Check(
        "connector",
        "look",
        "The plug carries more than its class is made for",
        float(rms[k]),
        connector.rating_a,
        "A",
        k * STEP_S,
        "Fit a larger plug on pack and craft.",
    )


def _charge_left(flight: Flight) -> Check:
    left = flight.left_at(flight.landing_s)
    if flight.landing_reason in ("floor", "empty"):
        return Check(
            "charge_left",
            "stop",
            "The pack is finished before your landing rule speaks",
            left,
            CHARGE_LEFT_OK,
            "share",
            flight.landing_s,
            "Land by charge used, or raise the landing voltage.",
        )
    status: Status = "ok" if left >= CHARGE_LEFT_OK else "look" if left >= CHARGE_LEFT_LOW else "stop"
    return Check(
        "charge_left",
        status,
        "Enough charge is left at landing" if status == "ok" else "Little charge is left at landing",
        left,
        0.2,
        "share",
        flight.landing_s,
        "" if status == "ok" else "Keep the last fifth for emergencies: it goes faster than the rest.",
    )


#: What makes a voltage call right where the plain one is not.
_HELPED: dict[Means, str] = {
    "hold": "",
    "another voltage": "At the voltage of the landing point itself, {false} would be false and {late} late.",
    "throttle": "Without leaving full throttle out, {false} of {flights} would be false and {late} late.",
    "charge too": "The voltage alone would be false in {false} and late in {late}: it counts with charge used.",
}


def _callouts(callouts: DerivedCallouts, craft: Craft) -> Check:
    """Is there a voltage that may call, and what leads where there is none?"""
    call = callouts.land_now
    plain, flights = call.plain, call.plain.flights
    if call.stands == "calls":
        helped = _HELPED[call.means].format(flights=flights, false=plain.false_flights, late=plain.late_flights)
        wrong = call.trial.false_flights + call.trial.late_flights
        title = f"“Land now” speaks truly and in time in {flights - wrong} of {flights} flights"
        return Check("voltage_callouts", "ok", title, float(wrong), 0.0, "flights", None, helped)
    if not (craft.can_show("volts") or craft.can_show("cells")):
        title, value = "Your transmitter shows no voltage, so none can call", None
    else:
        said = [f"falsely in {plain.false_flights}"] * (plain.false_flights > 0)
        said += [f"late in {plain.late_flights}"] * (plain.late_flights > 0)
        title = f"A voltage would call {' and '.join(said)} of {flights} flights"
        value = float(plain.false_flights + plain.late_flights)
    guard = " The voltage stays as the last guard." if call.stands == "guard" else ""
    if callouts.leads == "charge used":
        mend = f"Charge used leads here.{guard}"
    elif callouts.charge is not None:
        mend = f"The timer leads here.{guard} With the current sensor checked, charge used can."
    else:
        mend = f"The timer leads here.{guard}"
    limit = None if value is None else 0.0
    return Check("voltage_callouts", "look", title, value, limit, "flights", None, mend)


def check_flight(
    *, setup: Setup, flight: Flight, brief: Brief, callouts: DerivedCallouts | None, honest: HonestCurrent
) -> tuple[Check, ...]:
    """Every check that applies to a flight, worst first; until landing, not beyond.

    Without ``callouts`` theirs is left out: a comparison sets none.
    """
    stop = flight.index_at(flight.landing_s) + 1
    found = (
        _charge_left(flight),
        _power(setup, flight, brief),
        _floor(setup, flight, stop),
        *current_checks(setup=setup, flight=flight, honest=honest, stop=stop),
        _esc_cutoff(setup, flight, stop),
        _maximum_voltage(setup),
        _connector(setup, flight, stop),
        _heat(flight, stop),
        _cold(setup),
        _thrust_fade(brief, stop),
        _bursts(brief),
        _weight_class(setup),
        None if callouts is None else _callouts(callouts, setup.sheet.craft),
    )
    return tuple(sorted((c for c in found if c is not None), key=lambda c: _ORDER[c.status]))
