"""Packs by type, as the hangar lists them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from zesty_cell.core.flight.honest_current import HonestCurrent, honest_current
from zesty_cell.core.learn.health import Health
from zesty_cell.core.learn.verdict import Verdict
from zesty_cell.core.parts.cell import CellModel
from zesty_cell.core.parts.chemistries import chemistry_for
from zesty_cell.core.parts.ownership import Ownership, charge_now
from zesty_cell.core.parts.pack import Pack
from zesty_cell.core.parts.pack_figures import PackFigures, pack_figures
from zesty_cell.store.hangar import PACKS, ownership_of
from zesty_cell.store.tables import PackRow
from zesty_cell.web.drawing.pack_picture import PackPicture, pack_picture


@dataclass(frozen=True)
class PackType:
    """A type of pack: its picture and figures, and every individual."""

    name: str
    pack: Pack
    figures: PackFigures
    honest: HonestCurrent
    picture: PackPicture
    individuals: tuple[Individual, ...]


def type_shown(name: str, rows: tuple[PackRow, ...], known: Mapping[int, Health]) -> PackType:
    packs = [PACKS.thing(row) for row in rows]
    individuals = tuple(
        Individual(
            row=row,
            ownership=kept,
            charge=charge_now(pack=pack, ownership=kept),
            verdict=known[row.id].verdict if row.id in known else "fit",
        )
        for row, pack in zip(rows, packs, strict=True)
        for kept in (ownership_of(row),)
    )
    return PackType(
        name=name,
        pack=packs[0],
        figures=pack_figures(packs[0]),
        honest=honest_current(packs[0]),
        picture=pack_picture(packs[0], width=102.0),
        individuals=individuals,
    )


def cell_picture(cell: CellModel) -> PackPicture:
    """A cell drawn as the pack it would make alone, to one scale: a 21 mm round cell is 46 wide."""
    chemistry = chemistry_for(cell.chemistry)
    capacity_ah = cell.capacity_ah or max(0.02, 0.3 * (cell.mass_kg or 0.05) * chemistry.energy_density_wh_kg / 3.6)
    alone = Pack(
        name="cell", chemistry=cell.chemistry, series=1, capacity_ah=min(capacity_ah, 200.0), cell_size=cell.size
    )
    return pack_picture(alone, width=64.0)


@dataclass(frozen=True)
class Individual:
    """One pack of a type."""

    row: PackRow
    ownership: Ownership
    charge: float | None
    verdict: Verdict = "fit"
