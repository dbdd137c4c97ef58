"""What is off, in a few words beside its figures."""

from __future__ import annotations

from typing import Final

from zesty_cell.core.faults.table import Risk

#: What a check asks of a pilot.
RISK_WORDS: Final[dict[Risk, str]] = {
    "look": "hands and eyes",
    "landing": "after the next flight",
    "bench": "on the bench, propellers off",
    "fly": "a short, gentle flight",
}
