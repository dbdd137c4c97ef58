"""What each sheet answers, for the list of all: worked out behind the page, kept until what it rests on changes.

A sheet's answer rests on its own row, its craft, the packs, the craft's flights, logs, calibrations and further
sheets (a flight on another pattern teaches too).  Counts and versions of these make a key, for all sheets in a
handful of queries; an answer whose key is another is not shown, and worked out anew.  Moments of change are part of
it: after a backup is brought back, versions are given a second time.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Hashable, Sequence
from contextlib import AbstractContextManager
from dataclasses import dataclass
from datetime import datetime

import numpy as np
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from zesty_cell.core.errors import ZestyCellError
from zesty_cell.core.fact import Words
from zesty_cell.services.advice import Advice, advise
from zesty_cell.services.rests_on import fits_kept, versions_by_craft
from zesty_cell.services.turns import TURNS
from zesty_cell.store import sheets
from zesty_cell.store.sheets import SheetHead
from zesty_cell.store.tables import CalibrationRow, FlightRow, LogRow, PackRow, SheetRow

#: So many answers are kept; the oldest go first.
_MOST = 2000
#: Points of the small voltage picture.
_POINTS = 28
#: So many are worked out on one look at the database.
_TOGETHER = 8


@dataclass(frozen=True)
class SheetAnswer:
    """What a sheet answers, in short.

    Attributes
    ----------
    flies : bool
    landing_s, low_s, high_s, timer_s : float
        Be on the ground at, its range, the timer to set now [s].
    stop : Words or None
        The first check that says stop; or why the sheet contradicts itself.
    rest_v, cruise_v : tuple of float
        Of a cell, at equal steps to the end of the charge [V].
    landing_share : float
        Where on them the landing is [1].
    """

    flies: bool
    landing_s: float
    low_s: float
    high_s: float
    timer_s: float
    stop: Words | None
    rest_v: tuple[float, ...]
    cruise_v: tuple[float, ...]
    landing_share: float


def in_short(advice: Advice, /) -> SheetAnswer:
    """A sheet's answer in short."""
    result, flight = advice.result, advice.result.flight
    at = np.linspace(0, flight.time_s.size - 1, _POINTS).round().astype(np.int64)
    stop = next((check.title for check in result.checks if check.status == "stop"), None)
    return SheetAnswer(
        flies=result.at_landing.flies,
        landing_s=flight.landing_s,
        low_s=result.range.low_s,
        high_s=result.range.high_s,
        timer_s=advice.timer.timer_s,
        stop=stop,
        rest_v=tuple(float(v) for v in flight.rest_v[at]),
        cruise_v=tuple(float(v) for v in flight.cruise_v[at]),
        landing_share=min(flight.landing_s / max(flight.end_s, 1e-9), 1.0),
    )


def _contradicts(why: Words) -> SheetAnswer:
    return SheetAnswer(False, 0.0, 0.0, 0.0, 0.0, why, (), (), 0.0)


def keys_of(session: Session, rows: Sequence[SheetHead], /) -> dict[int, Hashable]:
    """What the answer of each sheet rests on, by the sheet's number."""
    flown, logs, checked = (versions_by_craft(session, table) for table in (FlightRow, LogRow, CalibrationRow))
    packs = tuple(
        session.execute(select(func.count(), func.sum(PackRow.version), func.max(PackRow.updated_at))).one()
    )
    fits = fits_kept(session)
    alike: dict[int, tuple[tuple[int, int, datetime], ...]] = {}
    for row in rows:
        alike[row.craft_id] = (*alike.get(row.craft_id, ()), (row.id, row.version, row.updated_at))
    return {
        row.id: (
            row.craft_id, row.craft_version, row.craft_updated_at, row.pack_id, packs, fits,
            alike[row.craft_id] if row.craft_id in flown else (row.version, row.updated_at),
            flown.get(row.craft_id), logs.get(row.craft_id), checked.get(row.craft_id),
        )
        for row in rows
    }  # fmt: skip


class SheetAnswers:
    """The answers of one application's sheets, and the thread that works them out."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._kept: dict[int, tuple[Hashable, SheetAnswer]] = {}
        self._wanted: list[int] = []
        self._working = False
        self._ended = False

    def known(
        self,
        session: Session,
        rows: Sequence[SheetHead],
        *,
        sessions: Callable[[], AbstractContextManager[Session]],
    ) -> dict[int, SheetAnswer]:
        """Answers that still hold, by the sheet's number; the others are set about.

        Parameters
        ----------
        rows : sequence of SheetHead
            All of them: a sheet's answer rests on its craft's others.
        sessions : callable
            Opens a session of its own for the work behind.
        """
        keys = keys_of(session, rows)
        with self._lock:
            found = {n: kept[1] for n, key in keys.items() if (kept := self._kept.get(n)) and kept[0] == key}
            self._wanted = [n for n in keys if n not in found]
            start = bool(self._wanted) and not self._working and not self._ended
            self._working = self._working or start
        if start:
            threading.Thread(target=self._work, args=(sessions,), name="sheet answers", daemon=True).start()
        return found

    def _next(self) -> list[int]:
        with self._lock:
            some, self._wanted = self._wanted[:_TOGETHER], self._wanted[_TOGETHER:]
            if self._ended or not some:
                self._working = False
                return []
            return some

    def _work(self, sessions: Callable[[], AbstractContextManager[Session]]) -> None:
        while some := self._next():
            try:
                with sessions() as session:
                    keys = keys_of(session, sheets.heads(session))
                    by_number = sheets.some_of(session, some)
                    for number in some:
                        if number in by_number and number in keys:
                            TURNS.give_way()
                            self._answer(session, by_number[number], keys[number])
            except ZestyCellError:
                continue  # gone meanwhile, or not to be read: the list shows it without an answer
            except Exception:
                with self._lock:
                    self._working = False
                raise

    def _answer(self, session: Session, row: SheetRow, key: Hashable) -> None:
        try:
            answer = in_short(advise(session, row))
        except ZestyCellError as error:
            answer = _contradicts(getattr(error, "why", str(error)))
        with self._lock:
            self._kept.pop(row.id, None)
            self._kept[row.id] = (key, answer)
            while len(self._kept) > _MOST:
                self._kept.pop(next(iter(self._kept)))

    def let_go(self) -> None:
        """Work out no more."""
        with self._lock:
            self._ended, self._wanted = True, []
