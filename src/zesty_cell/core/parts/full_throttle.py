"""Full throttle held on the ground, where parts are loaded most: what it draws, and what motors may draw."""

from __future__ import annotations

import math

from zesty_cell.core.parts.craft import Craft
from zesty_cell.core.parts.craft_load import CraftLoad


def standing_current_a(*, load: CraftLoad, flying_a: float, pack_ohm: float) -> float:
    """What full throttle draws held on the ground, where in flight it draws so much of the same pack [A].

    Both are (K7) of the same rest voltage, I = c·(E − I·R_t)²: E = √(I/c) + I·R_t of the one gives the other.

    Parameters
    ----------
    flying_a : float
        [A].
    pack_ohm : float
        Of the whole pack [Ω].
    """
    total_ohm = pack_ohm + load.motor_resistance_ohm
    rest_v = math.sqrt(flying_a / load.full_throttle_a_v2) + flying_a * total_ohm
    c = load.standing_a_v2
    x = 2.0 * c * rest_v * total_ohm
    return 2.0 * c * rest_v * rest_v / (x + 1.0 + math.sqrt(2.0 * x + 1.0))


def full_throttle_v(*, load: CraftLoad, standing_a: float) -> float:
    """Loaded pack voltage at full throttle held on the ground, by the motor's law V = √(I/c) + I·R_motor [V]."""
    return math.sqrt(standing_a / load.standing_a_v2) + standing_a * load.motor_resistance_ohm


def most_motors_a(*, craft: Craft, load: CraftLoad, standing_a: float) -> float | None:
    """Most that all motors may draw [A], by their current or by their power at the voltage of full throttle.

    None where neither limit is known.

    Parameters
    ----------
    standing_a : float
        Full throttle held on the ground, the whole craft [A].
    """
    most_a, most_w = craft.limits.all_motors_a(), craft.limits.all_motors_w()
    if most_w is None:
        return most_a
    by_power_a = most_w / full_throttle_v(load=load, standing_a=standing_a)
    return by_power_a if most_a is None else min(most_a, by_power_a)
