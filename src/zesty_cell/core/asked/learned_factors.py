"""What logged flights taught about a craft and its packs, as factors on a sheet's best estimate (PHYSICS 6)."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from zesty_cell.core.asked.flying import Activity, FlyingPattern, lively_share
from zesty_cell.core.entity import Entity, Name
from zesty_cell.core.parts.chemistry import ChemistryKey
from zesty_cell.core.parts.craft_load import CraftLoad
from zesty_cell.core.parts.pack import Pack
from zesty_cell.core.parts.pack_figures import PackFigures

Factor = Annotated[float, Field(ge=0.05, le=20)]
_Share = Annotated[float, Field(ge=-5, le=5)]
Row = tuple[_Share, _Share, _Share, _Share]
#: What is learned, in the order of every row and column below.
POWER, INTENSITY, CAPACITY, RESISTANCE = range(4)


class PackKind(Entity):
    """What makes two packs one kind for learning: the same cells in the same number."""

    chemistry: ChemistryKey
    series: int
    parallel: int
    capacity_ah: float

    @staticmethod
    def of(pack: Pack, /) -> PackKind:
        """The kind of a pack."""
        return PackKind(
            chemistry=pack.chemistry, series=pack.series, parallel=pack.parallel, capacity_ah=pack.capacity_ah
        )


class LearnedFactors(Entity):
    """What flights of a craft with a kind of pack on a pattern taught.

    Parameters
    ----------
    flights, elsewhere : int
        That taught it, and those of them on other patterns [flights].
    power, intensity, capacity, resistance : float
        True over the sheet's best estimate [1].
    spread : 4 rows of 4
        Lower triangle L of the covariance L·Lᵀ of their logarithms for the next flight [1]: how surely they are
        known, and how flights vary.
    kind : PackKind
        Of the packs flown: capacity and resistance hold for these alone.
    resistance_c : float
        Temperature at which the resistance is known so [°C]: that of the logs that told it, else of estimates.
    slow, slow_sigma : float
        Slow polarisation over the chemistry's, as logs tell it, and how far that may be out, one sigma [1].
    slow_per_capacity, slow_per_resistance : float
        How it goes with their logarithms [1]: what logs tell is the voltage at a flight's end, which a fuller pack
        or one that resists less shows with more of it.
    logs : int
        Telemetry logs that told the resistance.
    """

    flights: Annotated[int, Field(ge=1)]
    elsewhere: Annotated[int, Field(ge=0)] = 0
    power: Factor = 1.0
    intensity: Factor = 1.0
    capacity: Factor = 1.0
    resistance: Factor = 1.0
    spread: tuple[Row, Row, Row, Row]
    kind: PackKind
    pattern: Name
    resistance_c: Annotated[float, Field(ge=-40, le=90)] = 25.0
    slow: Factor = 1.0
    slow_sigma: Annotated[float, Field(ge=0, le=20)] = 0.0
    slow_per_capacity: Annotated[float, Field(ge=-1000, le=1000)] = 0.0
    slow_per_resistance: Annotated[float, Field(ge=-1000, le=1000)] = 0.0
    logs: Annotated[int, Field(ge=0)] = 0

    def knows(self, pack: Pack, /) -> bool:
        """Whether capacity and resistance were learned from this kind of pack."""
        return PackKind.of(pack) == self.kind


def corrected_pattern(pattern: FlyingPattern, /, *, intensity: float) -> FlyingPattern:
    """A pattern flown livelier or calmer [1]: all above steady power, and the length of full-throttle bursts."""

    def lively(activity: Activity) -> Activity:
        if activity.of == "full throttle":
            return activity.model_copy(update={"duration_s": activity.duration_s * intensity})
        return activity.model_copy(update={"share": lively_share(activity.share, intensity=intensity)})

    return pattern.model_copy(update={"activities": tuple(lively(a) for a in pattern.activities)})


def corrected_figures(figures: PackFigures, /, *, learned_factors: LearnedFactors, pack: Pack) -> PackFigures:
    """A pack's figures with what was learned of its kind [Ah, Ω]; as they are for another kind."""
    if not learned_factors.knows(pack):
        return figures
    cells_ohm = figures.cells_ohm * learned_factors.resistance
    covariance = covariance_of(learned_factors)
    return figures._replace(
        capacity_ah=figures.capacity_ah * learned_factors.capacity,
        capacity_sigma=float(np.sqrt(covariance[CAPACITY, CAPACITY])),
        cell_resistance_ohm=figures.cell_resistance_ohm * learned_factors.resistance,
        resistance_sigma=float(np.sqrt(covariance[RESISTANCE, RESISTANCE])),
        cells_ohm=cells_ohm,
        resistance_ohm=figures.resistance_ohm + cells_ohm - figures.cells_ohm,
    )


def corrected_load(load: CraftLoad, /, *, learned_factors: LearnedFactors) -> CraftLoad:
    """A craft's load with the power that was learned [W]."""
    return load._replace(
        regime_w={regime: watts * learned_factors.power for regime, watts in load.regime_w.items()},
        power_sigma=float(np.sqrt(covariance_of(learned_factors)[POWER, POWER])),
    )


def covariance_of(learned_factors: LearnedFactors, /) -> NDArray[np.float64]:
    """Covariance of the four logarithms for the next flight, shape (4, 4) [1]."""
    spread = np.array(learned_factors.spread)
    return np.asarray(spread @ spread.T, dtype=np.float64)


def spread_of(covariance: NDArray[np.float64], /) -> tuple[Row, Row, Row, Row]:
    """Its lower triangle (Cholesky), as :class:`LearnedFactors` keeps it [1], from a covariance of shape (4, 4)."""
    rows = np.linalg.cholesky(covariance + 1e-12 * np.eye(4))
    return tuple(tuple(float(v) for v in row) for row in rows)  # type: ignore[return-value]
