"""What a craft asks of any pack: steady power by regime, full throttle, bursts as work."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import NamedTuple

from zesty_cell.core.parts.air import REFERENCE_DENSITY_KG_M3, STANDARD_GRAVITY_M_S2, air_density_kg_m3
from zesty_cell.core.parts.craft import (
    Craft,
    EstimatedFullThrottle,
    EstimatedSteady,
    MeasuredCharge,
    MeasuredFullThrottle,
    PartsFullThrottle,
    PartsHover,
    RotorGeometry,
    WingGeometry,
)
from zesty_cell.core.parts.estimates import (
    CLIMB_EFFICIENCY,
    FORWARD_LEAST,
    HEAD_SPEED,
    IN_FLIGHT,
    POWER_LAWS,
    WING_EFFICIENCY,
    WING_LIFT_OVER_DRAG,
    Regime,
    WingKind,
    rotor_efficiency,
)
from zesty_cell.core.parts.power_doubt import POWER_SIGMA, PowerParts, full_throttle_sigma, power_parts
from zesty_cell.core.parts.propulsion import Held, Propulsion, held_at_full_throttle, hover_power_w
from zesty_cell.core.remember import by_identity

#: A craft that was only measured in parts is usually flown at so many times its weight without a pack [1].
USUAL_OVER_DRY = 1.4


class CraftLoad(NamedTuple):
    """What a craft asks of any pack at one weight and in one air.

    Attributes
    ----------
    regime_w : dict of Regime to float
        Propulsive electrical power at a share of one [W], without avionics, by what carries the craft.
    level : Regime
        Of hover on rotors, of level flight on wings.
    avionics_w : float
        Camera, video, receiver, lights [W].
    full_throttle_a_v2 : float
        c of I = c·(E − I·R_t)² at pack level, in flight [A/V²].
    standing_a_v2 : float
        The same held on the ground, where a propeller is loaded most [A/V²].
    motor_resistance_ohm : float
        Wiring and motors as seen from the pack [Ω].
    power_sigma, full_throttle_sigma : float
        One standard deviation, relative [1].
    power_parts : PowerParts
        What power's is made of.
    weight_exponent : float
        Of power with weight where the craft flies about [1].
    """

    regime_w: dict[Regime, float]
    level: Regime
    avionics_w: float
    full_throttle_a_v2: float
    standing_a_v2: float
    motor_resistance_ohm: float
    power_sigma: float
    full_throttle_sigma: float
    weight_exponent: float
    power_parts: PowerParts

    @property
    def steady_w(self) -> float:
        """Propulsive power of hover or level flight [W]."""
        return self.regime_w[self.level]


def disc_power_w(*, mass_kg: float, disc_area_m2: float, density_kg_m3: float) -> float:
    """Ideal hover power of an actuator disc, P = (m·g)^1.5 / √(2·ρ·A) [W] (Leishman, eq. 2.14)."""
    weight_n = mass_kg * STANDARD_GRAVITY_M_S2
    return math.pow(weight_n, 1.5) / math.sqrt(2.0 * density_kg_m3 * disc_area_m2)


def level_flight_power_w(
    *,
    mass_kg: float,
    wing_area_m2: float,
    lift_coefficient: float,
    lift_over_drag: float,
    density_kg_m3: float,
) -> float:
    """Thrust power of level flight at one lift coefficient, P = W·v/(L/D), v = √(2W/(ρ·S·C_L)) [W]."""
    weight_n = mass_kg * STANDARD_GRAVITY_M_S2
    speed_m_s = math.sqrt(2.0 * weight_n / (density_kg_m3 * wing_area_m2 * lift_coefficient))
    return weight_n * speed_m_s / lift_over_drag


def disc_area_m2(source: RotorGeometry, /) -> float:
    """Area of all discs [m²]."""
    return source.rotor_count * math.pi * (0.5 * source.rotor_diameter_m) ** 2


def rotors_of(parts: Propulsion, /) -> RotorGeometry:
    """Propellers as rotors of their number and diameter [m]."""
    return RotorGeometry(rotor_count=parts.motor_count, rotor_diameter_m=parts.diameter_m)


def _wing_kind(craft: Craft) -> WingKind:
    return "ducted fan" if craft.kind == "ducted fan" else "wing"


def efficiency_of(craft: Craft, /, *, mass_kg: float) -> float:
    """Efficiency of a craft that is estimated from its geometry, as given or as usual for it [1].

    Raises
    ------
    ValueError
        Where its steady power is measured.
    """
    source = craft.steady
    if isinstance(source, PartsHover) and craft.propulsion is not None:
        power_w = hover_power_w(craft.propulsion, mass_kg=mass_kg, density_kg_m3=REFERENCE_DENSITY_KG_M3)
        area_m2 = disc_area_m2(rotors_of(craft.propulsion))
        ideal_w = disc_power_w(mass_kg=mass_kg, disc_area_m2=area_m2, density_kg_m3=REFERENCE_DENSITY_KG_M3)
        return ideal_w / power_w
    if not isinstance(source, RotorGeometry | WingGeometry):
        raise ValueError("A measured craft needs no efficiency.")
    if source.efficiency is not None:
        return source.efficiency
    if isinstance(source, WingGeometry):
        return WING_EFFICIENCY[_wing_kind(craft)]
    helicopter = craft.kind == "helicopter"
    usual = rotor_efficiency(
        rotor_diameter_m=source.rotor_diameter_m,
        disc_loading_n_m2=mass_kg * STANDARD_GRAVITY_M_S2 / disc_area_m2(source),
        helicopter=helicopter,
    )
    return usual * HEAD_SPEED[source.head_speed] if helicopter else usual


@dataclass(frozen=True)
class _Reference:
    """Where a craft's steady power is known: propulsive power [W] at a weight [kg] in an air [kg/m³]."""

    power_w: float
    mass_kg: float
    density_kg_m3: float


def _test_density(air_c: float | None, altitude_m: float | None) -> float:
    if air_c is None and altitude_m is None:
        return REFERENCE_DENSITY_KG_M3
    return air_density_kg_m3(temperature_c=15.0 if air_c is None else air_c, altitude_m=altitude_m or 0.0)


def _geometry_power_w(craft: Craft, *, mass_kg: float, density_kg_m3: float) -> float:
    source = craft.steady
    if isinstance(source, PartsHover) and craft.propulsion is not None:
        return hover_power_w(craft.propulsion, mass_kg=mass_kg, density_kg_m3=density_kg_m3)
    if isinstance(source, RotorGeometry):
        ideal_w = disc_power_w(mass_kg=mass_kg, disc_area_m2=disc_area_m2(source), density_kg_m3=density_kg_m3)
        return ideal_w / efficiency_of(craft, mass_kg=mass_kg)
    if not isinstance(source, WingGeometry):
        raise ValueError("A measured craft is not known by its geometry.")
    thrust_w = level_flight_power_w(
        mass_kg=mass_kg,
        wing_area_m2=source.wing_area_m2,
        lift_coefficient=source.lift_coefficient,
        lift_over_drag=source.lift_over_drag or WING_LIFT_OVER_DRAG[_wing_kind(craft)],
        density_kg_m3=density_kg_m3,
    )
    return thrust_w / efficiency_of(craft, mass_kg=mass_kg)


@by_identity
def _reference(craft: Craft) -> _Reference:
    source = craft.steady
    if isinstance(source, EstimatedSteady):
        mass_kg = USUAL_OVER_DRY * craft.dry_mass_kg
        power_w = _geometry_power_w(craft, mass_kg=mass_kg, density_kg_m3=REFERENCE_DENSITY_KG_M3)
        return _Reference(power_w, mass_kg, REFERENCE_DENSITY_KG_M3)
    if isinstance(source, MeasuredCharge):
        current_a = source.charge_ah * 3600.0 / source.duration_s
    else:
        current_a = source.current_a
    # At least a tenth of the measured power must fly the craft, however greedy its electronics.
    total_w = current_a * source.voltage_v
    density = _test_density(source.air_c, source.altitude_m)
    return _Reference(max(total_w - craft.avionics_w, 0.1 * total_w), source.all_up_mass_kg, density)


def steady_power_w(*, craft: Craft, mass_kg: float, density_kg_m3: float, regime: Regime | None = None) -> float:
    """Propulsive electrical power in steady flight [W].

    Parameters
    ----------
    craft : Craft
    mass_kg : float
        All-up mass flown [kg].
    density_kg_m3 : float
        Air density flown in [kg/m³].
    regime : Regime, optional
        What carries it; hover or level flight by default.

    Returns
    -------
    float
        P·(m/m_ref)^a·(ρ/ρ_ref)^b without avionics (PHYSICS 3), from where it was measured; the exponents are the
        regime's.  In hover or at its own lift a craft that is known by its geometry alone follows that.
    """
    powers = _powers_w(craft, known=_reference(craft), mass_kg=mass_kg, density_kg_m3=density_kg_m3)
    return powers[craft.level_regime() if regime is None else regime]


def _powers_w(craft: Craft, *, known: _Reference, mass_kg: float, density_kg_m3: float) -> dict[Regime, float]:
    """Steady power in each regime [W], from where it is known."""
    heavier, thicker = math.log(mass_kg / known.mass_kg), math.log(density_kg_m3 / known.density_kg_m3)
    powers: dict[Regime, float] = {
        regime: known.power_w * math.exp(law.weight * heavier + law.density * thicker)
        for regime, law in POWER_LAWS.items()
    }
    if isinstance(craft.steady, EstimatedSteady):
        level = craft.level_regime()
        powers[level] = _geometry_power_w(craft, mass_kg=mass_kg, density_kg_m3=density_kg_m3)
    powers["forward"] = max(powers["forward"], FORWARD_LEAST * powers["hover"])
    return powers


@by_identity
def _full_throttle_point(craft: Craft) -> tuple[float, float]:
    """Current [A] and loaded voltage [V] of full throttle as it was measured or estimated."""
    full = craft.full_throttle
    if isinstance(full, EstimatedFullThrottle):
        known = _reference(craft)
        return full.power_over_steady * (known.power_w + craft.avionics_w) / full.voltage_v, full.voltage_v
    if isinstance(full, PartsFullThrottle):
        return _held(craft, full).current_a, full.voltage_v
    return full.current_a, full.voltage_v


def _held(craft: Craft, full: PartsFullThrottle) -> Held:
    if craft.propulsion is None:
        raise ValueError("Without its motors and propellers nothing follows from them.")
    return held_at_full_throttle(craft.propulsion, voltage_v=full.voltage_v)


def _in_flight(craft: Craft) -> float:
    """What full throttle draws in flight over what it drew where it was measured [1]."""
    full = craft.full_throttle
    bench = isinstance(full, PartsFullThrottle) or (
        isinstance(full, MeasuredFullThrottle) and full.where == "bench"
    )
    return IN_FLIGHT[craft.kind] if bench else 1.0


@by_identity
def thrust_an_amp_kg(craft: Craft, /) -> float | None:
    """Thrust that full throttle gives for each ampere it draws in flight [kg/A]; None where nothing tells.

    Thrust goes nearly with the current of full throttle (PHYSICS 3), held as in flight.
    """
    full = craft.full_throttle
    thrust_kg: float | None = None
    if isinstance(full, PartsFullThrottle):
        thrust_kg = _held(craft, full).thrust_kg
    elif isinstance(full, MeasuredFullThrottle):
        thrust_kg = full.thrust_kg
    return None if thrust_kg is None else thrust_kg / (_full_throttle_point(craft)[0] * _in_flight(craft))


def burst_work_j_kg(*, craft: Craft, share: float, seconds: float, height_m: float | None = None) -> float:
    """What a burst does beyond flying level, by craft and not by pack [J a kilogram flown].

    A height takes g·h over the efficiency of a climb.  Seconds are those of the craft where its full throttle is
    known: (share·P_full − P_level)·t over the weight at which its steady power is known.  0 where that is nothing.

    Parameters
    ----------
    share : float
        Of full-throttle power [1].
    seconds : float
        [s].
    height_m : float, optional
        [m].
    """
    if height_m is not None:
        return STANDARD_GRAVITY_M_S2 * height_m / CLIMB_EFFICIENCY[craft.kind]
    return max(_burst_w(craft, share), 0.0) * seconds / _reference(craft).mass_kg


def _burst_w(craft: Craft, share: float) -> float:
    current_a, voltage_v = _full_throttle_point(craft)
    return share * current_a * _in_flight(craft) * voltage_v - _reference(craft).power_w - craft.avionics_w


def spare_burst_w(*, craft: Craft, mass_kg: float) -> float:
    """What full throttle gives beyond flying level where it is known, at a weight [W]: a burst that does so many
    joules beyond flying is so many nominal seconds."""
    return max(_burst_w(craft, 1.0), 0.0) * mass_kg / _reference(craft).mass_kg


def burst_seconds(*, craft: Craft, share: float, height_m: float) -> float:
    """How long a climb of a height [m] takes where the craft's full throttle is known [s]; 60 at most."""
    spare_w = _burst_w(craft, share)
    work_j = _reference(craft).mass_kg * burst_work_j_kg(craft=craft, share=share, seconds=0.0, height_m=height_m)
    return min(work_j / spare_w, 60.0) if spare_w > 0.0 else 60.0


@by_identity
def _full_throttle_law(craft: Craft) -> tuple[float, float, float]:
    """c of I = c·(E − I·R_t)² in flight and on the ground, in air of reference density [A/V²], and R_motor [Ω]."""
    current_a, voltage_v = _full_throttle_point(craft)
    # Wiring may not eat more than half the voltage at the measured point.
    motor_ohm = min(craft.motor_resistance_ohm, 0.5 * voltage_v / current_a)

    def coefficient(amps: float) -> float:
        return amps / (voltage_v - amps * motor_ohm) ** 2

    return coefficient(current_a * _in_flight(craft)), coefficient(current_a), motor_ohm


def craft_load(
    *,
    craft: Craft,
    mass_kg: float,
    density_kg_m3: float,
    regime: Regime | None = None,
    sensor_error: float = 0.0,
) -> CraftLoad:
    """What the craft asks of a pack at this weight and in this air.

    Full throttle: c = I/(V − I·R_motor)² from the measured point (PHYSICS 3), times ρ/ρ_ref because
    a propeller's torque, and so its current at one speed, goes with density.

    Parameters
    ----------
    mass_kg, density_kg_m3 : float
        Flown with [kg, kg/m³].
    regime : Regime, optional
        In which it flies most; decides how far a weight or an air unlike the measured one is known.
    sensor_error : float
        One standard deviation of the craft's own current sensor [1].
    """
    full_a_v2, standing_a_v2, motor_ohm = _full_throttle_law(craft)
    thicker = density_kg_m3 / REFERENCE_DENSITY_KG_M3
    known = _reference(craft)
    law = POWER_LAWS[craft.level_regime() if regime is None else regime]
    regime_w = _powers_w(craft, known=known, mass_kg=mass_kg, density_kg_m3=density_kg_m3)
    known_sigma = (
        POWER_SIGMA[craft.steady.source],
        law.weight_sigma * math.log(mass_kg / known.mass_kg),
        law.density_sigma * math.log(density_kg_m3 / known.density_kg_m3),
    )
    parts = power_parts(
        craft,
        source=math.hypot(*known_sigma),
        sensor_error=sensor_error,
        weight=law.weight * craft.assumed.weight * craft.dry_mass_kg / mass_kg,
        avionics=craft.avionics_w / regime_w[craft.level_regime()],
    )
    return CraftLoad(
        regime_w=regime_w,
        level=craft.level_regime(),
        avionics_w=craft.avionics_w,
        full_throttle_a_v2=thicker * full_a_v2,
        standing_a_v2=thicker * standing_a_v2,
        motor_resistance_ohm=motor_ohm,
        power_sigma=math.hypot(*parts),
        full_throttle_sigma=full_throttle_sigma(craft, sensor_error=sensor_error),
        weight_exponent=law.weight,
        power_parts=parts,
    )
