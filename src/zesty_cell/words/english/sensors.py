"""What each sensor of a transmitter is called; “the” goes before it, but for telemetry."""

from __future__ import annotations

from zesty_cell.core.callouts.sensors import SensorKey

SENSOR_NAMES: dict[SensorKey, str] = {
    "pack_v": "pack voltage",
    "lowest_v": "lowest pack voltage so far",
    "cell_v": "lowest cell",
    "receiver_v": "receiver battery",
    "used_ah": "charge used",
    "current_a": "current",
    "armed_s": "time since arming",
    "telemetry": "telemetry",
}


def the(sensor: SensorKey) -> str:
    """A sensor in a sentence."""
    return SENSOR_NAMES[sensor] if sensor == "telemetry" else f"the {SENSOR_NAMES[sensor]}"
