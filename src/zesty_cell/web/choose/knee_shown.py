"""Where another gram of pack stops paying, drawn and said."""

from __future__ import annotations

from collections.abc import Sequence

from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.choose.compare import (
    Compared,
)
from zesty_cell.core.choose.knee import knee
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import Words
from zesty_cell.core.parts.pack_figures import pack_figures
from zesty_cell.web.drawing.knee_chart import KneeChart, knee_chart
from zesty_cell.words.face import Face


def knee_of(sheet: Sheet, chemistry: str, rows: Sequence[Compared], face: Face) -> tuple[KneeChart | None, Words]:
    """The knee's chart and a sentence; words alone where there is no curve."""
    try:
        curve = knee(sheet, chemistry=chemistry)  # type: ignore[arg-type]
    except OutOfRangeError as error:
        return None, error.why
    packs = [
        (r.pack.name, r.setup.figures.mass_kg, r.at_landing.landing_s, r.pack.chemistry == chemistry)
        for r in rows
        if r.at_landing.flies
    ]
    chart = knee_chart(curve, packs=packs, units=face.view.units)
    return chart, curve.told(own_kg=pack_figures(sheet.pack).mass_kg, pack=sheet.pack.name)
