"""A drill as it was flown once, to be kept."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field, model_validator

from zesty_cell.core.entity import Entity, Name, refused
from zesty_cell.core.fact import fact
from zesty_cell.core.learn.moment import Moment
from zesty_cell.core.practice.course import MOST_S, Decision
from zesty_cell.core.practice.scenario import DrillKey

#: Nobody decides more often in a minute.
MOST_DECISIONS = 40


class Attempt(Entity):
    """One time that a drill was flown.

    Attributes
    ----------
    drill : str
    seed : int
        Of its truth.
    sheet : int, optional
        Number of one's own sheet, where it was flown with that.
    name : str
        What was flown.
    decisions : tuple of Decision
    answer : int, optional
        Of its question, from 0.
    right : bool, optional
        Whether that was right.
    score : int
        [1].
    flown_s : float
        [s].
    left : float
        Charge left at the end [1].
    fell : bool
    """

    drill: DrillKey
    seed: Annotated[int, Field(ge=0, le=2**31)]
    sheet: Annotated[int, Field(ge=1, le=2**53)] | None = None
    name: Name
    at: Moment
    decisions: Annotated[tuple[Decision, ...], Field(max_length=MOST_DECISIONS)] = ()
    answer: Annotated[int, Field(ge=0, le=9)] | None = None
    right: bool | None = None
    score: Annotated[int, Field(ge=0, le=100)]
    flown_s: Annotated[float, Field(ge=0, le=MOST_S)]
    left: Annotated[float, Field(ge=0, le=1)]
    fell: bool = False

    @model_validator(mode="after")
    def _own_has_its_sheet(self) -> Attempt:
        if (self.drill == "own") != (self.sheet is not None):
            raise refused(fact("refused.practice.own"), field="sheet")
        return self
