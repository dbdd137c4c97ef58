"""Moments of the log: with their time zone, kept in UTC."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Annotated

from pydantic import AfterValidator

from zesty_cell.core.entity import refused
from zesty_cell.core.fact import fact


def _in_utc(moment: datetime) -> datetime:
    if moment.tzinfo is None:
        raise refused(fact("refused.moment.no_zone"))
    return moment.astimezone(UTC)


Moment = Annotated[datetime, AfterValidator(_in_utc)]
