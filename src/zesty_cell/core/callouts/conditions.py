"""What a rule may ask: sensors against values, switches, guards."""

from __future__ import annotations

from collections.abc import Iterator, Set
from typing import Annotated, Literal

from pydantic import Field, StringConstraints, model_validator

from zesty_cell.core.callouts.sensors import SENSORS, SensorKey
from zesty_cell.core.entity import Entity, refused
from zesty_cell.core.fact import fact

Comparison = Literal["below", "above", "missing", "present"]
SwitchName = Literal["A", "B", "C", "D", "E", "F", "G", "H"]
SWITCHES: tuple[SwitchName, ...] = ("A", "B", "C", "D", "E", "F", "G", "H")
Position = Literal["up", "middle", "down"]
POSITIONS: dict[Position, int] = {"up": -1, "middle": 0, "down": 1}
Key = Annotated[str, StringConstraints(pattern=r"^[a-z][a-z0-9_]{0,23}$")]
MOST_CONDITIONS = 6


class Switch(Entity):
    """A switch in one of its positions."""

    name: SwitchName
    position: Position = "down"


def free_positions(*, taken: Set[tuple[str, str]], asking: Set[str]) -> Iterator[Switch]:
    """Switch positions for packs, in their order: none of ``taken``, and of no switch that is ``asking``."""
    return (
        Switch(name=name, position=position)
        for name in SWITCHES
        if name not in asking
        for position in POSITIONS
        if (name, position) not in taken
    )


class Condition(Entity):
    """A sensor against a value, in the unit of the sensor; pack volts may be typed per cell.

    ``profile`` limits it to one profile, so that one rule can hold for several packs.
    """

    sensor: SensorKey = "pack_v"
    comparison: Comparison = "below"
    value: float = 0.0
    per: Literal["pack", "cell"] = "pack"
    profile: Key | None = None

    @model_validator(mode="after")
    def _sensible(self) -> Condition:
        if (self.sensor == "telemetry") != (self.comparison in ("missing", "present")):
            raise refused(fact("refused.rule.comparison"), field="comparison")
        bounds = SENSORS[self.sensor]
        if self.per == "cell":
            if not SENSORS[self.sensor].of_pack:
                raise refused(fact("refused.rule.per_cell"), field="per")
            bounds = SENSORS["cell_v"]
        if self.sensor != "telemetry" and not bounds.low <= self.value <= bounds.high:
            raise refused(fact("refused.rule.value_bounds", low=bounds.low, high=bounds.high), field="value")
        return self

    def threshold(self, *, series: int) -> float:
        """The value the transmitter compares with for a pack of ``series`` cells [V, Ah, A, s]."""
        return self.value * series if self.per == "cell" else self.value

    def cell_value_v(self, *, series: int) -> float:
        """A voltage of the pack per cell [V]; the value itself for any other sensor."""
        if not SENSORS[self.sensor].of_pack:
            return self.value
        return self.value if self.per == "cell" else self.value / series


class Guards(Entity):
    """What must also hold, without a hold of its own; a throttle under a share leaves climbs out.

    ``or_position`` is a second position in which the switch counts as well.
    """

    armed: bool = True
    throttle_over: Annotated[float, Field(ge=0, le=0.95)] | None = None
    throttle_under: Annotated[float, Field(ge=0.05, le=1)] | None = None
    switch: Switch | None = None
    or_position: Position | None = None
    profile: Key | None = None

    @model_validator(mode="after")
    def _two_positions(self) -> Guards:
        if self.or_position is not None and (self.switch is None or self.switch.position == self.or_position):
            raise refused(fact("refused.rule.second_position"), field="or_position")
        return self

    def positions(self) -> tuple[Position, ...]:
        """Positions in which the switch counts."""
        own = () if self.switch is None else (self.switch.position,)
        return own if self.or_position is None else (*own, self.or_position)
