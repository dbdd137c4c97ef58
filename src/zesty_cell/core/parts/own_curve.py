"""A pack's own rest-voltage curve, measured by discharges, and what else they told of it."""

from __future__ import annotations

from datetime import datetime
from functools import lru_cache
from typing import Annotated

from pydantic import Field, model_validator

from zesty_cell.core.entity import Entity, refused
from zesty_cell.core.fact import fact
from zesty_cell.core.parts.chemistries import chemistry_for
from zesty_cell.core.parts.chemistry import Chemistry, ChemistryKey

#: Points of a curve: at 0, 5 … 100 % of the charge.
POINTS = 21
#: No cell of a chemistry rests further from its table than this [V], where it was measured.
MOST_AWAY_V = 0.25
_Volts = Annotated[float, Field(ge=0.5, le=4.5)]
_Reach = Annotated[float, Field(ge=0, le=1)]


class Told(Entity):
    """A figure with how far its 90 % interval reaches to each side, as a share of it [1]."""

    value: Annotated[float, Field(gt=0, le=200)]
    reach: _Reach


class OwnCurve(Entity):
    """Rest voltage of one cell at 0, 5 … 100 % charge, from runs between two charges; beyond them it is assumed.

    ``reach_v`` is how far the widest 90 % interval among the measured points reaches to each side.  Capacity
    (whole pack) and one cell's resistance (one second, 25 °C, mid-charge) go with it where the runs told them.
    """

    chemistry: ChemistryKey
    rest_v: Annotated[tuple[_Volts, ...], Field(min_length=POINTS, max_length=POINTS)]
    from_share: Annotated[float, Field(ge=0, le=1)]
    to_share: Annotated[float, Field(ge=0, le=1)]
    reach_v: _Reach
    capacity_ah: Told | None = None
    cell_ohm: Told | None = None
    runs: Annotated[int, Field(ge=2, le=1000)]
    measured_at: datetime

    @model_validator(mode="after")
    def _a_curve(self) -> OwnCurve:
        if self.to_share <= self.from_share:
            raise refused(fact("refused.curve.nowhere"), field="to_share")
        for k, (lower, upper) in enumerate(zip(self.rest_v, self.rest_v[1:], strict=False)):
            if upper <= lower:
                raise refused(fact("refused.curve.falls", share=(k + 1) / (POINTS - 1)), field="rest_v")
        usual = chemistry_for(self.chemistry)
        for k, (own_v, table_v) in enumerate(zip(self.rest_v, usual.ocv_v, strict=True)):
            measured = self.from_share <= k / (POINTS - 1) <= self.to_share
            if measured and abs(own_v - table_v) > MOST_AWAY_V:
                raise refused(
                    fact("refused.curve.far", share=k / (POINTS - 1), own_v=own_v, table_v=table_v), field="rest_v"
                )
        return self

    def __hash__(self) -> int:
        return hash((self.chemistry, self.rest_v))

    def alone(self) -> OwnCurve:
        """The curve of these cells, without what is of this very pack: its capacity and its resistance."""
        return self.model_copy(update={"capacity_ah": None, "cell_ohm": None})

    def measured(self, k: int) -> bool:
        """Whether a point lies where runs went."""
        return self.from_share <= k / (POINTS - 1) <= self.to_share


@lru_cache(maxsize=256)
def with_curve(curve: OwnCurve, /) -> Chemistry:
    """A curve's chemistry with that curve in place of its table [V]; all else as it is."""
    return chemistry_for(curve.chemistry).model_copy(update={"ocv_v": curve.rest_v})
