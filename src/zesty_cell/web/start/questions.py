"""The three questions of the first page, with what was understood of the label."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any, Final

from sqlalchemy.orm import Session

from zesty_cell.core.fact import Words
from zesty_cell.core.parts.chemistries import CHEMISTRIES
from zesty_cell.core.parts.connectors import CONNECTORS
from zesty_cell.core.parts.pack_figures import pack_figures
from zesty_cell.core.parts.starting import CARRIES, StartKey
from zesty_cell.services.patterns import known_patterns
from zesty_cell.services.starting import FirstSheet
from zesty_cell.store.hangar import CRAFTS, PACKS
from zesty_cell.web.drawing.pack_picture import pack_picture
from zesty_cell.web.drawing.pattern_strip import pattern_strip
from zesty_cell.web.start.form import StartForm
from zesty_cell.words.face import Face
from zesty_cell.words.first import carried_note, charge_note, rating_note, size_note, usual_weight
from zesty_cell.words.naming import CARRIES_WORDS, KIND_WORDS, MANNER_WORDS
from zesty_cell.words.units import LENGTH, MASS, Quantity, typed

#: Silhouettes in the order in which they stand; the last wing is a jet where a fan drives it.
SILHOUETTES: Final[tuple[StartKey, ...]] = (
    "micro", "small_quad", "freestyle", "long_range", "lifter", "plane", "flying_wing", "helicopter",
)  # fmt: skip


@dataclass(frozen=True)
class Slider:
    """A figure with two handles: a number that is typed, and a slider.

    ``text`` is empty while it is assumed; then ``assumed`` stands in its place.
    """

    name: str
    text: str
    assumed: str
    unit: str
    least: str
    most: str
    now: str
    step: str
    note: str
    error: Words


@dataclass(frozen=True)
class Understood:
    """A word under the label that can be corrected: its field, what it says, and whether that is assumed."""

    name: str
    value: str
    after: str
    assumed: bool
    corrected: bool
    error: Words


def _slider(
    form: StartForm, name: str, quantity: Quantity, *, now: float, low: float, high: float, note: str, error: Words
) -> Slider:
    unit = quantity.unit(form.units)
    shown_low, shown_high, shown = unit.show(low), unit.show(high), unit.show(now)
    step = next(s for s in (0.1, 1.0, 5.0, 10.0, 50.0, 100.0) if (shown_high - shown_low) / s <= 200 or s == 100.0)
    decimals = 1 if step < 1.0 else 0
    # The slider's places are whole steps, as a person would say them.
    shown_low, shown_high = step * math.floor(shown_low / step), step * math.ceil(shown_high / step)
    return Slider(
        name=name,
        text=form.texts[name],
        assumed=f"{shown:.{decimals}f}",
        unit=unit.label,
        least=f"{shown_low:.{decimals}f}",
        most=f"{shown_high:.{decimals}f}",
        now=f"{min(max(shown, shown_low), shown_high):.{decimals}f}",
        step=f"{step:g}",
        note=note,
        error=error,
    )


def _sliders(form: StartForm, first: FirstSheet, face: Face) -> tuple[Slider, Slider]:
    kind, asked = first.kind, form.asked
    low_kg, middle_kg, high_kg = first.usual_ready_kg
    ready_kg = middle_kg if asked.ready_kg is None else asked.ready_kg
    size_m = kind.size_m[1] if asked.size_m is None else asked.size_m
    return (
        _slider(
            form, "ready", MASS, now=ready_kg, low=0.55 * middle_kg, high=1.7 * middle_kg,
            note=usual_weight(low_kg, high_kg, face),
            error=form.errors.get("ready") or first.doubts.get("ready", ""),
        ),
        _slider(
            form, "size", LENGTH, now=size_m, low=kind.size_m[0], high=kind.size_m[2],
            note=size_note(kind, size_m, form.units), error=form.errors.get("size", ""),
        ),
    )  # fmt: skip


def _understood(form: StartForm, first: FirstSheet) -> list[Understood]:
    """The words under the label: what it said, what is assumed, each to be corrected at its place."""
    labelled, units = first.labelled, form.units
    pack, corrected = labelled.pack, form.asked.corrected
    words = [
        (
            "series",
            str(pack.series),
            "cell" if pack.series == 1 else "cells in series",
            "series" in labelled.assumed,
        ),
    ]
    if pack.parallel > 1 or "parallel" in corrected:
        words.append(("parallel", str(pack.parallel), "in parallel", False))
    charge = charge_note(pack_figures(pack).nominal_wh, of_whole_pack=labelled.each_cell)
    words.append((
        "capacity_ah", f"{1000.0 * pack.capacity_ah:.0f}", charge,
        "capacity_ah" in labelled.assumed,
    ))  # fmt: skip
    rating = rating_note(pack)
    if rating:
        words.append(("label_c", "" if pack.label_c is None else f"{pack.label_c:g}", rating, False))
    mass_kg = pack_figures(pack).mass_kg
    unit = MASS.unit(units).label
    words.append(("mass_kg", typed(float(f"{mass_kg:.3g}"), MASS, units), unit, pack.mass_kg is None))
    return [
        Understood(
            f"fix.{name}",
            form.texts[f"fix.{name}"].strip() or value,
            after,
            assumed and name not in corrected,
            bool(form.texts[f"fix.{name}"].strip()),
            form.errors.get(f"fix.{name}", ""),
        )
        for name, value, after, assumed in words
    ]


def questions(form: StartForm, first: FirstSheet, session: Session, face: Face) -> dict[str, Any]:
    """The three questions, filled in."""
    pack, asked, patterns = first.labelled.pack, form.asked, known_patterns(session)
    chosen = "flying_wing" if asked.kind == "jet" else asked.kind
    carries = CARRIES.index(asked.carries)
    return {
        "texts": form.texts,
        "errors": form.errors,
        "kinds": [(key, *KIND_WORDS[key], key == chosen and asked.craft is None) for key in SILHOUETTES],
        "kind": chosen,
        "fan": asked.kind == "jet",
        "sliders": _sliders(form, first, face),
        "carries": carries,
        "carries_words": CARRIES_WORDS[asked.carries],
        "carries_note": carried_note(first.sheet.craft.avionics_w),
        "understood": _understood(form, first),
        "chemistry": pack.chemistry,
        "chemistry_assumed": "chemistry" in first.labelled.assumed and "chemistry" not in asked.corrected,
        "chemistry_corrected": "chemistry" in asked.corrected,
        "chemistries": [(key, chemistry.name) for key, chemistry in CHEMISTRIES.items()],
        "plug": CONNECTORS[pack.connector].name,
        "plug_assumed": "plug" in first.labelled.assumed,
        "label_troubles": first.labelled.troubles,
        "picture": pack_picture(pack, width=168.0),
        "packs": PACKS.all(session),
        "crafts": CRAFTS.all(session),
        "craft": asked.craft,
        "owned": asked.owned,
        "manners": [
            (manner, words, asked.pattern is None and manner == asked.manner)
            for manner, words in MANNER_WORDS.items()
        ],
        "patterns": patterns,
        "pattern": next(
            (key for key, p in patterns.items() if asked.pattern is not None and p == asked.pattern), ""
        ),
        "strip": pattern_strip(first.sheet.flying, width=700.0, face=face),
        "flying_name": first.sheet.flying.name,
    }
