"""What is usual for a craft of some size, where its pilot knows no better: efficiencies and their reasons.

Each figure is held against a table of usual craft in docs/physics.md, "Usual craft", by a test.
"""

from __future__ import annotations

import math
from typing import Literal

import numpy as np

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
#: Disc loading of usual multirotors [N/m²]; lighter loaded, motors made for it work below their best.
USUAL_DISC_LOADING = 100.0
_LOADING_EXPONENT, _LOADING_LEAST, _LOADING_MOST = 0.10, 0.85, 1.10

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
