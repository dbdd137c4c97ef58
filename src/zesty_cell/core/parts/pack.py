"""The pack: cells in series and parallel, links, leads and plugs, mass, resistance, ratings, age."""

from __future__ import annotations

import math
from typing import Annotated

from pydantic import Field, model_validator

from zesty_cell.core.entity import Entity, Name, refused
from zesty_cell.core.errors import LayoutError, OutOfRangeError
from zesty_cell.core.fact import fact
from zesty_cell.core.parts.cell import CellModel, CellSize, Known, Ratings
from zesty_cell.core.parts.chemistries import CHEMISTRIES, chemistry_for
from zesty_cell.core.parts.chemistry import Chemistry, ChemistryKey, Quality
from zesty_cell.core.parts.connectors import ConnectorKey
from zesty_cell.core.parts.layout import (
    Arrangement,
    check_arrangement,
)
from zesty_cell.core.parts.measured import (
    LEAST_SHARE_FOR_CAPACITY,
    PackTests,
    measured_capacity_ah,
    share_covered,
)
from zesty_cell.core.parts.own_curve import OwnCurve, with_curve
from zesty_cell.core.parts.own_part import OwnPart

#: No cell on sale or in a laboratory comes near this energy density [Wh/kg].
MOST_WH_PER_KG = 700.0

#: No pack may be entered heavier [kg].
HEAVIEST_PACK_KG = 50


#: A measured capacity outside these shares of the label is a slip of the pen, not a pack [1].
_LEAST_OF_LABEL, _MOST_OF_LABEL = 0.2, 1.5


class Pack(Entity):
    """One battery pack.

    ``parallel_harness``: flown as two packs that meet in a harness, each through a plug of its own.
    ``capacity_ah`` is the whole pack's as labelled; ``cell_resistance_ohm`` is one cell's ohmic
    resistance at 25 °C and mid-charge (a one-second, two-current test).  ``None`` means: estimate it.
    ``price`` is in its owner's own money, for so many flights as ``lasts_flights`` says, or as is usual.
    ``second_plug``: an adapter or arming plug between the pack's own plug and the craft.  ``tests``
    replace label and estimate where there are any; ``curve`` is its own, from discharge runs, and goes before both.
    ``plug`` and ``lead`` were measured, and stand for what is usual for their class and size.
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
    price: Annotated[float, Field(ge=0.01, le=1_000_000)] | None = None
    lasts_flights: Annotated[int, Field(ge=1, le=10_000)] | None = None
    tests: PackTests = PackTests()
    curve: OwnCurve | None = None
    plug: OwnPart | None = None
    lead: OwnPart | None = None

    @model_validator(mode="after")
    def _believable(self) -> Pack:
        if self.mass_kg is not None:
            watt_hours = self.capacity_ah * self.series * CHEMISTRIES[self.chemistry].nominal_v
            density = watt_hours / self.mass_kg
            if density > MOST_WH_PER_KG:
                raise refused(
                    fact(
                        "refused.pack.too_dense", energy_wh=watt_hours, mass_kg=self.mass_kg, density_wh_kg=density
                    ),
                    field="mass_kg",
                )
        try:
            check_arrangement(arrangement=self.arrangement, series=self.series, parallel=self.parallel)
        except LayoutError as error:
            raise refused(error.why, field="arrangement") from error
        return self

    @model_validator(mode="after")
    def _tests_belong_to_it(self) -> Pack:
        charger, capacity = self.tests.charger, self.tests.capacity
        if charger is not None and len(charger.cells_ohm) != self.series:
            raise refused(
                fact("refused.pack.other_count", readings=len(charger.cells_ohm), series=self.series),
                field="tests.charger.cells_ohm",
            )
        if capacity is None:
            return self
        chemistry = CHEMISTRIES[self.chemistry]
        share = share_covered(test=capacity, chemistry=chemistry)
        if share < LEAST_SHARE_FOR_CAPACITY:
            raise refused(
                fact("refused.pack.too_small_share", share=share, least_share=LEAST_SHARE_FOR_CAPACITY),
                field="tests.capacity.rest_v_per_cell",
            )
        measured_ah = measured_capacity_ah(test=capacity, chemistry=chemistry)
        if not _LEAST_OF_LABEL <= measured_ah / self.capacity_ah <= _MOST_OF_LABEL:
            raise refused(
                fact("refused.pack.other_capacity", measured_ah=measured_ah, capacity_ah=self.capacity_ah),
                field="tests.capacity.charge_ah",
            )
        return self

    @model_validator(mode="after")
    def _curve_belongs_to_it(self) -> Pack:
        if self.curve is not None and self.curve.chemistry != self.chemistry:
            raise refused(
                fact("refused.curve.other_chemistry", curve=self.curve.chemistry, chemistry=self.chemistry),
                field="curve",
            )
        return self

    def __repr__(self) -> str:
        cells = f"{self.series}S{self.parallel}P" if self.parallel > 1 else f"{self.series}S"
        return f"<Pack “{self.name}”, {cells} {self.chemistry}, {self.capacity_ah:.4g} Ah>"

    @property
    def cell_count(self) -> int:
        """Number of cells, series × parallel [1]."""
        return self.series * self.parallel


def cells_of(pack: Pack, /) -> Chemistry:
    """A pack's chemistry as its own cells have it: with its own curve where it was measured."""
    return chemistry_for(pack.chemistry) if pack.curve is None else with_curve(pack.curve)


def after_tests(pack: Pack, tests: PackTests, /) -> Pack:
    """A pack with other tests; what its runs told of the same figure counts no longer.

    Raises
    ------
    ValueError
        (Pydantic's) for tests that are not of this pack.
    """
    after = pack.model_dump() | {"tests": tests.model_dump(), "curve": None}
    return with_what_was_measured(Pack.model_validate(after), before=pack)


def with_what_was_measured(pack: Pack, /, *, before: Pack) -> Pack:
    """An edited pack with what was measured of it and has no field.

    A plug of another class and leads of another size are not those; of other cells there is no curve, and less of
    it where something was measured anew.
    """
    same_plug = (pack.connector, pack.second_plug) == (before.connector, before.second_plug)
    same_lead = (pack.lead_length_m, pack.lead_area_mm2) == (before.lead_length_m, before.lead_area_mm2)
    parts = {"plug": before.plug if same_plug else None, "lead": before.lead if same_lead else None}
    pack, curve = pack.model_copy(update=parts), before.curve
    if curve is None or (pack.chemistry, pack.series, pack.parallel) != (
        before.chemistry,
        before.series,
        before.parallel,
    ):
        return pack
    same_charge = pack.tests.capacity == before.tests.capacity and _same_charge(pack, before)
    others = {"capacity": None}
    same_ohm = pack.tests.model_copy(update=others) == before.tests.model_copy(update=others)
    same_ohm = same_ohm and _close(pack.cell_resistance_ohm, before.cell_resistance_ohm)
    kept = curve.model_copy(
        update={
            "capacity_ah": curve.capacity_ah if same_charge else None,
            "cell_ohm": curve.cell_ohm if same_ohm else None,
        }
    )
    return pack.model_copy(update={"curve": kept})


def _close(one: float | None, other: float | None) -> bool:
    """Whether a figure is the same, typed again from what a form showed."""
    if one is None or other is None:
        return one is other
    return math.isclose(one, other, rel_tol=1e-3)


def _same_charge(pack: Pack, before: Pack) -> bool:
    return pack.capacity_known == before.capacity_known and _close(pack.capacity_ah, before.capacity_ah)


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
            fact("refused.cell.no_capacity", cell=cell.name),
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
