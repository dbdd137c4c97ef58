"""Values as a transmitter speaks them."""

from __future__ import annotations

import numpy as np

from zesty_cell.core.callouts.sensors import SENSORS, SensorKey


def spoken_number(*, value: float, decimals: int) -> str:
    """A number as it is read out: “16.4”, “3.65”, “1 250” as “1250”."""
    return f"{value:.{decimals}f}"


def spoken_time(seconds: float) -> str:
    """A time as it is read out [s]: “five minutes” is made of the number and the unit."""
    whole = round(seconds)
    minutes, rest = divmod(whole, 60)
    parts = []
    if minutes:
        parts.append(f"{minutes} {'minute' if minutes == 1 else 'minutes'}")
    if rest or not minutes:
        parts.append(f"{rest} {'second' if rest == 1 else 'seconds'}")
    return " ".join(parts)


def spoken_value(*, sensor: SensorKey, value: float, series: int) -> str:
    """A live value as it is read out [V, Ah, A, s]: pack volts to the tenth, charge in mAh."""
    if np.isnan(value):
        return "no telemetry"
    kind = SENSORS[sensor].kind
    if kind == "volts":
        decimals = 2 if series == 1 or sensor == "cell_v" else 1
        return f"{spoken_number(value=value, decimals=decimals)} volts"
    if kind == "charge":
        return f"{1000 * value:.0f} milliamp hours"
    if kind == "current":
        return f"{value:.0f} amps"
    return spoken_time(value)
