"""The knee: landing time against pack mass for one chemistry, and where another gram stops paying."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.asked.rebuilt import rebuilt
from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.choose.candidates import label_name, with_pack
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import Fact, fact
from zesty_cell.core.flight.setup import set_up
from zesty_cell.core.flight.summary import LandingSummaries
from zesty_cell.core.parts.chemistries import chemistry_for
from zesty_cell.core.parts.chemistry import ChemistryKey
from zesty_cell.core.parts.pack import Pack
from zesty_cell.core.parts.pack_figures import pack_figures

#: A one per cent heavier pack buys this share of a per cent more time at the knee [1].
KNEE_ELASTICITY = 0.5
_POINTS = 28
_FEWEST_POINTS = 4
#: The curve runs from and to these multiples of the craft's dry mass, as pack mass [1]: for ideal
#: hover the time peaks at 2.
_LIGHTEST, _HEAVIEST = 0.12, 2.4


@dataclass(frozen=True)
class Knee:
    """Landing time against pack mass.

    Attributes
    ----------
    chemistry : ChemistryKey
    mass_kg, landing_s : float64 array, shape (n,)
        Of the pack, rising [kg]; [s].
    gain_s_per_100g : float64 array, shape (n,)
        What a further 100 g buys [s].
    knee_kg, knee_s : float or None
        Where the elasticity has fallen to :data:`KNEE_ELASTICITY`; None where the curve does not get
        there.
    best_kg : float
        Pack mass of the longest flight on the curve [kg].
    """

    chemistry: ChemistryKey
    mass_kg: NDArray[np.float64]
    landing_s: NDArray[np.float64]
    gain_s_per_100g: NDArray[np.float64]
    knee_kg: float | None
    knee_s: float | None
    best_kg: float

    def told(self, *, own_kg: float, pack: str) -> Fact:
        """Where another gram stops paying, and on which side of it a pack stands.

        Parameters
        ----------
        own_kg : float
            Of that pack [kg].
        pack : str
            Its name.
        """
        figures = {"hundred_kg": 0.1, "gain": self.gain_at(own_kg)}
        if self.knee_kg is None:
            return fact("knee.none", pack=pack, **figures)
        side = "before" if own_kg < self.knee_kg else "past"
        return fact(f"knee.{side}", knee_kg=self.knee_kg, pack=pack, **figures)

    def gain_at(self, mass_kg: float) -> float:
        """What a further 100 g buys at a pack mass [s]."""
        return float(np.interp(mass_kg, self.mass_kg, self.gain_s_per_100g))

    def time_at(self, mass_kg: float) -> float:
        """Landing time at a pack mass [s]."""
        return float(np.interp(mass_kg, self.mass_kg, self.landing_s))


def scaled_pack(*, like: Pack, chemistry: ChemistryKey, capacity_ah: float) -> Pack | None:
    """A pack of another size: ``like``'s series, leads and plug, all cells of the chemistry [Ah].

    Where ``like`` is of the same chemistry, its own energy density and resistance × capacity are
    kept; else the chemistry's usual ones.  None where no pack is like that.
    """
    change: dict[str, object] = {
        "name": label_name(chemistry=chemistry, series=like.series, parallel=1, capacity_ah=capacity_ah),
        "chemistry": chemistry,
        "parallel": 1,
        "capacity_ah": capacity_ah,
        "capacity_known": "maker",
        "ratings": None,
        "tests": {},
        "curve": None,
        "cell_size": None,
        "cell_name": None,
        "cell_mass_kg": None,
        "arrangement": "rows",
        "mass_kg": None,
        "cell_resistance_ohm": None,
        "parallel_harness": False,
    }
    if chemistry == like.chemistry:
        figures = pack_figures(like)
        scale = capacity_ah / like.capacity_ah
        cells_kg = figures.cell_mass_kg * like.cell_count
        change["mass_kg"] = figures.mass_kg - cells_kg + cells_kg * scale
        change["mass_known"] = "estimated"
        change["cell_resistance_ohm"] = figures.cell_resistance_ohm / like.parallel / scale
        change["resistance_known"] = figures.resistance_known
    return rebuilt(like, **change)


def _kg_per_ah(like: Pack, chemistry: ChemistryKey) -> float:
    """What the cells of one ampere hour weigh, without leads [kg/Ah]."""
    if chemistry == like.chemistry:
        return pack_figures(like).cell_mass_kg * like.cell_count / like.capacity_ah
    other = chemistry_for(chemistry)
    return like.series * other.nominal_v / other.energy_density_wh_kg


def knee(sheet: Sheet, *, chemistry: ChemistryKey) -> Knee:
    """Landing time against pack mass on the sheet's craft, pattern, air and landing rule.

    The sheet's cell count is kept and the capacity swept.  Elasticity is (m/t)·(dt/dm): the share of
    a per cent in time that a one per cent heavier pack buys.  For ideal hover on an ideal pack,
    t ∝ m/(M + m)^1.5, it is 1 − 1.5·m/(M + m): a half at m = M/2, nothing at m = 2M.

    Returns
    -------
    Knee
        Masses [kg], times [s].

    Raises
    ------
    OutOfRangeError
        As :func:`~zesty_cell.core.flight.setup.set_up`.
    """
    mass, time = _flown(sheet, chemistry)
    if mass.size < _FEWEST_POINTS:
        raise OutOfRangeError(
            fact("refused.knee.does_not_carry", chemistry=chemistry_for(chemistry).short_name),
            field="chemistry",
            value=float(mass.size),
            limit=float(_FEWEST_POINTS),
        )
    slope = np.gradient(time, mass)
    elasticity = slope * mass / time
    past = np.flatnonzero(elasticity <= KNEE_ELASTICITY)
    knee_kg: float | None = None
    if past.size and past[0] > 0:
        k = int(past[0])
        span = elasticity[k - 1] - elasticity[k]
        share = (elasticity[k - 1] - KNEE_ELASTICITY) / span if span > 0 else 1.0
        # Straight in the logarithm of mass, as the points are spaced.
        knee_kg = math.exp((1 - share) * math.log(mass[k - 1]) + share * math.log(mass[k]))
    return Knee(
        chemistry=chemistry,
        mass_kg=mass,
        landing_s=time,
        gain_s_per_100g=slope * 0.1,
        knee_kg=knee_kg,
        knee_s=None if knee_kg is None else float(np.interp(knee_kg, mass, time)),
        best_kg=float(mass[int(np.argmax(time))]),
    )


def _flown(sheet: Sheet, chemistry: ChemistryKey) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Mass [kg] and landing time [s] of packs that hold the craft up, the lightest first."""
    dry_kg = sheet.craft.dry_mass_kg
    one_ah_kg = _kg_per_ah(sheet.pack, chemistry)
    setups = []
    for target_kg in np.geomspace(_LIGHTEST * dry_kg, _HEAVIEST * dry_kg, _POINTS):
        capacity_ah = min(max(float(target_kg) / one_ah_kg, 0.03), 190.0)
        pack = scaled_pack(like=sheet.pack, chemistry=chemistry, capacity_ah=capacity_ah)
        if pack is None:
            continue
        try:
            setups.append(set_up(with_pack(sheet, pack=pack)))
        except OutOfRangeError:
            if capacity_ah > 0.5 * dry_kg / one_ah_kg:
                raise
    summaries = LandingSummaries(setups).fly()
    flown = [(s.figures.mass_kg, b.landing_s) for s, b in zip(setups, summaries, strict=True) if b.flies]
    every = np.array(flown).reshape(len(flown), 2)
    mass, first = np.unique(every[:, 0], return_index=True)
    return mass, every[first, 1]
