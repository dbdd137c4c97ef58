"""Matching: motors, propellers and a weight, and what they would do on each cell count."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any
from urllib.parse import urlencode

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse
from pydantic import BaseModel, Field

from zesty_cell.core.choose.matching import Match, match_cells
from zesty_cell.core.parts.chemistries import CHEMISTRIES
from zesty_cell.core.parts.chemistry import ChemistryKey
from zesty_cell.core.parts.craft import Limits
from zesty_cell.core.parts.power_doubt import FULL_THROTTLE_SIGMA
from zesty_cell.core.parts.propulsion import PARTS_FULL_SIGMA, PARTS_HOVER_SIGMA, Propulsion
from zesty_cell.core.parts.starting import KINDS
from zesty_cell.web.hangar.craft_form import PARTS_FIELDS
from zesty_cell.web.http import FormState, forms, page, preferences_of
from zesty_cell.words.units import CURRENT, MASS, POWER, System

router = APIRouter(prefix="/hangar/parts", include_in_schema=False)

_CARRIED = (("multirotor", "its propellers"), ("wing", "a wing"))
CRAFT_FIELDS = (
    forms.Field("ready_kg", "Weight, with the pack", MASS, required=True),
    forms.Field("carried_by", "Carried by", kind="choice", options=_CARRIED),
    forms.Field("chemistry", "Pack", kind="choice", options=tuple((c.key, c.name) for c in CHEMISTRIES.values())),
)
LIMIT_FIELDS = (
    forms.Field("limits.motor_a", "One motor, most", CURRENT, hint="not known"),
    forms.Field("limits.motor_w", "One motor, most power", POWER, hint="not known"),
    forms.Field("limits.esc_burst_a", "One ESC, ten seconds", CURRENT, hint="not known"),
)
_FIELDS = (*PARTS_FIELDS, *CRAFT_FIELDS, *LIMIT_FIELDS)
#: What the page begins with: a usual freestyle quad.
_FIRST: dict[str, Any] = {
    "propulsion": {"motor_count": 4, "kv_rpm_v": 1900.0, "diameter_m": 0.13, "pitch_m": 0.11, "blades": 3},
    "ready_kg": 0.65, "carried_by": "multirotor", "chemistry": "lipo",
}  # fmt: skip


class _Asked(BaseModel):
    propulsion: Propulsion
    ready_kg: float = Field(ge=0.004, le=100)
    carried_by: str = "multirotor"
    chemistry: ChemistryKey = "lipo"
    limits: Limits = Limits()


def _begin_with(matches: Sequence[Match]) -> Match | None:
    """The most that is right in every respect; else the first that only deserves a look."""
    return next((m for m in reversed(matches) if m.status == "ok"), None) or next(
        (m for m in matches if m.status == "look"), None
    )


def _craft_link(asked: _Asked, texts: dict[str, str], chosen: Match) -> str:
    """The form of a new craft of these parts."""
    sizes = {k.key: k.size_m[1] for k in KINDS.values() if k.kind == "multirotor"}
    like = "plane"
    if asked.carried_by == "multirotor":
        like = min(sizes, key=lambda key: abs(math.log(asked.propulsion.diameter_m / sizes[key])))
    given = {f.path: texts[f.path] for f in PARTS_FIELDS if texts[f.path]}
    volts = {"full_throttle.parts.voltage_v": f"{chosen.voltage_v:.1f}"}
    return f"/hangar/crafts/new?{urlencode({'like': like, **given, **volts})}"


def _read(request: Request, units: System) -> tuple[_Asked | None, FormState]:
    query = {k: v[:24] for k, v in request.query_params.items() if k in {f.path for f in _FIELDS}}
    if not query:
        query = forms.texts_of(_FIELDS, _FIRST, units)
    values, state = forms.read_fields(_FIELDS, {**query, "units": request.query_params.get("units", units)[:8]})
    return forms.build(_Asked, values, _FIELDS, state, groups={"propulsion": "propulsion.kv_rpm_v"}), state


@router.get("")
def match_parts(request: Request) -> HTMLResponse:
    """What motors and propellers would do on each cell count."""
    asked, state = _read(request, preferences_of(request).units)
    matches: tuple[Match, ...] = ()
    chosen: Match | None = None
    if asked is not None:
        matches = match_cells(
            asked.propulsion,
            ready_kg=asked.ready_kg,
            chemistry=asked.chemistry,
            limits=asked.limits,
            rotor=asked.carried_by != "wing",
        )
        chosen = _begin_with(matches)
    context = {
        "groups": (
            ("Motors and propellers", PARTS_FIELDS),
            ("The craft", CRAFT_FIELDS),
            ("Limits, if known", LIMIT_FIELDS),
        ),
        "texts": state.texts, "errors": state.errors, "units_used": state.units,
        "asked": asked, "matches": matches, "chosen": chosen,
        "link": None if asked is None or chosen is None else _craft_link(asked, state.texts, chosen),
        "wide": (PARTS_FULL_SIGMA, PARTS_HOVER_SIGMA, FULL_THROTTLE_SIGMA["measured"]),
    }  # fmt: skip
    return page(request, "match.html", context)
