"""How the cells of a pack lie: places, series links, overall size.

Three arrangements, as pilots and pack makers build them:

- ``rows``: round cells stand side by side, the S groups along the pack and the P cells of a group
  across it; pouches lie on one another, one stack of S for each P, the stacks side by side.
- ``two layers``: round cells folded once, so half as long and twice as wide (an odd string with an
  even P lies half on half instead); pouches with one half of the stack in front of the other,
  twice as long and half as high.
- ``tube``: a single string end to end, for a wing's spar or a slim fuselage.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal, NamedTuple

from zesty_cell.core.errors import LayoutError
from zesty_cell.core.fact import fact
from zesty_cell.core.parts.cell import CellForm, CellSize
from zesty_cell.core.parts.chemistry import Chemistry

Arrangement = Literal["rows", "two layers", "tube"]


class Size(NamedTuple):
    """Outside of a pack without its leads [m]: along, across, and high."""

    length_m: float
    width_m: float
    height_m: float


@dataclass(frozen=True)
class CellPlace:
    """One cell seen from above (round), from the end (pouches in stacks) or from the side (a tube).

    ``x_m`` and ``y_m`` are its middle [m], from the pack's corner.  ``group`` counts the series
    groups from the negative end; ``up`` tells a cell with its positive end towards the reader.
    ``layer`` is 1 for a cell that lies on, or behind, another.
    """

    group: int
    member: int
    x_m: float
    y_m: float
    up: bool
    layer: int


@dataclass(frozen=True)
class Layout:
    """Where every cell of a pack lies.

    Attributes
    ----------
    form : "round" or "pouch"
    lying : bool
        Whether round cells are seen from the side (a tube), not from their end.
    cells : tuple of CellPlace
        In order of series group.
    size : Size
    """

    form: Literal["round", "pouch"]
    lying: bool
    cells: tuple[CellPlace, ...]
    size: Size


def check_arrangement(*, arrangement: Arrangement, series: int, parallel: int) -> None:
    """Refuse an arrangement that these cells cannot take; counts [1].

    Raises
    ------
    LayoutError
    """
    if arrangement == "tube" and parallel > 1:
        raise LayoutError(
            fact("refused.layout.tube", parallel=parallel),
            value=parallel,
            limit=1,
        )
    if arrangement == "two layers" and series % 2 and parallel % 2:
        raise LayoutError(
            fact("refused.layout.odd_layers", series=series, parallel=parallel),
            value=series * parallel,
            limit=2,
        )


def estimated_cell_size(*, chemistry: Chemistry, cell_mass_kg: float) -> CellSize:
    """Size of a cell of which only the mass [kg] is known, from its density.

    Round cells are taken at the usual 1 : 3.4 of diameter to length; pouches as 1 : 4.5 : 9.5 of
    thickness, width and length (docs/physics.md, "Size").
    """
    length_m, width_m, thickness_m = _estimated_m(chemistry, cell_mass_kg)
    # Made without validation: a size that follows from a valid mass is no input.
    return CellSize.model_construct(
        form=chemistry.cell_form,
        length_m=length_m,
        width_m=width_m,
        thickness_m=None if chemistry.cell_form == "round" else thickness_m,
    )


def _estimated_m(chemistry: Chemistry, cell_mass_kg: float) -> tuple[float, float, float]:
    """Length, width and thickness of a cell of which only the mass is known [m]."""
    volume_m3 = cell_mass_kg / chemistry.density_kg_m3
    if chemistry.cell_form == "round":
        diameter_m = math.cbrt(volume_m3 * 4.0 / (math.pi * 3.4))
        return 3.4 * diameter_m, diameter_m, diameter_m
    thickness_m = math.cbrt(volume_m3 / (4.5 * 9.5))
    return 9.5 * thickness_m, 4.5 * thickness_m, thickness_m


def estimated_pack_size(
    *, chemistry: Chemistry, cell_mass_kg: float, series: int, parallel: int, arrangement: Arrangement
) -> Size:
    """As :func:`pack_size`, of cells of which only the mass [kg] is known; a search asks it of thousands."""
    sides_m = _estimated_m(chemistry, cell_mass_kg)
    return _outside(chemistry.cell_form, sides_m, series, parallel, arrangement)


def pack_size(*, cell: CellSize, series: int, parallel: int, arrangement: Arrangement) -> Size:
    """Outside of the cells of a pack, without wrap and leads [m].

    Parameters
    ----------
    cell : CellSize
    series, parallel : int
        [1].
    arrangement : Arrangement
        One that these cells can take.
    """
    sides_m = (cell.length_m, cell.width_m, cell.thickness_m or 0.0)
    return _outside(cell.form, sides_m, series, parallel, arrangement)


def _outside(
    form: CellForm, sides_m: tuple[float, float, float], series: int, parallel: int, arrangement: Arrangement
) -> Size:
    length, width, thickness = sides_m
    count = series * parallel
    if form == "round":
        if arrangement == "tube":
            return Size(count * length, width, width)
        if arrangement == "rows":
            return Size(series * width, parallel * width, length)
        if series % 2 == 0:  # the string folds back on itself
            return Size(series // 2 * width, 2 * parallel * width, length)
        return Size(series * width, parallel // 2 * width, 2.0 * length)
    if arrangement == "tube":
        return Size(count * length, width, thickness)
    if arrangement == "rows":
        return Size(length, parallel * width, series * thickness)
    return Size(2.0 * length, width, math.ceil(count / 2) * thickness)


def layout(*, cell: CellSize, series: int, parallel: int, arrangement: Arrangement) -> Layout:
    """Places of the cells and the size of the pack [m].

    Parameters
    ----------
    cell : CellSize
    series, parallel : int
        [1].
    arrangement : Arrangement

    Raises
    ------
    LayoutError
        When the cells do not fit the arrangement.
    """
    check_arrangement(arrangement=arrangement, series=series, parallel=parallel)
    place = _round_place if cell.form == "round" else _pouch_place
    cells = tuple(
        place(cell, series, parallel, arrangement, group, member)
        for group in range(series)
        for member in range(parallel)
    )
    size = pack_size(cell=cell, series=series, parallel=parallel, arrangement=arrangement)
    return Layout(cell.form, arrangement == "tube", cells, size)


def _round_place(
    cell: CellSize, series: int, parallel: int, arrangement: Arrangement, group: int, member: int
) -> CellPlace:
    d, up = cell.width_m, group % 2 == 0
    if arrangement == "tube":
        return CellPlace(group, member, (group + 0.5) * cell.length_m, 0.5 * d, up, layer=0)
    column, row, layer = group, member, 0
    if arrangement == "two layers" and series % 2 == 0:
        # Mirrored in the second half, so that the fold links neighbours.
        if group >= series // 2:
            column, row = series - 1 - group, 2 * parallel - 1 - member
    elif arrangement == "two layers":
        layer, row = divmod(member, parallel // 2)
    return CellPlace(group, member, (column + 0.5) * d, (row + 0.5) * d, up, layer)


def _pouch_place(
    cell: CellSize, series: int, parallel: int, arrangement: Arrangement, group: int, member: int
) -> CellPlace:
    thickness, up = cell.thickness_m or 0.0, group % 2 == 0
    if arrangement == "tube":
        return CellPlace(group, member, (group + 0.5) * cell.length_m, 0.5 * thickness, up, layer=0)
    k, layer = member * series + group, 0
    if arrangement == "two layers":
        half = math.ceil(series * parallel / 2)
        layer, k = divmod(k, half)
        return CellPlace(group, member, (layer + 0.5) * cell.length_m, (k + 0.5) * thickness, up, layer)
    return CellPlace(group, member, (member + 0.5) * cell.width_m, (group + 0.5) * thickness, up, layer)
