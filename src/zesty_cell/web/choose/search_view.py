"""Search: thousands of imagined packs under the pilot's limits, the front, the best of them."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from typing import Annotated, Any

from fastapi import APIRouter, Form, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from zesty_cell.core.answer.checks import POWER_MARGIN_LOOK, THRUST_TO_WEIGHT_LOOK
from zesty_cell.core.choose.candidates import MOST_CANDIDATES, SearchSpace, candidate_count, candidates, narrowed
from zesty_cell.core.choose.search import Excluded, Found, SearchLimits, search
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.flight.setup import set_up
from zesty_cell.core.flight.summary import Brief
from zesty_cell.core.parts.chemistries import CHEMISTRIES
from zesty_cell.core.parts.pack import Pack
from zesty_cell.core.parts.pack_figures import PackFigures
from zesty_cell.web.choose.base import Desk, base_context, desk_of
from zesty_cell.web.choose.imagined import spec_of
from zesty_cell.web.choose.jobs import Job, Jobs
from zesty_cell.web.drawing.front_chart import front_chart
from zesty_cell.web.drawing.pack_picture import PackPicture, pack_picture
from zesty_cell.web.http.database import Store
from zesty_cell.web.http.forms import Field, FormState, build, read_fields, texts_of
from zesty_cell.web.http.preferences import preferences_of
from zesty_cell.web.http.templating import page
from zesty_cell.words.face import Face
from zesty_cell.words.landing import CHEMISTRY_WORDS
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
    group,
)

router = APIRouter(prefix="/choose", include_in_schema=False)
_LISTED = 10
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
_ARRANGEMENTS = (("rows", "in rows"), ("two layers", "in two layers"), ("tube", "in a tube"))
_BRUSH = ("brush_from_s", "brush_to_s", "brush_from_spare", "brush_to_spare")


def _first_space(desk: Desk) -> dict[str, Any]:
    """Around the sheet's own pack: its voltage, a fifth to five times its cells."""
    pack = desk.sheet.pack
    cell_ah = pack.capacity_ah / pack.parallel
    low_ah, high_ah = max(0.05, round(0.3 * cell_ah, 2)), min(50.0, round(2.5 * cell_ah, 2))
    cells = tuple(number for number, cell in desk.cells.items() if cell.capacity_ah is not None)
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


def _read(desk: Desk, request: Request, units: System) -> Question:
    query = request.query_params
    asked = "units" in query
    first = _first_space(desk)
    if not asked:
        spare = THRUST_TO_WEIGHT_LOOK if desk.sheet.craft.lifts_itself() else POWER_MARGIN_LOOK
        first_limits = SearchLimits(least_to_spare=spare)
        texts = texts_of(SPACE_FIELDS, first, units) | texts_of(LIMIT_FIELDS, first_limits.model_dump(), units)
        return Question(
            space=SearchSpace(**(first | {"cells": tuple(desk.cells[k] for k in first["cells"])})),
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
    arrangements = tuple(a for a, _ in _ARRANGEMENTS if a in query.getlist("arrangement"))
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
                "cells": tuple(desk.cells[k].model_dump() for k in cell_ids if k in desk.cells),
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


def _key(desk: Desk, space: SearchSpace, limits: SearchLimits) -> str:
    """One name for one question, so that it is flown once."""
    text = desk.sheet.model_dump_json() + space.model_dump_json() + limits.model_dump_json()
    return hashlib.sha256(text.encode()).hexdigest()[:24]


@dataclass(frozen=True)
class Hit:
    """A candidate in the list."""

    pack: Pack
    figures: PackFigures
    brief: Brief
    front: bool
    picture: PackPicture
    spec: str | None
    size: str


def _hit(found: Found, k: int, desk: Desk) -> Hit:
    size = found.figures[k].size
    return Hit(
        pack=found.packs[k],
        figures=found.figures[k],
        brief=found.briefs[k],
        front=bool(found.front[k]),
        picture=pack_picture(found.packs[k], width=92.0),
        spec=spec_of(found.packs[k], cells=desk.cells),
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


@router.get("/{sheet_id}/search")
def search_page(request: Request, session: Store, sheet_id: int) -> HTMLResponse:
    """Ask, wait a moment, show what was found or how far it is."""
    view = preferences_of(request)
    face = Face(view)
    desk = desk_of(session, sheet_id)
    question = _read(desk, request, view.units)
    context: dict[str, Any] = base_context(desk, face, "/search") | {
        "title": f"Search a pack for {desk.sheet.craft.name}",
        "question": question,
        "texts": question.state.texts,
        "errors": question.state.errors,
        "units_used": question.state.units,
        "space_fields": {f.path: f for f in SPACE_FIELDS},
        "limit_fields": LIMIT_FIELDS,
        "chemistry_words": CHEMISTRY_WORDS,
        "arrangement_words": _ARRANGEMENTS,
        "job": None,
        "found": None,
        "too_many": None,
        "trouble": "",
        "count": None,
        "query": request.query_params,
        "most": MOST_CANDIDATES,
        "brush": {name: request.query_params.get(name, "")[:20] for name in _BRUSH},
    }
    if question.space is None or question.limits is None:
        return page(request, "choose_search.html", context, status=422)
    count = candidate_count(question.space)
    context["count"] = count
    if count > MOST_CANDIDATES:
        smaller = narrowed(question.space)
        context["too_many"] = {
            "count": count,
            "space": smaller,
            "smaller": candidate_count(smaller),
            "query": _narrowed_query(request, smaller, question.state.units),
        }
        return page(request, "choose_search.html", context, status=422)
    try:
        set_up(desk.sheet)
    except OutOfRangeError as error:  # what the sheet cannot do, none of its packs can
        return page(request, "choose_search.html", context | {"trouble": str(error)}, status=422)
    job = _start(request, desk, question.space, question.limits)
    context["job"] = job
    if job.error:
        question.state.errors["chemistries"] = job.error
        return page(request, "choose_search.html", context, status=422)
    if job.found is not None:
        context |= _found_context(job.found, desk, face, context["brush"])
    return page(request, "choose_search.html", context)


def _start(request: Request, desk: Desk, space: SearchSpace, limits: SearchLimits) -> Job:
    jobs: Jobs = request.app.state.searches
    sheet = desk.sheet

    def work(job: Job) -> Found:
        packs = tuple(candidates(space, like=sheet.pack))
        return search(sheet, packs=packs, limits=limits, progress=job.progress, cancelled=job.stop.is_set)

    return jobs.start(_key(desk, space, limits), work)


def _narrowed_query(request: Request, space: SearchSpace, units: System) -> list[tuple[str, str]]:
    """The address of the narrower question."""
    texts = texts_of(SPACE_FIELDS, space.model_dump(), units)
    kept = [(k, v) for k, v in request.query_params.multi_items() if k not in texts and k != "arrangement"]
    return kept + list(texts.items()) + [("arrangement", a) for a in space.arrangements]


def _found_context(found: Found, desk: Desk, face: Face, brush: dict[str, str]) -> dict[str, Any]:
    inside, brushed = _brushed(found, brush)
    fronts = [k for k in inside if found.front[k]]
    # The front first, evenly spread when it is long; then the longest of the rest.
    step = max(1, -(-len(fronts) // _LISTED))
    listed = (fronts[::step] + [k for k in inside if not found.front[k]])[:_LISTED]
    nearest = None if found.nearest is None else _hit(found, found.nearest, desk)
    return {
        "found": found,
        "chart": front_chart(found, names=CHEMISTRY_WORDS),
        "hits": [_hit(found, k, desk) for k in listed],
        "inside": len(inside),
        "front_count": len(fronts),
        "brushed": brushed,
        "meets": int(found.order.size),
        "flown": len(found.packs),
        "excluded": [_excluded_words(e, found, face) for e in found.excluded],
        "nearest": nearest,
    }


@router.post("/{sheet_id}/search/cancel")
def cancel_search(request: Request, sheet_id: int, key: Annotated[str, Form(max_length=40)]) -> Response:
    """End a search that runs."""
    jobs: Jobs = request.app.state.searches
    jobs.cancel(key)
    return RedirectResponse(f"/choose/{sheet_id}", 303)
