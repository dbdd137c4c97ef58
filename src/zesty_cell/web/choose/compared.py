"""Packs compared, as the page shows them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.choose.buys import what_buys_minutes
from zesty_cell.core.choose.compare import (
    Compared,
    Purpose,
    Verdict,
    verdict,
)
from zesty_cell.core.choose.cost import cost_per_flight, flights_it_lasts
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.parts.ownership import type_of
from zesty_cell.core.parts.pack import cells_of
from zesty_cell.store.tables import PackRow
from zesty_cell.web.choose.picked import Chosen
from zesty_cell.web.drawing.compare_chart import bars, half_way, multiples, overlay, slopes
from zesty_cell.web.drawing.pack_picture import PackPicture, pack_picture
from zesty_cell.words.face import Face
from zesty_cell.words.landing import landing_words


@dataclass(frozen=True)
class Line:
    """One row of the comparison: what was worked out, and its drawing."""

    row: Compared
    chosen: Chosen | None
    name: str
    picture: PackPicture
    kind: str
    landing: str

    @property
    def cost(self) -> float | None:
        """What a flight costs of the pack, where its price is known, in its owner's money."""
        return cost_per_flight(self.row.pack)

    @property
    def lasts(self) -> int:
        """Over how many flights."""
        return flights_it_lasts(self.row.pack)


def line_of(row: Compared, chosen: Chosen | None, name: str) -> Line:
    pack = row.pack
    chemistry = cells_of(pack)
    shape = f"{pack.series}S" if pack.parallel == 1 else f"{pack.series}S{pack.parallel}P"
    return Line(
        row=row,
        chosen=chosen,
        name=name,
        picture=pack_picture(pack, width=104.0),
        kind=f"{shape} {chemistry.short_name}",
        landing=landing_words(row.setup.sheet),
    )


def by_type(rows: Sequence[PackRow]) -> list[tuple[str, list[PackRow]]]:
    """Packs of the hangar by type, retired ones last."""
    types: dict[str, list[PackRow]] = {}
    for row in sorted(rows, key=lambda r: (r.standing == "retired", r.name.casefold())):
        types.setdefault(type_of(row.name), []).append(row)
    return list(types.items())


def first_buys(sheet: Sheet) -> Sequence[Any]:
    try:
        return what_buys_minutes(sheet)
    except OutOfRangeError:
        return ()


def other_verdicts(rows: Sequence[Compared], wanted: Purpose) -> list[Verdict]:
    """One or two further verdicts beside the one asked for."""
    others: list[Purpose] = ["strongest at the end", "longest", "lightest"]
    return [verdict(rows, purpose=p) for p in others if p != wanted][:2]


def pictures_of(lines: Sequence[Line], face: Face) -> dict[str, Any]:
    rows = [line.row for line in lines]
    flying = [line for line in lines if line.row.at_landing.flies]  # the others have no flight to show
    flown, names = [line.row for line in flying], [line.name for line in flying]
    as_pack = face.view.volts == "pack"
    return {
        "lines": lines,
        "same_work": any(a.of == "full throttle" for r in rows for a in r.setup.sheet.flying.activities),
        "bars": bars(rows),
        "slopes": slopes(rows),
        "spare_half": [half_way(row) for row in rows],
        "multiples": multiples(flown, names=names, as_pack=as_pack),
        "overlay": overlay(flown, names=names, as_pack=as_pack),
    }
