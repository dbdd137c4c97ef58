"""Recordings as runs of a test: the telemetry of its flights, and discharge runs of its packs."""

from __future__ import annotations

from sqlalchemy.orm import Session

from zesty_cell.core.discharge.note import series_of
from zesty_cell.core.errors import ZestyCellError
from zesty_cell.core.trials.measures import MeasureKey
from zesty_cell.core.trials.question import Question, Run
from zesty_cell.core.trials.told_by_recording import value_of_log, value_of_run
from zesty_cell.services.discharges import run_of
from zesty_cell.services.log_fits import read_packed
from zesty_cell.store import discharges, logs
from zesty_cell.store.tables import DischargeRow, FlightRow

#: What only a recording tells of a flight, and what a discharge on the bench can be asked.
_OF_A_LOG: tuple[MeasureKey, ...] = ("energy", "loaded_v", "temperature")
BENCH_MEASURES: tuple[MeasureKey, ...] = ("energy", "loaded_v", "temperature", "time_to_charge", "time_to_voltage")


def told_by_its_log(session: Session, flight: FlightRow, /, *, question: Question) -> float | None:
    """What the telemetry of a flight measured; None where it has none, or that does not tell or cannot be read."""
    if question.measure not in _OF_A_LOG:
        return None
    for row in logs.of_flight(session, flight.id):
        mapping = logs.mapping_of(row)
        if mapping is None:
            continue
        try:
            log = read_packed(logs.packed_of(row), mapping).telemetry
        except ZestyCellError:
            continue
        value = value_of_log(log, question=question, series=flight.pack.series)
        if value is not None:
            return value
    return None


def run_by_discharge(row: DischargeRow, /, *, question: Question, slot: int, side: str) -> Run | None:
    """A discharge as a run, with what it measured; None where it does not tell.

    Raises
    ------
    UnreadableError
    """
    note = discharges.note_of(row)
    series = series_of(note.part, series=row.pack.series)
    value = value_of_run(run_of(row), question=question, series=series)
    if value is None:
        return None
    return Run.model_validate(
        {
            "slot": slot, "side": side, "value": value, "at": note.taken_at, "pack": row.pack.name,
            "air_c": note.air_c, "source": "discharge", "note": row.name,
        }
    )  # fmt: skip
