"""What flights taught a sheet, for its page."""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import datetime

from zesty_cell.services.learning import Told

_LABELS = ("Power", "Liveliness", "Capacity", "Resistance")


@dataclass(frozen=True)
class Lesson:
    """A flight, and how far it was from what is now expected of it [1]."""

    told: Told
    miss: float | None
    odd: bool

    @property
    def landed_at(self) -> datetime:
        """When."""
        return self.told.flight.landed_at


def _more(miss: float) -> str:
    share = 100.0 * (math.exp(miss) - 1.0)
    return "as expected" if abs(share) < 0.5 else f"{abs(share):.0f} % {'more' if share > 0 else 'less'}"
