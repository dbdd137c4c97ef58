"""A thrust run on the bench: grams a watt at each step of the throttle, and where a craft would hover on it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Annotated

from pydantic import Field

from zesty_cell.core.entity import Entity
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import fact
from zesty_cell.core.parts.craft import Craft, MeasuredFullThrottle, MeasuredPoint, PropellerSet
from zesty_cell.core.parts.propellers import set_on

#: A step at this throttle or more is full throttle [1].
FULL = 0.97
#: No propeller lifts more for its power than this in the open [kg/W], nor less where it lifts at all.
_MOST_KG_W, _LEAST_KG_W = 0.05, 0.0003


class ThrustStep(Entity):
    """One step: throttle [1] where it was written down; thrust of what was on the bench, its current and volts."""

    throttle: Annotated[float, Field(ge=0, le=1.001)] | None = None
    thrust_kg: Annotated[float, Field(gt=0, le=500)]
    current_a: Annotated[float, Field(gt=0, le=2000)]
    voltage_v: Annotated[float, Field(ge=0.5, le=120)]
    rpm: Annotated[float, Field(gt=0, le=200_000)] | None = None

    @property
    def watts(self) -> float:
        """Power in [W]."""
        return self.current_a * self.voltage_v

    @property
    def grams_a_watt(self) -> float:
        """Thrust a watt [g/W]."""
        return 1000.0 * self.thrust_kg / self.watts


def checked_steps(steps: Sequence[ThrustStep], /) -> tuple[ThrustStep, ...]:
    """Steps by their thrust, weakest first.

    Raises
    ------
    OutOfRangeError
        Fewer than two, two of one thrust, more power for less thrust, or a thrust a watt that no propeller has.
    """
    if len(steps) < 2:
        raise OutOfRangeError(fact("refused.thrust.few"), field="steps", value=len(steps), limit=2)
    ordered = tuple(sorted(steps, key=lambda s: s.thrust_kg))
    for one in ordered:
        if not _LEAST_KG_W <= one.thrust_kg / one.watts <= _MOST_KG_W:
            why = fact("refused.thrust.a_watt", thrust_kg=one.thrust_kg, watts=one.watts, per_watt=one.grams_a_watt)
            raise OutOfRangeError(why, field="steps", value=one.grams_a_watt, limit=1000.0 * _MOST_KG_W)
    for lower, upper in pairwise(ordered):
        if upper.thrust_kg <= lower.thrust_kg or upper.watts <= lower.watts:
            why = fact("refused.thrust.order", lower_kg=lower.thrust_kg, upper_kg=upper.thrust_kg)
            raise OutOfRangeError(why, field="steps", value=upper.watts, limit=lower.watts)
    return ordered


@dataclass(frozen=True)
class Hover:
    """Where a craft would hover, still air and free of its own frame.

    Attributes
    ----------
    motor_kg : float
        What each motor has to lift [kg].
    watts, current_a, voltage_v : float
        Of the whole craft, electronics in it [W, A, V].
    throttle : float or None
        [1].
    grams_a_watt : float
        Of one motor there [g/W].
    beyond : bool
        It lies outside of what was measured: straight on by the nearest two steps.
    """

    motor_kg: float
    watts: float
    current_a: float
    voltage_v: float
    throttle: float | None
    grams_a_watt: float
    beyond: bool


def hover_on(
    steps: Sequence[ThrustStep], /, *, craft: Craft, all_up_kg: float, motors: int, on_bench: int
) -> Hover:
    """Where a craft that lifts itself hovers on what was measured.

    Between two steps the logarithm of power goes straight over that of thrust (P ∝ T^1.5 of an ideal disc is such a
    line), and so does the throttle over thrust.

    Parameters
    ----------
    all_up_kg : float
        [kg].
    motors, on_bench : int
        Of the craft, and how many were on the bench [1].
    """
    ordered = checked_steps(steps)
    need_kg = all_up_kg / motors * on_bench
    k = next((i for i, s in enumerate(ordered[1:-1], start=1) if s.thrust_kg >= need_kg), len(ordered) - 1)
    lower, upper = ordered[k - 1], ordered[k]
    part = math.log(need_kg / lower.thrust_kg) / math.log(upper.thrust_kg / lower.thrust_kg)
    watts = math.exp(math.log(lower.watts) + part * math.log(upper.watts / lower.watts))
    volts = lower.voltage_v + min(max(part, 0.0), 1.0) * (upper.voltage_v - lower.voltage_v)
    throttle = None
    if lower.throttle is not None and upper.throttle is not None:
        share = (need_kg - lower.thrust_kg) / (upper.thrust_kg - lower.thrust_kg)
        throttle = min(max(lower.throttle + share * (upper.throttle - lower.throttle), 0.0), 1.0)
    whole_w = watts * motors / on_bench + craft.avionics_w
    return Hover(
        motor_kg=all_up_kg / motors,
        watts=whole_w,
        current_a=whole_w / volts,
        voltage_v=volts,
        throttle=throttle,
        grams_a_watt=1000.0 * need_kg / watts,
        beyond=not 0.0 <= part <= 1.0,
    )


def set_of_run(
    steps: Sequence[ThrustStep], /, *, craft: Craft, all_up_kg: float, motors: int, on_bench: int, name: str
) -> PropellerSet:
    """A propeller set of the craft from a thrust run: hover as steady power, full throttle held on the bench.

    Full throttle is the highest step where that was written down as full; else the craft's own is taken over.  In
    flight a propeller unloads: that it was held on a bench is kept with it, and the flight's is reckoned lower.

    Parameters
    ----------
    all_up_kg : float
        [kg].
    motors, on_bench : int
        [1].
    """
    hover = hover_on(steps, craft=craft, all_up_kg=all_up_kg, motors=motors, on_bench=on_bench)
    top = checked_steps(steps)[-1]
    on = set_on(craft)
    update: dict[str, object] = {
        "name": name,
        "mass_kg": None,
        "propulsion": None,
        "steady": MeasuredPoint(
            current_a=hover.current_a, voltage_v=hover.voltage_v, all_up_mass_kg=all_up_kg, read_by="meter"
        ),
        "source": "thrust run on the bench",
    }
    if top.throttle is not None and top.throttle >= FULL:
        update["full_throttle"] = MeasuredFullThrottle(
            current_a=top.current_a * motors / on_bench, voltage_v=top.voltage_v, where="bench", read_by="meter",
            thrust_kg=top.thrust_kg * motors / on_bench,
        )  # fmt: skip
    return on.model_copy(update=update)
