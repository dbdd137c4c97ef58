"""What a transmitter knows of a flight: each sensor once, with all that the rest of the callouts ask of it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from zesty_cell.core.flight import watch_kernel as kernel

SensorKey = Literal["pack_v", "lowest_v", "cell_v", "receiver_v", "used_ah", "current_a", "armed_s", "telemetry"]
Kind = Literal["volts", "charge", "current", "time", "presence"]


@dataclass(frozen=True)
class Sensor:
    """One sensor.

    Attributes
    ----------
    key : SensorKey
        Ends with its unit, but for telemetry itself.
    kind : Kind
        How its values are set, spoken and written.
    low, high : float
        What a condition may compare it with [V, Ah, A, s].
    number : int
        Of it in the compiled watch.
    telemetered : bool
        It comes by telemetry; the rest the transmitter knows by itself.
    of_pack : bool
        It measures the flight pack's voltage, which may be given per cell.
    """

    key: SensorKey
    kind: Kind
    low: float
    high: float
    number: int
    telemetered: bool = True
    of_pack: bool = False

    @property
    def fine(self) -> bool:
        """Whether its volts are of a single cell, or of a receiver: set in hundredths."""
        return self.kind == "volts" and not self.of_pack


SENSORS: dict[SensorKey, Sensor] = {
    sensor.key: sensor
    for sensor in (
        Sensor("pack_v", "volts", 0.5, 120.0, kernel.PACK_V, of_pack=True),
        Sensor("lowest_v", "volts", 0.5, 120.0, kernel.LOWEST_V, of_pack=True),
        Sensor("cell_v", "volts", 0.5, 5.0, kernel.CELL_V),
        Sensor("receiver_v", "volts", 2.0, 30.0, kernel.RECEIVER_V),
        Sensor("used_ah", "charge", 0.005, 400.0, kernel.USED_AH),
        Sensor("current_a", "current", 0.1, 2000.0, kernel.CURRENT_A),
        Sensor("armed_s", "time", 1.0, 10_800.0, kernel.ARMED_S, telemetered=False),
        Sensor("telemetry", "presence", 0.0, 0.0, 0),
    )
}
#: What a frame brings, in the order of the compiled watch; the others follow from these.
RECEIVED: tuple[SensorKey, ...] = ("pack_v", "cell_v", "receiver_v", "used_ah", "current_a")
#: Sensors that arrive by telemetry.
TELEMETERED: frozenset[SensorKey] = frozenset(s.key for s in SENSORS.values() if s.telemetered)
#: Sensors that measure the flight pack's voltage.
PACK_VOLTAGES: frozenset[SensorKey] = frozenset(s.key for s in SENSORS.values() if s.of_pack)
