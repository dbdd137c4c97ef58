"""Minutes and seconds as clocks show them."""

from __future__ import annotations


def clock(seconds: float, /) -> str:
    """A time as it is set [s]: “16:00”."""
    whole = int(seconds + 0.5)
    return f"{whole // 60}:{whole % 60:02d}"
