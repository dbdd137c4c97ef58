"""What spoils a test, found in its own data."""

from __future__ import annotations

import math
import statistics
from collections.abc import Sequence
from typing import Final

from zesty_cell.core.chances import t_exceeded
from zesty_cell.core.fact import Fact, fact
from zesty_cell.core.trials.measures import MEASURES
from zesty_cell.core.trials.question import Run, Trial
from zesty_cell.core.trials.schedule import Pair, pairs_of
from zesty_cell.core.trials.verdict import difference_of

#: A run is odd so many standard deviations from its like.
_ODD: Final = 3.5
#: Air that differs by less between the sides does nothing [K].
_SAME_AIR_K: Final = 3.0
#: A trend is one where chance makes it once in a hundred tests, both ways [1].
_BY_CHANCE: Final = 0.01
_LEAST_PAIRS: Final = 4


def spoiled_by(trial: Trial, /) -> tuple[Fact, ...]:
    """What should make one doubt the verdict; facts, the gravest first."""
    pairs = pairs_of(trial)
    counted = [run for run in trial.runs if run.set_aside is None]
    found = [
        _one_order(pairs), _different_packs(trial, pairs), _air_by_side(trial, pairs), _tires(trial, pairs),
        _warmer(counted), *_odd(trial, pairs), _set_aside_late(trial), _outside_band(trial, counted),
    ]  # fmt: skip
    return tuple(one for one in found if one is not None)


def _one_order(pairs: Sequence[Pair]) -> Fact | None:
    firsts = {pair.a_first for pair in pairs}
    if len(pairs) < 2 or len(firsts) == 2:
        return None
    return fact("trial.spoiled.one_order", side="A" if firsts == {True} else "B", pairs=len(pairs))


def _different_packs(trial: Trial, pairs: Sequence[Pair]) -> Fact | None:
    """Packs that were flown on one side only, where packs are not what differs."""
    if trial.question.differs == "pack":
        return None
    mixed = sum(pair.a.pack != pair.b.pack for pair in pairs)
    return fact("trial.spoiled.different_packs", pairs=mixed) if mixed else None


def _air_by_side(trial: Trial, pairs: Sequence[Pair]) -> Fact | None:
    known = [(p.b.air_c - p.a.air_c) for p in pairs if p.a.air_c is not None and p.b.air_c is not None]
    if trial.question.differs == "temperature" or len(known) < 2:
        return None
    apart_k = statistics.fmean(known)
    return fact("trial.spoiled.air_by_side", apart_k=apart_k) if abs(apart_k) > _SAME_AIR_K else None


def _logged(value: float, trial: Trial) -> float:
    return math.log(value) if MEASURES[trial.question.measure].ratio else value


def _clear(t: float, count: int) -> bool:
    """Whether so many values go one way."""
    return abs(t) > t_exceeded(count - 2.0, _BY_CHANCE / 2.0)


def _slope_t(values: Sequence[float]) -> float:
    """Student's t of a straight line through values in their order."""
    n = len(values)
    xs = range(n)
    mean_x, mean_y = (n - 1) / 2.0, statistics.fmean(values)
    sxx = sum((x - mean_x) ** 2 for x in xs)
    slope = sum((x - mean_x) * (y - mean_y) for x, y in zip(xs, values, strict=True)) / sxx
    left = sum((y - mean_y - slope * (x - mean_x)) ** 2 for x, y in zip(xs, values, strict=True))
    return slope / math.sqrt(max(left, 1e-18) / (n - 2) / sxx)


def _tires(trial: Trial, pairs: Sequence[Pair]) -> Fact | None:
    """Both sides of a pack's pairs go one way through the test: it tires, or the craft or the day changes."""
    by_pack: dict[str, list[Pair]] = {}
    for pair in pairs:
        if pair.a.pack == pair.b.pack:
            by_pack.setdefault(pair.a.pack, []).append(pair)
    worst: tuple[float, str, float] | None = None
    for pack, own in by_pack.items():
        if len(own) < _LEAST_PAIRS:
            continue
        both = [0.5 * sum(_logged(value, trial) for value in p.values) for p in own]
        t = _slope_t(both)
        if _clear(t, len(own)) and (worst is None or abs(t) > abs(worst[0])):
            worst = (t, pack, both[-1] - both[0])
    if worst is None:
        return None
    if MEASURES[trial.question.measure].ratio:
        way = "up" if worst[2] > 0.0 else "down"
        return fact(f"trial.spoiled.tires.{way}", pack=worst[1], by_share=abs(math.expm1(worst[2])))
    return fact("trial.spoiled.drifts", pack=worst[1])


def _warmer(runs: Sequence[Run]) -> Fact | None:
    """Air that goes one way through the test."""
    known = [run.air_c for run in sorted(runs, key=lambda run: run.at) if run.air_c is not None]
    if len(known) < 2 * _LEAST_PAIRS or max(known) - min(known) < 2.0 * _SAME_AIR_K:
        return None
    if not _clear(_slope_t(known), len(known)):
        return None
    return fact("trial.spoiled.warmer", first_c=known[0], last_c=known[-1])


def _odd(trial: Trial, pairs: Sequence[Pair]) -> list[Fact]:
    """Pairs far from the others, by median and median deviation."""
    if len(pairs) < _LEAST_PAIRS:
        return []
    measure = MEASURES[trial.question.measure]
    apart = [difference_of(*p.values, measure=measure) for p in pairs]
    middle = statistics.median(apart)
    spread = 1.4826 * statistics.median(abs(d - middle) for d in apart)
    # One that is far out takes the spread of few with it: what the plan expects holds that.
    expected = math.sqrt(2.0) * trial.plan.scatter
    limit = _ODD * min(max(spread, 0.5 * expected), 1.5 * expected)
    found = []
    for pair, d in zip(pairs, apart, strict=True):
        if abs(d - middle) > limit:
            other = [p for p in pairs if p is not pair]
            far = [_far(side, pair, other, trial) for side in (0, 1)]
            odd = (pair.a, pair.b)[far.index(max(far))]
            found.append(fact("trial.spoiled.odd", number=odd.slot + 1, side=odd.side))
    return found


def _far(side: int, pair: Pair, others: Sequence[Pair], trial: Trial) -> float:
    like = statistics.median(_logged(p.values[side], trial) for p in others)
    return abs(_logged(pair.values[side], trial) - like)


def _set_aside_late(trial: Trial) -> Fact | None:
    late = [run.slot + 1 for run in trial.runs if run.set_aside is not None and run.set_aside.seen]
    return fact("trial.spoiled.set_aside_late", count=len(late), number=late[0]) if late else None


def _outside_band(trial: Trial, runs: Sequence[Run]) -> Fact | None:
    plan = trial.plan
    if trial.question.differs == "temperature":
        return None
    outside = [r for r in runs if r.air_c is not None and not plan.coolest_c <= r.air_c <= plan.warmest_c]
    if not outside:
        return None
    return fact(
        "trial.spoiled.outside_band", count=len(outside), coolest_c=plan.coolest_c, warmest_c=plan.warmest_c
    )
