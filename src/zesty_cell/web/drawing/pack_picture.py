"""The pack, drawn: round cells as citrus wheels, pouches as flat slices, in their true layout."""

from __future__ import annotations

import math
from dataclasses import dataclass

from zesty_cell.core.chemistries import chemistry_for
from zesty_cell.core.pack import Pack

#: A wheel has ten segments, so that one stands for a tenth of the charge.
SEGMENTS = 10
_WEAR_SHOWN_FROM_CYCLES = 150


@dataclass(frozen=True)
class Place:
    """A cell's centre (round) or upper left corner (pouch)."""

    x: float
    y: float


@dataclass(frozen=True)
class Link:
    """A nickel strip between two cells."""

    x1: float
    y1: float
    x2: float
    y2: float


@dataclass(frozen=True)
class PackPicture:
    """Everything the pack picture draws.

    ``size`` is a wheel's diameter, or a slice's width; ``tall`` a slice's height.
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
    tired: bool
    label: str


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


def _label(pack: Pack) -> str:
    series = f"{pack.series} cell{'s' if pack.series > 1 else ''} in series"
    return f"{series}, {pack.parallel} in parallel"


def _round_rows(pack: Pack) -> tuple[int, int]:
    """Rows and columns of round cells: parallel groups side by side, a long single string in two layers."""
    if pack.parallel == 1 and pack.series > 4:
        return 2, math.ceil(pack.series / 2)
    return pack.parallel, pack.series


def pack_picture(pack: Pack, *, width: float = 216.0) -> PackPicture:
    """Geometry of a pack's picture, as wide as asked.

    Parameters
    ----------
    pack : Pack
    width : float
        Of the whole picture, leads and plug in.
    """
    tired = pack.cycles >= _WEAR_SHOWN_FROM_CYCLES
    if chemistry_for(pack.chemistry).cell_form == "round":
        return _round_picture(pack, width, tired)
    return _pouch_picture(pack, width, tired)


def _bend(*points: tuple[float, float]) -> str:
    """A cubic curve from the first of four points to the last."""
    start, *rest = (f"{x:.1f} {y:.1f}" for x, y in points)
    return f"M{start}C{' '.join(rest)}"


def _leads(left: float, top: float, foot: float, right: float) -> tuple[str, str, tuple[float, float]]:
    """Both leads from the pack's left side, under it, to the plug at its right."""
    edge, low = left + 4.0, foot - 7.0
    red = _bend((edge, top + 12), (left - 7, top + 14), (left - 6, foot), (left + 6, foot))
    black = _bend((edge, top), (left - 12, top + 4), (left - 11, low), (left + 6, low))
    return f"{red}L{right:.1f} {foot:.1f}", f"{black}L{right:.1f} {low:.1f}", (right, foot - 14.0)


def _round_picture(pack: Pack, width: float, tired: bool) -> PackPicture:
    rows, columns = _round_rows(pack)
    pitch = min(52.0, (width - 22.0) / columns, 104.0 / rows)
    size = pitch * 0.89
    x0, y0 = 10.0 + pitch / 2.0, pitch / 2.0 + 1.0
    cells, links = [], []
    two_layers = pack.parallel == 1 and pack.series > 4
    for k in range(pack.cell_count):
        if two_layers:
            row, column = divmod(k, columns)
            column = column if row == 0 else columns - 1 - column
        else:
            column, row = divmod(k, pack.parallel)
        cells.append(Place(x0 + column * pitch, y0 + row * pitch))
    step = 1 if two_layers else pack.parallel
    for k in range(pack.cell_count - step):
        links.append(Link(cells[k].x, cells[k].y, cells[k + step].x, cells[k + step].y))
    if not two_layers:
        for k in range(pack.cell_count - 1):
            if (k + 1) % pack.parallel:
                links.append(Link(cells[k].x, cells[k].y, cells[k + 1].x, cells[k + 1].y))
    body = y0 + (rows - 0.5) * pitch
    foot = body + 17.0
    right = max(min(x0 + (columns - 0.5) * pitch + 16.0, width - 28.0), 60.0)
    positive, negative, plug = _leads(x0 - size / 2.0, y0, foot, right)
    return PackPicture(
        "round", width, foot + 12.0, size, size, cells, links, positive, negative, plug, tired, _label(pack)
    )


def _pouch_picture(pack: Pack, width: float, tired: bool) -> PackPicture:
    count = pack.cell_count
    room = width - 40.0 - 8.0 * (pack.parallel - 1)
    pitch = min(22.0, room / count)
    size, tall = pitch * 0.84, min(62.0, 0.3 * width)
    cells, links = [], []
    for group_index in range(pack.parallel):
        for k in range(pack.series):
            cells.append(Place(14.0 + (group_index * pack.series + k) * pitch + 8.0 * group_index, 8.0))
        for k in range(pack.series - 1):
            a, b = cells[-pack.series + k], cells[-pack.series + k + 1]
            y = 5.0
            links.append(Link(a.x + size * 0.7, y, b.x + size * 0.3, y))
    foot = 8.0 + tall + 18.0
    right = max(min(14.0 + count * pitch + 8.0 * (pack.parallel - 1) + 6.0, width - 28.0), 60.0)
    positive, negative, plug = _leads(14.0, 8.0 + 0.42 * tall, foot, right)
    return PackPicture(
        "pouch", width, foot + 12.0, size, tall, cells, links, positive, negative, plug, tired, _label(pack)
    )
