"""Bringing flights of a file into the log: looked at first, then written whole."""

from __future__ import annotations

import logging
import secrets
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import UTC, tzinfo
from typing import Literal

from sqlalchemy.exc import OperationalError

from zesty_cell.core.errors import StoppedError
from zesty_cell.core.fact import Words, fact
from zesty_cell.formats.csv_table import read_named_rows
from zesty_cell.formats.errors import FileFormatError
from zesty_cell.formats.flights_csv import read_flights
from zesty_cell.operating import tell
from zesty_cell.services.judged_lines import Judged, LinesJudge, LineVerdict
from zesty_cell.services.turns import TURNS, Ticket
from zesty_cell.store import flights as store
from zesty_cell.store.database import Database


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
    error: Words = ""
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

    def count(self, verdict: LineVerdict) -> int:
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
                one.state, one.error = "refused", error.why
            except StoppedError:
                one.state, one.error = "refused", fact("error.import_stopped")
            except OperationalError as error:
                tell("import failed", level=logging.WARNING, why=type(error).__name__)
                one.state = "read"
                one.error = fact("error.import_not_taken")
            except Exception as error:
                reference = secrets.token_hex(4)
                tell("unforeseen", level=logging.ERROR, error=error, reference=reference, route="/log/import")
                one.state, one.error = (
                    "refused",
                    fact("error.import_unforeseen", reference=reference),
                )
            else:
                tell("import", state=one.state, seconds=round(time.monotonic() - began, 2))
            finally:
                one.took_s = time.monotonic() - began
                one.over.set()

        threading.Thread(target=guarded, name="import", daemon=True).start()
        one.over.wait(_PATIENCE_S)


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
    judge = LinesJudge(database)
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
                store.NewFlight(line.flight, line.craft_id, line.pack_id, line.entry)
                for line in new
                if line.flight is not None
            ],
            progress=told,
        )
    one.state = "written"


#: A page waits so long before it shows progress instead [s]; imports are kept for a while.
_PATIENCE_S, _KEPT = 1.0, 6
#: Of so many lines in all; a line and its flight take some two kB.
_LINES_KEPT = 60_000
