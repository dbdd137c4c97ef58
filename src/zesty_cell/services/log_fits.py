"""What telemetry logs told of packs: each attached log fitted once, and anew when what its fit rests on changed."""

from __future__ import annotations

import hashlib
import zlib
from contextlib import suppress
from dataclasses import dataclass

from sqlalchemy.orm import Session

from zesty_cell import __version__
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import Words
from zesty_cell.core.learn.calibration import Calibration, corrected_log
from zesty_cell.core.learn.flights import LoggedFlight
from zesty_cell.core.learn.log_fit import fit_log
from zesty_cell.core.learn.log_told import LogFit, LogTold, told_by_log
from zesty_cell.core.learn.observation import PackTold, pack_told
from zesty_cell.core.parts.estimates import Cooling
from zesty_cell.core.parts.pack import Pack
from zesty_cell.formats.csv_table import Table, read_table
from zesty_cell.formats.errors import FileFormatError
from zesty_cell.formats.telemetry_columns import Mapping
from zesty_cell.formats.telemetry_csv import ReadLog, read_telemetry
from zesty_cell.services.few import Few
from zesty_cell.services.sheet_for import sheet_for
from zesty_cell.services.turns import TURNS
from zesty_cell.store import calibrations, flights, logs
from zesty_cell.store.documents import read
from zesty_cell.store.errors import UnreadableError
from zesty_cell.store.hangar import CRAFTS, PACKS
from zesty_cell.store.tables import FlightRow, LogRow

#: So many of the newest logs of a craft with a type of pack are learned from: an older pack was another pack.
LOGS_LEARNED_FROM = 4
#: Air where neither the flight nor a sheet says it [°C].
_USUAL_AIR_C = 20.0

_read: Few[tuple[int, int, Mapping], ReadLog] = Few(4)
_fits: Few[tuple[int, str], LogFit | Words] = Few(8)


def forget() -> None:
    """Nothing is remembered beyond what is stored, as after a start."""
    _read.clear()
    _fits.clear()


def _key(packed: bytes, mapping: Mapping) -> tuple[int, int, Mapping]:
    return len(packed), zlib.crc32(packed), mapping


def remember_read(packed: bytes, mapping: Mapping, read: ReadLog) -> None:
    """Keep the numbers of a log that was just read: it is looked at next."""
    _read.put(_key(packed, mapping), read)


def read_packed(packed: bytes, mapping: Mapping) -> ReadLog:
    """The numbers of a kept log: read once while it is looked at, and while its callouts are edited."""
    return _read.get(_key(packed, mapping), lambda: read_telemetry(read_table(logs.unpacked(packed)), mapping))


def read_open(packed: bytes, table: Table, mapping: Mapping) -> ReadLog:
    """The same of one whose table is open already."""
    return _read.get(_key(packed, mapping), lambda: read_telemetry(table, mapping))


@dataclass(frozen=True)
class FlownLog:
    """A log of a flight, and what its fit rests on.

    ``read`` is what the file says, ``air_c`` the air of that day [°C].
    """

    row: LogRow
    flight: LoggedFlight
    pack: Pack
    mapping: Mapping
    air_c: float
    made: tuple[Calibration, ...]
    cooling: Cooling
    rests_on: str


def flown_log(session: Session, row: LogRow, flight_row: FlightRow) -> FlownLog | None:
    """A log with its flight; None where its columns are not confirmed."""
    mapping = logs.mapping_of(row)
    if mapping is None:
        return None
    flight, pack = flights.flight_of(flight_row), PACKS.thing(flight_row.pack)
    cooling = CRAFTS.thing(flight_row.craft).pack_cooling
    air_c = flight.air_c
    if air_c is None:
        sheet = sheet_for(session, craft_id=flight_row.craft_id, pack=flight_row.pack, pattern=flight_row.pattern)
        air_c = _USUAL_AIR_C if sheet is None else float(sheet.conditions.get("air_c", _USUAL_AIR_C))
    made = tuple(calibrations.of_craft(session, flight_row.craft_id))
    parts = (
        __version__, row.created_at.isoformat(), mapping.model_dump_json(), pack.model_dump_json(), cooling,
        f"{air_c} {flight.put_back_ah} {flight.landed_at.isoformat()}", *(m.model_dump_json() for m in made),
    )  # fmt: skip
    rests_on = hashlib.sha256("\n".join(parts).encode()).hexdigest()
    return FlownLog(row, flight, pack, mapping, air_c, made, cooling, rests_on)


def fit_of(log: FlownLog, /) -> LogFit | Words:
    """The pack as a log's fit finds it, or why that log cannot tell."""
    return _fits.get((log.row.id, log.rests_on), lambda: _fitted(log))


def _fitted(log: FlownLog) -> LogFit | Words:
    try:
        read = read_packed(logs.packed_of(log.row), log.mapping)
        telemetry, _ = corrected_log(read.telemetry, calibrations=log.made, at=log.flight.landed_at)
        with TURNS.live():
            return fit_log(
                telemetry, pack=log.pack, air_c=log.air_c, cooling=log.cooling, put_back_ah=log.flight.put_back_ah
            )
    except (OutOfRangeError, FileFormatError) as error:
        return error.why


def _told(session: Session, log: FlownLog) -> LogTold | None:
    kept = logs.fit_kept(session, log.row.id, rests_on=log.rests_on)
    if kept is not None:
        # What cannot be read is fitted anew.
        with suppress(UnreadableError):
            return None if kept.document is None else read(LogTold, kept.document)
    fit = fit_of(log)
    return told_by_log(fit, at_c=log.air_c) if isinstance(fit, LogFit) else None


def taught_by(session: Session, log: FlownLog, flight_row: FlightRow, /) -> LogTold | None:
    """What of a log is learned from; None where it tells nothing, is set aside, or newer ones came."""
    newest = logs.of_craft_flights(
        session, craft_id=flight_row.craft_id, type_name=flight_row.pack.type_name, most=LOGS_LEARNED_FROM
    )
    return _told(session, log) if any(row.id == log.row.id for row, _ in newest) else None


def told_by_logs(session: Session, *, craft_id: int, type_name: str, of: Pack) -> tuple[PackTold, ...]:
    """What the newest logs of a craft's flights told of its packs of a type, over what a sheet says of that type.

    Parameters
    ----------
    of : Pack
        The sheet's, of that type.
    """
    found = []
    rows = logs.of_craft_flights(session, craft_id=craft_id, type_name=type_name, most=LOGS_LEARNED_FROM)
    for row, flight_row in rows:
        log = flown_log(session, row, flight_row)
        told = None if log is None else _told(session, log)
        if told is not None:
            found.append(pack_told(told, pack=str(flight_row.pack_id), of=of))
    return tuple(found)


def keep_fits(session: Session, flight_row: FlightRow) -> None:
    """Keep what the logs of a flight tell, after one was attached or the flight was changed."""
    for row in logs.of_flight(session, flight_row.id):
        log = flown_log(session, row, flight_row)
        if log is not None and logs.fit_kept(session, row.id, rests_on=log.rests_on) is None:
            logs.keep_fit(session, row.id, rests_on=log.rests_on, told=_told(session, log))
