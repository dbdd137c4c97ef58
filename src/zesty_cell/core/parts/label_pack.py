"""From a label to a pack: what its figures say of each other, and what is usual where it says nothing.

A label rarely says all: cells follow from volts, a round cell from its size, the chemistry from volts a cell; leads
and plug from the currents such packs are made for.  Each of these is *assumed*, and named as such.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final, Literal, get_args

from zesty_cell.core.fact import Fact, fact
from zesty_cell.core.parts.cell import CellSize
from zesty_cell.core.parts.chemistries import CHEMISTRIES
from zesty_cell.core.parts.chemistry import ChemistryKey, Quality
from zesty_cell.core.parts.connectors import CONNECTORS, ConnectorKey
from zesty_cell.core.parts.label import MOST_TROUBLES, ROUND_CELLS, Label
from zesty_cell.core.parts.pack import HEAVIEST_PACK_KG, MOST_WH_PER_KG, Pack, estimated_tiers
from zesty_cell.core.parts.pack_figures import SMALL_CELL_AH

Assumed = Literal["series", "chemistry", "capacity_ah", "plug"]

#: What is printed as a chemistry's volts, a cell: its nominal voltages, and that of a full one [V].
_PRINTED_V: Final[tuple[tuple[str, tuple[float, ...]], ...]] = (
    ("lipo", (3.7,)),
    ("lihv", (3.8, 3.85)),
    ("lipo", (4.2,)),
    ("lihv", (4.35,)),
    ("liion", (3.6, 3.7, 3.65, 4.2)),
    ("lifepo4", (3.2, 3.3, 3.6)),
    ("nimh", (1.2, 1.45)),
)
#: A printed voltage is rounded to a tenth: it may be out by so much, or by this share of it [V, 1].
_ROUNDED_V, _ROUNDED_SHARE = 0.051, 0.004
#: No pack's printed energy differs more from its cells' nominal volts times its charge [1].
_ENERGY_APART = 0.15
#: No pack of cells for flying holds less [Wh/kg]: what says so has its weight wrong.
_LEAST_WH_PER_KG = 18.0
#: What one round cell may hold, by its size [Ah]: tells a cell's capacity from a whole pack's.
_ONE_CELL_AH: Final[dict[str, tuple[float, float]]] = {
    "10440": (0.15, 0.45),
    "14500": (0.4, 1.3),
    "16340": (0.3, 1.1),
    "18350": (0.5, 1.5),
    "18500": (0.8, 2.4),
    "18650": (0.9, 4.2),
    "20700": (2.0, 4.6),
    "21700": (2.0, 6.5),
    "26650": (2.0, 6.5),
    "32700": (3.5, 8.0),
}
#: From this on a cell gives so much for its size that it is made for energy, unless its current says otherwise
#: [Ah over volume in cm³], and a current from which it is made for power [1/h].
_ENERGY_AH_CM3, _POWER_RATE = 0.185, 4.5


@dataclass(frozen=True)
class LabelledPack:
    """A pack made of a label.

    Attributes
    ----------
    pack : Pack
    assumed : frozenset of Assumed
        What the label does not say.
    each_cell : bool
        Its capacity and current were read as one cell's.
    troubles : tuple of Fact
        The line's own, and where its figures contradict each other.
    """

    pack: Pack
    assumed: frozenset[Assumed]
    each_cell: bool
    troubles: tuple[Fact, ...]


def _family(chemistry: str) -> str:
    return "liion" if chemistry in ("liion_energy", "liion_power") else chemistry


def _cells_by_volts(label: Label, family: str | None) -> tuple[str, int] | None:
    """Chemistry and cells in series that a printed voltage stands for; None where it stands for none."""
    volts = label.pack_v
    if volts is None:
        return None
    known = [(f, v) for f, each in _PRINTED_V for v in each if family is None or _family(family) == f]
    for found, each_v in known:
        # One cell's volts beside a count of cells: “4S, 4.35 V”.
        if label.series is not None and label.series > 1 and abs(volts - each_v) < 0.005:
            return found, label.series
        series = label.series if label.series is not None else max(round(volts / each_v), 1)
        if series <= 24 and abs(volts - series * each_v) <= max(_ROUNDED_V, _ROUNDED_SHARE * volts):
            return found, series
    return None


def _round_family(label: Label, troubles: list[Fact]) -> str | None:
    if label.round_cell is not None and label.chemistry in ("lipo", "lihv"):
        troubles.append(fact("label.round_pouch", size=label.round_cell))
        return "liion"
    return label.chemistry


def _chemistry(label: Label, family: str, cell_ah: float) -> ChemistryKey:
    """The chemistry of a family; lithium-ion by what one cell gives."""
    if family != "liion":
        return family  # type: ignore[return-value]
    rate = 0.0
    if label.label_c is not None:
        rate = label.label_c
    elif label.rating_a is not None:
        rate = label.rating_a / cell_ah / (1 if label.round_cell else label.parallel or 1)
    if rate > 0.0:
        return "liion_power" if rate >= _POWER_RATE else "liion_energy"
    if label.round_cell is None:
        return "liion_energy"
    diameter_mm, length_mm = ROUND_CELLS[label.round_cell]
    volume_cm3 = 0.25 * 3.1416 * diameter_mm**2 * length_mm / 1000.0
    return "liion_energy" if cell_ah / volume_cm3 >= _ENERGY_AH_CM3 else "liion_power"


#: Plug and leads such packs come with: up to so much of what their cells can be asked for [A], the plug, the copper
#: [mm²], and the length of the leads [m].
_USUAL_LEADS: Final[tuple[tuple[float, ConnectorKey, float, float], ...]] = (
    (15.0, "small_15a", 0.8, 0.05),
    (30.0, "medium_30a", 1.3, 0.06),
    (110.0, "large_60a", 3.3, 0.08),
    (220.0, "heavy_90a", 5.3, 0.10),
    (float("inf"), "bullet_150a", 8.4, 0.12),
)
#: What a pack is usually asked for at most, for its plug and leads [1/h]: pouches, round cells.
_ASKED_POUCH, _ASKED_ROUND = 40.0, 8.0


def usual_leads(*, chemistry: ChemistryKey, series: int, capacity_ah: float) -> tuple[ConnectorKey, float, float]:
    """Plug, copper [mm²] and length of leads [m] that a pack of this size usually has."""
    if series == 1 and capacity_ah < SMALL_CELL_AH:
        return "micro_1s_low", 0.3, 0.03
    pouch = CHEMISTRIES[chemistry].cell_form == "pouch"
    asked_a = capacity_ah * (_ASKED_POUCH if pouch else _ASKED_ROUND)
    return next((plug, copper, long) for most_a, plug, copper, long in _USUAL_LEADS if asked_a <= most_a)


def plug_for(amps: float, /) -> ConnectorKey:
    """The class of plug that is named by so many amps [A]: the nearest one."""
    big: list[ConnectorKey] = [key for key in get_args(ConnectorKey) if not key.startswith("micro")]
    return min(big, key=lambda key: abs(CONNECTORS[key].rating_a - amps))


def pack_of_label(label: Label, /, *, usual: Pack) -> LabelledPack:
    """The pack that a label means.

    Parameters
    ----------
    label : Label
        As read, with what a pilot corrected in it.
    usual : Pack
        Of the craft it is for: gives cells and charge where the label says nothing of them.
    """
    troubles, assumed = list(label.troubles), set[Assumed]()
    family = _round_family(label, troubles)
    by_volts = _cells_by_volts(label, family)
    if label.pack_v is not None and by_volts is None:
        troubles.append(_why_not_volts(label))
    if family is None:
        assumed.add("chemistry")
        family = _likely_family(label, by_volts, usual)
        if by_volts is not None and by_volts[0] != "lipo":
            assumed.discard("chemistry")
    series = label.series or (by_volts[1] if by_volts else None)
    if series is None:
        assumed.add("series")
        series = usual.series
    parallel = label.parallel or 1
    nominal_v = CHEMISTRIES[_chemistry(label, family, 1.0)].nominal_v * series
    capacity_ah, each_cell = _capacity_ah(label, parallel, nominal_v, troubles)
    if capacity_ah is None:
        assumed.add("capacity_ah")
        usual_wh = usual.capacity_ah * usual.series * CHEMISTRIES[usual.chemistry].nominal_v
        capacity_ah = float(f"{min(max(usual_wh / nominal_v, 0.02), 200.0):.2g}")
    chemistry = _chemistry(label, family, capacity_ah / parallel)
    if label.plug_a is None:
        assumed.add("plug")
    pack = Pack.model_validate(
        _around(label, chemistry, series, capacity_ah)
        | {
            "name": "Pack",
            "chemistry": chemistry,
            "series": series,
            "parallel": parallel,
            "capacity_ah": capacity_ah,
            "label_c": label.label_c,
            "quality": _quality(chemistry, series, capacity_ah),
            "ratings": _ratings(label, capacity_ah, parallel if each_cell else 1),
            "mass_kg": _mass_kg(label, capacity_ah * nominal_v, troubles),
            "mass_known": "maker",
            "cell_resistance_ohm": label.cell_resistance_ohm,
            "resistance_known": "maker",
            "cell_size": _cell_size(label),
        }
    )
    return LabelledPack(pack, frozenset(assumed), each_cell, tuple(troubles[:MOST_TROUBLES]))


def _likely_family(label: Label, by_volts: tuple[str, int] | None, usual: Pack) -> str:
    """A chemistry that is not said: by the cell's size, else by the volts, else what such craft fly."""
    if label.round_cell is not None:
        return "lifepo4" if by_volts is not None and by_volts[0] == "lifepo4" else "liion"
    if by_volts is not None:
        return by_volts[0]
    if label.says_nothing():
        return _family(usual.chemistry)
    return "lihv" if usual.chemistry == "lihv" and label.series in (None, 1) else "lipo"


def _why_not_volts(label: Label) -> Fact:
    if label.series is not None:
        return fact("label.volts_and_cells", series=label.series, pack_v=label.pack_v)
    return fact("label.volts_unknown", pack_v=label.pack_v)


def _capacity_ah(label: Label, parallel: int, nominal_v: float, troubles: list[Fact]) -> tuple[float | None, bool]:
    """Charge of the whole pack [Ah], None where nothing says it, and whether one cell's was given."""
    said_ah, each_cell = label.capacity_ah, False
    if said_ah is not None and label.round_cell is not None:
        least, most = _ONE_CELL_AH[label.round_cell]
        each_cell = parallel > 1 and least <= said_ah <= most
        if not each_cell and said_ah > most * parallel:
            troubles.append(fact("label.too_much_for_cell", size=label.round_cell, capacity_ah=said_ah))
    whole_ah = None if said_ah is None else said_ah * (parallel if each_cell else 1)
    if label.energy_wh is not None:
        by_energy = label.energy_wh / nominal_v
        if whole_ah is None:
            return min(max(float(f"{by_energy:.3g}"), 0.02), 200.0), False
        if abs(by_energy / whole_ah - 1.0) > _ENERGY_APART:
            troubles.append(fact("label.energy_apart", energy_wh=label.energy_wh, reckoned_wh=whole_ah * nominal_v))
    return (None if whole_ah is None else min(whole_ah, 200.0)), each_cell


def _ratings(label: Label, capacity_ah: float, cells: int) -> dict[str, float] | None:
    """Rating tiers of the whole pack [A], where the label says more than one rate."""
    if label.rating_a is not None:
        return estimated_tiers(continuous_a=min(label.rating_a * cells, 1250.0))
    if label.label_c is None or label.burst_c is None:
        return None
    steady_a = min(label.label_c * capacity_ah, 2000.0)
    burst_a = min(max(label.burst_c * capacity_ah, steady_a), 2000.0)
    return {"continuous_a": steady_a, "one_minute_a": steady_a, "ten_second_a": burst_a}


def _mass_kg(label: Label, energy_wh: float, troubles: list[Fact]) -> float | None:
    if label.mass_kg is None:
        return None
    if not _LEAST_WH_PER_KG <= energy_wh / label.mass_kg <= MOST_WH_PER_KG or label.mass_kg > HEAVIEST_PACK_KG:
        troubles.append(fact("label.weight", mass_kg=label.mass_kg, energy_wh=energy_wh))
        return None
    return label.mass_kg


def _quality(chemistry: ChemistryKey, series: int, capacity_ah: float) -> Quality:
    """Pouches that small are made to another measure; everything else is ordinary until somebody knows better."""
    tiny = CHEMISTRIES[chemistry].cell_form == "pouch" and series == 1 and capacity_ah < SMALL_CELL_AH
    return "micro" if tiny else "ordinary"


def _around(label: Label, chemistry: ChemistryKey, series: int, capacity_ah: float) -> dict[str, object]:
    plug, copper_mm2, length_m = usual_leads(chemistry=chemistry, series=series, capacity_ah=capacity_ah)
    if label.plug_a is not None:
        plug = plug_for(label.plug_a)
    return {"connector": plug, "lead_area_mm2": copper_mm2, "lead_length_m": length_m}


def _cell_size(label: Label) -> CellSize | None:
    if label.round_cell is None:
        return None
    diameter_mm, length_mm = ROUND_CELLS[label.round_cell]
    return CellSize(form="round", length_m=length_mm / 1000.0, width_m=diameter_mm / 1000.0)
