"""Runs of a test: typed, taken from the log, the drawer or the thrust stand, and set aside."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, datetime

from sqlalchemy.orm import Session

from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import fact
from zesty_cell.core.flight.setup import set_up
from zesty_cell.core.parts.thrust import ThrustStep
from zesty_cell.core.trials.question import MOST_RUNS, Run, Trial
from zesty_cell.core.trials.schedule import Slot, slots_of
from zesty_cell.core.trials.told_by_thrust import THRUST_MEASURES, value_of_steps
from zesty_cell.services.trial_recordings import run_by_discharge
from zesty_cell.services.trials import sheet_of_runs
from zesty_cell.store import flights, trials
from zesty_cell.store.errors import EditConflictError
from zesty_cell.store.tables import DischargeRow, FlightRow, TrialRow


def _placed(trial: Trial, run: Run) -> Trial:
    return Trial.model_validate(
        trial.model_dump() | {"runs": [*(r.model_dump() for r in trial.runs), run.model_dump()]}
    )


def add_run(session: Session, row: TrialRow, version: int, run: Run, /) -> TrialRow:
    """One more run of a test, at its place.

    Raises
    ------
    ValidationError
        When there is a run at that place.
    EditConflictError
        When somebody changed the test since.
    """
    return trials.change(session, row.id, version, _placed(trials.trial_of(row), run))


def take_flight(
    session: Session, row: TrialRow, flight: FlightRow, /, *, slot: int | None = None, source: str = "log"
) -> Slot | None:
    """A flight of the log as a run: at a place, or at the first open one with its pack; None where there is none.

    A flight is one run at most, and keeps no figures here: they are read from the log each time.
    """
    trial = trials.trial_of(row)
    if len(trial.runs) >= MOST_RUNS or any(run.flight == flight.id for run in trial.runs):
        return None
    if trial.question.measure in THRUST_MEASURES:  # no flight tells these
        return None
    place = _open_place(trial, flight.pack.name, slot)
    if place is None:
        return None
    logged = flights.flight_of(flight)
    run = Run.model_validate(
        {
            "slot": place.number, "side": place.side, "at": logged.landed_at, "pack": flight.pack.name,
            "air_c": logged.air_c, "source": source, "flight": flight.id,
        }
    )  # fmt: skip
    trials.change(session, row.id, row.version, _placed(trial, run))
    return place


def take_discharge(session: Session, row: TrialRow, recorded: DischargeRow, /, *, slot: int | None) -> Slot | None:
    """A discharge of the drawer as a run: at a place, or at the first open one with its pack.

    None where there is no place, it is a run already, or it does not tell what is asked.

    Raises
    ------
    UnreadableError
    """
    trial = trials.trial_of(row)
    there = any(run.source == "discharge" and run.note == recorded.name for run in trial.runs)
    place = None if there else _open_place(trial, recorded.pack.name, slot)
    if place is None or len(trial.runs) >= MOST_RUNS:
        return None
    run = run_by_discharge(recorded, question=trial.question, slot=place.number, side=place.side)
    if run is None:
        return None
    trials.change(session, row.id, row.version, _placed(trial, run))
    return place


def take_thrust(
    session: Session, row: TrialRow, version: int, steps: Sequence[ThrustStep], /, *, on_bench: int, slot: int,
    air_c: float | None, note: str,
) -> Slot | None:  # fmt: skip
    """A thrust run on the bench as a run, at a place; None where that is taken.

    Raises
    ------
    OutOfRangeError
        When it does not tell what is asked, or no sheet says what the craft weighs.
    EditConflictError
        When somebody changed the test since.
    ValidationError
        When the air or the note cannot be.
    """
    trial = trials.trial_of(row)
    place = _open_place(trial, "", slot)
    if place is None or len(trial.runs) >= MOST_RUNS:
        return None
    sheet = sheet_of_runs(session, row.craft_id, place.pack)
    if sheet is None:
        raise OutOfRangeError(fact("refused.thrust.no_sheet"), field="steps", value=0.0, limit=0.0)
    value = value_of_steps(
        steps, question=trial.question, craft=sheet.craft, all_up_kg=set_up(sheet).all_up_mass_kg, on_bench=on_bench
    )
    run = Run(
        slot=place.number, side=place.side, value=value, at=datetime.now(UTC), pack=place.pack, air_c=air_c,
        source="thrust", note=note,
    )  # fmt: skip
    trials.change(session, row.id, version, _placed(trial, run))
    return place


def _open_place(trial: Trial, pack: str, slot: int | None) -> Slot | None:
    """A place of the plan that no run has: the one asked for, or the first with a pack, or the first."""
    taken = {run.slot for run in trial.runs if run.set_aside is None}
    open_ones = [s for s in slots_of(trial) if s.number not in taken and (slot is None or s.number == slot)]
    return next(iter([s for s in open_ones if s.pack == pack] or open_ones), None)


def mark_run(session: Session, row: TrialRow, version: int, /, *, index: int, why: str | None) -> TrialRow:
    """A run does not count, with its reason and whether the verdict had been seen with it; or counts again.

    Raises
    ------
    EditConflictError
        When somebody changed the test since, or there is no such run.
    ValidationError
        When another run has its place.
    """
    trial = trials.trial_of(row)
    if not 0 <= index < len(trial.runs):
        raise EditConflictError("trial", row.name)
    runs = [run.model_dump() for run in trial.runs]
    runs[index]["set_aside"] = None if why is None else {"why": why, "seen": index < trial.looked}
    return trials.change(session, row.id, version, Trial.model_validate(trial.model_dump() | {"runs": runs}))
