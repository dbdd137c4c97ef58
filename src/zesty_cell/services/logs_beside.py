"""Telemetry logs of flights side by side: corrected as their own pages have them, and begun at one moment."""

from __future__ import annotations

import statistics
from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy.orm import Session

from zesty_cell.core.callouts.telemetry import Telemetry
from zesty_cell.core.errors import ZestyCellError
from zesty_cell.core.fact import Words
from zesty_cell.core.learn.calibration import corrected_log
from zesty_cell.core.learn.climbs import Beginning, Climb, begins_s, climbs_of
from zesty_cell.core.learn.laps import Laps, laps_of
from zesty_cell.services.log_fits import flown_log, read_packed
from zesty_cell.services.sheet_for import sheet_for
from zesty_cell.store import logs, sheets
from zesty_cell.store.hangar import CRAFTS
from zesty_cell.store.tables import FlightRow, LogRow, SheetRow

#: So many lie beside each other.
MOST_LOGS = 6


@dataclass(frozen=True)
class Offered:
    """A log that can lie beside others.

    Attributes
    ----------
    flight_row : FlightRow or None
        The flight it is of, where it is of one.
    name : str
        What it is called.
    """

    row: LogRow
    flight_row: FlightRow | None
    name: str

    @property
    def address(self) -> str:
        """Where it is looked at alone; nowhere without its flight."""
        return "" if self.flight_row is None else f"/log/{self.flight_row.id}/telemetry/{self.row.id}"


@dataclass(frozen=True)
class Beside:
    """One log.

    Attributes
    ----------
    log : Telemetry
        Corrected by the calibrations made after it.
    series : int
        Cells of its pack.
    begins_s : float or None
        Where it begins, in its own time [s]; None where it does not tell: then from its first line.
    climbs : tuple of Climb
    ohm : float or None
        Middle of its climbs' resistances, whole pack [Ω].
    laps : Laps or None
        Where position or marks tell any.
    sheet_row : SheetRow or None
        Of its craft: beside it is said which of the log's columns is what.
    """

    of: Offered
    log: Telemetry
    series: int
    begins_s: float | None
    climbs: tuple[Climb, ...]
    ohm: float | None
    laps: Laps | None
    sheet_row: SheetRow | None

    @property
    def columns_address(self) -> str:
        """Where it is said which of its columns is what; nowhere without a sheet of its craft."""
        return "" if self.sheet_row is None else f"/callouts/{self.sheet_row.id}/logs/{self.of.row.id}"

    @property
    def from_s(self) -> float:
        """What counts as its nought [s]."""
        return float(self.log.time_s[0]) if self.begins_s is None else self.begins_s


def offered(session: Session) -> list[Offered]:
    """Every log whose columns are confirmed, those of flights first."""
    crafts = {row.id: row.name for row in CRAFTS.named(session)}
    found = []
    for row, flight in logs.confirmed(session):
        if flight is not None:
            name = f"{flight.craft.name} on {flight.pack.name}, {flight.landed_at:%-d %b}"
        elif row.craft_id in crafts:
            name = f"{crafts[row.craft_id]}, {row.name}"
        else:
            continue
        found.append(Offered(row, flight, name))
    return sorted(found, key=lambda one: one.flight_row is None)


def _sheet_of(session: Session, one: Offered) -> SheetRow | None:
    """The sheet that tells most of a log's flight; of no flight, one of its craft."""
    row = one.flight_row
    if row is not None:
        return sheet_for(session, craft_id=row.craft_id, pack=row.pack, pattern=row.pattern)
    return next((r for r in sheets.all_sheets(session) if r.craft_id == one.row.craft_id), None)


def _read(session: Session, one: Offered) -> tuple[Telemetry, int] | None:
    """A log's numbers, corrected where its flight says by what, and the cells of its pack."""
    if one.flight_row is not None:
        flown = flown_log(session, one.row, one.flight_row)
        if flown is None:
            return None
        read = read_packed(logs.packed_of(one.row), flown.mapping)
        log, _ = corrected_log(read.telemetry, calibrations=flown.made, at=flown.flight.landed_at)
        return log, flown.pack.series
    mapping = logs.mapping_of(one.row)
    sheet = _sheet_of(session, one)
    if mapping is None or sheet is None:
        return None
    # Of no flight: the pack of the craft's sheet tells how many cells there are.
    return read_packed(logs.packed_of(one.row), mapping).telemetry, sheet.pack.series


def logs_beside(
    session: Session, ids: Sequence[int], /, *, beginning: Beginning
) -> tuple[list[Beside], list[tuple[str, Words]]]:
    """The chosen logs, in order; and those that cannot be read, with why."""
    there = {one.row.id: one for one in offered(session)}
    found: list[Beside] = []
    trouble: list[tuple[str, Words]] = []
    for log_id in [k for k in dict.fromkeys(ids) if k in there][:MOST_LOGS]:
        one = there[log_id]
        try:
            read = _read(session, one)
        except ZestyCellError as error:
            trouble.append((one.row.name, error.why))
            continue
        if read is None:
            continue
        log, series = read
        climbs = climbs_of(log, series=series)
        ohms = [c.ohm for c in climbs if c.ohm is not None]
        middle = statistics.median(ohms) if ohms else None
        laps = laps_of(log)
        begins = begins_s(log, beginning, series=series, laps=laps)
        found.append(Beside(one, log, series, begins, climbs, middle, laps, _sheet_of(session, one)))
    return found, trouble
