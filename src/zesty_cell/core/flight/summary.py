"""A flight in a few numbers: what packs are compared, searched and checked by.

They come from a march that ends at the landing.  The sheet, the comparison and the search all take
them from here, so that they agree to the last digit.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import lru_cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.asked.flying import STEP_S, load_program
from zesty_cell.core.asked.landing import LandingReason
from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.flight import kernel
from zesty_cell.core.flight.one import landing_reason, landing_times_s
from zesty_cell.core.flight.parameters import MAX_FLIGHT_S, expected_parameters
from zesty_cell.core.flight.setup import Setup, set_up
from zesty_cell.core.parts.chemistries import CHEMISTRIES
from zesty_cell.core.parts.chemistry import cell_table, temperature_table
from zesty_cell.core.parts.craft import Craft
from zesty_cell.core.parts.craft_load import CraftLoad, thrust_an_amp_kg
from zesty_cell.core.parts.own_curve import OwnCurve, with_curve

#: Steady power that cannot be had this early is no flight [s].
TAKE_OFF_S = 1.0


class LandingSummary(NamedTuple):
    """A flight until landing.

    Attributes
    ----------
    landing_s : float
        [s].
    landing_reason : LandingReason
    flies, holds : bool
        Whether the pack can hold the craft up at all when fresh, and until landing.
    all_up_mass_kg : float
        [kg].
    used_ah : float
        Drawn at landing [Ah].
    peak_a : float
        Largest current [A].
    worst_v : float
        Lowest loaded voltage per cell [V].
    longest_stretch : float
        The longest burst of work over its nominal length [1]; 0 without any.
    hottest_c, landing_c : float
        Cell [°C].
    full_fresh_a, full_landing_a : float
        What full throttle draws at take-off and at landing, whole craft [A].
    thrust_share : float
        Full-throttle thrust at landing as a share of that at take-off [1].
    to_spare_fresh, to_spare : float
        At take-off and at landing: thrust over weight of a rotor craft, full power over level-flight
        power of a wing [1].
    """

    landing_s: float
    landing_reason: LandingReason
    flies: bool
    holds: bool
    all_up_mass_kg: float
    used_ah: float
    peak_a: float
    worst_v: float
    longest_stretch: float
    hottest_c: float
    landing_c: float
    full_fresh_a: float
    full_landing_a: float
    thrust_share: float
    to_spare_fresh: float
    to_spare: float


def power_to_spare(*, craft: Craft, load: CraftLoad, full_throttle_a: float, all_up_kg: float) -> float:
    """What full throttle gives over what steady flight needs [1].

    Thrust over weight for craft on rotors: by the thrust that was measured or follows from its parts; else thrust
    goes with power^⅔ (actuator disc; Leishman eq. 2.14), so T/W = (P_full/P_steady)^⅔.  For a wing, power over the
    power of level flight.

    Parameters
    ----------
    all_up_kg : float
        [kg].
    full_throttle_a : float
        Whole craft [A].
    """
    if craft.lifts_itself() and (an_amp_kg := thrust_an_amp_kg(craft)) is not None:
        return an_amp_kg * full_throttle_a / all_up_kg
    # Loaded voltage at full throttle from the motor's own law V = √(I/c) + I·R_motor (K7).
    volts = math.sqrt(full_throttle_a / load.full_throttle_a_v2) + full_throttle_a * load.motor_resistance_ohm
    ratio = volts * full_throttle_a / (load.steady_w + load.avionics_w)
    return ratio ** (2.0 / 3.0) if craft.lifts_itself() else ratio


def _landing_summary(setup: Setup, summary: NDArray[np.float64], landing_s: float, which: int) -> LandingSummary:
    """One flight as its columns say it, of a march that ended at its landing: per cell to whole pack."""
    pack, craft, load = setup.sheet.pack, setup.sheet.craft, setup.load
    cell = summary.tolist()
    p = pack.parallel
    fresh_a, landing_a = cell[kernel.FULL_FRESH_A] * p, cell[kernel.FULL_END_A] * p
    used_share = setup.sheet.conditions.start_charge - cell[kernel.END_CHARGE_LEFT]
    to_spare_fresh = power_to_spare(craft=craft, load=load, full_throttle_a=fresh_a, all_up_kg=setup.all_up_mass_kg)
    return LandingSummary(
        landing_s=landing_s,
        landing_reason=landing_reason(which=which, end_reason=int(cell[kernel.END_REASON])),
        # It must be able to hover, or to fly level, whatever the pattern asks.
        flies=cell[kernel.FIRST_CLIPPED_S] > TAKE_OFF_S and to_spare_fresh >= 1.0,
        holds=cell[kernel.FIRST_CLIPPED_S] >= landing_s,
        all_up_mass_kg=setup.all_up_mass_kg,
        used_ah=used_share * setup.figures.capacity_ah,
        peak_a=cell[kernel.PEAK_A] * p,
        worst_v=cell[kernel.WORST_V],
        longest_stretch=cell[kernel.LONGEST_STRETCH],
        hottest_c=cell[kernel.HOTTEST_C],
        landing_c=cell[kernel.END_C],
        full_fresh_a=fresh_a,
        full_landing_a=landing_a,
        thrust_share=landing_a / fresh_a,
        to_spare_fresh=to_spare_fresh,
        to_spare=power_to_spare(craft=craft, load=load, full_throttle_a=landing_a, all_up_kg=setup.all_up_mass_kg),
    )


_KEYS = tuple(CHEMISTRIES)


@lru_cache(maxsize=16)
def _tables(own: tuple[OwnCurve, ...]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """The curves of every chemistry, one over the other, in the order of :data:`_KEYS`, then packs' own."""
    cells = [*(CHEMISTRIES[key] for key in _KEYS), *(with_curve(curve) for curve in own)]
    return np.stack([cell_table(c) for c in cells]), np.stack([temperature_table(c) for c in cells])


class LandingSummaries:
    """Several set-up sheets of one craft and pattern, made ready to be flown in one compiled call.

    Made with the interpreter, and so are its :meth:`briefs`; :meth:`march` does not need it, so that batches
    overlap in threads.
    All setups share craft, pattern and landing timer.
    """

    def __init__(self, setups: Sequence[Setup]) -> None:
        self.setups = setups
        if not setups:
            return
        self._params = np.array([expected_parameters(s, beyond_landing=0.0) for s in setups])
        cells = np.array([[s.sheet.pack.cell_count] for s in setups])
        self._program = load_program(
            pattern=setups[0].flying,
            steady_cell_w=np.array([s.steady_w for s in setups]) / cells,
            work_cell_j=np.array([s.work_j for s in setups]) / cells,
            intensity=np.ones(len(setups)),
        )
        packs = [s.sheet.pack for s in setups]
        self._own = tuple(dict.fromkeys(pack.curve for pack in packs if pack.curve is not None))
        self._table_of = np.array(
            [
                _KEYS.index(pack.chemistry) if pack.curve is None else len(_KEYS) + self._own.index(pack.curve)
                for pack in packs
            ]
        )

    def fly(self) -> list[LandingSummary]:
        """Fly them until landing and keep only the few numbers, in order."""
        return self.summaries(self.march()) if self.setups else []

    def march(self) -> NDArray[np.float64]:
        """Fly them until landing: what the kernel says of each, shape (setups, kernel.SUMMARY_COUNT)."""
        count = len(self.setups)
        summary = np.empty((count, kernel.SUMMARY_COUNT))
        kernel.march_many(
            self._params,
            self._program.kind,
            self._program.value,
            self._program.seconds,
            self._program.work_j,
            np.empty((count, 0)),
            *_tables(self._own),
            self._table_of,
            STEP_S,
            round(MAX_FLIGHT_S / STEP_S),
            np.empty((count, 0, 0)),
            summary,
        )
        return summary

    def summaries(self, summary: NDArray[np.float64]) -> list[LandingSummary]:
        """The few numbers of flights that were marched, in order."""
        landing_s, which = landing_times_s(setup=self.setups[0], summary=summary)
        return [
            _landing_summary(s, row, t, w)
            for s, row, t, w in zip(self.setups, summary, landing_s.tolist(), which.tolist(), strict=True)
        ]


def full_throttle_at_landing_a(sheet: Sheet, /) -> float | None:
    """What full throttle draws of a sheet's pack at its landing [A]; None where the sheet contradicts itself."""
    try:
        return fly_to_landing(set_up(sheet)).full_landing_a
    except OutOfRangeError:
        return None


def fly_to_landing(setup: Setup) -> LandingSummary:
    """Fly one sheet until landing and keep only the few numbers [s, A, V, °C]; see :class:`BriefBatch`."""
    return LandingSummaries([setup]).fly()[0]
