"""One check of a flight: ok, look or stop, with its number, its limit, the moment and the mend."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

Status = Literal["ok", "look", "stop"]
Unit = Literal["A", "V", "pack V", "°C", "kg", "share", "ratio", "times", "flights"]


@dataclass(frozen=True)
class Check:
    """One check.

    Attributes
    ----------
    key : str
        Stable name.
    status : Status
    title : str
        What was found, as a sentence without its numbers.
    value, limit : float or None
        In ``unit``.
    unit : Unit
    at_s : float or None
        When in the flight [s].
    mend : str
        What to do; empty when nothing needs doing.
    land_at_v : float or None
        A loaded voltage that mends it where it becomes the landing limit [V a cell].
    """

    key: str
    status: Status
    title: str
    value: float | None
    limit: float | None
    unit: Unit
    at_s: float | None
    mend: str
    land_at_v: float | None = None
