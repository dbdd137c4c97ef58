"""The base of every frozen entity: strict about unknown names, NaN and infinity."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field, StringConstraints
from pydantic_core import PydanticCustomError

from zesty_cell.core.errors import plainly
from zesty_cell.core.fact import Words


class Entity(BaseModel):
    """Frozen value with bounds; equal by content, hashable, refuses unknown fields and NaN."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


def refused(why: Words, *, field: str = "") -> PydanticCustomError:
    """An error of several values together, to be raised in a validator: shown beside ``field``, a dotted name, or
    beside the whole."""
    # Braces would be taken for places to fill in.
    text = plainly(why).replace("{", "(").replace("}", ")")
    return PydanticCustomError("refused", text, {"field": field, "why": why})


#: What a person names a thing: trimmed, 1 to 80 characters, no control characters.
Name = Annotated[
    str,
    StringConstraints(strip_whitespace=True, min_length=1, max_length=80, pattern=r"^[^\x00-\x1f\x7f]*$"),
    Field(examples=["Heron"]),
]
