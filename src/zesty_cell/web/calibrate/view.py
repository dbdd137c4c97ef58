"""The calibration pages: what there is to check, each guided check, and the dated records."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Annotated, Any

from fastapi import APIRouter, HTTPException, Query, Request
from fastapi.responses import RedirectResponse, Response
from pydantic import ValidationError
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

from zesty_cell.core.callouts.telemetry import Telemetry
from zesty_cell.core.learn.calibration import CraftPoints, Kind, Moved
from zesty_cell.core.learn.measured_points import as_before, points_moved, with_points
from zesty_cell.formats.csv_table import read_table
from zesty_cell.formats.errors import FileFormatError
from zesty_cell.formats.telemetry_csv import read_telemetry
from zesty_cell.store import calibrations as store
from zesty_cell.store import logs
from zesty_cell.store.hangar import CRAFTS, PACKS
from zesty_cell.store.tables import CalibrationRow, CraftRow
from zesty_cell.web.calibrate import flights, sensors
from zesty_cell.web.calibrate.bench import Bench, Made
from zesty_cell.web.drawing.pack_picture import pack_picture
from zesty_cell.web.http.database import Store
from zesty_cell.web.http.forms import whole_number
from zesty_cell.web.http.messages import NOT_STORED, say
from zesty_cell.web.http.posted import PostedForm
from zesty_cell.web.http.preferences import preferences_of
from zesty_cell.web.http.templating import page
from zesty_cell.words.sensors import calibration_words, sensor_words

router = APIRouter(prefix="/calibrate", include_in_schema=False)


@dataclass(frozen=True)
class Task:
    """A guided check: where it is, what it is called, what for, whether it is the pack's alone."""

    key: str
    kind: Kind
    title: str
    why: str
    of_pack: bool
    read: Callable[[Bench, Mapping[str, str], datetime], Made]


TASKS: dict[str, Task] = {
    task.key: task
    for task in (
        Task("voltage", "voltage", "Voltage scale", "A meter beside what the craft shows, at rest.", False,
             sensors.read_voltage),
        Task("current", "current", "Current scale", "What the charger put back beside what the craft showed.",
             False, sensors.read_current),
        Task("lamp", "line loss", "Line loss and the craft’s own alarm",
             "Fly to the lamp, land, wait, measure: what the leads, the plug and the cells take.", False,
             flights.read_lamp),
        Task("hover-down", "hover-down", "Hover-down chart",
             "A few voltages against minutes: the curve, and where it begins to fall.", False, flights.read_hover),
        Task("cells", "cells", "Cell check", "Each cell of a resting pack, and how far apart they are.", True,
             flights.read_cells),
    )
}  # fmt: skip


@dataclass(frozen=True)
class Kept:
    """A record in words."""

    row: CalibrationRow
    words: str
    note: str


def _kept(row: CalibrationRow) -> Kept:
    made = store.calibration_of(row)
    pack = None if row.pack is None else PACKS.thing(row.pack)
    return Kept(row, calibration_words(made, pack=pack), made.note)


def _task(key: str) -> Task:
    if key not in TASKS:
        raise HTTPException(404)
    return TASKS[key]


@router.get("")
def overview(request: Request, session: Store, craft: Annotated[int, Query(ge=0)] = 0) -> Response:
    """How far out the sensors are now, what can be checked, what was kept."""
    bench = Bench(session, craft_id=craft)
    rows = store.newest(session)
    newest = {
        row.kind: row.made_at for row in reversed(rows) if bench.craft and row.craft_id in (bench.craft.id, None)
    }
    context: dict[str, Any] = {
        "bench": bench,
        "tasks": TASKS.values(),
        "newest": newest,
        "records": [_kept(row) for row in rows],
        "offers": _offers(session, bench.craft),
        "sensors": []
        if bench.craft is None
        else [
            sensor_words(bench.voltage, sensor="voltage"),
            sensor_words(bench.current, sensor="current"),
        ],
    }
    return page(request, "calibrate.html", context)


def _telemetry(session: Session, log_id: int) -> Telemetry | None:
    row = logs.find(session, log_id)
    mapping = None if row is None else logs.mapping_of(row)
    if row is None or mapping is None:
        return None
    try:
        return read_telemetry(read_table(logs.data_of(row)), mapping).telemetry
    except FileFormatError:
        return None


def _first(task: Task, bench: Bench, log_id: int) -> dict[str, str]:
    if task.key == "hover-down":
        return flights.hover_first(bench, _telemetry(bench.session, log_id) if log_id else None)
    of: dict[str, Callable[[Bench], dict[str, str]]] = {
        "voltage": sensors.voltage_first, "current": sensors.current_first, "lamp": flights.lamp_first,
        "cells": flights.cells_first,
    }  # fmt: skip
    return of[task.key](bench)


def _show(
    request: Request,
    task: Task,
    bench: Bench,
    texts: Mapping[str, str],
    made: Made,
    *,
    asked: bool,
    status: int = 200,
) -> Response:
    context: dict[str, Any] = {
        "task": task,
        "bench": bench,
        "texts": dict(texts),
        # A page just opened is not told what is missing.
        "errors": made.errors if asked else {},
        "made": made,
        "picture": pack_picture(bench.pack, width=190.0),
        "sensors": sensors,
        "flights": flights,
        "logs": [] if bench.craft is None else logs.of_craft(bench.session, bench.craft.id),
    }
    return page(request, f"calibrate_{task.key.replace('-', '_')}.html", context, status=status)


@router.get("/{key}")
def open_task(
    request: Request,
    session: Store,
    key: str,
    craft: Annotated[int, Query(ge=0)] = 0,
    pack: Annotated[int, Query(ge=0)] = 0,
    log: Annotated[int, Query(ge=0)] = 0,
) -> Response:
    """A guided check, filled in with what is known."""
    task, bench = _task(key), Bench(session, craft_id=craft, pack_id=pack)
    if bench.craft is None or bench.pack_row is None:
        return RedirectResponse("/hangar", 303)
    texts = _first(task, bench, log)
    made = task.read(bench, texts | {"volts": "cell"}, datetime.now(UTC))
    if task.key == "hover-down" and preferences_of(request).volts == "pack":
        series = bench.pack.series
        texts = {k: f"{float(v) * series:.2f}" if k.startswith("volts_") else v for k, v in texts.items()}
    return _show(request, task, bench, texts, made, asked=False)


@router.post("/{key}")
def work_out(request: Request, session: Store, key: str, form: PostedForm) -> Response:
    """Look at what follows from the readings, or keep it."""
    task = _task(key)
    bench = Bench(
        session, craft_id=whole_number(form.get("craft", "")), pack_id=whole_number(form.get("pack", ""))
    )  # fmt: skip
    if bench.craft is None or bench.pack_row is None:
        return RedirectResponse("/hangar", 303)
    made = task.read(bench, form, datetime.now(UTC))
    note = form.get("note", "").strip()
    if len(note) > 300:
        made.errors["note"] = "At most 300 characters, please."
    if form.get("action") != "keep":
        return _show(request, task, bench, form, made, asked=True)
    if made.calibration is None or made.errors:
        return _show(request, task, bench, form, made, asked=True, status=422)
    with_pack = task.key in ("lamp", "hover-down", "cells")
    craft_id = bench.craft.id
    try:
        store.add(
            session,
            made.calibration.model_copy(update={"note": note}),
            craft_id=None if task.of_pack else craft_id,
            pack_id=bench.pack_row.id if with_pack else None,
        )
        session.commit()
    except OperationalError:
        session.rollback()
        made.errors["note"] = NOT_STORED
        return _show(request, task, bench, form, made, asked=True, status=503)
    return say(RedirectResponse(f"/calibrate?craft={craft_id}", 303), f"{task.title}: kept.")


def _offers(session: Session, craft: CraftRow | None) -> list[tuple[CalibrationRow, tuple[Moved, ...]]]:
    """Calibrations of a craft that explain measured points of it, nobody having said whether they do."""
    if craft is None:
        return []
    thing = CRAFTS.thing(craft)
    found = [
        (row, points_moved(thing, store.calibration_of(row))) for row in store.rows_of_craft(session, craft.id)
    ]
    return [(row, moved) for row, moved in found if moved]


@router.post("/records/{record_id}/points")
def answer_points(session: Store, record_id: int, form: PostedForm) -> Response:
    """Correct the craft's measured points that a calibration explains, or leave them; with undo."""
    row = store.fetch(session, record_id)
    if row.craft_id is None:
        raise HTTPException(404)
    craft_row = CRAFTS.fetch(session, row.craft_id)
    craft, back = CRAFTS.thing(craft_row), RedirectResponse(f"/calibrate?craft={row.craft_id}", 303)
    undo = f"/calibrate/records/{record_id}/points-undo"
    moved = points_moved(craft, store.calibration_of(row))
    if not moved:
        return say(back, "These points were answered before.")
    if form.get("answer") != "correct":
        store.answer(session, row, CraftPoints(answer="left"))
        return say(back, f"The measured points of {craft.name} stay as they are.", undo=undo)
    try:
        corrected = with_points(craft, moved)
    except ValidationError:
        return say(back, f"A corrected point of {craft.name} would be out of all bounds: change it in the hangar.")
    CRAFTS.change(session, craft_row.id, craft_row.version, corrected)
    store.answer(session, row, CraftPoints(answer="corrected", moved=moved))
    words = "; ".join(f"{m.part} {m.was:g} → {m.now:g} {m.unit}" for m in moved)
    return say(back, f"{craft.name} is corrected: {words}.", undo=undo)


@router.post("/records/{record_id}/points-undo")
def undo_points(session: Store, record_id: int) -> Response:
    """Undo :func:`answer_points`."""
    row = store.fetch(session, record_id)
    if row.craft_id is None:
        raise HTTPException(404)
    back = RedirectResponse(f"/calibrate?craft={row.craft_id}", 303)
    said: CraftPoints | None = getattr(store.calibration_of(row), "craft_points", None)
    if said is not None and said.moved:
        craft_row = CRAFTS.fetch(session, row.craft_id)
        try:
            was = with_points(CRAFTS.thing(craft_row), as_before(said.moved))
        except ValidationError:
            return say(back, f"{craft_row.name} was changed since: put its points right in the hangar.")
        CRAFTS.change(session, craft_row.id, craft_row.version, was)
    store.answer(session, row, None)
    return say(back, "The measured points are what they were.")


@router.post("/records/{record_id}/delete")
def delete(session: Store, record_id: int) -> Response:
    """Take a record back; with undo."""
    store.delete(session, store.fetch(session, record_id))
    undo = f"/calibrate/records/{record_id}/undelete"
    return say(RedirectResponse("/calibrate", 303), "The record is deleted.", undo=undo)


@router.post("/records/{record_id}/undelete")
def undelete(session: Store, record_id: int) -> Response:
    """Undo :func:`delete`."""
    store.restore(session, record_id)
    return say(RedirectResponse("/calibrate", 303), "The record is back.")
