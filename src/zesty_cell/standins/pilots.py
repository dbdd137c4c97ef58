"""Simulated pilots: each logs flight after flight by the timer advised; craft and pack are what no sheet knows."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

import numpy as np

from zesty_cell.core.answer.forecast import forecast
from zesty_cell.core.asked.sheet import Sheet, corrected
from zesty_cell.core.learn.correction import learn
from zesty_cell.core.learn.flights import LoggedFlight, used_of
from zesty_cell.core.learn.learned import Learned
from zesty_cell.core.learn.observation import Observation, PackTold, observation
from zesty_cell.core.learn.timer import NextTimer, TimedFlight, next_timer
from zesty_cell.standins.charger import CellChecker, SimulatedCharger
from zesty_cell.standins.craft import VARIES, Hidden, SimulatedCraft

_BEGAN = datetime(2026, 5, 1, 9, 0, tzinfo=UTC)
_PACK = "own"
#: When they read the rest voltage after landing [s].
_READS_AFTER_S = 300.0


@dataclass(frozen=True)
class PilotsFlight:
    """A flight by the timer advised.

    Attributes
    ----------
    advised : NextTimer
    flown_s : float
        [s].
    safe_s : float
        When the pack truly reached the reserve on that very flight [s].
    left : float
        Charge truly left at landing [1].
    """

    advised: NextTimer
    flown_s: float
    safe_s: float
    left: float


def learn_and_advise(
    sheet: Sheet, logged: list[LoggedFlight], /, *, told: Sequence[PackTold] = ()
) -> tuple[Learned, NextTimer]:
    """What the application makes of a log: what it taught, and the timer to set next [s].

    Parameters
    ----------
    told : sequence of PackTold
        By fits of telemetry logs.
    """
    known = [(f, used) for f in logged if (used := used_of(f, pack=sheet.pack)) is not None]
    seen: list[Observation] = [
        observation(f, used, key=_PACK, pack=sheet.pack, flights=len(known)) for f, used in known
    ]
    learned = learn(sheet, seen, told=told)
    result = forecast(corrected(sheet, learned.learned_factors(_PACK) if seen else None))
    timed = [
        TimedFlight(f.duration_s, used.share * sheet.pack.capacity_ah, bool(odd))
        for (f, used), odd in zip(known, learned.odd, strict=True)
    ]
    return learned, next_timer(flights=timed, result=result)


class SimulatedPilot:
    """Flies a sheet by the timers advised; the same seed flies the same flights.

    Parameters
    ----------
    sheet : Sheet
        As the pilot has it.
    hidden : Hidden
        What is true.
    seed : int
    varies : float
        How the power varies from flight to flight, one sigma [1].
    """

    def __init__(self, sheet: Sheet, *, hidden: Hidden, seed: int, varies: float = VARIES) -> None:
        self.sheet = sheet
        self.kept = 0.2 if sheet.landing.charge_kept is None else sheet.landing.charge_kept
        rng = np.random.default_rng(seed)
        self.craft = SimulatedCraft(sheet, seed=seed, hidden=hidden, varies=varies)
        self.charger = SimulatedCharger(seed=seed)
        self.checker = CellChecker(seed=seed, offset_v=float(0.005 * rng.normal()))
        self.logged: list[LoggedFlight] = []

    def fly(self) -> PilotsFlight:
        """One more flight by the timer advised, logged with the rest voltage and the charge put back."""
        _, advised = learn_and_advise(self.sheet, self.logged)
        flown = self.craft.fly(advised.down_s)
        left = flown.flight.charge_left
        under = np.flatnonzero(left <= self.kept)
        safe_s = float(flown.flight.time_s[under[0]]) if under.size else flown.flight.end_s
        cells = self.checker.read(
            rest_v=self.craft.rest_v(flown, after_s=_READS_AFTER_S), series=self.sheet.pack.series
        )
        charge = self.charger.charge(self.sheet.pack, used_ah=flown.used_ah)
        self.logged.append(
            LoggedFlight(
                landed_at=_BEGAN + timedelta(days=len(self.logged)),
                duration_s=max(round(flown.duration_s), 5),
                pattern=self.sheet.flying.name,
                timer_s=advised.timer_s,
                rest_v_per_cell=round(sum(cells) / len(cells), 2),
                rest_after_s=_READS_AFTER_S,
                put_back_ah=charge.put_back_ah,
            )
        )
        return PilotsFlight(advised, flown.duration_s, safe_s, float(left[flown.flight.index_at(flown.duration_s)]))


def drawn_truth(rng: np.random.Generator, *, capacity: float) -> Hidden:
    """A craft and a pilot that differ from the sheet as sheets do, with a pack of about some capacity [1]."""
    power, resistance, intensity = np.exp(rng.normal(size=3) * (0.08, 0.2, 0.08))
    own = float(np.exp(0.02 * rng.normal()))
    return Hidden(float(power), capacity * own, float(resistance), float(intensity))
