"""Motors and propellers against cell counts before buying: which carry the craft, which are too much."""

from __future__ import annotations

from dataclasses import dataclass

from zesty_cell.core.answer.check import Status
from zesty_cell.core.answer.checks import THRUST_TO_WEIGHT_LOOK
from zesty_cell.core.choose.throttle import hover_throttle
from zesty_cell.core.fact import Fact, fact
from zesty_cell.core.parts.air import REFERENCE_DENSITY_KG_M3
from zesty_cell.core.parts.chemistries import chemistry_for
from zesty_cell.core.parts.chemistry import ChemistryKey, amid_flight_v
from zesty_cell.core.parts.craft import Limits
from zesty_cell.core.parts.propulsion import (
    FAST_TIP_MACH,
    Held,
    Propulsion,
    held_at_full_throttle,
    hover_power_w,
)

#: Cell counts that are usual, one of which motors are sold for [1].
USUAL_SERIES = (1, 2, 3, 4, 5, 6, 8, 10, 12, 14)
#: Turning less than this share of what it would without load, a motor heats itself more than it pulls [1].
LEAST_SPEED_SHARE = 0.62
#: Hovering under this share of the throttle, a craft is hard to fly gently [1].
LEAST_HOVER_THROTTLE = 0.18


@dataclass(frozen=True)
class Match:
    """Motors and propellers at one cell count.

    Attributes
    ----------
    series : int
    voltage_v : float
        Loaded, amid a flight [V].
    held : Held
        Full throttle on the ground.
    motor_a, motor_w : float
        Of one motor there [A, W].
    over_weight : float
        Thrust over weight [1].
    hover_w, hover_throttle : float or None
        Power of a hover [W], and the share of the throttle's way that it takes [1]; None for a wing, or where it
        does not carry.
    pitch_speed_m_s : float
        What the propeller would move through still air without slip [m/s].
    status : Status
    findings : tuple of Fact
        What is wrong or worth a look, the worst first.
    """

    series: int
    voltage_v: float
    held: Held
    motor_a: float
    motor_w: float
    over_weight: float
    hover_w: float | None
    hover_throttle: float | None
    pitch_speed_m_s: float
    status: Status
    findings: tuple[Fact, ...]


def match_cells(
    parts: Propulsion,
    /,
    *,
    ready_kg: float,
    chemistry: ChemistryKey,
    limits: Limits,
    rotor: bool = True,
) -> tuple[Match, ...]:
    """The usual cell counts that these parts can be flown on, the fewest first; empty where none is.

    Parameters
    ----------
    ready_kg : float
        With the pack [kg].
    chemistry : ChemistryKey
        Of the pack.
    limits : Limits
        Of one motor and its ESC, where they are known; counted by the motors of ``parts``.
    rotor : bool
        Whether propellers carry the craft, or a wing does.
    """
    found = (_match(parts, s, ready_kg, chemistry, limits, rotor) for s in USUAL_SERIES)
    # A tip near the speed of sound, or thrust that hardly moves the craft, is nobody's choice.
    return tuple(m for m in found if m.held.tip_mach <= 1.0 and m.over_weight >= (0.6 if rotor else 0.15))


def _match(
    parts: Propulsion, series: int, ready_kg: float, chemistry: ChemistryKey, limits: Limits, rotor: bool
) -> Match:
    volts = amid_flight_v(chemistry_for(chemistry), series=series)
    held = held_at_full_throttle(parts, voltage_v=volts)
    over_weight = held.thrust_kg / ready_kg
    each_a = held.current_a / parts.motor_count
    carries = rotor and over_weight >= 1.0
    stops, looks = _judged(held, each_a, each_a * volts, over_weight, limits, rotor)
    return Match(
        series=series,
        voltage_v=volts,
        held=held,
        motor_a=each_a,
        motor_w=each_a * volts,
        over_weight=over_weight,
        hover_w=hover_power_w(parts, mass_kg=ready_kg, density_kg_m3=REFERENCE_DENSITY_KG_M3) if carries else None,
        hover_throttle=hover_throttle(over_weight) if carries else None,
        pitch_speed_m_s=parts.pitch_m * held.rpm / 60.0,
        status="stop" if stops else "look" if looks else "ok",
        findings=(*stops, *looks),
    )


def _judged(
    held: Held, each_a: float, each_w: float, over_weight: float, limits: Limits, rotor: bool
) -> tuple[list[Fact], list[Fact]]:
    """What speaks against it, and what is worth a look."""
    stops, looks = list[Fact](), list[Fact]()
    if rotor and over_weight < 1.0:
        stops.append(fact("match.does_not_carry", over_weight=over_weight))
    for what, value, limit in (
        ("motor_a", each_a, limits.motor_a),
        ("motor_w", each_w, limits.motor_w),
        ("esc", each_a, limits.esc_burst_a or limits.esc_a),
    ):
        if limit is not None and value > limit:
            stops.append(fact(f"match.over.{what}", value=value, limit=limit))
    if held.speed_share < LEAST_SPEED_SHARE:
        stops.append(fact("match.too_much", turns_share=held.speed_share))
    if held.tip_mach > FAST_TIP_MACH:
        looks.append(fact("match.fast_tip", tip_m_s=held.tip_mach * 340.0))
    if rotor and 1.0 <= over_weight < THRUST_TO_WEIGHT_LOOK:
        looks.append(fact("match.little_to_spare", over_weight=over_weight))
    if rotor and hover_throttle(over_weight) < LEAST_HOVER_THROTTLE:
        looks.append(fact("match.nervous", throttle_share=hover_throttle(over_weight)))
    return stops, looks
