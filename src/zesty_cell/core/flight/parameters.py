"""The one builder of what the kernel takes: its parameters, all per cell."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.asked.flying import lively_share
from zesty_cell.core.asked.landing import LandingRule
from zesty_cell.core.asked.sheet import Conditions
from zesty_cell.core.flight import kernel
from zesty_cell.core.flight.setup import Factors, Setup
from zesty_cell.core.parts.chemistry import Chemistry, charge_left_at_rest
from zesty_cell.core.parts.craft import Craft
from zesty_cell.core.parts.estimates import Cooling
from zesty_cell.core.parts.pack import Pack, cells_of
from zesty_cell.core.parts.pack_figures import PackFigures, cell_cooling_w_k
from zesty_cell.core.remember import by_identity

#: Longest flight looked at [s].
MAX_FLIGHT_S = 3 * 3600.0
#: The march ends when the loaded voltage has stayed under the hard floor this long [s]: longer than
#: a climb, even one that takes its longest, so that one dip (a check of its own) does not end the picture.
FLOOR_HOLD_S = 8.0
#: An ESC's cutoff takes the power away once the voltage has stayed under it this long in steady flight, and
#: whatever the load this much longer [s]: no burst lasts so long.
ESC_STEADY_HOLD_S, ESC_ANY_HOLD_S = 1.0, 10.0
#: Longest step of the kernel [s]; against steps of one second it costs some hundredths of a second in 18 minutes.
LONGEST_STEP_S = 2.0
#: Where gusts blow, three steps to each: against steps of a tenth of a second that costs some hundredths of one
#: in a landing.
LONGEST_IN_GUSTS_S = kernel.GUST_S / 3.0


def _nothing_lands(chemistry: Chemistry) -> list[float]:
    """A cell of a chemistry before its pack is known, drawn from by nothing, landed by nothing."""
    of = [0.0] * kernel.PARAMETER_COUNT
    of[kernel.POLARISATION_RATIO] = chemistry.polarisation_ratio
    of[kernel.POLARISATION_TAU_S] = chemistry.polarisation_tau_s
    of[kernel.DIFFUSION_RATIO] = chemistry.diffusion_ratio
    of[kernel.DIFFUSION_TAU_S] = chemistry.diffusion_tau_s
    of[kernel.WEAK_CAPACITY] = of[kernel.WEAK_RESISTANCE] = of[kernel.START_CHARGE] = 1.0
    of[kernel.LONGEST_STEP_S] = LONGEST_STEP_S
    of[kernel.FLOOR_V], of[kernel.FLOOR_HOLD_S] = chemistry.hard_floor_v, FLOOR_HOLD_S
    of[kernel.LAND_USED_AH] = of[kernel.LAND_TIMER_S] = of[kernel.BEYOND_LANDING] = math.inf
    of[kernel.LAND_CHARGE_LEFT] = of[kernel.LAND_LOADED_V] = -1.0
    of[kernel.ESC_STEADY_HOLD_S], of[kernel.ESC_ANY_HOLD_S] = ESC_STEADY_HOLD_S, ESC_ANY_HOLD_S
    of[kernel.MAX_TIME_S] = MAX_FLIGHT_S
    return of


def _put_cells(of: list[float], pack: Pack, figures: PackFigures, chemistry: Chemistry, cooling: Cooling) -> None:
    """Put a pack's cells and what lies around them into a row, in place."""
    s, p, cells = pack.series, pack.parallel, pack.cell_count
    of[kernel.CAPACITY_AH] = figures.capacity_ah / p
    of[kernel.R0_OHM] = figures.cell_resistance_ohm
    of[kernel.R_EXT_OHM] = figures.external_ohm() * p / s
    of[kernel.HEAT_CAPACITY_J_K] = figures.cell_mass_kg * chemistry.specific_heat_j_kg_k
    of[kernel.COOLING_W_K] = cell_cooling_w_k(
        mass_kg=figures.cell_mass_kg * cells, chemistry=chemistry, cell_count=cells, cooling=cooling
    )


def pack_parameters(*, pack: Pack, figures: PackFigures, cooling: Cooling, air_c: float) -> NDArray[np.float64]:
    """The kernel's parameters of a pack by itself, full and as warm as the air, landed by nothing [V, A, Ω, Ah, s].

    Parameters
    ----------
    figures : PackFigures
        Of that pack.
    air_c : float
        [°C].

    Returns
    -------
    float64 array, shape (kernel.PARAMETER_COUNT,)
    """
    chemistry = cells_of(pack)
    of = _nothing_lands(chemistry)
    _put_cells(of, pack, figures, chemistry, cooling)
    of[kernel.AIR_C] = of[kernel.START_C] = air_c
    return np.array(of)


@by_identity
def _whatever_the_pack(
    chemistry: Chemistry, craft: Craft, rule: LandingRule, conditions: Conditions
) -> list[float]:
    """What any pack of a chemistry shares on one sheet; a search asks it of thousands."""
    of = _nothing_lands(chemistry)
    of[kernel.AIR_C] = conditions.air_c
    of[kernel.START_CHARGE] = conditions.start_charge
    if rule.rest_v is not None:
        of[kernel.LAND_CHARGE_LEFT] = charge_left_at_rest(chemistry=chemistry, rest_v=rule.rest_v)
    if rule.loaded_v is not None:
        of[kernel.LAND_LOADED_V] = rule.loaded_v
    of[kernel.LAND_LOADED_HOLD_S] = rule.loaded_hold_s
    of[kernel.ESC_CUTOFF_V] = craft.limits.esc_cutoff_v_per_cell or 0.0
    if rule.timer_s is not None:
        of[kernel.LAND_TIMER_S] = rule.timer_s
    return of


def expected_parameters(setup: Setup, /, *, beyond_landing: float = np.inf) -> list[float]:
    """The kernel's parameters of the flight expected, all per cell, in the order of its columns [V, A, Ω, Ah, s].

    Parameters
    ----------
    setup : Setup
    beyond_landing : float
        How far past the landing to follow a flight, as a share of its time; to the end by default.
    """
    sheet, figures, load = setup.sheet, setup.figures, setup.load
    s, p, cells = sheet.pack.series, sheet.pack.parallel, sheet.pack.cell_count
    of = _whatever_the_pack(setup.chemistry, sheet.craft, sheet.landing, sheet.conditions).copy()
    _put_cells(of, sheet.pack, figures, setup.chemistry, sheet.craft.pack_cooling)
    of[kernel.DIFFUSION_RATIO] *= setup.slow
    # I = c·V² at the pack is i·P = c·(S·v)² at the cell.
    of[kernel.FULL_THROTTLE_A_V2] = load.full_throttle_a_v2 * s * s / p
    of[kernel.R_MOTOR_OHM] = load.motor_resistance_ohm * p / s
    of[kernel.START_C] = setup.start_c
    of[kernel.AVIONICS_W] = load.avionics_w / cells
    of[kernel.CRUISE_W] = setup.cruise_w() / cells
    of[kernel.LEVEL_W] = load.steady_w / cells
    of[kernel.WEAK_CAPACITY] = figures.weak_capacity
    of[kernel.WEAK_RESISTANCE] = figures.weak_resistance
    of[kernel.LAND_USED_AH] = setup.landing_used_ah / p
    of[kernel.BEYOND_LANDING] = beyond_landing
    return of


def kernel_parameters(*, setup: Setup, factors: Factors, beyond_landing: float = np.inf) -> NDArray[np.float64]:
    """The kernel's parameters, one row per flight, all per cell [V, A, Ω, Ah, s].

    Parameters
    ----------
    setup : Setup
    factors : Factors, k flights
    beyond_landing : float
        As for :func:`expected_parameters`.

    Returns
    -------
    float64 array, shape (k, kernel.PARAMETER_COUNT)
    """
    out = np.tile(expected_parameters(setup, beyond_landing=beyond_landing), (len(factors), 1))
    out[:, kernel.CAPACITY_AH] *= factors.capacity
    # The reserve is a share of what is in that flight's pack, not of what was expected of it.
    out[:, kernel.LAND_USED_AH] *= factors.capacity
    out[:, kernel.R0_OHM] *= factors.resistance
    if factors.slow is not None:
        out[:, kernel.DIFFUSION_RATIO] *= factors.slow
    out[:, kernel.FULL_THROTTLE_A_V2] *= factors.full_throttle
    share = setup.flying.steady_activity().share
    # Where steady flight is itself lively, it is what that flight flies: as in the load program.
    lively = lively_share(share, intensity=factors.intensity) / share if share > 1.0 else 1.0
    out[:, kernel.CRUISE_W] *= factors.power * lively
    out[:, kernel.LEVEL_W] *= factors.power
    out[:, kernel.AIR_C] += factors.air_c
    if setup.sheet.conditions.pack_c is None:  # a pack that was warmed is as warm in any air
        out[:, kernel.START_C] += factors.air_c
    if factors.gusts is not None:
        out[:, kernel.LONGEST_STEP_S] = LONGEST_IN_GUSTS_S
    return out
