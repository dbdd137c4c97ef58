"""Motors and propellers as they are bought: what they draw at full throttle and in hover, before anyone measured.

A propeller's static coefficients by pitch and blades, and a motor as KV, resistance and friction, in closed form.
Each figure is a rough fit to open data and wide (``PARTS_SIGMA``); docs/physics.md, "From parts", has the reasoning
and a table of usual crafts that it is held against.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Annotated

import numpy as np
from pydantic import Field

from zesty_cell.core.entity import Entity
from zesty_cell.core.parts.air import REFERENCE_DENSITY_KG_M3, STANDARD_GRAVITY_M_S2


class Propulsion(Entity):
    """Motors, each with its propeller.

    Parameters
    ----------
    motor_count : int
    kv_rpm_v : float
        Turns a minute and volt without load [rpm/V].
    diameter_m, pitch_m : float
        Of the propeller [m].
    blades : int
    winding_ohm : float, optional
        Of one motor [Ω]; what motors for such propellers usually have where it is not known.
    """

    motor_count: Annotated[int, Field(ge=1, le=16)]
    kv_rpm_v: Annotated[float, Field(ge=20, le=60_000)]
    diameter_m: Annotated[float, Field(ge=0.02, le=1.6)]
    pitch_m: Annotated[float, Field(ge=0.004, le=1.2)]
    blades: Annotated[int, Field(ge=1, le=8)] = 2
    winding_ohm: Annotated[float, Field(ge=0.001, le=5)] | None = None

    def pitch_over_diameter(self) -> float:
        """How steep the propeller is [1]."""
        return self.pitch_m / self.diameter_m


#: Static power coefficient of a two-bladed propeller, P = C_P·ρ·n³·D⁵, rises straight with pitch over diameter; the
#: thrust coefficient, T = C_T·ρ·n²·D⁴, until the blades stall near 0.65 (Brandt and Selig 2011, static runs) [1].
_CP_FLAT, _CP_SLOPE = 0.012, 0.077
_CT_FLAT, _CT_SLOPE, _CT_STALLED = 0.040, 0.130, 0.125
#: More blades carry and take less than in proportion [1].
_CT_BLADES, _CP_BLADES = 0.70, 0.85
#: Small propellers work at low Reynolds numbers: power for the same thrust, against one of ten inches [1].
_REYNOLDS_EXPONENT, _REYNOLDS_SIZE_M = 0.22, 0.254
#: What a speed controller passes on, full and half open [1].
_ESC_FULL, _ESC_PART = 0.97, 0.90
#: Motor constant squared, torque² over heat, of motors sold for a propeller of this diameter, warm and with their
#: speed controller's own resistance [m, N²·m²/W].
_MOTOR_CONSTANT = (
    (0.031, 1.6e-6),
    (0.051, 1.0e-5),
    (0.076, 3.6e-5),
    (0.127, 2.4e-4),
    (0.178, 5.5e-4),
    (0.254, 1.4e-3),
    (0.381, 4.5e-3),
    (0.508, 1.1e-2),
    (0.762, 4.0e-2),
)
#: Friction and iron of such a motor as a torque: 0.35·K_m^1.15 [N·m].
_FRICTION, _FRICTION_EXPONENT = 0.35, 1.15
#: One standard deviation of full throttle's current and of hover's power, from parts [1].
PARTS_FULL_SIGMA, PARTS_HOVER_SIGMA = 0.18, 0.25
#: A blade's tip is bounded by the speed of sound; from this share of it the figures are no longer true [1].
FAST_TIP_MACH = 0.75
_SOUND_M_S = 340.0


def thrust_coefficient(parts: Propulsion, /) -> float:
    """C_T of T = C_T·ρ·n²·D⁴, held [1]."""
    two = min(_CT_FLAT + _CT_SLOPE * parts.pitch_over_diameter(), _CT_STALLED)
    return two * math.pow(parts.blades / 2.0, _CT_BLADES)


def power_coefficient(parts: Propulsion, /) -> float:
    """C_P of P = C_P·ρ·n³·D⁵, held [1]."""
    two = _CP_FLAT + _CP_SLOPE * parts.pitch_over_diameter()
    small = math.pow(_REYNOLDS_SIZE_M / parts.diameter_m, _REYNOLDS_EXPONENT)
    return two * math.pow(parts.blades / 2.0, _CP_BLADES) * small


@dataclass(frozen=True)
class _Motor:
    """Torque a radian and second of its speed loses, volts' torque, and friction [N·m·s, N·m/A, N·m]."""

    torque_a: float
    constant: float
    friction_n_m: float


def _motor(parts: Propulsion) -> _Motor:
    torque_a = 60.0 / (2.0 * math.pi * parts.kv_rpm_v)
    sizes, constants = zip(*_MOTOR_CONSTANT, strict=True)
    usual = math.exp(float(np.interp(math.log(parts.diameter_m), np.log(sizes), np.log(constants))))
    constant = usual if parts.winding_ohm is None else torque_a * torque_a / parts.winding_ohm
    return _Motor(torque_a, constant, _FRICTION * math.pow(math.sqrt(usual), _FRICTION_EXPONENT))


@dataclass(frozen=True)
class Held:
    """Full throttle held on the ground, the whole craft.

    Attributes
    ----------
    current_a : float
        From the pack [A].
    thrust_kg : float
        [kg].
    rpm : float
        Of the propellers [1/min].
    tip_mach : float
        Speed of their tips over that of sound [1].
    speed_share : float
        Turning so fast of what the motor would without load [1]: under about 0.6 the propeller is too much for it.
    """

    current_a: float
    thrust_kg: float
    rpm: float
    tip_mach: float
    speed_share: float


def held_at_full_throttle(
    parts: Propulsion, /, *, voltage_v: float, density_kg_m3: float = REFERENCE_DENSITY_KG_M3
) -> Held:
    """Full throttle held on the ground at a loaded pack voltage [V].

    The motor's torque K_m²·(V/K_t − ω) − Q_0, with K_m² = K_t²/R, meets the propeller's C_P·ρ·D⁵·ω²/(2π)³: a
    quadratic in the speed ω.  The current is K_m²·(V/K_t − ω)/K_t.

    Parameters
    ----------
    voltage_v : float
        At the pack's plug [V].
    density_kg_m3 : float
        [kg/m³].
    """
    motor, d = _motor(parts), parts.diameter_m
    drag = power_coefficient(parts) * density_kg_m3 * d**5 / (2.0 * math.pi) ** 3
    free = _ESC_FULL * voltage_v / motor.torque_a
    push = max(motor.constant * free - motor.friction_n_m, 1e-9)
    # Of the two ways to write the root, the one that does not subtract what is nearly the same.
    speed = 2.0 * push / (motor.constant + math.sqrt(motor.constant**2 + 4.0 * drag * push))
    turns = speed / (2.0 * math.pi)
    thrust_n = thrust_coefficient(parts) * density_kg_m3 * turns**2 * d**4
    return Held(
        current_a=parts.motor_count * motor.constant * (free - speed) / motor.torque_a,
        thrust_kg=parts.motor_count * thrust_n / STANDARD_GRAVITY_M_S2,
        rpm=60.0 * turns,
        tip_mach=math.pi * d * turns / _SOUND_M_S,
        speed_share=speed / free,
    )


def hover_power_w(parts: Propulsion, /, *, mass_kg: float, density_kg_m3: float) -> float:
    """Electrical power of holding a weight up [W]: the propeller's C_P and C_T at its thrust, heat, friction, ESC.

    Parameters
    ----------
    mass_kg : float
        That all propellers hold together [kg].
    density_kg_m3 : float
        [kg/m³].
    """
    motor, d = _motor(parts), parts.diameter_m
    each_n = mass_kg * STANDARD_GRAVITY_M_S2 / parts.motor_count
    turns = math.sqrt(each_n / (thrust_coefficient(parts) * density_kg_m3 * d**4))
    shaft_w = power_coefficient(parts) * density_kg_m3 * turns**3 * d**5
    speed = 2.0 * math.pi * turns
    torque = shaft_w / speed + motor.friction_n_m
    return parts.motor_count * (shaft_w + motor.friction_n_m * speed + torque**2 / motor.constant) / _ESC_PART
