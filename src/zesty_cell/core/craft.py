"""The craft: mass, where its steady power comes from, full throttle, limits."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Annotated, Literal

from pydantic import Field, model_validator

from zesty_cell.core.air import REFERENCE_DENSITY_KG_M3, STANDARD_GRAVITY_M_S2
from zesty_cell.core.entity import Entity, Name
from zesty_cell.core.estimates import WING_EFFICIENCY, WING_LIFT_OVER_DRAG, WingKind, rotor_efficiency

CraftKind = Literal["multirotor", "wing", "ducted fan", "helicopter"]
Amps = Annotated[float, Field(ge=0.001, le=2000)]
Volts = Annotated[float, Field(ge=0.5, le=120)]
Kilograms = Annotated[float, Field(ge=0.003, le=100)]


class MeasuredPoint(Entity):
    """Steady current read in hover or level cruise, at the pack voltage and weight of that moment."""

    source: Literal["measured"] = "measured"
    current_a: Amps
    voltage_v: Volts
    all_up_mass_kg: Kilograms


class MeasuredCharge(Entity):
    """Charge put back after a steady flight of known length: mean current without a sensor."""

    source: Literal["charge"] = "charge"
    charge_ah: Annotated[float, Field(ge=0.0001, le=200)]
    duration_s: Annotated[float, Field(ge=10, le=36_000)]
    voltage_v: Volts
    all_up_mass_kg: Kilograms


class RotorGeometry(Entity):
    """Propellers or main rotor: count and diameter, and efficiency from disc to battery; usual for them if None."""

    source: Literal["rotor"] = "rotor"
    rotor_count: Annotated[int, Field(ge=1, le=16)]
    rotor_diameter_m: Annotated[float, Field(ge=0.02, le=4)]
    efficiency: Annotated[float, Field(ge=0.1, le=0.8)] | None = None


class WingGeometry(Entity):
    """Wing area, lift coefficient in cruise, lift over drag, and efficiency from thrust to battery.

    The last two are what is usual for its kind where they are None.
    """

    source: Literal["wing"] = "wing"
    wing_area_m2: Annotated[float, Field(ge=0.005, le=10)]
    lift_coefficient: Annotated[float, Field(ge=0.1, le=1.5)] = 0.5
    lift_over_drag: Annotated[float, Field(ge=1.5, le=40)] | None = None
    efficiency: Annotated[float, Field(ge=0.1, le=0.8)] | None = None


SteadyPower = Annotated[
    MeasuredPoint | MeasuredCharge | RotorGeometry | WingGeometry, Field(discriminator="source")
]


class MeasuredFullThrottle(Entity):
    """Total current at full throttle and the loaded pack voltage at that moment."""

    source: Literal["measured"] = "measured"
    current_a: Amps
    voltage_v: Volts


class EstimatedFullThrottle(Entity):
    """Full-throttle power as a multiple of steady power, at the pack voltage the craft is built for."""

    source: Literal["estimated"] = "estimated"
    power_over_steady: Annotated[float, Field(ge=1.05, le=40)]
    voltage_v: Volts


FullThrottle = Annotated[MeasuredFullThrottle | EstimatedFullThrottle, Field(discriminator="source")]


class Limits(Entity):
    """What the craft's parts allow; ``None`` where the pilot has not said.

    ``motor_a``, ``esc_a`` (as long as it lasts) and ``esc_burst_a`` (ten seconds) are of one motor and
    its ESC; ``motor_count`` says how many there are.  One of 1 means "all together".
    """

    motor_count: Annotated[int, Field(ge=1, le=16)] = 1
    motor_a: Amps | None = None
    esc_a: Amps | None = None
    esc_burst_a: Amps | None = None
    esc_cutoff_v_per_cell: Annotated[float, Field(ge=0.5, le=4.2)] | None = None
    maximum_v: Volts | None = None
    weight_class_name: Name | None = None
    weight_class_kg: Kilograms | None = None

    @model_validator(mode="after")
    def _rising(self) -> Limits:
        if self.esc_a is not None and self.esc_burst_a is not None and self.esc_burst_a < self.esc_a:
            raise ValueError("An ESC's burst rating is not below its continuous one.")
        return self

    def all_motors_a(self) -> float | None:
        """Most current of all motors together [A]."""
        return None if self.motor_a is None else self.motor_a * self.motor_count

    def all_escs_a(self) -> float | None:
        """Continuous rating of all ESCs together [A]."""
        return None if self.esc_a is None else self.esc_a * self.motor_count

    def all_escs_burst_a(self) -> float | None:
        """Ten-second rating of all ESCs together [A]; the continuous one where no other is known."""
        each = self.esc_burst_a if self.esc_burst_a is not None else self.esc_a
        return None if each is None else each * self.motor_count


#: What a transmitter may show of a craft: its pack's volts, the charge used, its lowest cell.
Shown = Literal["volts", "charge", "cells"]


class Craft(Entity):
    """One aircraft without its pack.

    ``shows`` is what the transmitter shows of it; None where that was not asked yet, empty for nothing at all.
    """

    name: Name
    kind: CraftKind
    description: Annotated[str, Field(max_length=80)] = ""
    dry_mass_kg: Kilograms
    avionics_w: Annotated[float, Field(ge=0, le=200)] = 3.0
    steady: SteadyPower
    full_throttle: FullThrottle
    motor_resistance_ohm: Annotated[float, Field(ge=0, le=2)] = 0.01
    cruise_speed_m_s: Annotated[float, Field(ge=1, le=120)] | None = None
    pack_cooling: Literal["enclosed", "still air", "airflow"] = "airflow"
    limits: Limits = Limits()
    shows: Annotated[tuple[Shown, ...], Field(max_length=3)] | None = None

    def can_show(self, what: Shown, /) -> bool:
        """Whether the transmitter shows it; volts and charge are assumed where that was not asked."""
        return what != "cells" if self.shows is None else what in self.shows

    def lifts_itself(self) -> bool:
        """Whether rotors carry the craft, so that thrust must exceed weight; a wing only needs power."""
        return self.kind in ("multirotor", "helicopter")


#: One standard deviation of steady power, relative, by where it comes from (PHYSICS 3).
POWER_SIGMA = {"learned": 0.05, "measured": 0.08, "charge": 0.08, "rotor": 0.25, "wing": 0.25}
FULL_THROTTLE_SIGMA = {"measured": 0.05, "estimated": 0.20}


@dataclass(frozen=True)
class CraftLoad:
    """What a craft asks of any pack at one weight and in one air.

    Attributes
    ----------
    steady_w : float
        Propulsive electrical power in steady flight [W], without avionics.
    avionics_w : float
        Camera, video, receiver, lights [W].
    full_throttle_a_v2 : float
        c of I = c·(E − I·R_t)² at pack level [A/V²].
    motor_resistance_ohm : float
        Wiring and motors as seen from the pack [Ω].
    power_sigma, full_throttle_sigma : float
        One standard deviation, relative [1].
    """

    steady_w: float
    avionics_w: float
    full_throttle_a_v2: float
    motor_resistance_ohm: float
    power_sigma: float
    full_throttle_sigma: float


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
    if not isinstance(source, RotorGeometry | WingGeometry):
        raise ValueError("A measured craft needs no efficiency.")
    if source.efficiency is not None:
        return source.efficiency
    if isinstance(source, WingGeometry):
        return WING_EFFICIENCY[_wing_kind(craft)]
    return rotor_efficiency(
        rotor_diameter_m=source.rotor_diameter_m,
        disc_loading_n_m2=mass_kg * STANDARD_GRAVITY_M_S2 / disc_area_m2(source),
        helicopter=craft.kind == "helicopter",
    )


def steady_power_w(*, craft: Craft, mass_kg: float, density_kg_m3: float) -> float:
    """Propulsive electrical power in steady flight [W].

    Parameters
    ----------
    craft : Craft
    mass_kg : float
        All-up mass flown [kg].
    density_kg_m3 : float
        Air density flown in [kg/m³].

    Returns
    -------
    float
        k·(m/m_ref)^1.5·√(ρ_ref/ρ) (PHYSICS 3), without avionics.  A measured point is taken to be
        read in standard air.
    """
    source = craft.steady
    if isinstance(source, RotorGeometry):
        ideal_w = disc_power_w(mass_kg=mass_kg, disc_area_m2=disc_area_m2(source), density_kg_m3=density_kg_m3)
        return ideal_w / efficiency_of(craft, mass_kg=mass_kg)
    if isinstance(source, WingGeometry):
        thrust_w = level_flight_power_w(
            mass_kg=mass_kg,
            wing_area_m2=source.wing_area_m2,
            lift_coefficient=source.lift_coefficient,
            lift_over_drag=source.lift_over_drag or WING_LIFT_OVER_DRAG[_wing_kind(craft)],
            density_kg_m3=density_kg_m3,
        )
        return thrust_w / efficiency_of(craft, mass_kg=mass_kg)
    if isinstance(source, MeasuredCharge):
        current_a = source.charge_ah * 3600.0 / source.duration_s
    else:
        current_a = source.current_a
    # At least a tenth of the measured power must fly the craft, however greedy its electronics.
    total_w = current_a * source.voltage_v
    reference_w = max(total_w - craft.avionics_w, 0.1 * total_w)
    scale = math.pow(mass_kg / source.all_up_mass_kg, 1.5) * math.sqrt(REFERENCE_DENSITY_KG_M3 / density_kg_m3)
    return reference_w * scale


def craft_load(*, craft: Craft, mass_kg: float, density_kg_m3: float) -> CraftLoad:
    """What the craft asks of a pack at this weight and in this air.

    Full throttle: c = I/(V − I·R_motor)² from the measured point (PHYSICS 3), times ρ/ρ_ref because
    a propeller's torque, and so its current at one speed, goes with density.
    """
    steady_w = steady_power_w(craft=craft, mass_kg=mass_kg, density_kg_m3=density_kg_m3)
    full = craft.full_throttle
    if isinstance(full, EstimatedFullThrottle):
        reference_mass = getattr(craft.steady, "all_up_mass_kg", 1.4 * craft.dry_mass_kg)
        reference_w = steady_power_w(craft=craft, mass_kg=reference_mass, density_kg_m3=REFERENCE_DENSITY_KG_M3)
        full_current_a = full.power_over_steady * (reference_w + craft.avionics_w) / full.voltage_v
    else:
        full_current_a = full.current_a
    # Wiring may not eat more than half the voltage at the measured point.
    motor_ohm = min(craft.motor_resistance_ohm, 0.5 * full.voltage_v / full_current_a)
    c = full_current_a / (full.voltage_v - full_current_a * motor_ohm) ** 2
    return CraftLoad(
        steady_w=steady_w,
        avionics_w=craft.avionics_w,
        full_throttle_a_v2=c * density_kg_m3 / REFERENCE_DENSITY_KG_M3,
        motor_resistance_ohm=motor_ohm,
        power_sigma=POWER_SIGMA[craft.steady.source],
        full_throttle_sigma=FULL_THROTTLE_SIGMA[full.source],
    )
