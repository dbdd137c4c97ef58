"""A thrust run on the bench: grams a watt, where a craft hovers on it, and what that means for its flight."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Annotated, Any

from fastapi import APIRouter, Form, Request, UploadFile
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from pydantic import ValidationError
from sqlalchemy.orm import Session

from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import Words, fact
from zesty_cell.core.parts.thrust import ThrustStep
from zesty_cell.formats.csv_table import MOST_BYTES
from zesty_cell.formats.errors import FileFormatError
from zesty_cell.formats.thrust_csv import steps_of_file
from zesty_cell.services.thrust_runs import Told, keep_run, told_by_run, unloads_in_flight
from zesty_cell.store import sheets
from zesty_cell.store.errors import EditConflictError
from zesty_cell.store.tables import SheetRow
from zesty_cell.web.http import PostedForm, Store, page, say, whole_number
from zesty_cell.web.http.forms import Typed, words_of
from zesty_cell.web.thrust.form import read_on_bench, read_steps

router = APIRouter(prefix="/tests/thrust", include_in_schema=False)


@dataclass(frozen=True)
class Answer:
    """What a run says: its steps, and of a sheet's craft; None where it says nothing of one."""

    steps: tuple[ThrustStep, ...]
    told: Told | None = None


def _answer(row: SheetRow | None, form: Mapping[str, str], errors: dict[str, Words]) -> Answer | None:
    steps, on_bench = read_steps(form, errors), read_on_bench(form, errors)
    if not steps:
        return None
    if row is None:
        return Answer(steps)
    try:
        return Answer(steps, told_by_run(row, steps, on_bench=on_bench))
    except OutOfRangeError as error:
        errors["steps"] = error.why
    except ValidationError as error:
        errors["steps"] = words_of(error.errors(include_url=False)[0])
    return Answer(steps, Told(unloads_in_flight(row)))


def _row(session: Session, form: Mapping[str, str]) -> SheetRow | None:
    number = whole_number(form.get("sheet", ""))
    return next((r for r in sheets.all_sheets(session) if r.id == number), None)


def _shown(
    request: Request, session: Session, form: Mapping[str, str], errors: dict[str, Words], *, status: int = 200,
    came: Words = "",
) -> HTMLResponse:  # fmt: skip
    row = _row(session, form)
    context: dict[str, Any] = {
        "sheets": sheets.all_sheets(session), "row": row, "texts": Typed(form),
        "answer": _answer(row, form, errors), "errors": errors,
        "came": came,
    }  # fmt: skip
    return page(request, "thrust.html", context, status=status)


@router.get("")
def show_thrust(request: Request, session: Store) -> HTMLResponse:
    """The form; where nobody said how many motors were on the bench, one."""
    return _shown(request, session, {"on_bench": "1"}, {})


@router.post("")
def take_thrust(request: Request, session: Store, form: PostedForm) -> Response:
    """Work a run out; keep it as a propeller set where that was asked for."""
    errors: dict[str, Words] = {}
    if form.get("action") != "keep":
        return _shown(request, session, form, errors)
    row, name = _row(session, form), form.get("name", "").strip()[:80]
    if row is None:
        errors["sheet"] = fact("typed.thrust.craft")
    if not name:
        errors["name"] = fact("typed.thrust.name")
    steps, on_bench = read_steps(form, errors), read_on_bench(form, errors)
    if not steps and "steps" not in errors:
        errors["steps"] = fact("typed.thrust.two_steps")
    if errors or row is None:
        return _shown(request, session, form, errors, status=422)
    trouble = _keep(session, row, steps, on_bench=on_bench, name=name)
    if trouble:
        errors["name"] = trouble
        return _shown(request, session, form, errors, status=422)
    place = f"/hangar/crafts/{row.craft_id}/propellers"
    return say(RedirectResponse(place, 303), fact("said.thrust.set", name=name, craft=row.craft.name))


@router.post("/file")
def take_file(
    request: Request,
    session: Store,
    file: Annotated[UploadFile | None, Form()] = None,
    sheet: Annotated[str, Form(max_length=12)] = "",
    on_bench: Annotated[str, Form(max_length=20)] = "1",
    steps: Annotated[str, Form(max_length=20_000)] = "",
    name: Annotated[str, Form(max_length=200)] = "",
) -> Response:
    """The steps of a thrust stand's file, written where they would be typed; what was typed else stays."""
    form = {"sheet": sheet, "on_bench": on_bench, "steps": steps, "name": name}
    if file is None or not file.filename:
        return _shown(request, session, form, {"file": fact("typed.thrust.file")}, status=422)
    try:
        found = steps_of_file(file.file.read(MOST_BYTES + 1))
    except FileFormatError as error:
        return _shown(request, session, form, {"file": error.why}, status=422)
    count = found.text.count("\n") + 1
    came = fact("said.thrust.steps", count=count, lines=found.lines, file=file.filename[:80])
    return _shown(request, session, form | {"steps": found.text}, {}, came=came)


def _keep(session: Session, row: SheetRow, steps: tuple[ThrustStep, ...], *, on_bench: int, name: str) -> Words:
    """Keep a run as a set of the sheet's craft; why not, where that cannot be."""
    try:
        keep_run(session, row, steps, on_bench=on_bench, name=name)
        session.commit()
    except ValidationError as error:
        session.rollback()
        return words_of(error.errors(include_url=False)[0])
    except (OutOfRangeError, EditConflictError) as error:
        session.rollback()
        return error.why
    return ""
