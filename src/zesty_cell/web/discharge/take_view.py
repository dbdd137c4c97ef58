"""A discharge run brought in: its file, its pack, its columns proposed and confirmed."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Annotated, Any

from fastapi import APIRouter, Form, Query, Request, UploadFile
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from pydantic import ValidationError
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

from zesty_cell.core.discharge.note import RunNote, series_of
from zesty_cell.core.fact import Words, fact
from zesty_cell.formats.csv_table import MOST_BYTES
from zesty_cell.formats.discharge_csv import (
    DISCHARGE_ROLES,
    MOST_CELLS,
    DischargeColumn,
    DischargeMapping,
    ReadRun,
)
from zesty_cell.formats.errors import FileFormatError
from zesty_cell.formats.telemetry_columns import ROLES, Role
from zesty_cell.services import discharges as service
from zesty_cell.store import discharges
from zesty_cell.store.hangar import PACKS
from zesty_cell.store.tables import DischargeRow
from zesty_cell.web.http import NOT_STORED, PostedForm, Store, page, preferences_of, say, whole_number
from zesty_cell.web.http.forms import Field, Typed, form_units, read_field, words_of
from zesty_cell.words.face import Face
from zesty_cell.words.units import COUNT, CURRENT, TEMPERATURE, System, span_words, typed

router = APIRouter(prefix="/tests/discharges", include_in_schema=False)

AIR = Field("air_c", "Air on the bench", TEMPERATURE)
CYCLE = Field("cycle", "Which of its cycles, from new", COUNT)
PART = Field(
    "part",
    "On the discharger was",
    kind="choice",
    options=(("whole", "the whole pack"), ("first half", "its first half"), ("second half", "its second half")),
)
HELD = Field("held_a", "Current that was set", CURRENT)
_SHOWN_ROWS = 6
_CELL = next(r for r in ROLES if r.key == "cell_v")


def _note(form: dict[str, str], units: System, errors: dict[str, Words], *, taken_at: datetime) -> RunNote:
    """What was typed of a run; what is wrong with it in ``errors``."""
    values: dict[str, Any] = {"taken_at": taken_at}
    for item in (AIR, CYCLE, PART):
        text = form.get(item.path, "")
        if item.kind == "choice" and not text:
            continue
        try:
            value = read_field(item, text, units)
        except ValueError as error:
            errors[item.path] = str(error)
            continue
        if value is not None:
            values[item.path] = int(value) if item is CYCLE else value
    try:
        return RunNote.model_validate(values)
    except ValidationError as error:
        for problem in error.errors(include_url=False, include_input=False):
            errors.setdefault(str(problem["loc"][0]), words_of(problem))
        return RunNote(taken_at=taken_at)


def _new(
    request: Request, session: Session, texts: dict[str, str], errors: dict[str, Words], *, status: int = 200
) -> HTMLResponse:
    context = {
        "packs": PACKS.all(session), "texts": Typed(texts), "errors": errors, "fields": (AIR, CYCLE, PART),
        "units": preferences_of(request).units,
    }  # fmt: skip
    return page(request, "discharge_new.html", context, status=status)


@router.get("/new")
def new_run(request: Request, session: Store, pack: Annotated[str, Query(max_length=12)] = "") -> HTMLResponse:
    """The form for a file."""
    return _new(request, session, {"pack": pack, "part": "whole"}, {})


@router.post("/new")
def take_file(
    request: Request,
    session: Store,
    file: Annotated[UploadFile | None, Form()] = None,
    pack: Annotated[str, Form(max_length=12)] = "",
    air_c: Annotated[str, Form(max_length=200)] = "",
    cycle: Annotated[str, Form(max_length=200)] = "",
    part: Annotated[str, Form(max_length=20)] = "whole",
    units: Annotated[str, Form(max_length=80)] = "",
) -> Response:
    """Keep a file; its columns are looked at next."""
    texts = {"pack": pack, "air_c": air_c, "cycle": cycle, "part": part, "units": units}
    errors: dict[str, Words] = {}
    note = _note(texts, form_units(texts), errors, taken_at=datetime.now(UTC).replace(microsecond=0))
    if not any(row.id == whole_number(pack) for row in PACKS.all(session)):
        errors["pack"] = fact("typed.discharge.pack")
    if file is None or not file.filename:
        errors["file"] = fact("typed.discharge.file")
    if errors or file is None:
        return _new(request, session, texts, errors, status=422)
    try:
        data = file.file.read(MOST_BYTES + 1)
        row = service.take_in(session, data, name=file.filename or "", pack_id=whole_number(pack), note=note)
        session.commit()
    except FileFormatError as error:
        session.rollback()
        return _new(request, session, texts, {"file": error.why}, status=422)
    except OperationalError:
        session.rollback()
        return _new(request, session, texts, {"": NOT_STORED}, status=503)
    return RedirectResponse(f"/tests/discharges/{row.id}/columns", 303)


@dataclass(frozen=True)
class _RoleLine:
    key: str
    title: str
    role: Role
    column: str
    unit: str
    becomes: Words
    doubt: Words


def _becomes(key: str, read: ReadRun, cells: list[str], face: Face) -> Words:
    """What a column's numbers are once read, so that a wrong unit is seen at a glance."""
    run = read.run
    if key == "time_s":
        return fact("column.long", long_s=float(run.time_s[-1]), lines=run.time_s.size)
    if key == "used_ah":
        return fact("column.in_all", used_ah=run.total_ah)
    if key.startswith("cell_"):
        return "" if run.cells_v is None else span_words(run.cells_v[cells.index(key)], "V", 3)
    if key == "temperature_c":
        return "" if run.temperature_c is None else face.span(TEMPERATURE, run.temperature_c)
    values, unit, digits = {"pack_v": (run.pack_v, "V", 2), "current_a": (run.current_a, "A", 2)}[key]
    return "" if values is None else span_words(values, unit, digits)


def _lines(found: service.Proposed, series: int, face: Face) -> list[_RoleLine]:
    doubts = {d.field: d.why for d in found.doubts}
    cells = [c.role for c in found.mapping.cells()]
    count = max(series, *(int(c.removeprefix("cell_")) for c in cells)) if cells else series
    keys = [(r.key, r.title, r) for r in DISCHARGE_ROLES]
    keys += [(f"cell_{k + 1}", f"Cell {k + 1}", _CELL) for k in range(min(count, MOST_CELLS) if count > 1 else 0)]
    lines = []
    for key, title, role in keys:
        choice = found.mapping.of(key)
        becomes = "" if choice is None or found.read is None else _becomes(key, found.read, cells, face)
        column, unit = ("", role.units[0].key) if choice is None else (str(choice.column), choice.unit)
        lines.append(_RoleLine(key, title, role, column, unit, becomes, doubts.get(key, "")))
    return lines


def _columns(
    request: Request,
    found: service.Proposed,
    texts: dict[str, str],
    errors: dict[str, Words],
    *,
    asked: bool = False,
) -> HTMLResponse:
    view = preferences_of(request)
    note = discharges.note_of(found.row)
    series = series_of(note.part, series=found.row.pack.series)
    context = {
        "row": found.row, "table": found.table, "mapping": found.mapping, "error": found.error,
        "errors": errors, "texts": Typed(texts), "lines": _lines(found, series, Face(view)), "units": view.units,
        "notes": found.read.notes if found.read else found.table.notes, "fields": (AIR, CYCLE, PART), "held": HELD,
        "shown": list(zip(found.table.lines[:_SHOWN_ROWS], found.table.first[:_SHOWN_ROWS], strict=True)),
        "doubts": [d.why for d in found.doubts],
    }  # fmt: skip
    refused = asked and (not found.sound or bool(errors))
    return page(request, "discharge_columns.html", context, status=422 if refused else 200)


def _texts(row: DischargeRow, mapping: DischargeMapping, units: System) -> dict[str, str]:
    note = discharges.note_of(row)
    return {
        "air_c": "" if note.air_c is None else typed(note.air_c, TEMPERATURE, units),
        "cycle": "" if note.cycle is None else str(note.cycle),
        "part": note.part,
        "held_a": "" if mapping.held_a is None else f"{mapping.held_a:g}",
    }


@router.get("/{run_id}/columns")
def show_columns(request: Request, session: Store, run_id: int) -> HTMLResponse:
    """What its columns are, as proposed or confirmed."""
    row = discharges.fetch(session, run_id)
    found = service.proposed(session, row)
    return _columns(request, found, _texts(row, found.mapping, preferences_of(request).units), {})


def _posted(form: dict[str, str], units: System, errors: dict[str, Words]) -> DischargeMapping | None:
    """The columns as chosen, which stay whatever is wrong with the current beside them; None for none."""
    columns = []
    keys = [r.key for r in DISCHARGE_ROLES] + [f"cell_{k + 1}" for k in range(MOST_CELLS)]
    try:
        for key in keys:
            if form.get(f"{key}.column", ""):
                chosen = {"role": key, "column": form[f"{key}.column"], "unit": form.get(f"{key}.unit", "")}
                columns.append(DischargeColumn.model_validate(chosen))
        mapping = DischargeMapping(columns=tuple(columns), lenient=bool(form.get("lenient")))
    except ValidationError as error:
        errors[""] = words_of(error.errors(include_url=False, include_input=False)[0])
        return None
    try:
        held_a = read_field(HELD, form.get("held_a", ""), units)
        return DischargeMapping(columns=mapping.columns, held_a=held_a, lenient=mapping.lenient)
    except ValidationError as error:
        errors["held_a"] = words_of(error.errors(include_url=False, include_input=False)[0])
    except ValueError as error:
        errors["held_a"] = str(error)
    return mapping


@router.post("/{run_id}/columns")
def take_columns(request: Request, session: Store, run_id: int, form: PostedForm) -> Response:
    """Look at other columns, or take them as they are."""
    row, units = discharges.fetch(session, run_id), form_units(form)
    errors: dict[str, Words] = {}
    note = _note(form, units, errors, taken_at=discharges.note_of(row).taken_at)
    mapping = _posted(form, units, errors)
    row.document = row.document if errors else {**row.document, "part": note.part}
    found = service.proposed(session, row, mapping)
    confirming = form.get("action") == "confirm"
    if errors or not confirming or not found.sound:
        session.expire(row)
        return _columns(request, found, form, errors, asked=confirming)
    try:
        service.confirm(session, found, note)
        session.commit()
    except OperationalError:
        session.rollback()
        return _columns(request, found, form, {"": NOT_STORED}, asked=True)
    return say(
        RedirectResponse(f"/tests/discharges?run={row.id}", 303), fact("said.discharge.in_drawer", name=row.name)
    )
