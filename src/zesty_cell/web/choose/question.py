"""What is searched for, from the address."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from typing import Any

from fastapi import Request

from zesty_cell.core.answer.checks import POWER_MARGIN_LOOK, THRUST_TO_WEIGHT_LOOK
from zesty_cell.core.choose.candidates import SearchSpace
from zesty_cell.core.choose.search import SearchLimits
from zesty_cell.core.parts.chemistries import CHEMISTRIES
from zesty_cell.web.choose.base import Origin
from zesty_cell.web.http import FormState
from zesty_cell.web.http.forms import Field, build, read_fields, texts_of
from zesty_cell.words.units import (
    CAPACITY,
    COUNT,
    DURATION,
    MASS,
    MILLIMETRE,
    RATIO,
    SHARE,
    TEMPERATURE,
    System,
)

SPACE_FIELDS = (
    Field("capacity_from_ah", "Pouches from", CAPACITY, required=True),
    Field("capacity_to_ah", "to", CAPACITY, required=True),
    Field("capacity_steps", "in steps", COUNT, required=True),
    Field("series_from", "In series from", COUNT, required=True),
    Field("series_to", "to", COUNT, required=True),
    Field("parallel_from", "In parallel from", COUNT, required=True),
    Field("parallel_to", "to", COUNT, required=True),
    Field(
        "quality",
        "Imagined packs are",
        kind="choice",
        options=(
            ("good", "good ones"),
            ("ordinary", "ordinary"),
            ("micro", "tiny or tired"),
            ("tabless", "tabless power cells"),
        ),
    ),
)
LIMIT_FIELDS = (
    Field("most_all_up_kg", "All-up weight, at most", MASS, hint="any"),
    Field("most_pack_kg", "Pack weight, at most", MASS, hint="any"),
    Field("most_length_m", "Pack length, at most", MILLIMETRE, hint="any"),
    Field("most_width_m", "Width, at most", MILLIMETRE, hint="any"),
    Field("most_height_m", "Height, at most", MILLIMETRE, hint="any"),
    Field("least_time_s", "Flight time, at least", DURATION, hint="any"),
    Field("least_thrust_share", "Thrust kept, at least", SHARE, hint="any"),
    Field("least_to_spare", "Thrust at landing, × weight", RATIO, hint="any"),
    Field("most_c", "Hottest cell, at most", TEMPERATURE, hint="any"),
)
ARRANGEMENTS = (("rows", "in rows"), ("two layers", "in two layers"), ("tube", "in a tube"))


def _first_space(origin: Origin) -> dict[str, Any]:
    """Around the sheet's own pack: its voltage, a fifth to five times its cells."""
    pack = origin.sheet.pack
    # Pouches are tried one in parallel, whatever is flown now.
    pouch = CHEMISTRIES[pack.chemistry].cell_form == "pouch"
    cell_ah = pack.capacity_ah / (1 if pouch else pack.parallel)
    low_ah, high_ah = max(0.05, round(0.3 * cell_ah, 2)), min(50.0, round(2.5 * cell_ah, 2))
    cells = tuple(number for number, cell in origin.cells.items() if cell.capacity_ah is not None)
    return {
        # Polymer packs come in any size; round cells as they lie on the shelf.
        "chemistries": ("lipo",) if cells else ("lipo", "liion_power", "liion_energy"),
        "cells": cells,
        "capacity_from_ah": low_ah,
        "capacity_to_ah": max(high_ah, low_ah),
        "capacity_steps": 40,
        "quality": "good",
        "series_from": max(1, pack.series - 2),
        "series_to": min(14, pack.series),
        "parallel_from": 1,
        "parallel_to": max(3, min(pack.parallel, 14)),
        "arrangements": ("rows",),
    }


def _own_limits(origin: Origin) -> SearchLimits:
    """What the craft itself allows: its weight class, the room for its pack, and enough to fly on at landing."""
    craft = origin.sheet.craft
    return SearchLimits(
        least_to_spare=THRUST_TO_WEIGHT_LOOK if craft.lifts_itself() else POWER_MARGIN_LOOK,
        most_all_up_kg=craft.limits.weight_class_kg,
        most_length_m=craft.limits.bay_length_m,
        most_width_m=craft.limits.bay_width_m,
        most_height_m=craft.limits.bay_height_m,
    )


@dataclass
class Question:
    """What is asked: the space and limits where they make sense, and the texts as typed."""

    space: SearchSpace | None
    limits: SearchLimits | None
    state: FormState
    chemistries: tuple[str, ...]
    cell_ids: tuple[int, ...]
    arrangements: tuple[str, ...]
    within_parts: bool
    over_cutoff: bool
    asked: bool


def read_question(origin: Origin, request: Request, units: System) -> Question:
    query = request.query_params
    asked = "units" in query
    first = _first_space(origin)
    if not asked:
        first_limits = _own_limits(origin)
        texts = texts_of(SPACE_FIELDS, first, units) | texts_of(LIMIT_FIELDS, first_limits.model_dump(), units)
        return Question(
            space=SearchSpace(**(first | {"cells": tuple(origin.cells[k] for k in first["cells"])})),
            limits=first_limits,
            state=FormState(texts=texts, units=units),
            chemistries=first["chemistries"],
            cell_ids=first["cells"],
            arrangements=("rows",),
            within_parts=True,
            over_cutoff=True,
            asked=False,
        )
    form = {key: value for key, value in query.items() if len(value) <= 200}
    values, state = read_fields((*SPACE_FIELDS, *LIMIT_FIELDS), form)
    chemistries = tuple(c for c in query.getlist("chemistry") if c in CHEMISTRIES)
    cell_ids = tuple(int(t) for t in query.getlist("cell") if t.isascii() and t.isdigit() and len(t) < 10)
    arrangements = tuple(a for a, _ in ARRANGEMENTS if a in query.getlist("arrangement"))
    within_parts, over_cutoff = query.get("within_parts") == "on", query.get("over_cutoff") == "on"
    limit_paths = {f.path for f in LIMIT_FIELDS}
    limits = build(
        SearchLimits,
        {k: v for k, v in values.items() if k in limit_paths}
        | {"within_parts": within_parts, "over_cutoff": over_cutoff, "most_c": values.get("most_c")},
        LIMIT_FIELDS,
        state,
        groups={},
    )
    space = None
    if limits is not None:
        space = build(
            SearchSpace,
            {k: v for k, v in values.items() if k not in limit_paths}
            | {
                "chemistries": chemistries,
                "cells": tuple(origin.cells[k].model_dump() for k in cell_ids if k in origin.cells),
                "arrangements": arrangements,
            },
            SPACE_FIELDS,
            state,
            groups={"chemistries": "chemistries", "arrangements": "arrangements", "cells": "chemistries"},
        )
    return Question(
        space=space,
        limits=limits,
        state=state,
        chemistries=chemistries,
        cell_ids=cell_ids,
        arrangements=arrangements,
        within_parts=within_parts,
        over_cutoff=over_cutoff,
        asked=True,
    )


def search_key(origin: Origin, space: SearchSpace, limits: SearchLimits) -> str:
    """One name for one question, so that it is flown once."""
    text = origin.sheet.model_dump_json() + space.model_dump_json() + limits.model_dump_json()
    return hashlib.sha256(text.encode()).hexdigest()[:24]


def narrowed_query(request: Request, space: SearchSpace, units: System) -> list[tuple[str, str]]:
    """The address of the narrower question."""
    texts = texts_of(SPACE_FIELDS, space.model_dump(), units)
    kept = [(k, v) for k, v in request.query_params.multi_items() if k not in texts and k != "arrangement"]
    return kept + list(texts.items()) + [("arrangement", a) for a in space.arrangements]
