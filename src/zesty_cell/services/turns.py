"""Whose turn it is to keep the cores busy: a page that somebody edits first, heavy work behind, one at a time.

A search, an import, a tune keep both cores busy for seconds.  They wait in one line, bounded, with a place that can
be shown; beyond it they are told to come again.  A forecast, which answers a key that was pressed, does not wait
for them: a long piece of work lets it by between two of its steps.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Final

from zesty_cell.core.errors import StoppedError, ZestyCellError
from zesty_cell.core.fact import fact

#: Forecasts worked out at once: each keeps two threads busy, so more would only cost memory.
LIVE_AT_ONCE: Final = 2
#: So much heavy work waits in line; of it so much that holds a request, of which only ten are worked on at once.
MOST_WAITING: Final = 8
MOST_HELD: Final = 3
#: A long piece of work waits no longer than this for those it lets by [s].
_PATIENCE_S: Final = 1.0


class BusyError(ZestyCellError, RuntimeError):
    """The line of heavy work is full."""

    def __init__(self) -> None:
        super().__init__(fact("turns.busy"))


class Ticket:
    """A place in the line of heavy work."""

    def __init__(self, *, held: bool) -> None:
        self.held = held
        self.stopped = False


class Turns:
    """The line, and who works."""

    def __init__(self) -> None:
        self._changed = threading.Condition()
        self._line: list[Ticket] = []
        self._heavy = 0
        self._live = 0
        self._live_waiting = 0
        #: Done after each heavy piece of work, by whoever runs the process: it left much behind.
        self.tidy: Callable[[], object] = bool

    def draw(self, *, held: bool = False) -> Ticket:
        """Stand in line; ``held`` where a request waits for it.

        Raises
        ------
        BusyError
        """
        with self._changed:
            mine = sum(t.held for t in self._line)
            if len(self._line) >= MOST_WAITING or (held and mine >= MOST_HELD):
                raise BusyError
            ticket = Ticket(held=held)
            self._line.append(ticket)
            return ticket

    def place_of(self, ticket: Ticket) -> int:
        """How many go before it, whoever works among them; 0 for one whose turn has come."""
        with self._changed:
            return self._line.index(ticket) + self._heavy if ticket in self._line else 0

    def stop(self, ticket: Ticket) -> None:
        """Leave the line."""
        with self._changed:
            ticket.stopped = True
            self._changed.notify_all()

    @contextmanager
    def turn(self, ticket: Ticket) -> Iterator[None]:
        """Work when its turn has come.

        Raises
        ------
        StoppedError
            When it left the line before.
        """
        with self._changed:
            try:
                self._changed.wait_for(lambda: ticket.stopped or (not self._heavy and self._line[0] is ticket))
                if ticket.stopped:
                    raise StoppedError(fact("turns.stopped"))
                self._heavy += 1
            finally:
                self._line.remove(ticket)
                self._changed.notify_all()
        try:
            yield
        finally:
            with self._changed:
                self._heavy -= 1
                self._changed.notify_all()
            self.tidy()

    @contextmanager
    def heavy(self) -> Iterator[None]:
        """Heavy work that a request waits for.

        Raises
        ------
        BusyError
        """
        with self.turn(self.draw(held=True)):
            yield

    @contextmanager
    def live(self) -> Iterator[None]:
        """What answers a key that was pressed."""
        with self._changed:
            self._live_waiting += 1
            self._changed.wait_for(lambda: self._live < LIVE_AT_ONCE)
            self._live_waiting -= 1
            self._live += 1
        try:
            yield
        finally:
            with self._changed:
                self._live -= 1
                self._changed.notify_all()

    def give_way(self) -> None:
        """Between two steps of heavy work: let live work by."""
        with self._changed:
            self._changed.wait_for(lambda: not self._live and not self._live_waiting, _PATIENCE_S)


#: Of this process, whose cores they are.
TURNS: Final = Turns()
