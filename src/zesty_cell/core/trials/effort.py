"""How long a test takes: runs, charging, resting and changing over."""

from __future__ import annotations

import math
from typing import Final

from zesty_cell.core.trials.question import Differs, TrialPlan

#: A run where the craft has no flights yet, and charging a pack after one at about 1C [s].
RUN_S: Final = 300.0
CHARGE_S: Final = 2700.0
#: From landing to the next take-off, with another pack [s].
HANDLING_S: Final = 300.0
#: Changing over from side to side, a plug or propellers [s]; nothing where only the pack or its state differs.
_CHANGE_S: Final = 600.0
_NO_CHANGE: Final = ("pack", "temperature", "charge voltage", "speed")


def change_over_s(differs: Differs, /) -> float:
    """Changing over from one side to the other [s]."""
    return 0.0 if differs in _NO_CHANGE else _CHANGE_S


def hours_of(plan: TrialPlan, /, *, flight_s: float, charge_s: float, change_s: float) -> float:
    """How long a plan takes [h]: each pack flies, is charged, rests, and flies again; the others fly meanwhile.

    Parameters
    ----------
    flight_s, charge_s : float
        Of one run, and of charging after it [s].
    change_s : float
        Of changing over from one side to the other [s].
    """
    packs = min(len(plan.packs), plan.pairs // 2)
    turns = 4 * math.ceil(plan.pairs / 2 / packs)
    one_s = max(charge_s + plan.rest_s + flight_s, packs * (flight_s + HANDLING_S))
    return (turns * one_s - charge_s - plan.rest_s + turns / 2 * change_s) / 3600.0
