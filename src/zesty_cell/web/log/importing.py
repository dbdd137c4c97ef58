"""Bringing flights of a file into the log: looked at first, then written whole."""

from __future__ import annotations

import hashlib
import logging
import secrets
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta, tzinfo
from typing import Literal

from sqlalchemy.exc import OperationalError

from zesty_cell.core.errors import StoppedError
from zesty_cell.core.fact import fact
from zesty_cell.core.learn.flights import Airborne, LoggedFlight, doubts
from zesty_cell.core.learn.plausibility import flight_doubts
from zesty_cell.core.parts.pack import Pack
from zesty_cell.formats.csv_table import read_named_rows
from zesty_cell.formats.errors import FileFormatError
from zesty_cell.formats.flights_csv import ReadFlight, as_flight, read_flights
from zesty_cell.operating import tell
from zesty_cell.services.turns import TURNS, Ticket
from zesty_cell.store import flights as store
from zesty_cell.store import sheets
from zesty_cell.store.database import Database
from zesty_cell.store.hangar import CRAFTS, PACKS
from zesty_cell.words.say import say

#: A flight that landed so near to one of the same pack and length is the same [s].
_SAME_S = 1.5


@dataclass(frozen=True)
class Judged:
    """A line of the file, what becomes of it, and why."""

    line: ReadFlight
    verdict: Verdict
    words: str
    flight: LoggedFlight | None = None
    craft_id: int = 0
    pack_id: int = 0


@dataclass
class Import:
    """A file on its way into the log."""

    token: str
    name: str
    zone: tzinfo = UTC
    zone_name: str = "UTC"
    state: Literal["reading", "read", "writing", "written", "refused"] = "reading"
    done: int = 0
    of: int = 0
    lines: list[Judged] = field(default_factory=list)
    unknown: tuple[str, ...] = ()
    added: int = 0
    error: str = ""
    took_s: float = 0.0
    over: threading.Event = field(default_factory=threading.Event)
    ticket: Ticket | None = None

    @property
    def place(self) -> int:
        """How many go before it; 0 once its turn has come."""
        return 0 if self.ticket is None else TURNS.place_of(self.ticket)

    def go_on(self) -> None:
        """Between two steps: let by who edits a sheet.

        Raises
        ------
        StoppedError
            When it was stopped meanwhile.
        """
        TURNS.give_way()
        if self.ticket is not None and self.ticket.stopped:
            raise StoppedError("It was stopped.")

    def stop(self) -> None:
        """Stop it, in line or while it reads; what is being written is written whole."""
        if self.ticket is not None and self.state == "reading":
            TURNS.stop(self.ticket)

    def count(self, verdict: Verdict) -> int:
        """How many lines have it."""
        return sum(line.verdict == verdict for line in self.lines)

    @property
    def running(self) -> bool:
        """Whether a thread works on it."""
        return self.state in ("reading", "writing")


class Imports:
    """The imports of one application: a few, the newest last."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._kept: dict[str, Import] = {}

    def begin(self, one: Import) -> None:
        """Keep an import while it is looked at."""
        with self._lock:
            self._kept[one.token] = one
            lines = 0
            finished = [(t, i) for t, i in self._kept.items() if not i.running]
            for place, (token, held) in enumerate(reversed(finished)):
                lines += len(held.lines)
                if place >= _KEPT or (place and lines > _LINES_KEPT):
                    del self._kept[token]

    def get(self, token: str) -> Import | None:
        """One import; None for one that was let go of."""
        return self._kept.get(token)

    @staticmethod
    def run(one: Import, work: Callable[[], None], *, state: Literal["reading", "writing"]) -> None:
        """Do the work in a thread when its turn comes, and wait a moment for it.

        Raises
        ------
        BusyError
            When the line of heavy work is full; the import stays as it was.
        """
        ticket = one.ticket = TURNS.draw()
        one.state, one.error = state, ""
        one.over.clear()

        def guarded() -> None:
            began = time.monotonic()
            try:
                with TURNS.turn(ticket):
                    began = time.monotonic()
                    work()
            except FileFormatError as error:
                one.state, one.error = "refused", str(error)
            except StoppedError:
                one.state, one.error = "refused", "Stopped. Nothing was logged."
            except OperationalError as error:
                tell("import failed", level=logging.WARNING, why=type(error).__name__)
                one.state = "read"
                one.error = (
                    "The database did not take it (locked, or the disk is full). Nothing was logged: try again."
                )
            except Exception as error:
                reference = secrets.token_hex(4)
                tell("unforeseen", level=logging.ERROR, error=error, reference=reference, route="/log/import")
                one.state, one.error = (
                    "refused",
                    f"Something went wrong; nothing was logged. Reference {reference}.",
                )
            else:
                tell("import", state=one.state, seconds=round(time.monotonic() - began, 2))
            finally:
                one.took_s = time.monotonic() - began
                one.over.set()

        threading.Thread(target=guarded, name="import", daemon=True).start()
        one.over.wait(_PATIENCE_S)


class _Judge:
    """Holds lines against the hangar and the log as they are."""

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
            known = store.known_moments(session)
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
            return Judged(line, "wrong", line.wrong)
        craft_id = self.crafts.get(line.craft.casefold())
        if craft_id is None:
            return Judged(line, "wrong", f"There is no craft “{line.craft[:40]}” in the hangar.")
        found = self.packs.get(line.pack.casefold())
        if found is None:
            return Judged(line, "wrong", f"There is no pack “{line.pack[:40]}” in the hangar.")
        for name, twice in ((line.craft, self.twice[0]), (line.pack, self.twice[1])):
            if name.casefold() in twice:
                return Judged(line, "wrong", f"Two in the hangar are called “{name[:40]}”: rename one first.")
        pack_id, pack = found
        try:
            flight = as_flight(line, series=pack.series, pattern=self.patterns.get(craft_id, "As logged"))
        except ValueError as error:
            return Judged(line, "wrong", str(error))
        if self._is_known(pack_id, flight):
            return Judged(line, "known", "In the log already.", flight, craft_id, pack_id)
        wrong = next(map(say, doubts(flight, pack=pack).values()), "")
        asked = "" if wrong else " ".join(say(d.why) for d in flight_doubts(flight, pack=pack))
        if not wrong and flight.landed_at > datetime.now(UTC) + timedelta(days=1):
            wrong = "It lies in the future."
        airborne = self.airborne.setdefault(pack_id, Airborne())
        if not wrong and airborne.overlaps(flight):
            wrong = say(fact("flight.overlaps", pack=pack.name))
        if wrong:
            return Judged(line, "wrong", wrong)
        airborne.add(flight)
        self.seen[pack_id, flight.landed_at.replace(microsecond=0)] = flight.duration_s
        return Judged(line, "new", f"{line.note} {asked}".strip(), flight, craft_id, pack_id)


def _entry(of: Judged) -> str:
    """The same for the same flight, whichever file it comes in."""
    assert of.flight is not None  # noqa: S101 - asked for new flights only
    moment = of.flight.landed_at.replace(microsecond=0).isoformat()
    return "csv-" + hashlib.sha256(f"{of.pack_id} {moment} {of.flight.duration_s:.0f}".encode()).hexdigest()[:32]


def look(one: Import, data: bytes, database: Database) -> None:
    """Read a file and judge its lines; nothing is logged.

    Raises
    ------
    FileFormatError
    """
    rows = read_named_rows(data)
    one.of = 2 * len(rows.rows)

    def read(done: int) -> None:
        one.go_on()
        one.done = done

    log = read_flights(rows, zone=one.zone, progress=read)
    judge = _Judge(database)
    for k, line in enumerate(log.lines):
        one.lines.append(judge.judge(line))
        if k % 200 == 0:
            one.go_on()
            one.done = len(rows.rows) + k
    one.unknown = log.unknown
    one.state = "read"


def write(one: Import, database: Database) -> None:
    """Log the lines that are new, all in one transaction."""
    new = [line for line in one.lines if line.verdict == "new" and line.flight is not None]
    one.done, one.of = 0, len(new)

    def told(done: int) -> None:
        one.done = done

    with database.session() as session:
        one.added = store.add_many(
            session,
            [
                store.NewFlight(line.flight, line.craft_id, line.pack_id, _entry(line))
                for line in new
                if line.flight is not None
            ],
            progress=told,
        )
    one.state = "written"


Verdict = Literal["new", "known", "wrong"]
#: A page waits so long before it shows progress instead [s]; imports are kept for a while.
_PATIENCE_S, _KEPT = 1.0, 6
#: Of so many lines in all; a line and its flight take some two kB.
_LINES_KEPT = 60_000
