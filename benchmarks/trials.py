"""Fair tests flown in a world that is not the core's model: how often they call what is not, and find what is."""

from __future__ import annotations

import math
import multiprocessing
import os
import tempfile
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from pathlib import Path

import numpy as np

from benchmarks.timing import Row, measure
from zesty_cell.core.asked.flying import PATTERNS
from zesty_cell.core.asked.landing import LandingRule
from zesty_cell.core.asked.sheet import Conditions, Sheet
from zesty_cell.core.trials.measures import MEASURES
from zesty_cell.core.trials.power import pairs_needed
from zesty_cell.core.trials.question import Question, Run, Trial, TrialPlan
from zesty_cell.core.trials.scatter import scatter_of
from zesty_cell.core.trials.schedule import slots
from zesty_cell.core.trials.verdict import Verdict, difference_of, weigh
from zesty_cell.demo.club import load_club
from zesty_cell.demo.crafts import CRAFT_LIST
from zesty_cell.demo.packs import PACK_LIST
from zesty_cell.services.trials import trial_now
from zesty_cell.standins.otherworld import OtherWorld, Truth, drawn_truth
from zesty_cell.store import sheets
from zesty_cell.store import trials as store
from zesty_cell.store.database import Database
from zesty_cell.words.say import PLAIN, say

_WITHOUT, _WITH = 2000, 500
_MEASURE = MEASURES["charge_a_minute"]
#: Flights in the log before: so many days of so many.
_DAYS, _A_DAY = 4, 3
#: A pack's resistance grows by so much with each flight of a test [1].
_TIRES = 0.004
#: What is left when a run ends [1]: half where a difference is to be found; where there is none short runs do, with
#: more scatter, and two thousand tests in minutes.
_LEFT, _LEFT_WITHOUT = 0.5, 0.85


@dataclass(frozen=True)
class _Flown:
    """What became of a simulated test."""

    called: bool
    rightly: bool
    at: int
    planned: int
    inside: bool
    promised: float


def _charge_a_minute(
    world: OtherWorld, *, air_c: float, day: float, worn: float, until: float, rng: np.random.Generator
) -> float:
    true = world.fly(air_c=air_c, day=day, worn=worn, until=until)
    put_back_ah = true.used_ah[-1] * math.exp(0.015 * rng.normal())
    return put_back_ah / (round(true.time_s[-1]) / 60.0)


def _sheet() -> Sheet:
    return Sheet(
        name="test",
        craft=next(c for c in CRAFT_LIST if c.name == "Swift"),
        pack=next(p for p in PACK_LIST if p.name == "Satsuma 1"),
        flying=PATTERNS["hover"],
        conditions=Conditions(air_c=14.0),
        landing=LandingRule(home_s=0.0),
    )


def _test(of: tuple[int, float]) -> _Flown:
    """One test of a pilot, to its planned end and beyond it, looked at after every pair."""
    seed, by = of
    until = _LEFT if by else _LEFT_WITHOUT
    rng = np.random.default_rng(31_000 + seed)
    truth = replace(drawn_truth(rng), odd=0.0)
    packs = [OtherWorld(_sheet(), truth=truth, seed=5 * seed + k) for k in range(2)]
    log = []
    for day_number in range(_DAYS):
        day, air_c = packs[0].day(), 14.0 + 6.0 * rng.normal()
        for k in range(_A_DAY):
            flown = _charge_a_minute(packs[k % 2], air_c=air_c, day=day, worn=1.0, until=until, rng=rng)
            log.append((day_number, math.log(flown)))
    scatter = scatter_of(log, measure=_MEASURE)
    matters = math.expm1(1.8 * math.sqrt(2.0) * scatter.sigma)
    needed = pairs_needed(math.log1p(matters), scatter=scatter.sigma, counts=scatter.counts)
    extra = 4  # whoever goes on, goes on
    other = truth if by == 0.0 else replace(truth, power=_power_for(1.0 + by * matters, truth))
    values: dict[int, dict[str, float]] = {}
    began: dict[int, bool] = {}
    differences, orders = [], []
    day, air_c = packs[0].day(), 14.0 + 6.0 * rng.normal()
    for place in slots(("one", "two"), pairs=needed.pairs + extra):
        if place.number % 8 == 0:  # another day: a block is flown on one, as the plan asks
            day, air_c = packs[0].day(), 14.0 + 6.0 * rng.normal()
        warmer = air_c + 0.3 * (place.number % 8)
        world = packs[("one", "two").index(place.pack)]
        world.truth = other if place.side == "B" else truth
        worn = 1.0 + _TIRES * place.number
        values.setdefault(place.pair, {})[place.side] = _charge_a_minute(
            world, air_c=warmer, day=day, worn=worn, until=until, rng=rng
        )
        began.setdefault(place.pair, place.side == "A")
        both = values[place.pair]
        if len(both) == 2:
            differences.append(difference_of(both["A"], both["B"], measure=_MEASURE))
            orders.append(began[place.pair])

    def verdict(pairs: int) -> Verdict:
        return weigh(
            differences[:pairs], orders[:pairs],
            measure=_MEASURE, matters=matters, planned=needed.pairs, scatter=scatter.sigma,
        )  # fmt: skip

    planned, later = verdict(needed.pairs), verdict(len(differences))
    ends = later if by == 0.0 else planned
    called = ends.call in ("more", "less")
    return _Flown(
        called, ends.call == "more", ends.called_at, needed.pairs,
        planned.low <= by * matters <= planned.high, needed.power,
    )  # fmt: skip


def _power_for(ratio: float, truth: Truth) -> float:
    """Power that makes charge a minute so many times what it is, all else the same [1]: the same calm flights."""
    calm = replace(truth, scatter=0.0)

    def rate(power: float) -> float:
        world = OtherWorld(_sheet(), truth=replace(calm, power=power), seed=1)
        flown = [world.fly(day=0.0, until=_LEFT) for _ in range(2)]
        return sum(math.log(f.used_ah[-1] / f.time_s[-1]) for f in flown) / len(flown)

    plain, power = rate(truth.power), truth.power * ratio
    for _ in range(2):
        power *= math.exp(math.log(ratio) + plain - rate(power))
    return power


def _forty_runs() -> float:
    """The verdict on a test of forty runs in air of their own, from its document to its sentences [ms]."""
    with tempfile.TemporaryDirectory() as folder:
        database = Database(Path(folder) / "club.sqlite")
        with database.session() as session:
            load_club(session)
            row = next(r for r in sheets.all_sheets(session) if r.craft.name == "Swift")
            question = Question(a="old", b="new", measure="charge_a_minute", matters=0.05, differs="propellers")
            plan = TrialPlan(pairs=20, scatter=0.05, scatter_counts=9, packs=("Satsuma 1", "Satsuma 2"))
            runs = tuple(
                Run(
                    slot=s.number, side=s.side, value=0.2 + 0.001 * (s.number % 7), pack=s.pack,
                    at=datetime(2026, 5, 1, tzinfo=UTC) + timedelta(hours=s.number), air_c=10.0 + 0.5 * s.number,
                )
                for s in slots(plan.packs, pairs=20)
            )  # fmt: skip
            test = Trial(name="forty", craft="Swift", question=question, plan=plan, runs=runs)
            kept = store.add(session, test, craft_id=row.craft_id)
            found = measure(lambda: [say(f, PLAIN) for f in trial_now(session, kept).told], runs=10)
        database.close()
    return found.median_ms


def trials() -> list[Row]:
    """The rows of the report."""
    work = [(seed, 0.0) for seed in range(_WITHOUT)] + [(10_000 + seed, 1.0) for seed in range(_WITH)]
    with ProcessPoolExecutor(os.cpu_count(), mp_context=multiprocessing.get_context("spawn")) as workers:
        found = list(workers.map(_test, work, chunksize=20))
    without, with_one = found[:_WITHOUT], found[_WITHOUT:]
    falsely = float(np.mean([f.called for f in without]))
    rightly = float(np.mean([f.rightly for f in with_one]))
    promised = float(np.mean([f.promised for f in with_one]))
    inside = [float(np.mean([f.inside for f in group])) for group in (without, with_one)]
    pairs = float(np.mean([f.planned for f in found]))
    early = [f.at for f in with_one if f.rightly]
    world = (
        "gusts, days that differ, packs that tire and air that warms through the test; each pilot's scatter "
        "learned from twelve flights before"
    )
    ends = f"{_WITHOUT} tests of {pairs:.0f} pairs on average, looked at after every pair, and flown on beyond that"
    held = f"{100 * inside[0]:.1f} % without, {100 * inside[1]:.1f} % with one"
    found_words = (
        f"{100 * rightly:.1f} %, promised {100 * promised:.1f}; after {np.mean(early):.1f} pairs on average"
    )
    forty_ms = _forty_runs()
    return [
        Row(
            "Tests without a difference that call one", f"{100 * falsely:.1f} %", "5 % at most", falsely <= 0.05,
            f"{ends}; {world}",
        ),
        Row(
            "Tests that find the difference they were planned for", found_words,
            "within 3 points of what was promised", abs(rightly - promised) <= 0.03,
            f"{_WITH} tests with a difference that just matters, in the same world",
        ),
        Row(
            "Intervals of 90 % that hold the truth", held, "88 to 92 %",
            all(0.88 <= share <= 0.92 for share in inside), "the same tests, at the end of their plan",
        ),
        Row(
            "Verdict of forty runs", f"{forty_ms:.0f} ms", "200 ms", forty_ms < 200.0,
            "each brought to the common air by the model, weighed and said; from the stored document",
        ),
    ]  # fmt: skip
