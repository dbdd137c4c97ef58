"""Thresholds that come in the wrong order or as good as together, over all that watch the voltage."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

from zesty_cell.core.answer.forecast import Forecast
from zesty_cell.core.callouts.rules import CalloutPlan
from zesty_cell.core.fact import Fact, Words, fact

#: Who acts at a threshold: the transmitter by two kinds of rule, the craft's controller by two stages, the ESC, the
#: cell itself.  They should act in this order as the voltage falls.
Acts = Literal["pack_low", "land_now", "lamp", "landing", "esc", "floor"]
ORDER: tuple[Acts, ...] = ("pack_low", "land_now", "lamp", "landing", "esc", "floor")
#: Thresholds that a flight passes within so many seconds are heard as one [s].
TOGETHER_S = 5.0


@dataclass(frozen=True)
class Threshold:
    """A voltage at which something acts.

    Attributes
    ----------
    acts : Acts
    name : str or Fact
        As on the ladder: a rule's own name, or what it is.
    cell_v : float
        Loaded [V a cell].
    """

    acts: Acts
    name: Words
    cell_v: float


@dataclass(frozen=True)
class Collision:
    """Two thresholds that get in each other's way.

    Attributes
    ----------
    first, then : Threshold
        In the order in which they should act.
    swapped : bool
        The second acts first, or both at once.
    says : Fact
    """

    first: Threshold
    then: Threshold
    swapped: bool
    says: Fact


def thresholds(*, plan: CalloutPlan, result: Forecast) -> tuple[Threshold, ...]:
    """All that watches the voltage of the pack flown, in the order in which it should act [V a cell]."""
    series = result.setup.sheet.pack.series
    found = []
    for rule in plan.rules:
        value = plan.calls_below_v(rule, series=series) if rule.on else None
        if value is not None and rule.role in ("pack_low", "land_now", "guard"):
            found.append(Threshold("pack_low" if rule.role == "pack_low" else "land_now", rule.name, value))
    if plan.stages.lamp_v is not None:
        found.append(Threshold("lamp", fact("ladder.lamp"), plan.stages.lamp_v))
    if plan.stages.landing_v is not None:
        found.append(Threshold("landing", fact("ladder.landing"), plan.stages.landing_v))
    cutoff_v = result.setup.sheet.craft.limits.esc_cutoff_v_per_cell
    if cutoff_v is not None:
        found.append(Threshold("esc", fact("ladder.esc"), cutoff_v))
    found.append(Threshold("floor", fact("ladder.floor"), result.setup.chemistry.hard_floor_v))
    return tuple(sorted(found, key=lambda t: (ORDER.index(t.acts), -t.cell_v)))


def collisions(*, plan: CalloutPlan, result: Forecast) -> tuple[Collision, ...]:
    """Neighbouring thresholds in the wrong order, or passed as good as together on the flight expected [V, s].

    A threshold of the craft, the ESC or the cell at or under the cell's floor cannot come too early; two of one
    kind are not compared.
    """
    flight = result.flight

    def passed_s(cell_v: float) -> float | None:
        low = flight.low_from(cell_v)
        return float(flight.time_s[low]) if low < flight.time_s.size else None

    found = []
    for first, then in pairwise(thresholds(plan=plan, result=result)):
        if first.acts == then.acts:
            continue
        if then.cell_v >= first.cell_v - 1e-9 and (first.acts, then.acts) != ("esc", "floor"):
            says = fact(
                f"collision.swapped.{then.acts}", then=then.name, then_v=then.cell_v, first=first.name,
                first_v=first.cell_v,
            )  # fmt: skip
            found.append(Collision(first, then, True, says))
            continue
        times = passed_s(first.cell_v), passed_s(then.cell_v)
        if times[0] is not None and times[1] is not None and times[1] - times[0] < TOGETHER_S:
            says = fact(
                "collision.together", first=first.name, then=then.name, apart_v=first.cell_v - then.cell_v,
                within=max(times[1] - times[0], 0.1),
            )  # fmt: skip
            found.append(Collision(first, then, False, says))
    return tuple(found)
