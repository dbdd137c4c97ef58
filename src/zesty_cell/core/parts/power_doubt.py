"""How surely a craft's power is known: what its doubt is made of, by where each figure comes from."""

from __future__ import annotations

import math
from typing import NamedTuple

from zesty_cell.core.parts.craft import (
    Craft,
    EstimatedSteady,
    MeasuredFullThrottle,
    MeasuredPoint,
)
from zesty_cell.core.parts.propulsion import PARTS_FULL_SIGMA, PARTS_HOVER_SIGMA

#: One standard deviation of steady power, relative, by where it comes from (PHYSICS 3); a current that was read by
#: the craft's own sensor has that sensor's error as well.
POWER_SIGMA = {
    "learned": 0.05,
    "measured": 0.08,
    "charge": 0.08,
    "rotor": 0.25,
    "wing": 0.25,
    "parts": PARTS_HOVER_SIGMA,
}


FULL_THROTTLE_SIGMA = {"measured": 0.05, "estimated": 0.20}


#: One standard deviation of what a propeller unloads in flight, where it was measured on the bench, and where
#: nobody said which of the two [1].
_UNLOADING_SIGMA, _UNSAID_SIGMA = 0.07, 0.12


class PowerParts(NamedTuple):
    """One standard deviation of steady power, relative, by what makes it unsure; they add up in squares [1].

    Attributes
    ----------
    source : float
        How well a measurement or an estimate tells it, in the weight and air that it is flown in.
    sensor : float
        What the craft's own current sensor may be out by, where that read it.
    weight, size, electronics : float
        What was assumed of the craft; none where power was measured, which is of the craft as it is.
    """

    source: float
    sensor: float
    weight: float
    size: float
    electronics: float


def full_throttle_sigma(craft: Craft, /, *, sensor_error: float) -> float:
    """One standard deviation of full throttle's coefficient, relative, with the sensor's own [1]."""
    full = craft.full_throttle
    if full.source == "parts":
        return math.hypot(PARTS_FULL_SIGMA, _UNLOADING_SIGMA)
    if not isinstance(full, MeasuredFullThrottle):
        return math.hypot(FULL_THROTTLE_SIGMA[full.source], craft.assumed.full_throttle)
    sensed = sensor_error if full.read_by == "craft's sensor" else 0.0
    where = {"bench": _UNLOADING_SIGMA, "flight": 0.0, None: _UNSAID_SIGMA}[full.where]
    return math.hypot(FULL_THROTTLE_SIGMA[full.source], sensed, where)


def power_parts(
    craft: Craft, /, *, source: float, sensor_error: float, weight: float, avionics: float
) -> PowerParts:
    """What power's doubt is made of [1]: a measured one is of the craft with its true weight, size and electronics.

    Parameters
    ----------
    source : float
        How well it is known where it was measured or estimated, one standard deviation [1].
    sensor_error : float
        Of the craft's own current sensor [1].
    weight : float
        What an assumed weight does to power [1].
    avionics : float
        Electronics over steady power [1].
    """
    steady = craft.steady
    sensed = sensor_error if isinstance(steady, MeasuredPoint) and steady.read_by == "craft's sensor" else 0.0
    if not isinstance(steady, EstimatedSteady):
        return PowerParts(source, sensed, 0.0, 0.0, 0.0)
    # Hover power goes with one over the diameter, a wing's at its own lift with one over the span.
    return PowerParts(source, sensed, weight, craft.assumed.size, craft.assumed.electronics * avionics)
