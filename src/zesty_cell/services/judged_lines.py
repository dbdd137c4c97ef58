"""What becomes of each line of a file of flights: new, in the log already, or wrong and why."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Literal

from zesty_cell.core.fact import Words, fact
from zesty_cell.core.learn.flights import Airborne, LoggedFlight, doubts
from zesty_cell.core.learn.plausibility import flight_doubts
from zesty_cell.core.parts.pack import Pack
from zesty_cell.formats.errors import FileFormatError
from zesty_cell.formats.flights_csv import ReadFlight, as_flight
from zesty_cell.store import flights, sheets
from zesty_cell.store.database import Database
from zesty_cell.store.hangar import CRAFTS, PACKS

LineVerdict = Literal["new", "known", "wrong"]
#: A flight that landed so near to one of the same pack and length is the same [s].
_SAME_S = 1.5
#: So much of a name is said.
_LETTERS = 40


@dataclass(frozen=True)
class Judged:
    """A line of the file and what becomes of it.

    Attributes
    ----------
    line : ReadFlight
    verdict : LineVerdict
    said : tuple of str or Fact
        What is wrong with it; of a new flight what is unlikely in it.
    flight : LoggedFlight or None
    craft_id, pack_id : int
        0 where none was found.
    """

    line: ReadFlight
    verdict: LineVerdict
    said: tuple[Words, ...] = ()
    flight: LoggedFlight | None = None
    craft_id: int = 0
    pack_id: int = 0

    @property
    def entry(self) -> str:
        """The same for the same flight, whichever file it comes in."""
        assert self.flight is not None  # noqa: S101 - asked for new flights only
        moment = self.flight.landed_at.replace(microsecond=0).isoformat()
        same = f"{self.pack_id} {moment} {self.flight.duration_s:.0f}"
        return "csv-" + hashlib.sha256(same.encode()).hexdigest()[:32]


def _wrong(line: ReadFlight, why: Words) -> Judged:
    return Judged(line, "wrong", (why,))


class LinesJudge:
    """Holds lines of a file against hangar and log as they are; each new flight counts for those after it.

    Parameters
    ----------
    database : Database
        Read once, as the first line is to be judged.
    """

    def __init__(self, database: Database) -> None:
        with database.session() as session:
            crafts, packs = CRAFTS.all(session), PACKS.all(session)
            self.crafts = {row.name.casefold(): row.id for row in crafts}
            self.packs: dict[str, tuple[int, Pack]] = {
                row.name.casefold(): (row.id, PACKS.thing(row)) for row in packs
            }
            names = [row.name.casefold() for row in crafts], [row.name.casefold() for row in packs]
            self.twice = tuple({n for n in of if of.count(n) > 1} for of in names)
            self.patterns = {
                row.craft_id: sheets.as_sheet(row).flying.name
                for row in sorted(sheets.all_sheets(session), key=lambda r: r.updated_at)
            }
            known = flights.known_moments(session)
        self.airborne = {pack_id: Airborne(moments) for pack_id, moments in known.items()}
        self.seen: dict[tuple[int, datetime], float] = {
            (pack_id, landed_at.replace(microsecond=0)): duration_s
            for pack_id, moments in known.items()
            for landed_at, duration_s in moments
        }

    def _is_known(self, pack_id: int, flight: LoggedFlight) -> bool:
        second = flight.landed_at.replace(microsecond=0)
        for step in (-1, 0, 1):
            duration_s = self.seen.get((pack_id, second + timedelta(seconds=step)))
            if duration_s is not None and abs(duration_s - flight.duration_s) <= _SAME_S:
                return True
        return False

    def judge(self, line: ReadFlight) -> Judged:
        """What becomes of a line; a new flight counts for those after it."""
        if line.wrong:
            return _wrong(line, line.wrong)
        craft_id = self.crafts.get(line.craft.casefold())
        if craft_id is None:
            return _wrong(line, fact("file.flights.no_such_craft", craft=line.craft[:_LETTERS]))
        found = self.packs.get(line.pack.casefold())
        if found is None:
            return _wrong(line, fact("file.flights.no_such_pack", pack=line.pack[:_LETTERS]))
        for name, twice in ((line.craft, self.twice[0]), (line.pack, self.twice[1])):
            if name.casefold() in twice:
                return _wrong(line, fact("file.flights.two_so_called", name=name[:_LETTERS]))
        pack_id, pack = found
        try:
            flight = as_flight(line, series=pack.series, pattern=self.patterns.get(craft_id, "As logged"))
        except FileFormatError as error:
            return _wrong(line, error.why)
        if self._is_known(pack_id, flight):
            return Judged(line, "known", (), flight, craft_id, pack_id)
        for why in doubts(flight, pack=pack).values():
            return _wrong(line, why)
        if flight.landed_at > datetime.now(UTC) + timedelta(days=1):
            return _wrong(line, fact("file.flights.future"))
        airborne = self.airborne.setdefault(pack_id, Airborne())
        if airborne.overlaps(flight):
            return _wrong(line, fact("flight.overlaps", pack=pack.name))
        airborne.add(flight)
        self.seen[pack_id, flight.landed_at.replace(microsecond=0)] = flight.duration_s
        asked = tuple(d.why for d in flight_doubts(flight, pack=pack))
        said = (line.note, *asked) if line.note else asked
        return Judged(line, "new", said, flight, craft_id, pack_id)
