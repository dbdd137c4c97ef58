"""One check of a flight: ok, look or stop, with its number, its limit, the moment and the mend."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from zesty_cell.core.fact import Fact

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
    title : Fact
        What was found, without its numbers.
    value, limit : float or None
        In ``unit``.
    unit : Unit
    at_s : float or None
        When in the flight [s].
    mend : Fact or None
        What to do; None when nothing needs doing.
    land_at_v : float or None
        A loaded voltage that mends it where it becomes the landing limit [V a cell].
    """

    key: str
    status: Status
    title: Fact
    value: float | None
    limit: float | None
    unit: Unit
    at_s: float | None
    mend: Fact | None
    land_at_v: float | None = None
