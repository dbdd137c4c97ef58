"""What flights taught a sheet, for its page."""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import datetime
from typing import Any

import numpy as np

from zesty_cell.core.answer.forecast import Forecast
from zesty_cell.core.asked.learned_factors import POWER, LearnedFactors, covariance_of
from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.fact import Fact, fact
from zesty_cell.core.learn.learned import FACTORS, Learned
from zesty_cell.services.learning import KnownFlight, Lessons, disagreement_of
from zesty_cell.web.drawing.taught_chart import factor_lines, miss_chart, time_bars

_LABELS = ("Power", "Liveliness", "Capacity", "Resistance")


@dataclass(frozen=True)
class Lesson:
    """A flight, and how far it was from what is now expected of it [1]."""

    told: KnownFlight
    miss: float | None
    odd: bool

    @property
    def landed_at(self) -> datetime:
        """When."""
        return self.told.flight.landed_at


def _more(miss: float) -> Fact:
    share = math.exp(miss) - 1.0
    if abs(share) < 0.005:
        return fact("taught.as_expected")
    return fact("taught.more" if share > 0.0 else "taught.less", apart_share=abs(share))


def lessons_shown(
    of: Lessons, learned: Learned, learned_factors: LearnedFactors, sheet: Sheet, before: Forecast, after: Forecast
) -> dict[str, Any]:
    """What each flight taught, and the forecast without and with the log."""
    known = of.known
    sigma = np.sqrt(np.diag(covariance_of(learned_factors)))
    # The flights' own variation is no part of how well the craft is known.
    sigma[POWER] = math.sqrt(max(sigma[POWER] ** 2 - learned.scatter**2, 0.0))
    figures = [
        (label, learned.before(name), float(getattr(learned_factors, name)), float(sigma[k]))
        for k, (name, label) in enumerate(zip(FACTORS, _LABELS, strict=True))
    ]
    misses = [m if math.isfinite(m) else None for m in learned.residuals.tolist()]
    each = [Lesson(t, m, bool(o)) for t, m, o in zip(known, misses, learned.odd, strict=True)]
    shown = [
        (lesson.miss, lesson.odd, fact("taught.flight", day=f"{lesson.landed_at:%-d %B}",
                                       flown_s=t.flight.duration_s, pack=t.pack_name, more=_more(lesson.miss)))
        for lesson in each if lesson.miss is not None for t in (lesson.told,)
    ]  # fmt: skip
    return {
        "learned": learned,
        "logs": len(of.logs),
        "learned_factors": learned_factors,
        "before": before,
        "after": after,
        "times": time_bars(
            (before.range.low_s, before.flight.landing_s, before.range.high_s),
            (after.range.low_s, after.flight.landing_s, after.range.high_s),
        ),
        "factors": factor_lines(figures),
        "misses": miss_chart(shown, sigma=learned.scatter) if shown else None,
        "lessons": each[::-1],
        "more": _more,
        "disagreement": disagreement_of(known, sheet=sheet),
    }
