"""Figures that were read, as outcomes of the table's readings; None where a figure says neither.

Between "all is well" and "it is not" there is a gap everywhere: a figure within it would only pretend to tell.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

from zesty_cell.core.choose.chain import Chain
from zesty_cell.core.learn.cell_spread import cell_spread
from zesty_cell.core.parts.chemistry import Chemistry

#: Resistance over what it was or should be: as usual up to, high from [1].
RESISTS_USUAL, RESISTS_HIGH = 1.2, 1.35
#: Capacity over what it was or is printed: low up to, as usual from [1].
HOLDS_LOW, HOLDS_USUAL = 0.87, 0.91
#: A cell so far under full before take-off: charged up to, short from [V].
FULL_WITHIN_V, SHORT_FROM_V = 0.025, 0.045
#: Resistance of plug and leads over what they usually have: as usual up to, high from [1].
LINE_USUAL, LINE_HIGH = 1.4, 1.8
#: A scale so far out is right, and is out: of the voltage, of the current [1].
VOLTAGE_RIGHT, VOLTAGE_OUT = 0.008, 0.012
CURRENT_RIGHT, CURRENT_OUT = 0.06, 0.08
#: Power against what the craft usually takes: as usual up to, more from [1].
POWER_USUAL, POWER_MORE = 1.05, 1.08
#: Weight against the sheet's: as there up to, more from [1].
WEIGHT_AS_SHEET, WEIGHT_MORE = 1.02, 1.035
#: Air in which a pack is cold without being warmed, and in which it is not [°C].
COLD_C, MILD_C = 8.0, 12.0
_ROUNDING = 1e-9
#: Load over its limit: kept up to, passed from [1].
LIMIT_KEPT, LIMIT_PASSED = 1.0, 1.05
#: Links of the chain that are the pack's, and the motors'.
_PACKS: Final = frozenset({"cells", "rating", "plug", "second_plug", "leads"})
_MOTORS: Final = frozenset({"esc", "esc_burst", "motors"})


def _between(value: float, well: float, off: float, *, outcomes: tuple[str, str]) -> str | None:
    """An outcome by two limits; the one that is off may lie above or below."""
    sign = 1.0 if off > well else -1.0
    # A display rounds: 25 mV are 25 mV.
    if sign * value <= sign * well + _ROUNDING:
        return outcomes[0]
    return outcomes[1] if sign * value >= sign * off - _ROUNDING else None


def cells(cells_v: Sequence[float], /, *, chemistry: Chemistry) -> str:
    """Cells of a resting pack [V]: together, or one apart."""
    return "together" if cell_spread(cells_v, chemistry=chemistry).verdict == "fit" else "apart"


def resistance(times: float, /) -> str | None:
    """Resistance over what it was or should be [1]."""
    return _between(times, RESISTS_USUAL, RESISTS_HIGH, outcomes=("usual", "high"))


def capacity(share: float, /) -> str | None:
    """Capacity over what it was or is printed [1]."""
    return _between(share, HOLDS_USUAL, HOLDS_LOW, outcomes=("usual", "low"))


def charged_to(cell_v: float, /, *, chemistry: Chemistry) -> str | None:
    """Voltage of a cell before take-off [V]."""
    under_v = chemistry.full_v - cell_v
    return _between(under_v, FULL_WITHIN_V, SHORT_FROM_V, outcomes=("full", "short"))


def line(times: float, /) -> str | None:
    """Resistance of plug and leads over what they usually have [1]."""
    return _between(times, LINE_USUAL, LINE_HIGH, outcomes=("usual", "high"))


def voltage_scale(out: float, /) -> str | None:
    """Voltage shown over true, less one [1]."""
    return _between(abs(out), VOLTAGE_RIGHT, VOLTAGE_OUT, outcomes=("right", "out"))


def current_scale(out: float, /, *, error: float = 0.0) -> str | None:
    """Charge shown over put back, less one, and how surely that is known [1]."""
    if abs(out) - error > CURRENT_OUT:
        return "out"
    return "right" if abs(out) + error <= CURRENT_RIGHT else None


def power(times: float, /) -> str | None:
    """Power over what the craft usually takes [1]."""
    return _between(times, POWER_USUAL, POWER_MORE, outcomes=("usual", "more"))


def weight(times: float, /) -> str | None:
    """Weight over the sheet's [1]."""
    return _between(times, WEIGHT_AS_SHEET, WEIGHT_MORE, outcomes=("as on the sheet", "more"))


def air(air_c: float, /) -> str | None:
    """Air of the flight [°C]."""
    return _between(air_c, MILD_C, COLD_C, outcomes=("mild", "cold"))


def chain(of: Chain, /) -> str | None:
    """What of a sheet's chain is past its limit: a part of the pack's, of the motors', or none."""
    shares = {link.key: link.share for link in of.links if link.key in _PACKS | _MOTORS and link.share is not None}
    worst = max(shares, key=lambda key: shares[key], default=None)
    if worst is None:
        return None
    return _between(
        shares[worst], LIMIT_KEPT, LIMIT_PASSED, outcomes=("inside", "pack" if worst in _PACKS else "motors")
    )
