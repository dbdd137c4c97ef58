"""Compile the kernel into its cache, so that the first page need not wait for it."""

from __future__ import annotations

from zesty_cell.core.answer.forecast import forecast
from zesty_cell.core.asked.flying import PATTERNS
from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.parts.craft import Craft, MeasuredFullThrottle, MeasuredPoint
from zesty_cell.core.parts.pack import Pack


def warm() -> None:
    """Fly one short sheet: compiles what is not cached, loads what is."""
    forecast(
        Sheet(
            name="warm",
            craft=Craft(
                name="warm",
                kind="multirotor",
                dry_mass_kg=0.4,
                steady=MeasuredPoint(current_a=20.0, voltage_v=15.0, all_up_mass_kg=0.6),
                full_throttle=MeasuredFullThrottle(current_a=60.0, voltage_v=14.0),
            ),
            pack=Pack(name="warm", chemistry="lipo", series=4, capacity_ah=0.5),
            flying=PATTERNS["freestyle"],
        )
    )
