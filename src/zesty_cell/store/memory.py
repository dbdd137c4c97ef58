"""What was worked out from the database, remembered until anything in it changes.

Every page asks what the log taught, and between two changes the answer is the same.  A generation counts the
changes: those of this process as their transaction is committed, those of others by SQLite's own count, which is
asked for as each transaction begins.  A transaction that has written itself remembers nothing.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Hashable
from typing import Any, TypeVar

from sqlalchemy import Connection, event
from sqlalchemy.orm import ORMExecuteState, Session, sessionmaker

_T = TypeVar("_T")
#: So many answers are kept; then it begins anew.
_MOST = 512
_MEMORY, _GENERATION, _WROTE, _SEEN = "memory", "generation", "wrote", "data_version"


class Memory:
    """Of one database."""

    def __init__(self, sessions: sessionmaker[Session]) -> None:
        self._lock = threading.Lock()
        self._generation = 0
        self._of_generation = 0
        self._kept: dict[Hashable, Any] = {}
        event.listen(sessions, "after_begin", self._begun)
        event.listen(sessions, "after_flush", self._written)
        event.listen(sessions, "do_orm_execute", self._executed)
        event.listen(sessions, "after_commit", self._committed)
        event.listen(sessions, "after_rollback", self._rolled_back)

    def _begun(self, session: Session, _transaction: Any, connection: Connection) -> None:
        # Before the first row is read: what is read then is at least as new as the generation.
        version = connection.exec_driver_sql("PRAGMA data_version").scalar()
        with self._lock:
            if connection.info.get(_SEEN) != version:
                connection.info[_SEEN] = version
                self._generation += 1
            session.info[_GENERATION] = self._generation
        session.info[_MEMORY] = self

    @staticmethod
    def _written(session: Session, _context: Any) -> None:
        session.info[_WROTE] = True

    @staticmethod
    def _executed(state: ORMExecuteState) -> None:
        if not state.is_select:
            state.session.info[_WROTE] = True

    def _committed(self, session: Session) -> None:
        if session.info.pop(_WROTE, False):
            with self._lock:
                self._generation += 1

    @staticmethod
    def _rolled_back(session: Session) -> None:
        session.info.pop(_WROTE, None)

    def get(self, session: Session, key: Hashable) -> Any | None:
        """What is remembered; None where nothing is."""
        with self._lock:
            self._forget()
            return self._kept.get(key) if session.info[_GENERATION] == self._generation else None

    def keep(self, session: Session, key: Hashable, value: Any) -> None:
        """Remember it, unless something changed meanwhile."""
        with self._lock:
            self._forget()
            if session.info[_GENERATION] != self._generation:
                return
            if len(self._kept) >= _MOST:
                self._kept.clear()
            self._kept[key] = value

    def _forget(self) -> None:
        if self._of_generation != self._generation:
            self._kept.clear()
            self._of_generation = self._generation


def remembered(session: Session, key: Hashable, make: Callable[[], _T], /) -> _T:
    """An answer from the database that no row hangs on, worked out once until anything in it changes.

    ``key`` names the question and all that it was asked about.
    """
    session.connection()
    memory: Memory | None = session.info.get(_MEMORY)
    if memory is None or session.info.get(_WROTE) or session.new or session.dirty or session.deleted:
        return make()
    kept = memory.get(session, key)
    if kept is None:
        kept = (make(),)  # none is an answer too
        if not session.info.get(_WROTE):
            memory.keep(session, key, kept)
    value: _T = kept[0]
    return value
