"""Moments of the log: with their time zone, kept in UTC."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Annotated

from pydantic import AfterValidator

from zesty_cell.core.entity import refused
from zesty_cell.core.fact import fact

#: No cell of a pilot's is older, and no clock that is right is later: at the ends of the calendar nothing can be
#: counted from, neither hours of a time zone nor the take-off of a flight.
FIRST_YEAR, LAST_YEAR = 1970, 2199


def _in_utc(moment: datetime) -> datetime:
    if moment.tzinfo is None:
        raise refused(fact("refused.moment.no_zone"))
    if not FIRST_YEAR <= moment.year <= LAST_YEAR:
        raise refused(fact("refused.moment.far", year=moment.year, first=FIRST_YEAR, last=LAST_YEAR))
    return moment.astimezone(UTC)


Moment = Annotated[datetime, AfterValidator(_in_utc)]
