"""The guided checks: what each asks, begins with and shows."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from fastapi import HTTPException, Request
from fastapi.responses import Response
from sqlalchemy.orm import Session

from zesty_cell.core.callouts.telemetry import Telemetry
from zesty_cell.core.fact import Words, fact
from zesty_cell.core.learn.calibration import Kind, Moved
from zesty_cell.core.learn.measured_points import points_moved
from zesty_cell.formats.csv_table import read_table
from zesty_cell.formats.errors import FileFormatError
from zesty_cell.formats.telemetry_csv import read_telemetry
from zesty_cell.store import calibrations as store
from zesty_cell.store import logs
from zesty_cell.store.hangar import CRAFTS, PACKS
from zesty_cell.store.tables import CalibrationRow, CraftRow
from zesty_cell.web.calibrate import cells, hover, lamp, sensors
from zesty_cell.web.calibrate.bench import Bench, Made
from zesty_cell.web.drawing.pack_picture import pack_picture
from zesty_cell.web.http import page
from zesty_cell.words.sensors import calibration_words


@dataclass(frozen=True)
class Task:
    """A guided check: where it is, what it is called, what for, whether it is the pack's alone."""

    key: str
    kind: Kind
    title: str
    why: Words
    of_pack: bool
    read: Callable[[Bench, Mapping[str, str], datetime], Made]


TASKS: dict[str, Task] = {
    task.key: task
    for task in (
        Task("voltage", "voltage", "Voltage scale", fact("note.calibrate.voltage"), False,
             sensors.read_voltage),
        Task("current", "current", "Current scale", fact("note.calibrate.current"),
             False, sensors.read_current),
        Task("lamp", "line loss", "Line loss and the craft’s own alarm",
             fact("note.calibrate.lamp"), False,
             lamp.read_lamp),
        Task("hover-down", "hover-down", "Hover-down chart",
             fact("note.calibrate.hover"), False, hover.read_hover),
        Task("cells", "cells", "Cell check", fact("note.calibrate.cells"), True,
             cells.read_cells),
    )
}  # fmt: skip


@dataclass(frozen=True)
class Kept:
    """A record in words."""

    row: CalibrationRow
    words: str
    note: str


def kept_shown(row: CalibrationRow) -> Kept:
    made = store.calibration_of(row)
    pack = None if row.pack is None else PACKS.thing(row.pack)
    return Kept(row, calibration_words(made, pack=pack), made.note)


def task_of(key: str) -> Task:
    if key not in TASKS:
        raise HTTPException(404)
    return TASKS[key]


def _telemetry(session: Session, log_id: int) -> Telemetry | None:
    row = logs.find(session, log_id)
    mapping = None if row is None else logs.mapping_of(row)
    if row is None or mapping is None:
        return None
    try:
        return read_telemetry(read_table(logs.data_of(row)), mapping).telemetry
    except FileFormatError:
        return None


def first_of_task(task: Task, bench: Bench, log_id: int) -> dict[str, str]:
    if task.key == "hover-down":
        return hover.hover_first(bench, _telemetry(bench.session, log_id) if log_id else None)
    of: dict[str, Callable[[Bench], dict[str, str]]] = {
        "voltage": sensors.voltage_first, "current": sensors.current_first, "lamp": lamp.lamp_first,
        "cells": cells.cells_first,
    }  # fmt: skip
    return of[task.key](bench)


def show_task(
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
        "lamp": lamp,
        "hover": hover,
        "cells": cells,
        "logs": [] if bench.craft is None else logs.of_craft(bench.session, bench.craft.id),
    }
    return page(request, f"calibrate_{task.key.replace('-', '_')}.html", context, status=status)


def offers_of(session: Session, craft: CraftRow | None) -> list[tuple[CalibrationRow, tuple[Moved, ...]]]:
    """Calibrations of a craft that explain measured points of it, nobody having said whether they do."""
    if craft is None:
        return []
    thing = CRAFTS.thing(craft)
    found = [
        (row, points_moved(thing, store.calibration_of(row))) for row in store.rows_of_craft(session, craft.id)
    ]
    return [(row, moved) for row, moved in found if moved]
