"""What follows from a pack without flying it: capacity, resistance, mass, size, ratings."""

from __future__ import annotations

import math
from typing import NamedTuple

from zesty_cell.core.parts.cell import CellForm, CellSize, Known, Ratings
from zesty_cell.core.parts.chemistry import Chemistry, Quality
from zesty_cell.core.parts.connectors import CONNECTORS
from zesty_cell.core.parts.estimates import Cooling
from zesty_cell.core.parts.layout import (
    Size,
    estimated_cell_size,
    estimated_pack_size,
    pack_size,
)
from zesty_cell.core.parts.measured import (
    ResistanceSource,
    measured_capacity_ah,
    measured_resistance,
)
from zesty_cell.core.parts.pack import Pack, cells_of
from zesty_cell.core.parts.weakest_cell import weakest_cell

#: What carriers commonly allow in the cabin without asking, and with asking [Wh].
CABIN_WH, CABIN_ASKED_WH = 100.0, 160.0

#: Resistance of copper wire by cross-section at 25 °C [Ω·m] (CODATA-era handbook value).
_COPPER_OHM_M = 1.75e-8


_COPPER_DENSITY_KG_M3 = 8960.0


#: One series link between two neighbouring cells, both welds in [Ω]: a double nickel strip on round
#: cells, soldered tabs on pouches.  Docs/physics.md, "Pack".
LINK_OHM: dict[CellForm, float] = {"round": 0.0005, "pouch": 0.0001}


#: A 90 % interval reaches this many standard deviations to each side [1].
Z90 = 1.645


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
    """Capacity [Ah], its relative sigma, and how it is known: by runs, tested, measured, or from the label."""
    if pack.curve is not None and (told := pack.curve.capacity_ah) is not None:
        return told.value, told.reach / Z90, "measured"
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


#: One standard deviation of a cell's resistance, relative, by how it is known [1].
RESISTANCE_SIGMA: dict[Known, float] = {"measured": 0.08, "maker": 0.18, "estimated": 0.28}


def _cell_resistance(
    pack: Pack, chemistry: Chemistry, outside_ohm: float
) -> tuple[float, float, Known, ResistanceSource | None, float]:
    """One cell's resistance [Ω], its sigma, how it is known, the test it comes from, the spread of the cells."""
    if pack.curve is not None and (told := pack.curve.cell_ohm) is not None:
        charger = pack.tests.charger
        spread = 0.0 if charger is None else max(charger.cells_ohm) * pack.series / sum(charger.cells_ohm) - 1.0
        return told.value, told.reach / Z90, "measured", "discharge runs", spread
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


def _whole_was_measured(pack: Pack) -> bool:
    by_runs = pack.curve is not None and pack.curve.capacity_ah is not None
    return by_runs or pack.tests.capacity is not None


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


def _ratings(pack: Pack) -> tuple[Ratings | None, Known]:
    """What the pack may give: as tested or printed by tiers, else its label's C for as long as it lasts."""
    if pack.ratings is not None or pack.label_c is None:
        return pack.ratings, "measured"
    label_a = min(pack.label_c * pack.capacity_ah, 2000.0)
    return Ratings(continuous_a=label_a, one_minute_a=label_a, ten_second_a=label_a), "maker"


def pack_figures(pack: Pack) -> PackFigures:
    """Everything that follows from a pack without flying it.

    R = S·R_cell/P + links + leads + plugs (PHYSICS 2).  A figure that was measured is taken as it
    is; age (cycles) acts only on estimates and on the maker's figures.
    """
    chemistry = cells_of(pack)
    capacity_ah, capacity_sigma, capacity_known = _capacity(pack, chemistry)
    usual_leads_ohm = lead_resistance_ohm(length_m=pack.lead_length_m, area_mm2=pack.lead_area_mm2)
    leads_ohm = usual_leads_ohm if pack.lead is None else pack.lead.ohm
    connector_ohm = CONNECTORS[pack.connector].contact_ohm if pack.plug is None else pack.plug.ohm
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
    ratings, ratings_known = _ratings(pack)
    return PackFigures(
        capacity_ah=capacity_ah,
        capacity_sigma=capacity_sigma,
        capacity_known=capacity_known,
        label_share=capacity_ah / pack.capacity_ah if _whole_was_measured(pack) else None,
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
        full_v=round(chemistry.full_v * pack.series, 9),
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
    return estimated_cell_size(chemistry=cells_of(pack), cell_mass_kg=pack_figures(pack).cell_mass_kg)


#: Heat passed to the air per area [W/(m²·K)]: see docs/physics.md, "Heat".
COOLING_W_M2_K: dict[Cooling, float] = {"enclosed": 7.0, "still air": 11.0, "airflow": 28.0}


def cell_cooling_w_k(*, mass_kg: float, chemistry: Chemistry, cell_count: int, cooling: Cooling) -> float:
    """Heat one cell of a pack passes to the air per kelvin [W/K].

    The pack is taken as a brick of the cells' density with sides 1 : 1.3 : 3 (area 7.0·volume^⅔);
    each cell owns its share of the outside.

    Parameters
    ----------
    mass_kg : float
        Mass of all cells [kg].
    cooling : Cooling
        A key of :data:`COOLING_W_M2_K`.
    """
    volume_m3 = mass_kg / chemistry.density_kg_m3
    area_m2 = 7.0 * math.pow(volume_m3, 2.0 / 3.0)
    return COOLING_W_M2_K[cooling] * area_m2 / cell_count
