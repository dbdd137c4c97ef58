"""What a pilot keeps about a thing besides its physics: whose it is, and where a pack stands."""

from __future__ import annotations

import re
from typing import Annotated, Literal

from pydantic import Field

from zesty_cell.core.entity import Entity, Name
from zesty_cell.core.parts.chemistry import charge_left_at_rest
from zesty_cell.core.parts.measured import CellVolts
from zesty_cell.core.parts.pack import Pack, cells_of

Standing = Literal["own", "lent", "wanted", "retired"]


#: A count that goes on beyond this says no more.
MOST_FLIGHTS = 100_000


class Ownership(Entity):
    """Standing of a craft or a pack; a pack's flights and last rest voltage per cell."""

    standing: Standing = "own"
    lent_to: Name | None = None
    flights: Annotated[int, Field(ge=0, le=MOST_FLIGHTS)] = 0
    rest_v_per_cell: CellVolts | None = None


def charge_now(*, pack: Pack, ownership: Ownership) -> float | None:
    """State of charge by the last rest voltage [0 to 1]; None where there is no reading."""
    if ownership.rest_v_per_cell is None:
        return None
    return charge_left_at_rest(chemistry=cells_of(pack), rest_v=ownership.rest_v_per_cell)


_NUMBERED = re.compile(r"^(?P<type>.*?\S)\s+\d{1,3}$")


def type_of(name: str, /) -> str:
    """The type an individual belongs to: “Kumquat” of “Kumquat 3”, else the name itself."""
    found = _NUMBERED.match(name)
    return found["type"] if found else name
