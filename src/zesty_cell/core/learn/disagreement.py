"""When flights and forecast disagree strongly: what may be wrong, and the test that would tell (PHYSICS 6)."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.asked.learned_factors import POWER
from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.fact import Fact, fact
from zesty_cell.core.learn.correction import BEFORE_POWER, FLIGHT_SIGMA, learn
from zesty_cell.core.learn.learned import Learned
from zesty_cell.core.learn.observation import Observation

#: Used charge this far from the forecast, and this many standard deviations, is a strong disagreement [1, 1].
STRONG, SURE = 0.10, 1.645
#: What a sheet's power may be out by beside what is said of it and still be no disagreement [1]: a pattern is not
#: what is flown.  Learning allows for more (``BEFORE_POWER``), so that the first flights are believed.
USUAL = 0.13
#: A pack this far from its siblings is tired (or the better one) [1]; a capacity this far under its label is wrong.
TIRED, SMALLER = 0.06, 0.93
#: Air this far from the sheet's may be the reason [K]; a charge known no better may be the sensor's [1].
OTHER_AIR_K, SENSOR_SIGMA = 8.0, 0.05

CauseKey = Literal["capacity", "sensor", "pattern", "temperature", "tired pack", "weight"]


@dataclass(frozen=True)
class Cause:
    """Something that would explain it, why it is thought of, and the test that would tell."""

    key: CauseKey
    why: Fact
    test: Fact


@dataclass(frozen=True)
class Disagreement:
    """How far the flights are from the forecast.

    Attributes
    ----------
    ratio : float
        Charge used over what the sheet by itself says [1].
    sure : float
        In standard deviations of what the sheet allows for [1].
    causes : tuple of Cause
        The likeliest first.
    """

    ratio: float
    sure: float
    causes: tuple[Cause, ...]


def disagreement(
    learned: Learned, observations: Sequence[Observation], /, *, sheet: Sheet, names: dict[str, str]
) -> Disagreement | None:
    """Whether flights disagree strongly with the plain sheet, and why that may be; None where they agree, or where
    no charge is known.

    Strongly: the median flight uses 10 % more or less than the sheet says, and that is more than its own doubt and
    the flights' scatter allow.

    Parameters
    ----------
    learned : Learned
        From those observations.
    sheet : Sheet
        That they were learned on.
    names : dict
        What the packs are called.
    """
    known = np.flatnonzero(np.isfinite(learned.plain))
    if not known.size:
        return None
    miss = float(np.median(learned.plain[known]))
    durations = [observations[int(k)].duration_s for k in known]
    before = learn(sheet, [])
    covariance = before.covariance.copy()
    covariance[POWER, POWER] += USUAL**2 - BEFORE_POWER**2
    _, sigma = replace(before, covariance=covariance).used("", float(np.median(durations)))
    # One flight's own variation shrinks with their number; what the sheet does not know stays.
    allowed = math.sqrt(max(sigma**2 - FLIGHT_SIGMA**2, 0.0) + learned.scatter**2 / known.size)
    if abs(miss) < math.log1p(STRONG) or abs(miss) < SURE * allowed:
        return None
    causes = _causes(learned, [observations[int(k)] for k in known], learned.plain[known], sheet, names)
    return Disagreement(math.exp(miss), abs(miss) / allowed, causes)


def _causes(
    learned: Learned,
    seen: Sequence[Observation],
    misses: NDArray[np.float64],
    sheet: Sheet,
    names: dict[str, str],
) -> tuple[Cause, ...]:
    found: list[Cause] = []

    def think_of(key: CauseKey, why: Fact) -> None:
        found.append(Cause(key, why, fact(f"cause.{key.replace(' ', '_')}.test")))

    if any(o.used_sigma >= SENSOR_SIGMA for o in seen):
        think_of("sensor", fact("cause.sensor"))
    tired = _unlike_siblings(seen, misses, names)
    if tired:
        think_of("tired pack", fact("cause.tired_pack", pack=tired))
    capacities = [learned.capacity_ah(pack) for pack in learned.packs]
    if float(np.median(capacities)) < SMALLER * learned.setup.figures.capacity_ah:
        think_of("capacity", fact("cause.capacity"))
    away_k = _other_air(seen, sheet)
    if away_k is not None:
        think_of("temperature", fact("cause.colder" if away_k < 0 else "cause.warmer", apart_k=abs(away_k)))
    more = float(np.median(misses)) > 0.0
    think_of("pattern", fact("cause.harder" if more else "cause.gentler", pattern=sheet.flying.name))
    think_of("weight", fact("cause.heavier" if more else "cause.lighter"))
    return tuple(found)


def _unlike_siblings(seen: Sequence[Observation], misses: NDArray[np.float64], names: dict[str, str]) -> str:
    """The pack that takes most against the others, where it is far from them; empty otherwise."""
    packs = sorted({o.pack for o in seen})
    if len(packs) < 2:
        return ""
    means = {p: float(np.mean([m for o, m in zip(seen, misses, strict=True) if o.pack == p])) for p in packs}
    worst = max(means, key=lambda p: means[p])
    others = [m for p, m in means.items() if p != worst]
    return names.get(worst, worst) if means[worst] - max(others) > TIRED else ""


def _other_air(seen: Sequence[Observation], sheet: Sheet) -> float | None:
    air = [o.air_c for o in seen if o.air_c is not None]
    if not air:
        return None
    away = float(np.median(air)) - sheet.conditions.air_c
    return away if abs(away) >= OTHER_AIR_K else None
