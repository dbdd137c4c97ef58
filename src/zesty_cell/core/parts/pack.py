"""The pack: cells in series and parallel, links, leads and plugs, mass, resistance, ratings, age."""

from __future__ import annotations

import math
from functools import cache
from statistics import NormalDist
from typing import Annotated, Literal, NamedTuple

from pydantic import Field, model_validator

from zesty_cell.core.entity import Entity, Name, refused
from zesty_cell.core.errors import LayoutError, OutOfRangeError
from zesty_cell.core.parts.cell import CellForm, CellModel, CellSize, Known, Ratings
from zesty_cell.core.parts.chemistries import CHEMISTRIES, chemistry_for
from zesty_cell.core.parts.chemistry import Chemistry, ChemistryKey, Quality
from zesty_cell.core.parts.layout import (
    Arrangement,
    Size,
    check_arrangement,
    estimated_cell_size,
    estimated_pack_size,
    pack_size,
)
from zesty_cell.core.parts.measured import (
    LEAST_SHARE_FOR_CAPACITY,
    PackTests,
    ResistanceSource,
    measured_capacity_ah,
    measured_resistance,
    share_covered,
)

#: Resistance of copper wire by cross-section at 25 °C [Ω·m] (CODATA-era handbook value).
_COPPER_OHM_M = 1.75e-8
_COPPER_DENSITY_KG_M3 = 8960.0
#: No cell on sale or in a laboratory comes near this energy density [Wh/kg].
MOST_WH_PER_KG = 700.0

#: No pack may be entered heavier [kg].
HEAVIEST_PACK_KG = 50


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
        ConnectorClass(key="micro_1s_low", name="1S low-loss, 9 A", rating_a=9, contact_ohm=0.005, mass_kg=0.0005),
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


#: One series link between two neighbouring cells, both welds in [Ω]: a double nickel strip on round
#: cells, soldered tabs on pouches.  Docs/physics.md, "Pack".
LINK_OHM: dict[CellForm, float] = {"round": 0.0005, "pouch": 0.0001}
_LINK_KG: dict[CellForm, float] = {"round": 0.0005, "pouch": 0.0001}
#: Wrap and insulation as a share of the cells' mass [1].
_WRAP_SHARE = 0.02
#: What weighs the same however small the cells are [kg]: a pouch's tabs, seams and frame beyond its energy, and a
#: balance lead's plug and wires for each of its S + 1 pins.
_POUCH_FIXED_KG, _BALANCE_PIN_KG = 0.0013, 0.0007
#: One standard deviation of a pack's mass, relative, by how it is known [1]; estimates from cells that
#: were weighed are better than those from energy alone.
MASS_SIGMA: dict[Known, float] = {"measured": 0.01, "maker": 0.03, "estimated": 0.12}
_MASS_SIGMA_FROM_CELLS = 0.04
#: A measured capacity outside these shares of the label is a slip of the pen, not a pack [1].
_LEAST_OF_LABEL, _MOST_OF_LABEL = 0.2, 1.5


class Pack(Entity):
    """One battery pack.

    ``parallel_harness``: flown as two packs that meet in a harness, each through a plug of its own.
    ``capacity_ah`` is the whole pack's as labelled; ``cell_resistance_ohm`` is one cell's ohmic
    resistance at 25 °C and mid-charge (a one-second, two-current test).  ``None`` means: estimate it.
    ``second_plug``: an adapter or arming plug between the pack's own plug and the craft.  ``tests``
    replace label and estimate where there are any.
    """

    name: Name
    chemistry: ChemistryKey
    series: Annotated[int, Field(ge=1, le=24)]
    parallel: Annotated[int, Field(ge=1, le=24)] = 1
    capacity_ah: Annotated[float, Field(ge=0.02, le=200)]
    capacity_known: Known = "maker"
    label_c: Annotated[float, Field(ge=0.1, le=300)] | None = None
    ratings: Ratings | None = None
    mass_kg: Annotated[float, Field(ge=0.0005, le=HEAVIEST_PACK_KG)] | None = None
    mass_known: Known = "measured"
    cell_resistance_ohm: Annotated[float, Field(ge=1e-9, le=2)] | None = None
    resistance_known: Known = "measured"
    quality: Quality = "ordinary"
    cell_name: Name | None = None
    cell_size: CellSize | None = None
    cell_mass_kg: Annotated[float, Field(ge=0.0005, le=5)] | None = None
    arrangement: Arrangement = "rows"
    link_ohm: Annotated[float, Field(ge=0, le=0.05)] | None = None
    connector: ConnectorKey = "large_60a"
    second_plug: ConnectorKey | None = None
    parallel_harness: bool = False
    lead_length_m: Annotated[float, Field(ge=0, le=3)] = 0.10
    lead_area_mm2: Annotated[float, Field(ge=0.05, le=50)] = 3.3
    cycles: Annotated[int, Field(ge=0, le=3000)] = 0
    tests: PackTests = PackTests()

    @model_validator(mode="after")
    def _believable(self) -> Pack:
        if self.mass_kg is not None:
            watt_hours = self.capacity_ah * self.series * CHEMISTRIES[self.chemistry].nominal_v
            density = watt_hours / self.mass_kg
            if density > MOST_WH_PER_KG:
                raise refused(
                    f"{watt_hours:.3g} Wh in {self.mass_kg * 1000:.3g} g would be {density:,.0f} Wh a kilogram, "
                    "which no cell holds: check weight, cells and capacity.",
                    field="mass_kg",
                )
        try:
            check_arrangement(arrangement=self.arrangement, series=self.series, parallel=self.parallel)
        except LayoutError as error:
            raise refused(str(error), field="arrangement") from error
        return self

    @model_validator(mode="after")
    def _tests_belong_to_it(self) -> Pack:
        charger, capacity = self.tests.charger, self.tests.capacity
        if charger is not None and len(charger.cells_ohm) != self.series:
            raise refused(
                f"That is the reading of {len(charger.cells_ohm)} cells; this pack has {self.series} in series.",
                field="tests.charger.cells_ohm",
            )
        if capacity is None:
            return self
        chemistry = CHEMISTRIES[self.chemistry]
        share = share_covered(test=capacity, chemistry=chemistry)
        if share < LEAST_SHARE_FOR_CAPACITY:
            raise refused(
                f"From full to that rest voltage is only {100 * share:.0f} % of the charge: too little to tell the "
                f"capacity. Fly or discharge at least {100 * LEAST_SHARE_FOR_CAPACITY:.0f} %.",
                field="tests.capacity.rest_v_per_cell",
            )
        measured_ah = measured_capacity_ah(test=capacity, chemistry=chemistry)
        if not _LEAST_OF_LABEL <= measured_ah / self.capacity_ah <= _MOST_OF_LABEL:
            raise refused(
                f"That would be {1000 * measured_ah:.0f} mAh in a pack labelled {1000 * self.capacity_ah:.0f} mAh: "
                "check the reading, or whether the charge was for one pack of several.",
                field="tests.capacity.charge_ah",
            )
        return self

    @property
    def cell_count(self) -> int:
        """Number of cells, series × parallel [1]."""
        return self.series * self.parallel


class PackFigures(NamedTuple):
    """What follows from a pack, all at 25 °C and mid-charge.

    Attributes
    ----------
    capacity_ah : float
        Charge expected in the whole pack [Ah], after label optimism and age.
    capacity_sigma, resistance_sigma, mass_sigma : float
        One standard deviation, relative [1].
    label_share : float or None
        Measured over labelled capacity [1]; None where nothing was measured.
    cell_resistance_ohm : float
        One cell [Ω], after age.
    resistance_source : ResistanceSource or None
        The test it comes from.
    cell_spread : float
        Weakest cell over the mean, less one [1].
    weak_capacity, weak_resistance : float
        Of the weakest cell, over those of the mean one [1].
    cells_ohm, links_ohm, leads_ohm, connector_ohm, adapter_ohm, resistance_ohm : float
        The pack's parts and their sum [Ω]; the adapter is a parallel harness or a second plug.
    mass_kg, cell_mass_kg : float
        Whole pack, and one cell without leads and plug [kg].
    mass_known, resistance_known, capacity_known : Known
    size : Size
        Without leads [m].
    size_known : Known
    nominal_wh : float
        Energy on the label: labelled capacity at nominal voltage [Wh].
    charge_1c_a : float
        Charge current at 1C of the labelled capacity [A].
    full_v, nominal_v, storage_v, empty_v, floor_v : float
        Whole pack [V]; "empty" is the rest voltage at no charge.
    ratings : Ratings or None
        As given, or the label's C taken as continuous with no burst above it.
    ratings_known : Known
    """

    capacity_ah: float
    capacity_sigma: float
    capacity_known: Known
    label_share: float | None
    cell_resistance_ohm: float
    resistance_sigma: float
    resistance_known: Known
    resistance_source: ResistanceSource | None
    cell_spread: float
    weak_capacity: float
    weak_resistance: float
    cells_ohm: float
    links_ohm: float
    leads_ohm: float
    connector_ohm: float
    adapter_ohm: float
    resistance_ohm: float
    mass_kg: float
    mass_known: Known
    mass_sigma: float
    cell_mass_kg: float
    size: Size
    size_known: Known
    nominal_wh: float
    charge_1c_a: float
    full_v: float
    nominal_v: float
    storage_v: float
    empty_v: float
    floor_v: float
    ratings: Ratings | None
    ratings_known: Known

    def external_ohm(self) -> float:
        """Links, leads, plug and adapter together [Ω]: all that is not cell."""
        return self.links_ohm + self.leads_ohm + self.connector_ohm + self.adapter_ohm


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
    plugs = (3 if pack.parallel_harness else 1) * CONNECTORS[pack.connector].mass_kg
    if pack.second_plug is not None:
        plugs += CONNECTORS[pack.second_plug].mass_kg
    return 1.6 * copper + plugs  # insulation adds about 60 %


def _adapter_ohm(pack: Pack) -> float:
    """A parallel harness is two further plugs, one for each pack, side by side; a second plug is in series."""
    harness = 0.5 * CONNECTORS[pack.connector].contact_ohm if pack.parallel_harness else 0.0
    second = 0.0 if pack.second_plug is None else CONNECTORS[pack.second_plug].contact_ohm
    return harness + second


def _form(pack: Pack, chemistry: Chemistry) -> CellForm:
    return chemistry.cell_form if pack.cell_size is None else pack.cell_size.form


def _links_ohm(pack: Pack, chemistry: Chemistry) -> float:
    """S − 1 series links, each P strips side by side."""
    one_ohm = LINK_OHM[_form(pack, chemistry)] if pack.link_ohm is None else pack.link_ohm
    return (pack.series - 1) * one_ohm / pack.parallel


def _capacity(pack: Pack, chemistry: Chemistry) -> tuple[float, float, Known]:
    """Capacity [Ah], its relative sigma, and how it is known: tested, measured, or from the label."""
    if pack.tests.capacity is not None:
        return measured_capacity_ah(test=pack.tests.capacity, chemistry=chemistry), 0.02, "measured"
    if pack.capacity_known == "measured":
        return pack.capacity_ah, 0.02, "measured"
    label_ah = pack.capacity_ah * chemistry.label_capacity_share * capacity_factor(cycles=pack.cycles)
    small_ones = pack.capacity_ah / pack.parallel < SMALL_CELL_AH
    sigma = chemistry.small_label_sigma if small_ones else chemistry.label_capacity_sigma
    return label_ah, sigma, pack.capacity_known


#: Cells smaller than this are small [Ah]: their labels are further from the truth where a chemistry says so.
SMALL_CELL_AH = 1.0
#: A label's C says something about resistance, less than it claims: R·C goes with (45/C) to this power, so that
#: 25C and 75C are not the same cell, within these bounds [1].  Only where the pilot says nothing better of the
#: quality.
_LABEL_EXPONENT, _USUAL_LABEL_C, _LABEL_LEAST, _LABEL_MOST = 0.35, 45.0, 0.65, 1.30


def label_resistance_factor(*, label_c: float | None, quality: Quality) -> float:
    """What a label's C says of an ordinary pouch's resistance, as a multiple of the usual one [1]."""
    if label_c is None or quality != "ordinary":
        return 1.0
    return min(max(math.pow(_USUAL_LABEL_C / label_c, _LABEL_EXPONENT), _LABEL_LEAST), _LABEL_MOST)


#: How cells of one pack differ when new, one standard deviation of capacity and of resistance, and by how much more
#: for each cycle, as a share of that [1].
CELLS_CAPACITY, CELLS_RESISTANCE, CELLS_APART_PER_CYCLE = 0.012, 0.05, 0.01


@cache
def _expected_least(draws: int) -> float:
    return NormalDist().inv_cdf((draws - 0.375) / (draws + 0.25))


def weakest_cell(*, series: int, parallel: int, cycles: int, measured_spread: float) -> tuple[float, float]:
    """Capacity and resistance of the weakest of a pack's cells in series, over those of the mean cell [1].

    The expected least of S normal draws (Blom, *Statistical Estimates and Transformed Beta-Variables*, 1958),
    each of P cells together; the two are taken to be the same cell.

    Parameters
    ----------
    series, parallel, cycles : int
        [1].
    measured_spread : float
        Weakest cell's resistance over the mean, less one, as a charger read it; 0 where none did [1].
    """
    if series == 1:
        return 1.0, 1.0
    away = _expected_least(series) / math.sqrt(parallel)
    wider = 1.0 + CELLS_APART_PER_CYCLE * cycles
    resistance = max(CELLS_RESISTANCE * wider * away, measured_spread)
    return max(1.0 - CELLS_CAPACITY * wider * away, 0.5), 1.0 + resistance


#: One standard deviation of a cell's resistance, relative, by how it is known [1].
RESISTANCE_SIGMA: dict[Known, float] = {"measured": 0.08, "maker": 0.18, "estimated": 0.28}


def _cell_resistance(
    pack: Pack, chemistry: Chemistry, outside_ohm: float
) -> tuple[float, float, Known, ResistanceSource | None, float]:
    """One cell's resistance [Ω], its sigma, how it is known, the test it comes from, the spread of the cells."""
    tested = measured_resistance(
        tests=pack.tests,
        chemistry=chemistry,
        series=pack.series,
        parallel=pack.parallel,
        outside_ohm=outside_ohm,
    )
    if tested is not None:
        return tested.cell_ohm, tested.sigma, "measured", tested.source, tested.spread
    if pack.cell_resistance_ohm is not None:
        known = pack.resistance_known
        aged = 1.0 if known == "measured" else resistance_factor(cycles=pack.cycles)
        return pack.cell_resistance_ohm * aged, RESISTANCE_SIGMA[known], known, None, 0.0
    cell_capacity_ah = pack.capacity_ah / pack.parallel
    cell_ohm = chemistry.resistance_capacity_ohm_ah[pack.quality] / cell_capacity_ah
    if chemistry.cell_form == "pouch":
        cell_ohm *= label_resistance_factor(label_c=pack.label_c, quality=pack.quality)
    return cell_ohm * resistance_factor(cycles=pack.cycles), RESISTANCE_SIGMA["estimated"], "estimated", None, 0.0


def _mass(pack: Pack, chemistry: Chemistry, nominal_wh: float, leads_kg: float) -> tuple[float, Known, float]:
    """Mass [kg], how it is known, and its relative sigma: weighed, the maker's, from cells, from energy."""
    if pack.mass_kg is not None:
        return pack.mass_kg, pack.mass_known, MASS_SIGMA[pack.mass_known]
    balance_kg = _BALANCE_PIN_KG * (pack.series + 1) if pack.series > 1 else 0.0
    if pack.cell_mass_kg is not None:
        links_kg = (pack.series - 1) * pack.parallel * _LINK_KG[_form(pack, chemistry)]
        cells_kg = pack.cell_count * pack.cell_mass_kg * (1.0 + _WRAP_SHARE)
        return cells_kg + links_kg + leads_kg + balance_kg, "estimated", _MASS_SIGMA_FROM_CELLS
    fixed_kg = _POUCH_FIXED_KG * pack.cell_count if _form(pack, chemistry) == "pouch" else 0.0
    cells_kg = nominal_wh / chemistry.energy_density_wh_kg + fixed_kg
    return cells_kg + leads_kg + balance_kg, "estimated", MASS_SIGMA["estimated"]


def _size(pack: Pack, chemistry: Chemistry, cell_mass_kg: float) -> Size:
    if pack.cell_size is not None:
        return pack_size(
            cell=pack.cell_size, series=pack.series, parallel=pack.parallel, arrangement=pack.arrangement
        )
    return estimated_pack_size(
        chemistry=chemistry,
        cell_mass_kg=cell_mass_kg,
        series=pack.series,
        parallel=pack.parallel,
        arrangement=pack.arrangement,
    )


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
    R = S·R_cell/P + links + leads + plugs (PHYSICS 2).  A figure that was measured is taken as it
    is; age (cycles) acts only on estimates and on the maker's figures.
    """
    chemistry = chemistry_for(pack.chemistry)
    capacity_ah, capacity_sigma, capacity_known = _capacity(pack, chemistry)
    leads_ohm = lead_resistance_ohm(length_m=pack.lead_length_m, area_mm2=pack.lead_area_mm2)
    connector_ohm = CONNECTORS[pack.connector].contact_ohm
    adapter_ohm, links_ohm = _adapter_ohm(pack), _links_ohm(pack, chemistry)
    outside_ohm = links_ohm + leads_ohm + connector_ohm + adapter_ohm
    cell_ohm, resistance_sigma, resistance_known, source, spread = _cell_resistance(pack, chemistry, outside_ohm)
    weak_capacity, weak_resistance = weakest_cell(
        series=pack.series, parallel=pack.parallel, cycles=pack.cycles, measured_spread=spread
    )
    cells_ohm = pack.series * cell_ohm / pack.parallel
    nominal_wh = pack.capacity_ah * pack.series * chemistry.nominal_v
    leads_kg = _leads_mass_kg(pack)
    mass_kg, mass_known, mass_sigma = _mass(pack, chemistry, nominal_wh, leads_kg)
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
        capacity_known=capacity_known,
        label_share=capacity_ah / pack.capacity_ah if pack.tests.capacity is not None else None,
        cell_resistance_ohm=cell_ohm,
        resistance_sigma=resistance_sigma,
        resistance_known=resistance_known,
        resistance_source=source,
        cell_spread=spread,
        weak_capacity=weak_capacity,
        weak_resistance=weak_resistance,
        cells_ohm=cells_ohm,
        links_ohm=links_ohm,
        leads_ohm=leads_ohm,
        connector_ohm=connector_ohm,
        adapter_ohm=adapter_ohm,
        resistance_ohm=cells_ohm + outside_ohm,
        mass_kg=mass_kg,
        mass_known=mass_known,
        mass_sigma=mass_sigma,
        cell_mass_kg=cell_mass_kg,
        size=_size(pack, chemistry, cell_mass_kg),
        size_known="estimated" if pack.cell_size is None else "maker",
        nominal_wh=nominal_wh,
        charge_1c_a=pack.capacity_ah,
        full_v=chemistry.full_v * pack.series,
        nominal_v=chemistry.nominal_v * pack.series,
        storage_v=chemistry.storage_v * pack.series,
        empty_v=chemistry.ocv_v[0] * pack.series,
        floor_v=chemistry.hard_floor_v * pack.series,
        ratings=ratings,
        ratings_known=ratings_known,
    )


def cell_size_of(pack: Pack) -> CellSize:
    """Size of the pack's cells [m]: as given, else estimated from their mass."""
    if pack.cell_size is not None:
        return pack.cell_size
    return estimated_cell_size(
        chemistry=chemistry_for(pack.chemistry), cell_mass_kg=pack_figures(pack).cell_mass_kg
    )


_AROUND_THE_CELLS = (
    "connector",
    "second_plug",
    "parallel_harness",
    "lead_length_m",
    "lead_area_mm2",
    "link_ohm",
    "cycles",
)


def said_by_cells(*, cell: CellModel, parallel: int) -> dict[str, object]:
    """Fields of a pack that follow from its cells: capacity [Ah], resistance [Ω], tiers [A], size [m], mass [kg].

    Raises
    ------
    OutOfRangeError
        When the cell's capacity is not known.
    """
    if cell.capacity_ah is None:
        raise OutOfRangeError(
            f"“{cell.name}” has no capacity yet: give it on the shelf before building from it.",
            field="cell",
            value=0.0,
            limit=0.02,
        )
    return {
        "chemistry": cell.chemistry,
        "capacity_ah": cell.capacity_ah * parallel,
        "label_c": None,
        "ratings": None if cell.ratings is None else cell.ratings.times(parallel),
        "cell_resistance_ohm": cell.resistance_ohm,
        "resistance_known": cell.resistance_known,
        "quality": cell.quality,
        "cell_name": cell.name,
        "cell_size": cell.size,
        "cell_mass_kg": cell.mass_kg,
    }


def pack_of_cells(
    *, cell: CellModel, name: str, series: int, parallel: int, arrangement: Arrangement, pack: Pack | None = None
) -> Pack:
    """A pack built from cells of the shelf: capacity [Ah], resistance [Ω] and tiers [A] follow from the cell.

    Parameters
    ----------
    pack : Pack, optional
        Taken for what is around the cells: leads, plugs, links, age.

    Raises
    ------
    OutOfRangeError
        When the cell's capacity is not known.
    LayoutError
        When the cells do not fit the arrangement.
    """
    check_arrangement(arrangement=arrangement, series=series, parallel=parallel)
    around: dict[str, object] = {} if pack is None else {k: getattr(pack, k) for k in _AROUND_THE_CELLS}
    shape = {"name": name, "series": series, "parallel": parallel, "arrangement": arrangement}
    return Pack.model_validate(around | said_by_cells(cell=cell, parallel=parallel) | shape)


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


#: A cell's minute and its ten seconds over what it gives as long as it lasts, where only that is known [1].
_MINUTE_OVER, _TEN_SECONDS_OVER = 1.3, 1.6


def estimated_tiers(
    *, continuous_a: float, one_minute_a: float | None = None, ten_second_a: float | None = None
) -> dict[str, float]:
    """All three rating tiers from the continuous one [A]; those that are given stay.

    A minute at 1.3 times the continuous current heats a cell as far as twice as long at once; ten seconds at 1.6
    times are what makers commonly print beside it.
    """
    minute = _MINUTE_OVER * continuous_a if one_minute_a is None else one_minute_a
    if one_minute_a is None and ten_second_a is not None:
        minute = min(minute, ten_second_a)
    ten = max(_TEN_SECONDS_OVER * continuous_a, minute) if ten_second_a is None else ten_second_a
    return {"continuous_a": continuous_a, "one_minute_a": round(minute, 3), "ten_second_a": round(ten, 3)}
