"""Packs to choose from: a sheet with another pack, and the packs of a search space."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Annotated

import numpy as np
from pydantic import Field, model_validator

from zesty_cell.core.asked.changes import PACK_CHANGES
from zesty_cell.core.asked.landing import LandingRule
from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.entity import Entity, refused
from zesty_cell.core.errors import LayoutError, TooManyCandidatesError
from zesty_cell.core.fact import fact
from zesty_cell.core.parts.cell import CellModel
from zesty_cell.core.parts.chemistries import chemistry_for
from zesty_cell.core.parts.chemistry import Chemistry, ChemistryKey, Quality
from zesty_cell.core.parts.layout import Arrangement, check_arrangement
from zesty_cell.core.parts.pack import Pack, pack_of_cells
from zesty_cell.core.remember import by_identity

#: More than this is asked about before it is run: some seconds of both cores.
MOST_CANDIDATES = 20_000
#: The largest round cell a pilot meets [Ah].
MOST_ROUND_AH = 6.0

CellAmpHours = Annotated[float, Field(ge=0.05, le=50)]
Count = Annotated[int, Field(ge=1, le=24)]


class SearchSpace(Entity):
    """What to try: chemistries by cell capacity, or cells of the shelf, in series, parallel and layouts.

    ``chemistries`` are imagined packs of ``quality`` with cells of ``capacity_steps`` sizes between the two
    capacities; ``cells`` are taken as they are.  Pouches are made in every size, so that two in parallel are one
    larger: they are tried one by one, and no pack comes twice.
    """

    chemistries: Annotated[tuple[ChemistryKey, ...], Field(max_length=6)] = ()
    cells: Annotated[tuple[CellModel, ...], Field(max_length=40)] = ()
    capacity_from_ah: CellAmpHours = 0.5
    capacity_to_ah: CellAmpHours = 5.0
    capacity_steps: Annotated[int, Field(ge=1, le=2000)] = 24
    quality: Quality = "good"
    series_from: Count = 3
    series_to: Count = 6
    parallel_from: Count = 1
    parallel_to: Count = 2
    arrangements: Annotated[tuple[Arrangement, ...], Field(min_length=1, max_length=3)] = ("rows",)

    @model_validator(mode="after")
    def _in_order(self) -> SearchSpace:
        for low, high in (
            ("capacity_from_ah", "capacity_to_ah"),
            ("series_from", "series_to"),
            ("parallel_from", "parallel_to"),
        ):
            if getattr(self, low) > getattr(self, high):
                raise refused(fact("refused.search.ends_swapped"), field=high)
        if not self.chemistries and not self.cells:
            raise refused(fact("refused.search.nothing_chosen"), field="chemistries")
        return self


def _is_pouch(chemistry: ChemistryKey) -> bool:
    return chemistry_for(chemistry).cell_form == "pouch"


def _shapes(space: SearchSpace, *, pouch: bool = False) -> list[tuple[int, int, Arrangement]]:
    """Every series, parallel and arrangement that can be built; of pouches, one in parallel."""
    shapes = []
    in_parallel = range(1, 2) if pouch else range(space.parallel_from, space.parallel_to + 1)
    for series in range(space.series_from, space.series_to + 1):
        for parallel in in_parallel:
            for arrangement in space.arrangements:
                try:
                    check_arrangement(arrangement=arrangement, series=series, parallel=parallel)
                except LayoutError:
                    continue
                shapes.append((series, parallel, arrangement))
    return shapes


def capacities_ah(space: SearchSpace) -> tuple[float, ...]:
    """Cell capacities tried [Ah]: evenly spaced in ratio, rounded as labels are (10 mAh; 50 from 1 Ah)."""
    if space.capacity_steps == 1 or space.capacity_from_ah == space.capacity_to_ah:
        return (space.capacity_from_ah,)
    raw = np.geomspace(space.capacity_from_ah, space.capacity_to_ah, space.capacity_steps)
    step = np.where(raw < 1.0, 0.01, 0.05)
    inner = np.round(raw / step) * step
    ends = (space.capacity_from_ah, *inner[1:-1].tolist(), space.capacity_to_ah)
    return tuple(sorted({round(float(c), 4) for c in ends}))


def capacities_of(space: SearchSpace, *, chemistry: ChemistryKey) -> tuple[float, ...]:
    """Cell capacities tried with a chemistry [Ah]: round cells are not made larger than :data:`MOST_ROUND_AH`."""
    every = capacities_ah(space)
    if _is_pouch(chemistry):
        return every
    return tuple(c for c in every if c <= MOST_ROUND_AH)


def candidate_count(space: SearchSpace) -> int:
    """How many packs a search space holds [1], without making them."""
    sizes = {c: len(capacities_of(space, chemistry=c)) for c in space.chemistries}
    pouches = sum(n for c, n in sizes.items() if _is_pouch(c))
    round_ones = sum(n for c, n in sizes.items() if not _is_pouch(c)) + len(space.cells)
    return pouches * len(_shapes(space, pouch=True)) + round_ones * len(_shapes(space))


def narrowed(space: SearchSpace, *, most: int = MOST_CANDIDATES) -> SearchSpace:
    """The same search made coarser until it holds ``most`` packs or fewer [1].

    First fewer capacities, down to a dozen; then rows only; then fewer in parallel; then in series.
    """

    def fits(s: SearchSpace) -> bool:
        return candidate_count(s) <= most

    while not fits(space):
        if space.capacity_steps > 12 and space.chemistries:
            fewer = max(12, min(space.capacity_steps - 1, space.capacity_steps * most // candidate_count(space)))
            change: dict[str, object] = {"capacity_steps": fewer}
        elif len(space.arrangements) > 1:
            change = {"arrangements": space.arrangements[:1]}
        elif space.parallel_to > space.parallel_from:
            change = {"parallel_to": space.parallel_to - 1}
        elif space.series_to > space.series_from:
            change = {"series_to": space.series_to - 1}
        elif space.capacity_steps > 1 and space.chemistries:
            change = {"capacity_steps": space.capacity_steps // 2}
        else:
            change = {"cells": space.cells[: max(1, most // 2)]}
        space = space.model_copy(update=change)
    return space


def check_count(space: SearchSpace) -> int:
    """How many packs will be flown [1].

    Raises
    ------
    TooManyCandidatesError
        When there are more than :data:`MOST_CANDIDATES`; it carries the count and the limit.
    """
    count = candidate_count(space)
    if count > MOST_CANDIDATES:
        raise TooManyCandidatesError(
            fact("refused.search.too_many", count=count, most=MOST_CANDIDATES),
            count=count,
            limit=MOST_CANDIDATES,
        )
    return count


def label_name(*, chemistry: ChemistryKey, series: int, parallel: int, capacity_ah: float) -> str:
    """What an imagined pack is called: “6S LiPo 2200 mAh”, of its capacity [Ah]."""
    cells = f"{series}S" if parallel == 1 else f"{series}S{parallel}P"
    return f"{cells} {chemistry_for(chemistry).short_name} {1000 * capacity_ah:.0f} mAh"


def candidates(space: SearchSpace, *, like: Pack) -> Iterator[Pack]:
    """Every pack of a search space [1], with the leads and plug of ``like``.

    Raises
    ------
    OutOfRangeError
        When a cell has no capacity.
    """
    around = {k: getattr(like, k) for k in ("connector", "second_plug", "lead_length_m", "lead_area_mm2")}
    bare = Pack.model_validate(
        {"name": "pack", "chemistry": like.chemistry, "series": 1, "capacity_ah": 1.0, **around}
    )
    for series, parallel, arrangement in _shapes(space):
        for cell in space.cells:
            cells = f"{series}S" if parallel == 1 else f"{series}S{parallel}P"
            name = f"{cells} {cell.name}"[:80].strip()
            yield pack_of_cells(
                cell=cell, name=name, series=series, parallel=parallel, arrangement=arrangement, pack=bare
            )
    for chemistry in space.chemistries:
        for series, parallel, arrangement in _shapes(space, pouch=_is_pouch(chemistry)):
            for cell_ah in capacities_of(space, chemistry=chemistry):
                capacity_ah = round(cell_ah * parallel, 4)
                yield Pack(
                    name=label_name(chemistry=chemistry, series=series, parallel=parallel, capacity_ah=capacity_ah),
                    chemistry=chemistry,
                    series=series,
                    parallel=parallel,
                    capacity_ah=capacity_ah,
                    quality=space.quality,
                    arrangement=arrangement,
                    **around,
                )


@dataclass(frozen=True)
class LandingVolts:
    """Where a chemistry lands, a cell: at rest and under load [V]; None is the chemistry's own."""

    rest_v: float | None = None
    loaded_v: float | None = None


_NONE_GIVEN = LandingVolts()


def landing_on(
    sheet: Sheet, *, chemistry: ChemistryKey, volts: Mapping[ChemistryKey, LandingVolts] | None = None
) -> LandingRule:
    """The sheet's landing rule for cells of a chemistry [V a cell].

    Landing voltages belong to a chemistry: those that are on become what ``volts`` gives for it, else the
    sheet's where it is of this chemistry, else the chemistry's own.
    """
    given = _NONE_GIVEN if volts is None else volts.get(chemistry, _NONE_GIVEN)
    return _landing_on(sheet.landing, chemistry_for(sheet.pack.chemistry), chemistry_for(chemistry), given)


@by_identity
def _landing_on(rule: LandingRule, of: Chemistry, own: Chemistry, given: LandingVolts) -> LandingRule:
    """A rule for cells ``of`` one chemistry, for those of another [V a cell]."""
    rest_v = given.rest_v or (rule.rest_v if own is of else own.landing_rest_v)
    loaded_v = given.loaded_v or (rule.loaded_v if own is of else own.landing_loaded_v)
    return rule.model_copy(
        update={
            "rest_v": None if rule.rest_v is None else rest_v,
            "loaded_v": None if rule.loaded_v is None else loaded_v,
        }
    )


def with_pack(
    sheet: Sheet,
    *,
    pack: Pack,
    pack_c: float | None = None,
    volts: Mapping[ChemistryKey, LandingVolts] | None = None,
) -> Sheet:
    """The same flight on another pack, at ``pack_c`` at take-off [°C] or the sheet's own, landed by
    :func:`landing_on`.  What is being tried on the sheet's own pack falls away.
    """
    landing = landing_on(sheet, chemistry=pack.chemistry, volts=volts)
    conditions = sheet.conditions if pack_c is None else sheet.conditions.model_copy(update={"pack_c": pack_c})
    return sheet.model_copy(
        update={
            "name": f"{sheet.craft.name} on {pack.name}"[:80].strip(),
            "pack": pack,
            "landing": landing,
            "conditions": conditions,
            "trying": tuple(key for key in sheet.trying if key not in PACK_CHANGES),
        }
    )
