"""The pack, drawn: round cells as citrus wheels, pouches as flat slices, in their true layout."""

from __future__ import annotations

import math
from collections.abc import Collection
from dataclasses import dataclass, replace
from itertools import pairwise

from zesty_cell.core.parts.layout import CellPlace, layout
from zesty_cell.core.parts.pack import Pack
from zesty_cell.core.parts.pack_figures import cell_size_of, pack_figures
from zesty_cell.words.pictures import cells_words

#: A wheel has ten segments, so that one stands for a tenth of the charge.
SEGMENTS = 10
_WEAR_SHOWN_FROM_CYCLES = 150
#: From this width on, polarity and balance lead are drawn too.
_LARGE = 200.0


@dataclass(frozen=True)
class Place:
    """A cell's centre (round) or upper left corner (pouch, or a round cell lying in a tube)."""

    x: float
    y: float
    up: bool = True
    dry: bool = False


@dataclass(frozen=True)
class Link:
    """A strip between two cells: in series, or between the cells of one group."""

    x1: float
    y1: float
    x2: float
    y2: float
    series: bool = True


@dataclass(frozen=True)
class Dim:
    """A dimension line with its words; along the top, or down the right side."""

    x1: float
    y1: float
    x2: float
    y2: float
    text: str


@dataclass(frozen=True)
class PackPicture:
    """Everything the pack picture draws.

    ``form`` is "round", "pouch" or "lying".  ``size`` is a wheel's diameter, or a slice's width; ``tall``
    a slice's height.  ``balance`` is empty on small pictures.
    """

    form: str
    width: float
    height: float
    size: float
    tall: float
    cells: list[Place]
    links: list[Link]
    positive: str
    negative: str
    plug: tuple[float, float]
    second_plug: bool
    balance: str
    tired: bool
    label: str
    dims: tuple[Dim, ...] = ()


def wheel_segments(radius: float = 22.0, inner: float = 4.0, gap_degrees: float = 7.0) -> list[str]:
    """Paths of a citrus wheel's segments around the origin, the first one at twelve o'clock."""
    paths = []
    for k in range(SEGMENTS):
        a0 = math.radians(-90.0 + k * 360.0 / SEGMENTS + gap_degrees / 2.0)
        a1 = math.radians(-90.0 + (k + 1) * 360.0 / SEGMENTS - gap_degrees / 2.0)
        mid = 0.5 * (a0 + a1)
        tip = (inner * math.cos(mid), inner * math.sin(mid))
        p0 = (radius * math.cos(a0), radius * math.sin(a0))
        p1 = (radius * math.cos(a1), radius * math.sin(a1))
        arc = f"A{radius:g} {radius:g} 0 0 1 {p1[0]:.1f} {p1[1]:.1f}"
        paths.append(f"M{tip[0]:.1f} {tip[1]:.1f}L{p0[0]:.1f} {p0[1]:.1f}{arc}Z")
    return paths


def pack_picture(
    pack: Pack, *, width: float = 216.0, dimensions: bool = False, dry: Collection[int] = ()
) -> PackPicture:
    """Geometry of a pack's picture, as wide as asked.

    Parameters
    ----------
    pack : Pack
    width : float
        Of the whole picture, leads and plug in.
    dimensions : bool
        Whether the two sides that are seen carry their millimetres.
    dry : collection of int
        Cells in series that are tired, from 0: they are drawn dry.
    """
    if dry:
        picture = pack_picture(pack, width=width, dimensions=dimensions)
        cells = [replace(cell, dry=group in dry) for cell, group in zip(picture.cells, _groups(pack), strict=True)]
        return replace(picture, cells=cells)
    if dimensions:
        return _with_dimensions(pack, pack_picture(pack, width=width - 52.0))
    cell = cell_size_of(pack)
    places = layout(cell=cell, series=pack.series, parallel=pack.parallel, arrangement=pack.arrangement)
    if places.lying:
        return _lying_picture(pack, width)
    if places.form == "round":
        rows = 1 + max(round(c.y_m / cell.width_m - 0.5) for c in places.cells)
        columns = 1 + max(round(c.x_m / cell.width_m - 0.5) for c in places.cells)
        return _round_picture(pack, width, places.cells, cell.width_m, columns, rows)
    return _pouch_picture(pack, width)


def _groups(pack: Pack) -> list[int]:
    """Which cell in series each drawn cell belongs to."""
    places = layout(
        cell=cell_size_of(pack), series=pack.series, parallel=pack.parallel, arrangement=pack.arrangement
    )
    if places.form == "round" and not places.lying:
        return [place.group for place in places.cells]
    return [k % pack.series for k in range(pack.series if places.lying else pack.cell_count)]


def _with_dimensions(pack: Pack, picture: PackPicture) -> PackPicture:
    """The same picture moved down and left of its dimension lines."""
    size = pack_figures(pack).size
    half = picture.size / 2.0 if picture.form == "round" else 0.0
    wide = half if picture.form == "round" else picture.size
    tall = half if picture.form == "round" else picture.tall
    left, right = min(c.x for c in picture.cells) - half, max(c.x for c in picture.cells) + wide
    top, foot = min(c.y for c in picture.cells) - half, max(c.y for c in picture.cells) + tall
    # What is seen across depends on the form: pouches in a stack are seen from the end.
    stacked = picture.form == "pouch"
    across = size.height_m if stacked else size.length_m
    one_stack = pack.parallel == 1 and pack.arrangement == "rows"
    down = size.width_m
    dims = []
    if not stacked or one_stack:
        dims.append(Dim(left, top - 11.0, right, top - 11.0, f"{1000 * across:.0f} mm"))
    dims.append(Dim(right + 12.0, top, right + 12.0, foot, f"{1000 * down:.0f} mm"))
    return replace(picture, dims=tuple(dims), width=picture.width + 52.0)


def _bend(*points: tuple[float, float]) -> str:
    """A cubic curve from the first of four points to the last."""
    start, *rest = (f"{x:.1f} {y:.1f}" for x, y in points)
    return f"M{start}C{' '.join(rest)}"


@dataclass(frozen=True)
class _Outside:
    """Both leads from the pack's left side, under it, to the plug at its right; and the balance lead."""

    positive: str
    negative: str
    plug: tuple[float, float]
    balance: str


def _outside(pack: Pack, width: float, left: float, top: float, foot: float, right: float) -> _Outside:
    edge, low = left + 4.0, foot - 7.0
    red = _bend((edge, top + 12), (left - 7, top + 14), (left - 6, foot), (left + 6, foot))
    black = _bend((edge, top), (left - 12, top + 4), (left - 11, low), (left + 6, low))
    balance = ""
    if pack.series > 1 and width >= _LARGE:
        # A flat ribbon from the near end, ending in its own small plug left of the big one.
        start, end = (left + 26, low - 5), (right - 46, foot + 9)
        balance = _bend(start, (left + 26, foot + 10), (right - 74, foot + 12), end)
    return _Outside(
        positive=f"{red}L{right:.1f} {foot:.1f}",
        negative=f"{black}L{right:.1f} {low:.1f}",
        plug=(right, foot - 14.0),
        balance=balance,
    )


def _finish(
    pack: Pack,
    *,
    form: str,
    width: float,
    size: float,
    tall: float,
    cells: list[Place],
    links: list[Link],
    left: float,
    top: float,
    foot: float,
    right: float,
) -> PackPicture:
    second = pack.second_plug is not None
    right = max(min(right, width - (46.0 if second else 28.0)), 60.0)
    outside = _outside(pack, width, left, top, foot, right)
    return PackPicture(
        form=form,
        width=width,
        height=foot + (18.0 if outside.balance else 12.0),
        size=size,
        tall=tall,
        cells=cells,
        links=links,
        positive=outside.positive,
        negative=outside.negative,
        plug=outside.plug,
        second_plug=second,
        balance=outside.balance,
        tired=pack.cycles >= _WEAR_SHOWN_FROM_CYCLES,
        label=cells_words(pack),
    )


def _round_picture(
    pack: Pack, width: float, places: tuple[CellPlace, ...], diameter_m: float, columns: int, rows: int
) -> PackPicture:
    pitch = min(52.0, (width - 22.0) / columns, 104.0 / rows)
    size = pitch * 0.89
    x0, y0 = 10.0, 1.0
    # What lies in a second layer is drawn a little aside, so that both can be counted.
    aside = 0.3 * pitch if any(p.layer for p in places) else 0.0
    at = [
        (x0 + p.x_m / diameter_m * pitch + aside * p.layer, y0 + p.y_m / diameter_m * pitch + aside * (1 - p.layer))
        for p in places
    ]
    cells = [Place(x, y, p.up) for (x, y), p in zip(at, places, strict=True)]
    groups = [[k for k, p in enumerate(places) if p.group == g] for g in range(pack.series)]
    links = []
    for one, other in pairwise(groups):
        for k in one:
            nearest = min((math.dist(at[k], at[j]), j) for j in other)[1]
            links.append(Link(*at[k], *at[nearest]))
    for group in groups:
        links += [Link(*at[a], *at[b], series=False) for a, b in pairwise(group)]
    body = y0 + rows * pitch + aside
    return _finish(
        pack,
        form="round",
        width=width,
        size=size,
        tall=size,
        cells=cells,
        links=links,
        left=x0 + 0.5 * (pitch - size),
        top=y0 + 0.5 * pitch,
        foot=body + 17.0,
        right=x0 + columns * pitch + 10.0,
    )


def _pouch_picture(pack: Pack, width: float) -> PackPicture:
    """Slices seen from the end: one group of them for each stack, or for each half of a stack."""
    count = pack.cell_count
    if pack.arrangement == "two layers":
        half = math.ceil(count / 2)
        stacks = [range(half), range(half, count)]
    else:
        stacks = [range(k * pack.series, (k + 1) * pack.series) for k in range(pack.parallel)]
    room = width - 40.0 - 8.0 * (len(stacks) - 1)
    pitch = min(22.0, room / count)
    size, tall = pitch * 0.84, min(62.0, 0.3 * width)
    cells: list[Place] = []
    links: list[Link] = []
    for number, stack in enumerate(stacks):
        for k in stack:
            cells.append(Place(14.0 + k * pitch + 8.0 * number, 8.0, up=(k % pack.series) % 2 == 0))
    for k in range(count - 1):
        if (k + 1) % pack.series:
            links.append(Link(cells[k].x + size * 0.7, 5.0, cells[k + 1].x + size * 0.3, 5.0))
    return _finish(
        pack,
        form="pouch",
        width=width,
        size=size,
        tall=tall,
        cells=cells,
        links=links,
        left=14.0,
        top=8.0 + 0.42 * tall,
        foot=8.0 + tall + 18.0,
        right=14.0 + count * pitch + 8.0 * (len(stacks) - 1) + 6.0,
    )


def _lying_picture(pack: Pack, width: float) -> PackPicture:
    """Cells end to end in a tube, seen from the side."""
    cell = cell_size_of(pack)
    room = width - 34.0
    long = min(room / pack.series, 3.4 * 26.0)
    tall = min(26.0, long * (cell.thickness_m or cell.width_m) / cell.length_m + 4.0)
    cells = [Place(14.0 + k * long, 8.0) for k in range(pack.series)]
    links = [
        Link(a.x + 0.93 * long, 8.0 + 0.5 * tall, b.x + 0.03 * long, 8.0 + 0.5 * tall) for a, b in pairwise(cells)
    ]
    return _finish(
        pack,
        form="lying",
        width=width,
        size=0.95 * long,
        tall=tall,
        cells=cells,
        links=links,
        left=14.0,
        top=8.0 + 0.4 * tall,
        foot=8.0 + tall + 18.0,
        right=14.0 + pack.series * long + 6.0,
    )
