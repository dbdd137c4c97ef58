"""Values as a transmitter speaks them."""

from __future__ import annotations

import numpy as np


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


def spoken_value(*, sensor: str, value: float, series: int) -> str:
    """A live value as it is read out [V, Ah, A, s]: pack volts to the tenth, charge in mAh."""
    if np.isnan(value):
        return "no telemetry"
    if sensor in ("pack_v", "lowest_v", "receiver_v"):
        return f"{spoken_number(value=value, decimals=2 if series == 1 else 1)} volts"
    if sensor == "cell_v":
        return f"{spoken_number(value=value, decimals=2)} volts"
    if sensor == "used_ah":
        return f"{1000 * value:.0f} milliamp hours"
    if sensor == "current_a":
        return f"{value:.0f} amps"
    return spoken_time(value)
