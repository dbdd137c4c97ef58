"""The calibration pages: what there is to check, each guided check, and the dated records."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Annotated, Any

from fastapi import APIRouter, HTTPException, Query, Request
from fastapi.responses import RedirectResponse, Response
from sqlalchemy.exc import OperationalError

from zesty_cell.core.fact import fact
from zesty_cell.services.calibrating import answer_points, keep_calibration, unanswer_points
from zesty_cell.store import calibrations as store
from zesty_cell.store.hangar import CRAFTS
from zesty_cell.web.calibrate.bench import Bench
from zesty_cell.web.calibrate.tasks import TASKS, first_of_task, kept_shown, offers_of, show_task, task_of
from zesty_cell.web.http import NOT_STORED, PostedForm, Store, page, preferences_of, say, whole_number
from zesty_cell.words.sensors import sensor_words

router = APIRouter(prefix="/calibrate", include_in_schema=False)


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
        "records": [kept_shown(row) for row in rows],
        "offers": offers_of(session, bench.craft),
        "sensors": []
        if bench.craft is None
        else [
            sensor_words(bench.voltage, sensor="voltage"),
            sensor_words(bench.current, sensor="current"),
        ],
    }
    return page(request, "calibrate.html", context)


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
    task, bench = task_of(key), Bench(session, craft_id=craft, pack_id=pack)
    if bench.craft is None or bench.pack_row is None:
        return RedirectResponse("/hangar", 303)
    texts = first_of_task(task, bench, log)
    made = task.read(bench, texts | {"volts": "cell"}, datetime.now(UTC))
    if task.key == "hover-down" and preferences_of(request).volts == "pack":
        series = bench.pack.series
        texts = {k: f"{float(v) * series:.2f}" if k.startswith("volts_") else v for k, v in texts.items()}
    return show_task(request, task, bench, texts, made, asked=False)


@router.post("/{key}")
def work_out(request: Request, session: Store, key: str, form: PostedForm) -> Response:
    """Look at what follows from the readings, or keep it."""
    task = task_of(key)
    bench = Bench(
        session, craft_id=whole_number(form.get("craft", "")), pack_id=whole_number(form.get("pack", ""))
    )  # fmt: skip
    if bench.craft is None or bench.pack_row is None:
        return RedirectResponse("/hangar", 303)
    made = task.read(bench, form, datetime.now(UTC))
    note = form.get("note", "").strip()
    if len(note) > 300:
        made.errors["note"] = fact("typed.note.long")
    if form.get("action") != "keep":
        return show_task(request, task, bench, form, made, asked=True)
    if made.calibration is None or made.errors:
        return show_task(request, task, bench, form, made, asked=True, status=422)
    craft_id = bench.craft.id
    try:
        keep_calibration(
            session,
            made.calibration,
            note=note,
            craft_id=craft_id,
            pack_id=bench.pack_row.id,
        )
        session.commit()
    except OperationalError:
        session.rollback()
        made.errors["note"] = NOT_STORED
        return show_task(request, task, bench, form, made, asked=True, status=503)
    return say(
        RedirectResponse(f"/calibrate?craft={craft_id}", 303), fact("said.calibration.kept", task=task.title)
    )


@router.post("/records/{record_id}/points")
def answer(session: Store, record_id: int, form: PostedForm) -> Response:
    """Correct the craft's measured points that a calibration explains, or leave them; with undo."""
    row = store.fetch(session, record_id)
    if row.craft_id is None:
        raise HTTPException(404)
    craft, back = CRAFTS.fetch(session, row.craft_id), RedirectResponse(f"/calibrate?craft={row.craft_id}", 303)
    answered = answer_points(session, row, craft, correct=form.get("answer") == "correct")
    undo = f"/calibrate/records/{record_id}/points-undo"
    if answered.outcome == "before":
        return say(back, fact("said.points.answered_before"))
    if answered.outcome == "left":
        return say(back, fact("said.points.left", craft=craft.name), undo=undo)
    if answered.outcome == "bounds":
        return say(back, fact("said.points.out_of_bounds", craft=craft.name))
    words = "; ".join(f"{m.part} {m.was:g} → {m.now:g} {m.unit}" for m in answered.moved)
    return say(back, fact("said.points.corrected", craft=craft.name, moved=words), undo=undo)


@router.post("/records/{record_id}/points-undo")
def undo_points(session: Store, record_id: int) -> Response:
    """Undo :func:`answer`."""
    row = store.fetch(session, record_id)
    if row.craft_id is None:
        raise HTTPException(404)
    back = RedirectResponse(f"/calibrate?craft={row.craft_id}", 303)
    craft = CRAFTS.fetch(session, row.craft_id)
    if not unanswer_points(session, row, craft):
        return say(back, fact("said.points.changed_since", craft=craft.name))
    return say(back, fact("said.points.as_before"))


@router.post("/records/{record_id}/delete")
def delete(session: Store, record_id: int) -> Response:
    """Take a record back; with undo."""
    store.delete(session, store.fetch(session, record_id))
    undo = f"/calibrate/records/{record_id}/undelete"
    return say(RedirectResponse("/calibrate", 303), fact("said.calibration.deleted"), undo=undo)


@router.post("/records/{record_id}/undelete")
def undelete(session: Store, record_id: int) -> Response:
    """Undo :func:`delete`."""
    store.restore(session, record_id)
    return say(RedirectResponse("/calibrate", 303), fact("said.calibration.back"))
