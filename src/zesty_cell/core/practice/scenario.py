"""A drill as it is: what its pilot believes, what is true, and what reaches him."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Final, Literal

import numpy as np

from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.callouts.rules import CalloutPlan
from zesty_cell.core.flight.setup import Factors
from zesty_cell.core.practice.course import Mission

DrillKey = Literal[
    "climb_or_empty", "flat_middle", "ion_cliff", "cold_first_minute", "headwind_home", "tired_pack", "other_count",
    "sensor_low", "telemetry_lost", "chatter", "twice_the_pack", "plain_radio", "own",
]  # fmt: skip
AskKey = Literal["rest", "climb", "stopped", "none"]


@dataclass(frozen=True)
class Truth:
    """What the sheet does not know: factors on its best estimate, and what sensors show over the truth [1].

    ``sheet`` is what is truly flown: another pack, another air.
    """

    sheet: Sheet
    power: float = 1.0
    capacity: float = 1.0
    resistance: float = 1.0
    volts_shown: float = 1.0
    charge_shown: float = 1.0

    def factors(self) -> Factors:
        """As the kernel takes them; the power is the course's."""
        one, zero = np.ones(1), np.zeros(1)
        return Factors(
            power=np.array([self.power]), capacity=np.array([self.capacity]),
            resistance=np.array([self.resistance]), full_throttle=one, intensity=one, air_c=zero,
        )  # fmt: skip


@dataclass(frozen=True)
class Scenario:
    """One drill with one hidden truth.

    Attributes
    ----------
    key : str
    seed : int
    believed : Sheet
        What its pilot has on paper.
    plan : CalloutPlan
        What his transmitter says.
    mission : Mission
    truth : Truth
    turn_s : float
        When the sheet would turn home [s]: what his timer is set to.
    reserve : float
        Charge to land with [1].
    shows : frozenset of str
        What the transmitter shows besides the timer: "volts", "charge".
    lost_s : float
        When telemetry ends for good [s]; infinity for never.
    every_s : float
        The link brings a value this often [s].
    ask : str
        What is asked once on the way.
    """

    key: DrillKey
    seed: int
    believed: Sheet
    plan: CalloutPlan
    mission: Mission
    truth: Truth
    turn_s: float
    reserve: float = 0.20
    shows: frozenset[str] = field(default_factory=lambda: frozenset({"volts"}))
    lost_s: float = float("inf")
    every_s: float = 1.0
    ask: AskKey = "rest"


#: Landed with so much less than the reserve is still landed with it [1].
KEPT_WITHIN: Final = 0.01
