"""A run of a test by the thrust stand: steps as typed, or the stand's file."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Form, Request, UploadFile
from fastapi.responses import Response
from sqlalchemy.orm import Session

from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import Words
from zesty_cell.formats.csv_table import MOST_BYTES
from zesty_cell.formats.errors import FileFormatError
from zesty_cell.formats.thrust_csv import steps_of_file
from zesty_cell.services.trial_runs import take_thrust
from zesty_cell.store import trials
from zesty_cell.store.errors import EditConflictError
from zesty_cell.web.http import Store, whole_number
from zesty_cell.web.http.forms import Field, form_units, read_field
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
    words, errors = _taken(session, trial_id, form, note)
    return back_to(trial_id, words) if words else refused(request, session, trial_id, errors, form)


def _taken(session: Session, trial_id: int, form: dict[str, str], note: str) -> tuple[str, dict[str, Words]]:
    """What is said where it became a run; else what is wrong, by field."""
    errors: dict[str, Words] = {}
    run, on_bench, air_c = read_steps(form, errors), read_on_bench(form, errors), None
    if not run and not errors:
        errors["steps"] = "Choose the stand’s file, or type a line a step."
    try:
        air_c = read_field(_AIR, form["bench_air_c"], form_units(form))
    except ValueError as error:
        errors["bench_air_c"] = str(error)
    if errors:
        return "", errors
    try:
        place = take_thrust(
            session, trials.fetch(session, trial_id), whole_number(form["version"]), run, on_bench=on_bench,
            slot=whole_number(form["slot"]) - 1, air_c=air_c, note=note,
        )  # fmt: skip
    except OutOfRangeError as error:
        return "", {"steps": error.why}
    except EditConflictError as error:
        return "", {"steps": str(error)}
    if place is None:
        return "", {"steps": "That place is taken: look at the runs again."}
    session.commit()
    return f"The thrust run is run {place.number + 1}.", {}
