"""The craft: mass, where its steady power comes from, full throttle, limits."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, StringConstraints, model_validator

from zesty_cell.core.entity import Entity, Name, refused
from zesty_cell.core.fact import fact
from zesty_cell.core.parts.estimates import (
    Cooling,
    HeadSpeed,
    Regime,
)
from zesty_cell.core.parts.propulsion import Propulsion

CraftKind = Literal["multirotor", "wing", "ducted fan", "helicopter"]
Amps = Annotated[float, Field(ge=0.001, le=2000)]
Volts = Annotated[float, Field(ge=0.5, le=120)]
Kilograms = Annotated[float, Field(ge=0.003, le=100)]


#: Air in which something was measured; the standard's where that was not said.
TestAir = Annotated[float, Field(ge=-30, le=55)]
TestAltitude = Annotated[float, Field(ge=-450, le=6000)]
#: What read a current: the craft's own sensor, as good as it was checked, or a meter that is trusted.
ReadBy = Literal["craft's sensor", "meter"]


class MeasuredPoint(Entity):
    """Steady current read in hover or level cruise, at the pack voltage, weight and air of that moment."""

    source: Literal["measured"] = "measured"
    current_a: Amps
    voltage_v: Volts
    all_up_mass_kg: Kilograms
    read_by: ReadBy = "craft's sensor"
    air_c: TestAir | None = None
    altitude_m: TestAltitude | None = None


class MeasuredCharge(Entity):
    """Charge put back after a steady flight of known length: mean current without a sensor."""

    source: Literal["charge"] = "charge"
    charge_ah: Annotated[float, Field(ge=0.0001, le=200)]
    duration_s: Annotated[float, Field(ge=10, le=36_000)]
    voltage_v: Volts
    all_up_mass_kg: Kilograms
    air_c: TestAir | None = None
    altitude_m: TestAltitude | None = None


class RotorGeometry(Entity):
    """Propellers or main rotor: count and diameter, and efficiency from disc to battery; usual for them if None.

    ``head_speed`` of a helicopter's rotor, in words, decides what is usual.
    """

    source: Literal["rotor"] = "rotor"
    rotor_count: Annotated[int, Field(ge=1, le=16)]
    rotor_diameter_m: Annotated[float, Field(ge=0.02, le=4)]
    efficiency: Annotated[float, Field(ge=0.1, le=0.8)] | None = None
    head_speed: HeadSpeed = "usual"


class WingGeometry(Entity):
    """Wing area, lift coefficient in cruise, lift over drag, and efficiency from thrust to battery.

    The last two are what is usual for its kind where they are None.
    """

    source: Literal["wing"] = "wing"
    wing_area_m2: Annotated[float, Field(ge=0.005, le=10)]
    lift_coefficient: Annotated[float, Field(ge=0.1, le=1.5)] = 0.5
    lift_over_drag: Annotated[float, Field(ge=1.5, le=40)] | None = None
    efficiency: Annotated[float, Field(ge=0.1, le=0.8)] | None = None


class PartsHover(Entity):
    """Hover power from the craft's own motors and propellers (``Craft.propulsion``)."""

    source: Literal["parts"] = "parts"


#: Steady power that nobody has measured.
EstimatedSteady = RotorGeometry | WingGeometry | PartsHover
SteadyPower = Annotated[
    MeasuredPoint | MeasuredCharge | RotorGeometry | WingGeometry | PartsHover, Field(discriminator="source")
]


class MeasuredFullThrottle(Entity):
    """Total current at full throttle and the loaded pack voltage at that moment.

    ``where``: held on the bench, or in flight, where a propeller unloads; None where that was not said.
    ``thrust_kg``: of the whole craft at that moment, held.
    """

    source: Literal["measured"] = "measured"
    current_a: Amps
    voltage_v: Volts
    where: Literal["bench", "flight"] | None = None
    read_by: ReadBy = "craft's sensor"
    thrust_kg: Annotated[float, Field(ge=0.003, le=300)] | None = None


class EstimatedFullThrottle(Entity):
    """Full-throttle power as a multiple of steady power, at the pack voltage the craft is built for."""

    source: Literal["estimated"] = "estimated"
    power_over_steady: Annotated[float, Field(ge=1.05, le=40)]
    voltage_v: Volts


class PartsFullThrottle(Entity):
    """Full throttle from the craft's own motors and propellers, held at this loaded pack voltage."""

    source: Literal["parts"] = "parts"
    voltage_v: Volts


FullThrottle = Annotated[
    MeasuredFullThrottle | EstimatedFullThrottle | PartsFullThrottle, Field(discriminator="source")
]


class PropellerSet(Entity):
    """One set of propellers of a craft, with what was measured or estimated with it on.

    ``mass_kg`` is of the whole set, where it is known: another set makes the craft so much heavier or lighter.
    ``source`` says where its power comes from, where that was a test.
    """

    name: Name
    mass_kg: Annotated[float, Field(ge=0, le=5)] | None = None
    propulsion: Propulsion | None = None
    steady: SteadyPower
    full_throttle: FullThrottle
    source: Annotated[str, Field(max_length=80)] = ""


class Limits(Entity):
    """What the craft's parts allow; ``None`` where the pilot has not said.

    ``motor_a`` or ``motor_w``, ``esc_a`` (as long as it lasts) and ``esc_burst_a`` (ten seconds) are of one motor
    and its ESC; ``motor_count`` says how many there are.  One of 1 means "all together".
    The bay is the room there is for a pack.
    """

    motor_count: Annotated[int, Field(ge=1, le=16)] = 1
    motor_a: Amps | None = None
    motor_w: Annotated[float, Field(ge=0.1, le=50_000)] | None = None
    esc_a: Amps | None = None
    esc_burst_a: Amps | None = None
    esc_cutoff_v_per_cell: Annotated[float, Field(ge=0.5, le=4.2)] | None = None
    maximum_v: Volts | None = None
    bay_length_m: Annotated[float, Field(ge=0.005, le=2)] | None = None
    bay_width_m: Annotated[float, Field(ge=0.003, le=1)] | None = None
    bay_height_m: Annotated[float, Field(ge=0.003, le=1)] | None = None
    weight_class_name: Name | None = None
    weight_class_kg: Kilograms | None = None

    @model_validator(mode="after")
    def _rising(self) -> Limits:
        if self.esc_a is not None and self.esc_burst_a is not None and self.esc_burst_a < self.esc_a:
            raise refused(fact("refused.craft.esc_burst"))
        return self

    def all_motors_a(self) -> float | None:
        """Most current of all motors together [A]."""
        return None if self.motor_a is None else self.motor_a * self.motor_count

    def all_motors_w(self) -> float | None:
        """Most electrical power of all motors together [W]."""
        return None if self.motor_w is None else self.motor_w * self.motor_count

    def all_escs_a(self) -> float | None:
        """Continuous rating of all ESCs together [A]."""
        return None if self.esc_a is None else self.esc_a * self.motor_count

    def all_escs_burst_a(self) -> float | None:
        """Ten-second rating of all ESCs together [A]; the continuous one where no other is known."""
        each = self.esc_burst_a if self.esc_burst_a is not None else self.esc_a
        return None if each is None else each * self.motor_count


#: How far off something that was assumed may be, one standard deviation, relative [1].
AssumedSigma = Annotated[float, Field(ge=0, le=0.6)]


class Assumed(Entity):
    """What of a craft was assumed and not measured: how far each may be off, one standard deviation, relative [1].

    Zero is what a pilot said himself.  ``size`` is the diameter of a rotor, or a wing's span.
    """

    weight: AssumedSigma = 0.0
    size: AssumedSigma = 0.0
    electronics: AssumedSigma = 0.0
    full_throttle: AssumedSigma = 0.0


#: Kinds whose full throttle can be told from motors and open propellers.
PARTS_KINDS: tuple[CraftKind, ...] = ("multirotor", "wing")
#: A propeller set's name, or empty where there is only one.
PropellerSetName = Annotated[
    str, StringConstraints(strip_whitespace=True, max_length=80, pattern=r"^[^\x00-\x1f\x7f]*$")
]
#: What a transmitter may show of a craft: its pack's volts, the charge used, its lowest cell.
Shown = Literal["volts", "charge", "cells"]


class Craft(Entity):
    """One aircraft without its pack.

    ``shows`` is what the transmitter shows of it; None where that was not asked yet, empty for nothing at all.
    ``assumed`` widens what a forecast says by what nobody has measured.  ``propulsion`` are its motors and
    propellers as they were bought.  ``propellers`` names the set that is on, ``propellers_kg`` is what that weighs,
    ``propellers_source`` the test that its power is of; ``other_sets`` are not on.
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
    pack_cooling: Cooling = "airflow"
    limits: Limits = Limits()
    shows: Annotated[tuple[Shown, ...], Field(max_length=3)] | None = None
    assumed: Assumed = Assumed()
    propulsion: Propulsion | None = None
    propellers: PropellerSetName = ""
    propellers_kg: Annotated[float, Field(ge=0, le=5)] | None = None
    propellers_source: Annotated[str, Field(max_length=80)] = ""
    other_sets: Annotated[tuple[PropellerSet, ...], Field(max_length=7)] = ()

    @model_validator(mode="after")
    def _of_its_parts(self) -> Craft:
        powered = [(self.steady, self.full_throttle, self.propulsion)]
        powered += [(s.steady, s.full_throttle, s.propulsion) for s in self.other_sets]
        for steady, full, propulsion in powered:
            if "parts" not in (steady.source, full.source):
                continue
            if propulsion is None:
                raise refused(fact("refused.craft.parts"))
            if self.kind not in PARTS_KINDS or (steady.source == "parts" and not self.lifts_itself()):
                raise refused(fact("refused.craft.parts_kind", kind=self.kind))
        names = [self.propellers.casefold(), *(s.name.casefold() for s in self.other_sets)]
        if len(set(names)) < len(names) or (self.other_sets and not self.propellers):
            raise refused(fact("refused.craft.set_names"))
        return self

    def __repr__(self) -> str:
        return f"<Craft “{self.name}”, {self.kind}, {self.dry_mass_kg:.4g} kg dry>"

    def can_show(self, what: Shown, /) -> bool:
        """Whether the transmitter shows it; volts and charge are assumed where that was not asked."""
        return what != "cells" if self.shows is None else what in self.shows

    def lifts_itself(self) -> bool:
        """Whether rotors carry the craft, so that thrust must exceed weight; a wing only needs power."""
        return self.kind in ("multirotor", "helicopter")

    def level_regime(self) -> Regime:
        """What carries it in the steady flight that its power is stated for."""
        return "hover" if self.lifts_itself() else "own lift"

    def moving_regime(self) -> Regime:
        """What carries it while it flies about."""
        return "forward" if self.lifts_itself() else "own lift"
