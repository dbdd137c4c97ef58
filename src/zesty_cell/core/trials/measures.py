"""What a test can measure: in what, whether more of it is better, and whether it is compared as a ratio."""

from __future__ import annotations

from dataclasses import dataclass
from types import MappingProxyType
from typing import Final, Literal

MeasureKey = Literal[
    "charge_a_minute", "charge_a_km", "time_to_charge", "time_to_voltage", "energy", "loaded_v", "thrust",
    "grams_a_watt", "temperature", "top_speed",
]  # fmt: skip


@dataclass(frozen=True)
class Measure:
    """One thing that runs are compared by.

    Attributes
    ----------
    key : str
    unit : str
        Of its values, as the end of a name that carries a unit.
    ratio : bool
        Compared by how many times more it is; a voltage or a temperature by how much.
    better : int
        1 where more is better, −1 where less is.
    needs : str, optional
        What it is measured at: ``cell_v``, ``used_ah`` or ``current_a``.
    scatter, counts : float
        Of one run about its like, one standard deviation in shares or in its unit, as thought before any were seen,
        and as of how many runs that counts.
    """

    key: MeasureKey
    unit: str
    ratio: bool = True
    better: int = 1
    needs: Literal["cell_v", "used_ah", "current_a"] | None = None
    scatter: float = 0.07
    counts: float = 3.0


_ALL: Final = (
    Measure("charge_a_minute", "ah", better=-1),
    Measure("charge_a_km", "ah", better=-1, scatter=0.08),
    Measure("time_to_charge", "s", needs="used_ah"),
    Measure("time_to_voltage", "s", needs="cell_v"),
    Measure("energy", "wh", scatter=0.03),
    Measure("loaded_v", "v", ratio=False, needs="current_a", scatter=0.02),
    Measure("thrust", "kg", scatter=0.03),
    Measure("grams_a_watt", "g_w", scatter=0.03),
    Measure("temperature", "c", ratio=False, better=-1, scatter=2.0),
    Measure("top_speed", "m_s", scatter=0.04),
)
#: By key.
MEASURES: Final = MappingProxyType({m.key: m for m in _ALL})
