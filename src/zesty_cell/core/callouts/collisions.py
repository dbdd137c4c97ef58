"""Thresholds that come in the wrong order or as good as together, over all that watch the voltage."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

from zesty_cell.core.answer.forecast import Forecast
from zesty_cell.core.callouts.rules import CalloutPlan

#: Who acts at a threshold: the transmitter by two kinds of rule, the craft's controller by two stages, the ESC, the
#: cell itself.  They should act in this order as the voltage falls.
Acts = Literal["pack_low", "land_now", "lamp", "landing", "esc", "floor"]
ORDER: tuple[Acts, ...] = ("pack_low", "land_now", "lamp", "landing", "esc", "floor")
#: Thresholds that a flight passes within so many seconds are heard as one [s].
TOGETHER_S = 5.0

_TOO_EARLY: dict[Acts, str] = {
    "pack_low": "it warns after the fact",
    "land_now": "the first word is the last",
    "lamp": "the lamp shows before you hear the call, and is taken for nothing",
    "landing": "the craft lands by itself before you hear the call, wherever it is",
    "esc": "the ESC cuts the power before you hear the call",
    "floor": "the cell is harmed before anything acts",
}


@dataclass(frozen=True)
class Threshold:
    """A voltage at which something acts.

    Attributes
    ----------
    acts : Acts
    name : str
        As on the ladder.
    cell_v : float
        Loaded [V a cell].
    """

    acts: Acts
    name: str
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
    words : str
    """

    first: Threshold
    then: Threshold
    swapped: bool
    words: str


def thresholds(*, plan: CalloutPlan, result: Forecast) -> tuple[Threshold, ...]:
    """All that watches the voltage of the pack flown, in the order in which it should act [V a cell]."""
    series = result.setup.sheet.pack.series
    found = []
    for rule in plan.rules:
        value = plan.calls_below_v(rule, series=series) if rule.on else None
        if value is not None and rule.role in ("pack_low", "land_now", "guard"):
            found.append(Threshold("pack_low" if rule.role == "pack_low" else "land_now", rule.name, value))
    if plan.stages.lamp_v is not None:
        found.append(Threshold("lamp", "Craft's lamp", plan.stages.lamp_v))
    if plan.stages.landing_v is not None:
        found.append(Threshold("landing", "Craft lands itself", plan.stages.landing_v))
    cutoff_v = result.setup.sheet.craft.limits.esc_cutoff_v_per_cell
    if cutoff_v is not None:
        found.append(Threshold("esc", "ESC cutoff", cutoff_v))
    found.append(Threshold("floor", "Cell floor", result.setup.chemistry.hard_floor_v))
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
            words = f"“{then.name}” at {then.cell_v:.2f} V is not under “{first.name}” at {first.cell_v:.2f}: "
            found.append(Collision(first, then, True, f"{words}{_TOO_EARLY[then.acts]}."))
            continue
        times = passed_s(first.cell_v), passed_s(then.cell_v)
        if times[0] is not None and times[1] is not None and times[1] - times[0] < TOGETHER_S:
            words = (
                f"“{first.name}” and “{then.name}” are {first.cell_v - then.cell_v:.2f} V apart, and this flight "
                f"passes both within {max(times[1] - times[0], 0.1):.1f} s: they come as one."
            )
            found.append(Collision(first, then, False, words))
    return tuple(found)
