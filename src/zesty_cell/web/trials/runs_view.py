"""The runs of a test: typed by hand, taken from the log, set aside, and the look at the verdict."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response
from pydantic import ValidationError
from sqlalchemy.orm import Session

from zesty_cell.core.errors import OutOfRangeError, ZestyCellError
from zesty_cell.core.fact import Words, fact
from zesty_cell.core.trials.question import Run, Trial
from zesty_cell.core.trials.schedule import slots_of
from zesty_cell.services.trial_lessons import rename, teach
from zesty_cell.services.trial_runs import add_run, mark_run, take_discharge, take_flight
from zesty_cell.services.trials import look
from zesty_cell.store import discharges, flights, trials
from zesty_cell.store.errors import EditConflictError, UnreadableError
from zesty_cell.store.tables import TrialRow
from zesty_cell.web.http import PostedForm, Store, whole_number
from zesty_cell.web.http.forms import Field, form_units, read_field, words_of
from zesty_cell.web.trials.shown import back_to, refused, shown_trial
from zesty_cell.words.trials import quantity_of
from zesty_cell.words.units import MASS, TEMPERATURE

router = APIRouter(prefix="/tests", include_in_schema=False)


def _read_run(row: TrialRow, trial: Trial, form: dict[str, str]) -> tuple[Run | None, dict[str, Words]]:
    """A run as it was typed; or what is wrong with it, by field."""
    errors: dict[str, Words] = {}
    slot = next((s for s in slots_of(trial) if s.number == whole_number(form.get("slot", "")) - 1), None)
    if slot is None:
        return None, {"value": fact("typed.run.none_such")}
    asked = (
        Field("value", "Measured", quantity_of(trial.question.measure), required=True),
        Field("air_c", "Air", TEMPERATURE),
        Field("all_up_kg", "Ready to fly", MASS),
    )
    values: dict[str, Any] = {}
    for item in asked:
        try:
            values[item.path] = read_field(item, form.get(item.path, ""), form_units(form))
        except ValueError as error:
            errors[item.path] = str(error)
    if errors:
        return None, errors
    known = {"slot": slot.number, "side": slot.side, "pack": slot.pack, "at": datetime.now(UTC), "source": "hand"}
    note = form.get("note", "").strip()[:400]
    try:
        return Run.model_validate(known | values | {"note": note}), {}
    except ValidationError as error:
        for problem in error.errors(include_url=False, include_input=False):
            name = str(problem["loc"][0]) if problem["loc"] else "value"
            field = next((i for i in asked if i.path == name), None)
            errors.setdefault(name, words_of(problem, field, form_units(form)))
        return None, errors


@router.post("/{trial_id}/runs")
def type_run(request: Request, session: Store, trial_id: int, form: PostedForm) -> Response:
    """A run that was measured by hand, at its place."""
    row = trials.fetch(session, trial_id)
    run, errors = _read_run(row, trials.trial_of(row), form)
    if run is None:
        return refused(request, session, trial_id, errors, form)
    try:
        add_run(session, row, whole_number(form.get("version", "")), run)
        session.commit()
    except ValidationError as error:
        return refused(request, session, trial_id, {"value": words_of(error.errors(include_url=False)[0])}, form)
    except EditConflictError as error:
        return refused(request, session, trial_id, {"value": error.why}, form, 409)
    return back_to(trial_id, fact("said.run.kept", run=run.slot + 1))


@router.post("/{trial_id}/flights")
def take_from_log(request: Request, session: Store, trial_id: int, form: PostedForm) -> Response:
    """A flight of the log as a run, at the place that was chosen."""
    row = trials.fetch(session, trial_id)
    flight = flights.fetch(session, whole_number(form.get("flight", "")))
    slot = whole_number(form.get("slot", "")) - 1
    if flight.craft_id != row.craft_id:
        return refused(request, session, trial_id, {"flight": fact("typed.run.other_craft")}, form)
    place = take_flight(session, row, flight, slot=slot if slot >= 0 else None)
    if place is None:
        return refused(request, session, trial_id, {"flight": fact("typed.run.taken")}, form)
    session.commit()
    return back_to(trial_id, fact("said.run.flight", run=place.number + 1))


@router.post("/{trial_id}/discharges")
def take_from_drawer(request: Request, session: Store, trial_id: int, form: PostedForm) -> Response:
    """A discharge run of the drawer as a run, at the place that was chosen."""
    row = trials.fetch(session, trial_id)
    recorded = discharges.fetch(session, whole_number(form.get("discharge", "")))
    slot = whole_number(form.get("slot", "")) - 1
    try:
        place = take_discharge(session, row, recorded, slot=slot if slot >= 0 else None)
    except UnreadableError as error:
        return refused(request, session, trial_id, {"discharge": error.why}, form)
    if place is None:
        return refused(request, session, trial_id, {"discharge": fact("typed.run.tells_nothing")}, form)
    session.commit()
    return back_to(trial_id, fact("said.run.recording", run=place.number + 1))


def _changed(session: Session, trial_id: int, form: dict[str, str], *, aside: bool) -> Response:
    row = trials.fetch(session, trial_id)
    version, index = whole_number(form.get("version", "")), whole_number(form.get("index", ""))
    why = " ".join(form.get("why", "").split())[:200]
    if aside and not why:
        return back_to(trial_id, fact("said.run.say_why"))
    try:
        mark_run(session, row, version, index=index, why=why if aside else None)
        session.commit()
    except (EditConflictError, ValidationError) as error:
        session.rollback()
        words = fact("typed.run.place_has_another") if isinstance(error, ValidationError) else error.why
        return back_to(trial_id, fact("said.nothing_changed", why=words))
    return back_to(trial_id, fact("said.run.aside") if aside else fact("said.run.counts"))


@router.post("/{trial_id}/aside")
def set_aside(session: Store, trial_id: int, form: PostedForm) -> Response:
    """A run does not count, with its reason."""
    return _changed(session, trial_id, form, aside=True)


@router.post("/{trial_id}/again")
def count_again(session: Store, trial_id: int, form: PostedForm) -> Response:
    """A run that was set aside counts again."""
    return _changed(session, trial_id, form, aside=False)


@router.post("/{trial_id}/look")
def look_at_verdict(session: Store, trial_id: int, form: PostedForm) -> Response:
    """Look at the verdict: from now on it is known that it was seen with these runs."""
    row = trials.fetch(session, trial_id)
    try:
        look(session, row, whole_number(form.get("version", "")))
        session.commit()
    except EditConflictError as error:
        session.rollback()
        return back_to(trial_id, str(error))
    return RedirectResponse(f"/tests/{trial_id}", 303)


@router.post("/{trial_id}/name")
def call_it(request: Request, session: Store, trial_id: int, form: PostedForm) -> Response:
    """Call the test otherwise."""
    row, name = trials.fetch(session, trial_id), form.get("name", "").strip()
    try:
        rename(session, row, whole_number(form.get("version", "")), name)
        session.commit()
    except ValidationError as error:
        return refused(request, session, trial_id, {"name": words_of(error.errors(include_url=False)[0])}, form)
    except EditConflictError as error:
        return refused(request, session, trial_id, {"name": error.why}, form, 409)
    return back_to(trial_id, fact("said.trial.named", name=row.name))


@router.post("/{trial_id}/teach")
def put_it_in(request: Request, session: Store, trial_id: int) -> Response:
    """What the test taught goes where it is used, with the test as its source."""
    row = trials.fetch(session, trial_id)
    try:
        changed = teach(session, row)
        session.commit()
    except (OutOfRangeError, ValidationError, EditConflictError) as error:
        session.rollback()
        words = error.why if isinstance(error, ZestyCellError) else words_of(error.errors(include_url=False)[0])
        return shown_trial(request, session, trial_id, errors={"teach": words}, status=422)
    if not changed:
        return back_to(trial_id, fact("said.trial.teaches_nothing"))
    return back_to(trial_id, fact("said.trial.taught", what=", ".join(changed)))
