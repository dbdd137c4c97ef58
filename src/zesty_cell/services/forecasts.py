"""Forecasts of sheets that many pages ask for: each is flown once."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from contextlib import contextmanager
from functools import lru_cache

from zesty_cell.core.answer.forecast import Forecast, forecast
from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.callouts.score import KeptFlights, keep_flights

#: A forecast keeps two threads busy: more at once would only cost memory.
_AT_ONCE = threading.BoundedSemaphore(2)


@lru_cache(maxsize=16)
def flown(sheet: Sheet) -> Forecast:
    """The forecast of a sheet; OutOfRangeError where it contradicts itself."""
    with _AT_ONCE:
        return forecast(sheet)


@lru_cache(maxsize=2)
def flights_of(sheet: Sheet) -> KeptFlights:
    """The sampled flights of a sheet, kept to look at plan after plan by; they take some tens of megabytes."""
    with _AT_ONCE:
        return keep_flights(sheet)


@contextmanager
def heavy_work() -> Iterator[None]:
    """What keeps both cores busy for a while: no more of it at once than of forecasts."""
    with _AT_ONCE:
        yield
