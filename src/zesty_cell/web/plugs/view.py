"""A plug or a lead measured by the millivolts across it at the amps through it, and put onto a pack."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from sqlalchemy.orm import Session

from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import Words, fact
from zesty_cell.core.parts.own_part import OwnPart, part_of_millivolts
from zesty_cell.core.parts.pack_figures import pack_figures
from zesty_cell.store.errors import EditConflictError
from zesty_cell.store.hangar import PACKS
from zesty_cell.store.tables import PackRow
from zesty_cell.web.http import PostedForm, Store, page, preferences_of, say, whole_number
from zesty_cell.web.http.forms import Field, Typed, read_field
from zesty_cell.words.units import CURRENT, MILLIVOLTS

router = APIRouter(prefix="/tests/plugs", include_in_schema=False)

#: Readings that are asked for: at one current a scale hides, at several it does not.
READINGS = tuple(
    (Field(f"v_{k}", "Across both poles", MILLIVOLTS), Field(f"a_{k}", "at", CURRENT)) for k in range(1, 5)
)
_KINDS = (("plug", "the plug"), ("lead", "the leads"))


@dataclass(frozen=True)
class Found:
    """What the readings say: of which part, its resistance and how far its interval reaches [Ω]."""

    ohm: float
    reach_ohm: float
    usual_ohm: float


def _read(form: Mapping[str, str], errors: dict[str, Words]) -> list[tuple[float, float]]:
    units, found = "metric", []
    for volts, amps in READINGS:
        pair = []
        for item in (volts, amps):
            try:
                pair.append(read_field(item, form.get(item.path, ""), units))
            except ValueError as error:
                errors[item.path] = str(error)
        if len(pair) == 2 and (pair[0] is None) != (pair[1] is None):
            errors[(volts if pair[0] is None else amps).path] = fact("typed.part.both")
        elif len(pair) == 2 and pair[0] is not None and pair[1] is not None:
            found.append((pair[0], pair[1]))
    return found


def _found(row: PackRow | None, form: Mapping[str, str], errors: dict[str, Words]) -> Found | None:
    readings = _read(form, errors)
    if errors or not readings:
        return None
    try:
        ohm, reach_ohm = part_of_millivolts(readings)
    except OutOfRangeError as error:
        errors["v_1"] = error.why
        return None
    usual = 0.0
    if row is not None:
        figures = pack_figures(PACKS.thing(row).model_copy(update={"plug": None, "lead": None}))
        usual = figures.leads_ohm if form.get("part") == "lead" else figures.connector_ohm
    return Found(ohm, reach_ohm, usual)


def _shown(
    request: Request, session: Session, form: Mapping[str, str], errors: dict[str, Words], *, status: int = 200
) -> HTMLResponse:
    packs = PACKS.all(session)
    row = next((r for r in packs if r.id == whole_number(form.get("pack", ""))), None)
    own = [(r, thing.plug, thing.lead) for r in packs for thing in (PACKS.thing(r),) if thing.plug or thing.lead]
    context: dict[str, Any] = {
        "packs": packs, "row": row, "texts": Typed(form), "found": _found(row, form, errors), "errors": errors,
        "readings": READINGS, "kinds": _KINDS, "own": own, "units": preferences_of(request).units,
    }  # fmt: skip
    return page(request, "plugs.html", context, status=status)


@router.get("")
def show_plugs(request: Request, session: Store) -> HTMLResponse:
    """The form, and what was measured before."""
    return _shown(request, session, {}, {})


@router.post("")
def take_plug(request: Request, session: Store, form: PostedForm) -> Response:
    """Work a part out; put it onto the pack where that was asked for."""
    errors: dict[str, Words] = {}
    if form.get("action") != "put":
        return _shown(request, session, form, errors)
    row = next((r for r in PACKS.all(session) if r.id == whole_number(form.get("pack", ""))), None)
    found = _found(row, form, errors)
    if row is None:
        errors["pack"] = fact("typed.part.pack")
    if row is None or found is None:
        if not errors:
            errors["v_1"] = fact("typed.part.reading")
        return _shown(request, session, form, errors, status=422)
    now = datetime.now(UTC).replace(microsecond=0)
    part = OwnPart(ohm=found.ohm, reach_ohm=found.reach_ohm, source="millivolts at amps", measured_at=now)
    name = "lead" if form.get("part") == "lead" else "plug"
    return _put(
        session, row, {name: part}, fact("said.part.own", pack=row.name, part=name, milliohms=1000 * found.ohm)
    )


@router.post("/{pack_id}/{part}/remove")
def take_off(session: Store, pack_id: int, part: str) -> Response:
    """Back to what is usual for its class or size."""
    row = PACKS.fetch(session, pack_id)
    name = "lead" if part == "lead" else "plug"
    return _put(session, row, {name: None}, fact("said.part.by_class", part=name, pack=row.name))


def _put(session: Session, row: PackRow, change: dict[str, OwnPart | None], words: Words) -> Response:
    after = PACKS.thing(row).model_copy(update=change)
    try:
        PACKS.change(session, row.id, row.version, after, cell_id=row.cell_id)
        session.commit()
    except EditConflictError as error:
        session.rollback()
        return say(RedirectResponse("/tests/plugs", 303), fact("said.nothing_changed", why=error.why))
    return say(RedirectResponse("/tests/plugs", 303), words)
