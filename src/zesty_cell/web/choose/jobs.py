"""Searches in the background: one for each question, waited for briefly, told of, cancelled, kept a while."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field

from zesty_cell.core.choose.search import Found
from zesty_cell.core.errors import StoppedError
from zesty_cell.services.turns import TURNS, Ticket

#: A page waits this long before it shows progress instead [s].
PATIENCE_S = 1.5
#: Finished searches are kept, so that brushing and sorting do not fly again: so many, of so many packs
#: in all (a pack and its figures take about 7 kB).
_KEPT, _PACKS_KEPT = 12, 10_000


@dataclass
class Job:
    """One search: how far it is, and what it found."""

    key: str
    ticket: Ticket
    done: int = 0
    of: int = 0
    found: Found | None = None
    error: str = ""
    started: float = field(default_factory=time.monotonic)
    stop: threading.Event = field(default_factory=threading.Event)
    over: threading.Event = field(default_factory=threading.Event)

    def progress(self, done: int, of: int) -> None:
        """Told by the search."""
        self.done, self.of = done, of

    def stopped(self) -> bool:
        """Asked by the search between two steps: there who edits a sheet is let by."""
        TURNS.give_way()
        return self.stop.is_set()

    @property
    def place(self) -> int:
        """How many go before it; 0 once its turn has come."""
        return TURNS.place_of(self.ticket)


class Jobs:
    """The searches of one application."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._jobs: dict[str, Job] = {}

    def start(self, key: str, work: Callable[[Job], Found]) -> Job:
        """The search of this question: the one that runs or is kept, else a new one.

        Raises
        ------
        BusyError
            When the line of heavy work is full.
        """
        with self._lock:
            job = self._jobs.get(key)
            if job is None or job.stop.is_set() or job.error:
                job = Job(key, TURNS.draw())
                threading.Thread(target=self._run, args=(job, work), name="search", daemon=True).start()
            self._jobs.pop(key, None)
            self._jobs[key] = job  # newest last
            self._let_go()
        if not job.place:  # who stands in line is told so at once
            job.over.wait(PATIENCE_S)
        return job

    def _let_go(self) -> None:
        """Forget the oldest finished searches that are too many, or too large; the newest stays."""
        packs = 0
        finished = [k for k, j in self._jobs.items() if j.over.is_set()]
        for place, key in enumerate(reversed(finished)):
            found = self._jobs[key].found
            packs += len(found.packs) if found is not None else 0
            if place >= _KEPT or (place and packs > _PACKS_KEPT):
                del self._jobs[key]

    @staticmethod
    def _run(job: Job, work: Callable[[Job], Found]) -> None:
        try:
            with TURNS.turn(job.ticket):
                job.found = work(job)
        except StoppedError:
            job.stop.set()
        except Exception as error:
            job.error = str(error) or type(error).__name__
        finally:
            job.over.set()

    def cancel(self, key: str) -> None:
        """End a search that runs; what it flew is let go of."""
        with self._lock:
            job = self._jobs.pop(key, None)
        if job is not None:
            job.stop.set()
            TURNS.stop(job.ticket)
