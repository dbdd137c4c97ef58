"""A run of a test by the thrust stand: steps as typed, or the stand's file."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Form, Request, UploadFile
from fastapi.responses import Response
from pydantic import ValidationError

from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import Words, fact
from zesty_cell.formats.csv_table import MOST_BYTES
from zesty_cell.formats.errors import FileFormatError
from zesty_cell.formats.thrust_csv import steps_of_file
from zesty_cell.services.trial_runs import take_thrust
from zesty_cell.store import trials
from zesty_cell.store.errors import EditConflictError
from zesty_cell.web.http import Store, whole_number
from zesty_cell.web.http.forms import Field, form_units, read_field, words_of
from zesty_cell.web.thrust.form import read_on_bench, read_steps
from zesty_cell.web.trials.shown import back_to, refused
from zesty_cell.words.units import TEMPERATURE

router = APIRouter(prefix="/tests", include_in_schema=False)
_AIR = Field("bench_air_c", "Air", TEMPERATURE)


@router.post("/{trial_id}/thrust/file")
def take_from_stand(
    request: Request,
    session: Store,
    trial_id: int,
    file: Annotated[UploadFile | None, Form()] = None,
    steps: Annotated[str, Form(max_length=20_000)] = "",
    on_bench: Annotated[str, Form(max_length=20)] = "1",
    bench_air_c: Annotated[str, Form(max_length=20)] = "",
    slot: Annotated[str, Form(max_length=12)] = "",
    version: Annotated[str, Form(max_length=12)] = "",
    units: Annotated[str, Form(max_length=40)] = "metric",
) -> Response:
    """A thrust run as a run of the test; of a file its steps stand in the form where they do not tell."""
    form = {
        "steps": steps, "on_bench": on_bench, "bench_air_c": bench_air_c, "slot": slot, "version": version,
        "units": units,
    }  # fmt: skip
    note = "steps typed"
    if file is not None and file.filename:
        try:
            found = steps_of_file(file.file.read(MOST_BYTES + 1))
        except FileFormatError as error:
            return refused(request, session, trial_id, {"stand": error.why}, form)
        form, note = form | {"steps": found.text}, file.filename[:80]
    errors: dict[str, Words] = {}
    read, count, air_c = read_steps(form, errors), read_on_bench(form, errors), _air_c(form, errors)
    if not read and not errors:
        errors["steps"] = fact("typed.thrust.steps_or_file")
    if errors:
        return refused(request, session, trial_id, errors, form)
    try:
        place = take_thrust(
            session, trials.fetch(session, trial_id), whole_number(version), read, on_bench=count,
            slot=whole_number(slot) - 1, air_c=air_c, note=note,
        )  # fmt: skip
    except OutOfRangeError as error:
        return refused(request, session, trial_id, {"steps": error.why}, form)
    except ValidationError as error:
        return refused(request, session, trial_id, _at_their_places(error, form), form)
    except EditConflictError as error:
        return refused(request, session, trial_id, {"steps": error.why}, form, 409)
    if place is None:
        return refused(request, session, trial_id, {"steps": fact("typed.run.place_taken")}, form)
    session.commit()
    return back_to(trial_id, fact("said.run.thrust", run=place.number + 1))


def _air_c(form: dict[str, str], errors: dict[str, Words]) -> float | None:
    try:
        air_c: float | None = read_field(_AIR, form["bench_air_c"], form_units(form))
    except ValueError as error:
        errors[_AIR.path] = str(error)
        return None
    return air_c


def _at_their_places(error: ValidationError, form: dict[str, str]) -> dict[str, Words]:
    """What a run cannot be, beside the field that says so: the air, the file by its name, else the steps."""
    found: dict[str, Words] = {}
    for problem in error.errors(include_url=False, include_input=False):
        at_air = problem["loc"][:1] == ("air_c",)
        place = _AIR.path if at_air else "stand" if problem["loc"][:1] == ("note",) else "steps"
        found.setdefault(place, words_of(problem, _AIR if at_air else None, form_units(form)))
    return found
