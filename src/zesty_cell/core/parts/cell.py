"""Cells as they lie on the shelf: size, weight, capacity, resistance, ratings."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from zesty_cell.core.entity import Entity, Name, refused
from zesty_cell.core.fact import fact
from zesty_cell.core.parts.chemistry import ChemistryKey, Quality

Amps = Annotated[float, Field(ge=0.001, le=2000)]
CellForm = Literal["round", "pouch"]
#: Where a figure comes from, best first.
Known = Literal["measured", "maker", "estimated"]


class Ratings(Entity):
    """Rating tiers [A]: for as long as it lasts, for one minute, for ten seconds."""

    continuous_a: Amps
    one_minute_a: Amps
    ten_second_a: Amps

    @model_validator(mode="after")
    def _rising(self) -> Ratings:
        if not self.continuous_a <= self.one_minute_a <= self.ten_second_a:
            raise refused(fact("refused.cell.ratings"))
        return self

    def times(self, count: int) -> Ratings:
        """The tiers of so many side by side, up to the highest a pack can have."""
        return Ratings(
            continuous_a=min(self.continuous_a * count, 2000.0),
            one_minute_a=min(self.one_minute_a * count, 2000.0),
            ten_second_a=min(self.ten_second_a * count, 2000.0),
        )


class CellSize(Entity):
    """Outside of one cell; a round one has its diameter as ``width_m`` and no thickness."""

    form: CellForm
    length_m: Annotated[float, Field(ge=0.005, le=0.5)]
    width_m: Annotated[float, Field(ge=0.003, le=0.3)]
    thickness_m: Annotated[float, Field(ge=0.001, le=0.1)] | None = None

    @model_validator(mode="after")
    def _shaped(self) -> CellSize:
        if self.form == "pouch" and self.thickness_m is None:
            raise refused(fact("refused.cell.pouch"))
        if self.form == "round" and self.thickness_m is not None:
            raise refused(fact("refused.cell.round"))
        return self


class CellModel(Entity):
    """A type of cell, one piece; ``None`` where the maker's sheet or a test has not said.

    ``resistance_ohm`` is the ohmic resistance at 25 °C and mid-charge of a one-second, two-current test.
    """

    name: Name
    chemistry: ChemistryKey
    size: CellSize
    capacity_ah: Annotated[float, Field(ge=0.02, le=200)] | None = None
    mass_kg: Annotated[float, Field(ge=0.0005, le=5)] | None = None
    resistance_ohm: Annotated[float, Field(ge=1e-9, le=2)] | None = None
    resistance_known: Known = "maker"
    ratings: Ratings | None = None
    quality: Quality = "ordinary"
