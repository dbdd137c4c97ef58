"""The three questions as a form: read into what is asked, with errors at their places."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, Final, cast

from zesty_cell.core.asked.flying import PATTERNS, FlyingPattern
from zesty_cell.core.fact import Words
from zesty_cell.core.parts.chemistries import CHEMISTRIES
from zesty_cell.core.parts.craft import Craft
from zesty_cell.core.parts.label import LONGEST_LINE
from zesty_cell.core.parts.pack import Pack
from zesty_cell.core.parts.starting import CARRIES, KINDS, Carries, Kind, Manner, StartKey
from zesty_cell.services.starting import Asked
from zesty_cell.web.http import whole_number
from zesty_cell.web.http.forms import Typed, form_units
from zesty_cell.web.surer.results import RESULTS, InputReader, read_results
from zesty_cell.words.units import (
    CAPACITY,
    COUNT,
    LENGTH,
    MASS,
    RATE,
    Quantity,
    System,
    typed,
)

#: What is not a wing's span may be so many times larger or smaller than the kind's own ends [1].
_STRETCH = 1.6
#: Figures of the label that may be corrected: what is typed, and its bounds in SI.
CORRECTIONS: Final[dict[str, tuple[Quantity, float, float]]] = {
    "series": (COUNT, 1, 24),
    "parallel": (COUNT, 1, 24),
    "capacity_ah": (CAPACITY, 0.02, 200.0),
    "label_c": (RATE, 0.1, 300.0),
    "mass_kg": (MASS, 0.0005, 50.0),
}
_MANNERS: Final[tuple[Manner, ...]] = ("gentle", "mixed", "hard")


@dataclass
class StartForm:
    """What was typed, what is asked by it, and what is wrong."""

    texts: dict[str, str]
    units: System
    asked: Asked
    errors: dict[str, Words] = field(default_factory=dict)


def _kind(form: Mapping[str, str]) -> StartKey:
    key = form.get("kind", "freestyle")
    if key == "flying_wing" and form.get("driven") == "fan":
        return "jet"
    return cast(StartKey, key) if key in KINDS and key != "jet" else "freestyle"


def size_bounds_m(kind: Kind) -> tuple[float, float]:
    """Sizes that may be typed for a kind [m]; the slider shows the usual ones."""
    return kind.size_m[0] / _STRETCH, kind.size_m[2] * _STRETCH


def _carries(form: Mapping[str, str]) -> Carries:
    at = form.get("carries", "1")
    return CARRIES[int(at)] if at in ("0", "1", "2") else "camera"


def _corrected(read: InputReader, form: Mapping[str, str]) -> dict[str, object]:
    corrected: dict[str, Any] = {}
    for name, (quantity, least, most) in CORRECTIONS.items():
        value = read.number(f"fix.{name}", quantity, least, most)
        if value is not None:
            corrected[name] = int(value) if quantity is COUNT else value
    chemistry = form.get("fix.chemistry", "")
    if chemistry in CHEMISTRIES:
        corrected["chemistry"] = chemistry
        corrected["pack_v"] = None  # what was printed no longer decides the cells
        if CHEMISTRIES[chemistry].cell_form == "pouch":
            corrected["round_cell"] = None
    return corrected


def read_start(
    form: Mapping[str, str],
    *,
    craft_of: Callable[[int], Craft | None],
    pack_of: Callable[[int], Pack | None],
    patterns: Mapping[str, FlyingPattern] = PATTERNS,
) -> StartForm:
    """What is asked by a form; what is not understood is left at its usual, with a word beside it."""
    units = form_units(form)
    read = InputReader(form, units)
    key = _kind(form)
    kind = KINDS[key]
    least_m, most_m = size_bounds_m(kind)
    pack_id = whole_number(form.get("pack_id", ""))
    owned = pack_of(pack_id) if pack_id else None
    craft_id = whole_number(form.get("craft_id", ""))
    craft = craft_of(craft_id) if craft_id else None
    manner = form.get("manner", "mixed")
    asked = Asked(
        kind=key,
        size_m=read.number("size", LENGTH, least_m, most_m),
        ready_kg=read.number("ready", MASS, 0.004, 100.0),
        carries=_carries(form),
        line=form.get("label", "")[: LONGEST_LINE + 1],
        corrected=_corrected(read, form),
        owned=None if owned is None else (pack_id, owned),
        craft=None if craft is None else (craft_id, craft),
        manner=_MANNERS[_MANNERS.index(manner)] if manner in _MANNERS else "mixed",
        pattern=patterns.get(form.get("pattern", "")),
        read=read_results(read),
    )
    return StartForm(Typed({**form, "units": units}), units, asked, read.errors)


def in_units(form: StartForm, units: System) -> StartForm:
    """The same form as it is typed in other units: what was read of it in those, the rest as it stands."""
    if form.units == units:
        return form
    asked, texts = form.asked, Typed(form.texts)
    read: dict[str, tuple[Quantity, object]] = {"size": (LENGTH, asked.size_m), "ready": (MASS, asked.ready_kg)}
    read |= {
        f"fix.{name}": (CORRECTIONS[name][0], value)
        for name, value in asked.corrected.items()
        if name in CORRECTIONS
    }
    for key, values in asked.read.items():
        if key == "charger_ohm":
            continue  # the same in all units, and several
        read |= {f"m.{key}.{name}": (of, value) for (name, of, *_), value in zip(RESULTS[key], values, strict=True)}
    texts |= {name: typed(value, of, units) for name, (of, value) in read.items() if isinstance(value, int | float)}
    texts["units"] = units
    return StartForm(texts, units, asked, form.errors)
