"""What a plan can be run on: the forecast, a sampled flight, an oddity, a log; each by a short key."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy.orm import Session

from zesty_cell.core.answer.forecast import Forecast
from zesty_cell.core.callouts.dry_run import ODDITIES, DryRun, on_forecast, on_sampled_flight, run_oddity
from zesty_cell.core.callouts.rules import CalloutPlan
from zesty_cell.core.callouts.telemetry import on_telemetry
from zesty_cell.core.fact import Fact, Words
from zesty_cell.services.log_fits import read_packed
from zesty_cell.store import logs as log_store
from zesty_cell.store.flights import is_there
from zesty_cell.web.http import whole_number


@dataclass(frozen=True)
class ChosenRun:
    """A dry run and what there is to say of it.

    Attributes
    ----------
    key : str
        “” the forecast, “flight-17” the 17th of the sampled flights, “log-3” a log, else an oddity.
    flight : int
        Which sampled flight, from 1; 0 for none.
    log_id : int
        0 for none.
    logged : bool
        Whether the flight of that log is in the log.
    hope : Fact or None
        What a pilot should hear.
    notes : tuple of str
        What was derived of a log.
    """

    run: DryRun
    key: str = ""
    flight: int = 0
    log_id: int = 0
    logged: bool = True
    hope: Fact | None = None
    notes: tuple[Words, ...] = ()


def choose_run(session: Session, key: str, *, plan: CalloutPlan, result: Forecast) -> ChosenRun:
    """The run of a key; the forecast for an unknown one."""
    kind, _, number = key.partition("-")
    sheet = result.setup.sheet
    if kind == "flight":
        flights = result.range.landing_s.size
        place = min(max(whole_number(number), 1), flights)
        run = on_sampled_flight(plan=plan, result=result, place=place - 1)
        return ChosenRun(run, f"flight-{place}", flight=place)
    if kind == "log" and (row := log_store.find(session, whole_number(number))) is not None:
        mapping = log_store.mapping_of(row)
        if mapping is not None:
            read = read_packed(log_store.packed_of(row), mapping)
            run, notes = on_telemetry(
                read.telemetry, plan=plan, pack=sheet.pack, full_throttle_a=result.at_landing.full_landing_a
            )
            logged = is_there(session, row.flight_id)
            return ChosenRun(run, key, log_id=row.id, logged=logged, notes=(*read.notes, *notes))
    odd = run_oddity(key, plan=plan, result=result)
    if odd is not None:
        return ChosenRun(odd, key, hope=next(o.hope for o in ODDITIES if o.key == key))
    return ChosenRun(on_forecast(plan=plan, result=result))
