"""What a search found, as the page shows it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from zesty_cell.core.choose.search import Excluded, Found
from zesty_cell.core.flight.summary import LandingSummary
from zesty_cell.core.parts.pack import Pack
from zesty_cell.core.parts.pack_figures import PackFigures
from zesty_cell.web.choose.base import Origin
from zesty_cell.web.choose.imagined import spec_of
from zesty_cell.web.drawing.front_chart import front_chart
from zesty_cell.web.drawing.pack_picture import PackPicture, pack_picture
from zesty_cell.words.face import Face
from zesty_cell.words.landing import CHEMISTRY_WORDS
from zesty_cell.words.units import (
    group,
)

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


_LIMIT_WORDS = {
    "holds": "holding the craft up",
    "all_up": "the all-up weight",
    "pack_mass": "the pack’s weight",
    "length": "the pack’s length",
    "width": "the pack’s width",
    "height": "the pack’s height",
    "voltage": "the highest voltage of the craft’s parts",
    "motor": "the motors’ current",
    "motor_power": "the motors’ power",
    "esc": "the ESCs’ current",
    "cutoff": "the ESC’s cutoff",
    "time": "the flight time",
    "thrust": "the thrust kept",
    "to_spare": "the thrust at landing",
    "heat": "the hottest cell",
}


def _value_words(key: str, value: float, face: Face) -> str:
    if key in ("all_up", "pack_mass"):
        return face.mass(value)
    if key in ("length", "width", "height"):
        return f"{1000 * value:.0f} mm"
    if key in ("voltage", "cutoff"):
        return f"{value:.2f} V" if key == "cutoff" else f"{value:.1f} V"
    if key in ("motor", "esc"):
        return f"{value:.0f} A"
    if key == "motor_power":
        return f"{value:.0f} W"
    if key == "time":
        return face.time(value)
    if key == "thrust":
        return f"{100 * value:.0f} %"
    if key == "heat":
        return face.temperature(value)
    return f"{value:.1f}"


def _excluded_words(item: Excluded, found: Found, face: Face) -> str:
    """Which limit leaves out how many, and what comes nearest."""
    count = group(item.count)
    alone = f", {group(item.alone)} by itself" if item.alone not in (0, item.count) else ""
    if item.key == "holds":
        return f"{count} cannot hold the craft up to landing{alone}."
    nearest = _value_words(item.key, item.nearest_value, face)
    limit = _value_words(item.key, item.limit, face)
    return (
        f"{_LIMIT_WORDS[item.key].capitalize()} ({limit}) leaves out {count}{alone}; nearest is "
        f"{found.packs[item.nearest].name} with {nearest}."
    )


def found_context(found: Found, origin: Origin, face: Face, brush: dict[str, str]) -> dict[str, Any]:
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
        "excluded": [_excluded_words(e, found, face) for e in found.excluded],
        "nearest": nearest,
    }
