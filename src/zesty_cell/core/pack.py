"""The pack: cells in series and parallel, leads and plug, mass, resistance, ratings, age."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Annotated, Literal

from pydantic import Field, model_validator

from zesty_cell.core.chemistries import CHEMISTRIES, chemistry_for
from zesty_cell.core.chemistry import Chemistry, ChemistryKey, Quality
from zesty_cell.core.entity import Entity, Name

#: How a figure is known, best first.
Known = Literal["measured", "maker", "estimated"]

#: Resistance of copper wire by cross-section at 25 °C [Ω·m] (CODATA-era handbook value).
_COPPER_OHM_M = 1.75e-8
_COPPER_DENSITY_KG_M3 = 8960.0
#: No cell on sale or in a laboratory comes near this energy density [Wh/kg].
MOST_WH_PER_KG = 700.0


class ConnectorClass(Entity):
    """A plug pair by current rating: contact resistance of both poles [Ω] and mass of the pair [kg]."""

    key: str
    name: str
    rating_a: float
    contact_ohm: float
    mass_kg: float


#: Connector classes by size, not by trade name; contact resistance of a used pair, both poles.
CONNECTORS: dict[str, ConnectorClass] = {
    c.key: c
    for c in (
        ConnectorClass(key="micro_1s", name="1S micro pin, 5 A", rating_a=5, contact_ohm=0.020, mass_kg=0.0004),
        ConnectorClass(key="micro_1s_low", name="1S low-loss, 9 A", rating_a=9, contact_ohm=0.009, mass_kg=0.0005),
        ConnectorClass(key="small_15a", name="2 mm pin, 15 A", rating_a=15, contact_ohm=0.0032, mass_kg=0.002),
        ConnectorClass(key="medium_30a", name="2 mm flat, 30 A", rating_a=30, contact_ohm=0.0014, mass_kg=0.003),
        ConnectorClass(key="large_60a", name="3.5 mm pin, 60 A", rating_a=60, contact_ohm=0.0008, mass_kg=0.007),
        ConnectorClass(key="heavy_90a", name="4.5 mm pin, 90 A", rating_a=90, contact_ohm=0.0005, mass_kg=0.014),
        ConnectorClass(
            key="bullet_150a", name="5.5 mm pin, 150 A", rating_a=150, contact_ohm=0.0003, mass_kg=0.020
        ),
    )
}
ConnectorKey = Literal[
    "micro_1s", "micro_1s_low", "small_15a", "medium_30a", "large_60a", "heavy_90a", "bullet_150a"
]


class Ratings(Entity):
    """Rating tiers of the whole pack [A]: for as long as it lasts, for one minute, for ten seconds."""

    continuous_a: Annotated[float, Field(gt=0, le=2000)]
    one_minute_a: Annotated[float, Field(gt=0, le=2000)]
    ten_second_a: Annotated[float, Field(gt=0, le=2000)]

    @model_validator(mode="after")
    def _rising(self) -> Ratings:
        if not self.continuous_a <= self.one_minute_a <= self.ten_second_a:
            raise ValueError("A shorter time cannot have the lower rating: continuous ≤ one minute ≤ ten seconds.")
        return self


class Pack(Entity):
    """One battery pack.

    ``parallel_harness``: flown as two packs that meet in a harness, each through a plug of its own.
    ``capacity_ah`` is the whole pack's; ``cell_resistance_ohm`` is one cell's ohmic resistance at
    25 °C and mid-charge (a one-second, two-current test).  ``None`` means: estimate it.
    """

    name: Name
    chemistry: ChemistryKey
    series: Annotated[int, Field(ge=1, le=24)]
    parallel: Annotated[int, Field(ge=1, le=24)] = 1
    capacity_ah: Annotated[float, Field(ge=0.02, le=200)]
    capacity_known: Known = "maker"
    label_c: Annotated[float, Field(gt=0, le=300)] | None = None
    ratings: Ratings | None = None
    mass_kg: Annotated[float, Field(ge=0.0005, le=50)] | None = None
    mass_known: Known = "measured"
    cell_resistance_ohm: Annotated[float, Field(gt=0, le=2)] | None = None
    quality: Quality = "ordinary"
    connector: ConnectorKey = "large_60a"
    parallel_harness: bool = False
    lead_length_m: Annotated[float, Field(ge=0, le=3)] = 0.10
    lead_area_mm2: Annotated[float, Field(ge=0.05, le=50)] = 3.3
    cycles: Annotated[int, Field(ge=0, le=3000)] = 0

    @model_validator(mode="after")
    def _believable(self) -> Pack:
        if self.mass_kg is not None:
            watt_hours = self.capacity_ah * self.series * CHEMISTRIES[self.chemistry].nominal_v
            density = watt_hours / self.mass_kg
            if density > MOST_WH_PER_KG:
                raise ValueError(
                    f"{watt_hours:.3g} Wh in {self.mass_kg * 1000:.3g} g would be {density:,.0f} Wh a kilogram, "
                    "which no cell holds: check weight, cells and capacity."
                )
        return self

    @property
    def cell_count(self) -> int:
        """Number of cells, series × parallel [1]."""
        return self.series * self.parallel


@dataclass(frozen=True)
class PackFigures:
    """What follows from a pack, all at 25 °C and mid-charge.

    Attributes
    ----------
    capacity_ah : float
        Charge expected in the whole pack [Ah], after label optimism and age.
    capacity_sigma, resistance_sigma : float
        One standard deviation, relative [1].
    cell_resistance_ohm : float
        One cell [Ω], after age.
    cells_ohm, leads_ohm, connector_ohm, adapter_ohm, resistance_ohm : float
        The pack's parts and their sum [Ω]; the adapter is a parallel harness.
    mass_kg, cell_mass_kg : float
        Whole pack, and one cell without leads and plug [kg].
    mass_known, resistance_known, capacity_known : Known
    nominal_wh : float
        Energy at nominal voltage [Wh].
    full_v, nominal_v, storage_v, floor_v : float
        Whole pack [V].
    ratings : Ratings or None
        As given, or the label's C taken as continuous with no burst above it.
    ratings_known : Known
    """

    capacity_ah: float
    capacity_sigma: float
    capacity_known: Known
    cell_resistance_ohm: float
    resistance_sigma: float
    resistance_known: Known
    cells_ohm: float
    leads_ohm: float
    connector_ohm: float
    adapter_ohm: float
    resistance_ohm: float
    mass_kg: float
    mass_known: Known
    cell_mass_kg: float
    nominal_wh: float
    full_v: float
    nominal_v: float
    storage_v: float
    floor_v: float
    ratings: Ratings | None
    ratings_known: Known

    def external_ohm(self) -> float:
        """Leads, plug and adapter together [Ω]."""
        return self.leads_ohm + self.connector_ohm + self.adapter_ohm


# Ageing per full cycle where nothing was measured: see docs/physics.md, "Age".
_CAPACITY_LOSS_PER_CYCLE = 0.0006
_RESISTANCE_GAIN_PER_CYCLE = 0.0025


def capacity_factor(*, cycles: int) -> float:
    """Share of its first capacity that a pack keeps after ``cycles`` full cycles [1]; at least 0.5."""
    return max(0.5, 1.0 - _CAPACITY_LOSS_PER_CYCLE * cycles)


def resistance_factor(*, cycles: int) -> float:
    """Resistance after ``cycles`` full cycles as a multiple of the first [1]."""
    return 1.0 + _RESISTANCE_GAIN_PER_CYCLE * cycles


def lead_resistance_ohm(*, length_m: float, area_mm2: float) -> float:
    """Both leads of a pack, each ``length_m`` long: R = 2·ρ·l/A [Ω], copper at 25 °C."""
    return 2.0 * _COPPER_OHM_M * length_m / (area_mm2 * 1e-6)


def _leads_mass_kg(pack: Pack) -> float:
    copper = 2.0 * pack.lead_length_m * pack.lead_area_mm2 * 1e-6 * _COPPER_DENSITY_KG_M3
    plugs = 3 if pack.parallel_harness else 1
    return 1.6 * copper + plugs * CONNECTORS[pack.connector].mass_kg  # insulation adds about 60 %


def pack_figures(pack: Pack) -> PackFigures:
    """Everything that follows from a pack without flying it.

    Parameters
    ----------
    pack : Pack

    Returns
    -------
    PackFigures

    Notes
    -----
    R = S·R_cell/P + leads + plug (PHYSICS 2).  A figure that was measured is taken as it is; age
    (cycles) acts only on estimates and on the maker's figures.
    """
    chemistry = chemistry_for(pack.chemistry)
    if pack.capacity_known == "measured":
        capacity_ah, capacity_sigma = pack.capacity_ah, 0.02
    else:
        capacity_ah = pack.capacity_ah * chemistry.label_capacity_share * capacity_factor(cycles=pack.cycles)
        capacity_sigma = chemistry.label_capacity_sigma
    if pack.cell_resistance_ohm is not None:
        cell_ohm, resistance_sigma = pack.cell_resistance_ohm, 0.08
        resistance_known: Known = "measured"
    else:
        cell_capacity_ah = pack.capacity_ah / pack.parallel
        cell_ohm = chemistry.resistance_capacity_ohm_ah[pack.quality] / cell_capacity_ah
        cell_ohm *= resistance_factor(cycles=pack.cycles)
        resistance_sigma, resistance_known = 0.28, "estimated"
    cells_ohm = pack.series * cell_ohm / pack.parallel
    leads_ohm = lead_resistance_ohm(length_m=pack.lead_length_m, area_mm2=pack.lead_area_mm2)
    connector_ohm = CONNECTORS[pack.connector].contact_ohm
    # Two further plugs, one for each pack, side by side.
    adapter_ohm = 0.5 * connector_ohm if pack.parallel_harness else 0.0
    nominal_wh = pack.capacity_ah * pack.series * chemistry.nominal_v
    leads_kg = _leads_mass_kg(pack)
    if pack.mass_kg is not None:
        mass_kg, mass_known = pack.mass_kg, pack.mass_known
    else:
        mass_kg, mass_known = nominal_wh / chemistry.energy_density_wh_kg + leads_kg, "estimated"
    cell_mass_kg = max(mass_kg - leads_kg, 0.6 * mass_kg) / pack.cell_count
    ratings: Ratings | None = pack.ratings
    ratings_known: Known = "measured"
    if ratings is None and pack.label_c is not None:
        label_a = min(pack.label_c * pack.capacity_ah, 2000.0)
        ratings = Ratings(continuous_a=label_a, one_minute_a=label_a, ten_second_a=label_a)
        ratings_known = "maker"
    return PackFigures(
        capacity_ah=capacity_ah,
        capacity_sigma=capacity_sigma,
        capacity_known=pack.capacity_known,
        cell_resistance_ohm=cell_ohm,
        resistance_sigma=resistance_sigma,
        resistance_known=resistance_known,
        cells_ohm=cells_ohm,
        leads_ohm=leads_ohm,
        connector_ohm=connector_ohm,
        adapter_ohm=adapter_ohm,
        resistance_ohm=cells_ohm + leads_ohm + connector_ohm + adapter_ohm,
        mass_kg=mass_kg,
        mass_known=mass_known,
        cell_mass_kg=cell_mass_kg,
        nominal_wh=nominal_wh,
        full_v=chemistry.full_v * pack.series,
        nominal_v=chemistry.nominal_v * pack.series,
        storage_v=chemistry.storage_v * pack.series,
        floor_v=chemistry.hard_floor_v * pack.series,
        ratings=ratings,
        ratings_known=ratings_known,
    )


#: Heat passed to the air per area [W/(m²·K)]: see docs/physics.md, "Heat".
COOLING_W_M2_K: dict[str, float] = {"enclosed": 7.0, "still air": 11.0, "airflow": 28.0}


def cell_cooling_w_k(*, mass_kg: float, chemistry: Chemistry, cell_count: int, cooling: str) -> float:
    """Heat one cell of a pack passes to the air per kelvin [W/K].

    The pack is taken as a brick of the cells' density with sides 1 : 1.3 : 3 (area 7.0·volume^⅔);
    each cell owns its share of the outside.

    Parameters
    ----------
    mass_kg : float
        Mass of all cells [kg].
    cooling : str
        A key of :data:`COOLING_W_M2_K`.
    """
    volume_m3 = mass_kg / chemistry.density_kg_m3
    area_m2 = 7.0 * math.pow(volume_m3, 2.0 / 3.0)
    return COOLING_W_M2_K[cooling] * area_m2 / cell_count
