"""Which part of the throttle's way is for use: where it hovers, and where pack, motors or ESCs have had enough."""

from __future__ import annotations

import math
from dataclasses import dataclass

from zesty_cell.core.flight.honest_current import HonestCurrent
from zesty_cell.core.flight.setup import Setup
from zesty_cell.core.flight.summary import LandingSummary
from zesty_cell.core.parts.full_throttle import most_motors_a, standing_current_a


@dataclass(frozen=True)
class UsableThrottle:
    """Shares of the throttle's way [1].

    Attributes
    ----------
    steady : float
        Where it hovers, or flies level, on the fresh pack.
    most : float
        Up to where pack, motors and ESCs carry what it draws for as long as it lasts; 1 for all of it.
    """

    steady: float
    most: float


def hover_throttle(over_weight: float, /) -> float:
    """Share of the throttle's way that a hover takes [1]: thrust goes with the square of what a motor turns."""
    return math.sqrt(1.0 / max(over_weight, 1.0))


def usable_throttle(*, setup: Setup, at_landing: LandingSummary, honest: HonestCurrent) -> UsableThrottle:
    """From full throttle of the fresh pack [1]: a motor turns with its voltage, so that thrust goes with the square
    of the throttle, power and the pack's current with its third power (PHYSICS 3).

    The least of the pack's honest current in flight, and of what motors and ESCs carry held on the ground.
    """
    craft, full_a = setup.sheet.craft, at_landing.full_fresh_a
    standing_a = standing_current_a(load=setup.load, flying_a=full_a, pack_ohm=setup.figures.resistance_ohm)
    shares = [honest.current_a / full_a]
    for limit_a in (
        most_motors_a(craft=craft, load=setup.load, standing_a=standing_a),
        craft.limits.all_escs_a(),
    ):
        if limit_a is not None:
            shares.append(limit_a / standing_a)
    spare = at_landing.to_spare_fresh
    steady = hover_throttle(spare) if craft.lifts_itself() else math.pow(1.0 / max(spare, 1.0), 1.0 / 3.0)
    return UsableThrottle(steady=steady, most=min(1.0, math.pow(min(shares), 1.0 / 3.0)))
