"""Moments of the log: with their time zone, kept in UTC."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Annotated

from pydantic import AfterValidator


def _in_utc(moment: datetime) -> datetime:
    if moment.tzinfo is None:
        raise ValueError("Give the time with its zone, such as 2026-05-03T14:02:00+02:00.")
    return moment.astimezone(UTC)


Moment = Annotated[datetime, AfterValidator(_in_utc)]
