"""Taking a telemetry log to a flight: kept as it came, its columns proposed, confirmed where nothing is doubted."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy.orm import Session

from zesty_cell.core.answer.plausibility import Doubt
from zesty_cell.core.learn.log_plausibility import log_doubts
from zesty_cell.formats.csv_table import Table, read_table
from zesty_cell.formats.errors import FileFormatError
from zesty_cell.formats.telemetry_columns import Mapping, guess_mapping
from zesty_cell.formats.telemetry_csv import ReadLog, read_telemetry
from zesty_cell.services.log_fits import keep_fits, remember_read
from zesty_cell.store import logs
from zesty_cell.store.hangar import PACKS
from zesty_cell.store.tables import FlightRow, LogRow


@dataclass(frozen=True)
class Attached:
    """A log that was attached to a flight.

    Attributes
    ----------
    row : LogRow
    mapping : Mapping
        Its columns as they were confirmed of a log with the same ones, else as they are proposed.
    known : bool
        They were confirmed before.
    read : ReadLog or None
        None where they cannot be read so.
    error : FileFormatError or None
        Why not.
    doubts : tuple of Doubt
        What of the numbers cannot be of the pack that was flown.
    """

    row: LogRow
    mapping: Mapping
    known: bool
    read: ReadLog | None
    error: FileFormatError | None
    doubts: tuple[Doubt, ...]

    @property
    def sound(self) -> bool:
        """Whether the columns can be what they are taken for."""
        return self.read is not None and not any(d.impossible for d in self.doubts)


def looked_at(
    row: LogRow, mapping: Mapping, *, flight_row: FlightRow, known: bool, table: Table | None = None
) -> Attached:
    """A kept log through some columns, held against the pack that was flown; ``table`` where it is read."""
    try:
        read = read_telemetry(read_table(logs.data_of(row)) if table is None else table, mapping)
    except FileFormatError as error:
        return Attached(row, mapping, known, None, error, ())
    remember_read(logs.packed_of(row), mapping, read)
    doubts = log_doubts(read.telemetry, pack=PACKS.thing(flight_row.pack))
    return Attached(row, mapping, known, read, None, doubts)


def attach(session: Session, data: bytes, *, name: str, flight_row: FlightRow) -> Attached:
    """Keep a log of a flight, its columns not confirmed yet.

    Raises
    ------
    FileFormatError
        When it is no table; nothing is kept then.
    """
    table = read_table(data)
    row = logs.add(session, data, table, name=name, craft_id=flight_row.craft_id)
    row.flight_id = flight_row.id
    session.flush()
    known = logs.remembered(session, table)
    mapping = known or guess_mapping(table, series=flight_row.pack.series)
    return looked_at(row, mapping, flight_row=flight_row, known=known is not None, table=table)


def confirm(session: Session, attached: Attached, flight_row: FlightRow) -> None:
    """Take the columns for what they are, and keep what the log tells of its pack."""
    logs.confirm(session, attached.row, attached.mapping)
    keep_fits(session, flight_row)
