"""What a search found, as the page shows it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from zesty_cell.core.choose.search import Found
from zesty_cell.core.flight.summary import LandingSummary
from zesty_cell.core.parts.pack import Pack
from zesty_cell.core.parts.pack_figures import PackFigures
from zesty_cell.web.choose.base import Origin
from zesty_cell.web.choose.imagined import spec_of
from zesty_cell.web.drawing.front_chart import front_chart
from zesty_cell.web.drawing.pack_picture import PackPicture, pack_picture
from zesty_cell.words.landing import CHEMISTRY_WORDS

_LISTED = 10
BRUSH = ("brush_from_s", "brush_to_s", "brush_from_spare", "brush_to_spare")


@dataclass(frozen=True)
class Hit:
    """A candidate in the list."""

    pack: Pack
    figures: PackFigures
    at_landing: LandingSummary
    front: bool
    picture: PackPicture
    spec: str | None
    size: str


def _hit(found: Found, k: int, origin: Origin) -> Hit:
    size = found.figures[k].size
    return Hit(
        pack=found.packs[k],
        figures=found.figures[k],
        at_landing=found.summaries[k],
        front=bool(found.front[k]),
        picture=pack_picture(found.packs[k], width=92.0),
        spec=spec_of(found.packs[k], cells=origin.cells),
        size=" × ".join(f"{1000 * v:.0f}" for v in (size.length_m, size.width_m, size.height_m)),
    )


def _brushed(found: Found, texts: dict[str, str]) -> tuple[list[int], bool]:
    """Candidates inside the brush as typed, longest first; whether there is one."""
    bounds: list[float | None] = []
    for text in texts.values():
        try:
            bounds.append(float(text))
        except ValueError:
            bounds.append(None)
    low_s, high_s, low, high = bounds
    inside = [
        int(k)
        for k in found.order
        if (low_s is None or found.landing_s[k] >= low_s)
        and (high_s is None or found.landing_s[k] <= high_s)
        and (low is None or found.to_spare[k] >= low)
        and (high is None or found.to_spare[k] <= high)
    ]
    return inside, any(b is not None for b in bounds)


def found_context(found: Found, origin: Origin, brush: dict[str, str]) -> dict[str, Any]:
    inside, brushed = _brushed(found, brush)
    fronts = [k for k in inside if found.front[k]]
    # The front first, evenly spread when it is long; then the longest of the rest.
    step = max(1, -(-len(fronts) // _LISTED))
    ordered = fronts[::step] + [k for k in inside if not found.front[k]]
    # The same pack laid out another way is the same pack: the first that fits stands for it.
    listed = list({found.packs[k].name: k for k in reversed(ordered)}.values())[::-1][:_LISTED]
    nearest = None if found.nearest is None else _hit(found, found.nearest, origin)
    return {
        "found": found,
        "chart": front_chart(found, names=CHEMISTRY_WORDS),
        "hits": [_hit(found, k, origin) for k in listed],
        "inside": len(inside),
        "front_count": len(fronts),
        "brushed": brushed,
        "meets": int(found.order.size),
        "flown": len(found.packs),
        "excluded": [e.told(found.packs[e.nearest].name) for e in found.excluded],
        "nearest": nearest,
    }
