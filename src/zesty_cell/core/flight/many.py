"""Many flights of one sheet: set off at once, shared out over two threads, looked at while their knots exist."""

from __future__ import annotations

import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.asked.flying import STEP_S
from zesty_cell.core.flight import kernel
from zesty_cell.core.flight.parameters import MAX_FLIGHT_S, kernel_parameters
from zesty_cell.core.flight.setup import Factors, Setup, program_of
from zesty_cell.core.parts.chemistry import cell_table, temperature_table

#: So many flights are flown and looked at in one piece of work.
_FLIGHTS_A_CHUNK = 20
#: Room that a thread begins with, in knots of all flights of a chunk together.
_KNOTS_A_CHUNK = 60_000

_local = threading.local()


@dataclass(frozen=True)
class Knots:
    """What sampled flights leave behind for as long as they are looked at.

    Attributes
    ----------
    at : float64 array, shape (k, room, kernel.KNOT_COLUMNS)
        Moments of each flight [s], and its voltages [V a cell], charge [1] and current [A a cell] there; straight
        between two.  The last one of a flight may lie past its end.
    summary : float64 array, shape (k, kernel.SUMMARY_COUNT)
        How many knots each has among it.
    """

    at: NDArray[np.float64]
    summary: NDArray[np.float64]

    def charge_left_at(self, flight: int, moments_s: NDArray[np.float64]) -> NDArray[np.float64]:
        """Charge left [1] of one flight at some moments [s]; past its end as at its end."""
        last = int(self.summary[flight, kernel.KNOTS])
        time_s = self.at[flight, :last, kernel.N_AT_S]
        until_s = np.minimum(moments_s, self.summary[flight, kernel.END_S])
        return np.asarray(np.interp(until_s, time_s, self.at[flight, :last, kernel.N_CHARGE_LEFT]))

    def kept(self) -> Knots:
        """A copy of its own, without the room that was not needed."""
        most = int(self.summary[:, kernel.KNOTS].max(initial=0.0))
        return Knots(self.at[:, :most].copy(), self.summary.copy())


def _knots_room(flights: int, at_least: int = 0) -> NDArray[np.float64]:
    """Room for the knots of so many flights, one buffer a thread and used again; copy what is to be kept."""
    buffer: NDArray[np.float64] | None = getattr(_local, "knots", None)
    if buffer is None or buffer.shape[0] < at_least:
        _local.knots = buffer = np.empty((max(_KNOTS_A_CHUNK, at_least), kernel.KNOT_COLUMNS))
    room = buffer.shape[0] // flights
    return buffer[: room * flights].reshape(flights, room, kernel.KNOT_COLUMNS)


#: Called with the rows concerned and their knots, which are its own only while it is called.
Visitor = Callable[[slice, Knots], None]


@cache
def flight_pool() -> ThreadPoolExecutor:
    """The two threads that share out flights, one pool for the process: the kernel releases the GIL.

    (A compiled parallel loop entered from two request threads at once can abort the process, so there is none.)
    """
    return ThreadPoolExecutor(max_workers=2, thread_name_prefix="flights")


class _Prepared:
    """The flights of a sheet, ready for the compiled call.

    Prepared by the thread that asks: two threads of Python would only wait for each other.
    """

    def __init__(self, setup: Setup, factors: Factors, beyond_landing: float, longest_s: float) -> None:
        self._params = kernel_parameters(setup=setup, factors=factors, beyond_landing=beyond_landing)
        self._program, self._gusts = program_of(setup=setup, factors=factors), factors.gust_rows()
        self._tables = cell_table(setup.chemistry)[None], temperature_table(setup.chemistry)[None]
        self._samples = int(min(longest_s, MAX_FLIGHT_S) / STEP_S + 1e-9) + 1
        self.summary = np.empty((len(factors), kernel.SUMMARY_COUNT))

    def march(self, rows: slice, knots: NDArray[np.float64]) -> None:
        """Fly some of them."""
        kernel.march_many(
            self._params[rows],
            self._program.kind,
            self._program.value[rows],
            self._program.seconds[rows],
            self._program.work_j[rows],
            self._gusts[rows],
            *self._tables,
            np.zeros(rows.stop - rows.start, dtype=np.int64),
            STEP_S,
            self._samples,
            knots,
            self.summary[rows],
        )

    def visited(self, rows: slice, visit: Visitor) -> None:
        """Fly some of them and have them looked at; fewer at a time where their knots need more room."""
        count = rows.stop - rows.start
        knots = _knots_room(count)
        self.march(rows, knots)
        most = int(self.summary[rows, kernel.KNOTS].max())
        if most > knots.shape[1] and count > 1:
            half = rows.start + count // 2
            self.visited(slice(rows.start, half), visit)
            self.visited(slice(half, rows.stop), visit)
            return
        if most > knots.shape[1]:
            knots = _knots_room(1, most)
            self.march(rows, knots)
        visit(rows, Knots(knots, self.summary[rows]))


def charge_left_at(setup: Setup, *, factors: Factors, moments_s: NDArray[np.float64]) -> NDArray[np.float64]:
    """Charge left of a few flights at some moments, whatever the landing rule says.

    Parameters
    ----------
    factors : Factors, k flights
    moments_s : float64 array, shape (n,)
        [s]

    Returns
    -------
    float64 array, shape (k, n) [1]
        Past the end of a flight as at its end.
    """
    left = np.empty((len(factors), moments_s.size))

    def visit(rows: slice, knots: Knots) -> None:
        for k in range(rows.start, rows.stop):
            left[k] = knots.charge_left_at(k - rows.start, moments_s)

    longest_s = float(moments_s.max(initial=0.0)) + 3.0
    _Prepared(setup, factors, np.inf, longest_s).visited(slice(0, len(factors)), visit)
    return left


def start_many(
    setup: Setup,
    *,
    factors: Factors,
    longest_s: float = MAX_FLIGHT_S,
    beyond_landing: float = np.inf,
    visit: Visitor | None = None,
) -> Callable[[], NDArray[np.float64]]:
    """Set many flights of one sheet off, shared out in chunks over two threads, and come back at once.

    Parameters
    ----------
    factors : Factors, k flights
    longest_s : float
        No flight is followed for longer [s].
    beyond_landing : float
        How far past its landing each flight is followed, as a share of its time; to the end by default.
    visit : Visitor, optional
        Given each chunk's knots while they exist; may run in two threads at once, each with its own
        rows.

    Returns
    -------
    callable
        Waits for all of them, and gives the kernel's summaries, float64 of shape (k, kernel.SUMMARY_COUNT), in the
        units of its columns; what ``visit`` raised is raised there.
    """
    prepared = _Prepared(setup, factors, beyond_landing, longest_s)

    def chunk(rows: slice) -> None:
        if visit is None:
            prepared.march(rows, np.empty((rows.stop - rows.start, 0, 0)))
        else:
            prepared.visited(rows, visit)

    started = []
    for first in range(0, len(factors), _FLIGHTS_A_CHUNK):
        rows = slice(first, min(first + _FLIGHTS_A_CHUNK, len(factors)))
        started.append(flight_pool().submit(chunk, rows))

    def finish() -> NDArray[np.float64]:
        for future in started:
            future.result()
        return prepared.summary

    return finish
