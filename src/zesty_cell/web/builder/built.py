"""A pack as the builder shows it, from what is typed."""

from __future__ import annotations

from dataclasses import dataclass

from zesty_cell.core.flight.honest_current import HonestCurrent, honest_current
from zesty_cell.core.parts.chemistry import Chemistry
from zesty_cell.core.parts.measured import PackTests
from zesty_cell.core.parts.ownership import Ownership, charge_now
from zesty_cell.core.parts.pack import Pack, cells_of
from zesty_cell.core.parts.pack_figures import PackFigures, pack_figures
from zesty_cell.web.drawing.builder_chart import Part, dominant, resistance_parts
from zesty_cell.web.drawing.pack_picture import PackPicture, pack_picture


@dataclass(frozen=True)
class Built:
    """A pack worked out for the page."""

    pack: Pack
    figures: PackFigures
    honest: HonestCurrent
    chemistry: Chemistry
    picture: PackPicture
    parts: list[Part]
    dominant: Part
    volts: list[tuple[str, float, float]]
    size: str
    label_a: float | None
    estimate_ohm: float
    charge: float


def built(pack: Pack, ownership: Ownership | None) -> Built:
    """Everything the builder shows of a pack."""
    figures, chemistry = pack_figures(pack), cells_of(pack)
    parts = resistance_parts(figures)
    s = pack.series
    bare = pack.model_copy(update={"tests": PackTests(), "cell_resistance_ohm": None, "curve": None})
    charge = None if ownership is None else charge_now(pack=pack, ownership=ownership)
    return Built(
        pack=pack,
        figures=figures,
        honest=honest_current(pack),
        chemistry=chemistry,
        picture=pack_picture(pack, width=330.0, dimensions=True),
        parts=parts,
        dominant=dominant(parts),
        volts=[
            ("full", figures.full_v / s, figures.full_v),
            ("nominal", figures.nominal_v / s, figures.nominal_v),
            ("storage", figures.storage_v / s, figures.storage_v),
            ("empty, at rest", figures.empty_v / s, figures.empty_v),
            ("hard floor", figures.floor_v / s, figures.floor_v),
        ],
        size=" × ".join(
            f"{1000 * v:.0f}" for v in (figures.size.length_m, figures.size.width_m, figures.size.height_m)
        ),
        label_a=None if pack.label_c is None else pack.label_c * pack.capacity_ah,
        estimate_ohm=pack_figures(bare).cell_resistance_ohm,
        charge=1.0 if charge is None else charge,
    )
