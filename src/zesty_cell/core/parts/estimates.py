"""What is usual for a craft of some size, where its pilot knows no better: efficiencies and their reasons.

Each figure is held against a table of usual craft in docs/physics.md, "Usual craft", by a test.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np

#: What cools a pack on its craft.
Cooling = Literal["enclosed", "still air", "airflow"]
#: Propeller diameter [m] and overall efficiency from disc to battery in hover [1]: figure of merit of small fast
#: propellers (it falls with their Reynolds number; Brandt and Selig 2011, Leishman ch. 2) times motor and speed
#: controller at part load.
_PROPELLERS = (
    (0.031, 0.15),
    (0.051, 0.19),
    (0.076, 0.22),
    (0.127, 0.26),
    (0.178, 0.34),
    (0.254, 0.40),
    (0.381, 0.46),
    (0.508, 0.50),
    (0.762, 0.52),
)
#: A main rotor turns fast for its size, for control, and its gear and tail rotor take their part [1].
HELICOPTER_EFFICIENCY = 0.28
HeadSpeed = Literal["low", "usual", "high"]
#: A rotor's own drag takes power with the third power of its speed, and about half of hover's power where a model
#: helicopter turns as usual: a fifth slower or faster makes so much of its efficiency [1].
HEAD_SPEED: dict[HeadSpeed, float] = {"low": 1.25, "usual": 1.0, "high": 0.75}
#: Disc loading of usual multirotors [N/m²]; lighter loaded, motors made for it work below their best.
USUAL_DISC_LOADING = 100.0
_LOADING_EXPONENT, _LOADING_LEAST, _LOADING_MOST = 0.10, 0.85, 1.10


@dataclass(frozen=True)
class PowerLaw:
    """How steady power goes with weight and air density, P ∝ m^a·ρ^b: exponents and their widths [1]."""

    weight: float
    weight_sigma: float
    density: float
    density_sigma: float


Regime = Literal["hover", "forward", "own lift", "fixed speed"]
#: What carries a craft decides how its power goes with weight and density.  Hover: the actuator disc's 1.5 and
#: −0.5, eased by motors that work nearer their best (Leishman ch. 2).  Forward flight on rotors: the bucket of
#: the power curve, where induced power (m²/ρ) is small beside parasite (ρ) and profile power (ch. 5).  A wing
#: at its own lift coefficient: speed follows weight, P = W·v/(L/D).  A wing at a fixed speed: parasite power
#: (ρ) stays, induced power (m²/ρ) is about two fifths.
POWER_LAWS: dict[Regime, PowerLaw] = {
    "hover": PowerLaw(weight=1.4, weight_sigma=0.08, density=-0.45, density_sigma=0.08),
    "forward": PowerLaw(weight=0.85, weight_sigma=0.10, density=0.0, density_sigma=0.25),
    "own lift": PowerLaw(weight=1.5, weight_sigma=0.05, density=-0.5, density_sigma=0.05),
    "fixed speed": PowerLaw(weight=0.8, weight_sigma=0.12, density=0.4, density_sigma=0.2),
}
#: However heavy, moving through the air never saves a rotor craft more than this of what it takes to hover [1].
FORWARD_LEAST = 0.6
#: From battery to height gained in a climb at full throttle, on top of flying level [1]: what drag and speed
#: leave of the efficiency of propulsion; wide.
CLIMB_EFFICIENCY: dict[str, float] = {"multirotor": 0.30, "wing": 0.40, "ducted fan": 0.25, "helicopter": 0.30}
#: What full throttle draws in flight over what it draws held on the bench [1]: a propeller unloads as air comes
#: towards it, by 15 to 30 %, a fan in its duct less; a helicopter's governor holds its speed.
IN_FLIGHT: dict[str, float] = {"multirotor": 0.82, "wing": 0.77, "ducted fan": 0.90, "helicopter": 0.95}

WingKind = Literal["wing", "ducted fan"]
#: From thrust to battery in cruise, and lift over drag with what pilots hang on [1].  A ducted fan's jet is fast:
#: its propulsive efficiency at cruise is a half, before fan and motor.
WING_EFFICIENCY: dict[WingKind, float] = {"wing": 0.45, "ducted fan": 0.25}
WING_LIFT_OVER_DRAG: dict[WingKind, float] = {"wing": 7.0, "ducted fan": 3.5}


def rotor_efficiency(*, rotor_diameter_m: float, disc_loading_n_m2: float, helicopter: bool) -> float:
    """Usual overall efficiency in hover, from ideal disc power to battery power [1].

    Parameters
    ----------
    rotor_diameter_m : float
        Of one propeller or the main rotor [m].
    disc_loading_n_m2 : float
        Weight over the area of all discs [N/m²].
    helicopter : bool
        A main rotor with gear and tail.

    Returns
    -------
    float
        Good to about 25 %, one standard deviation (``POWER_SIGMA`` of the craft).
    """
    if helicopter:
        return HELICOPTER_EFFICIENCY
    sizes, values = zip(*_PROPELLERS, strict=True)
    by_size = float(np.interp(math.log(rotor_diameter_m), np.log(sizes), values))
    loading = math.pow(disc_loading_n_m2 / USUAL_DISC_LOADING, _LOADING_EXPONENT)
    return by_size * min(max(loading, _LOADING_LEAST), _LOADING_MOST)
