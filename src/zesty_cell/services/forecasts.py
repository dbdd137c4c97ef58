"""Forecasts of sheets that many pages ask for: each is flown once."""

from __future__ import annotations

from functools import lru_cache

from zesty_cell.core.answer.forecast import Forecast, forecast
from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.callouts.score import KeptFlights, keep_flights
from zesty_cell.services.turns import TURNS


@lru_cache(maxsize=16)
def flown(sheet: Sheet) -> Forecast:
    """The forecast of a sheet; OutOfRangeError where it contradicts itself."""
    with TURNS.live():
        return forecast(sheet)


@lru_cache(maxsize=2)
def flights_of(sheet: Sheet) -> KeptFlights:
    """The sampled flights of a sheet, kept to look at plan after plan by; they take some tens of megabytes."""
    with TURNS.live():
        return keep_flights(sheet)
