"""The club's three tests, flown by the stand-ins: one clear, one without a difference, one spoiled."""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

import numpy as np
from sqlalchemy.orm import Session

from zesty_cell.core.answer.forecast import forecast
from zesty_cell.core.trials.question import Question, Run, SetAside, Trial, TrialPlan
from zesty_cell.core.trials.schedule import slots
from zesty_cell.standins.craft import Hidden, SimulatedCraft
from zesty_cell.store import sheets, trials

#: What a day does to power, one standard deviation [1].
_DAYS = 0.03


@dataclass(frozen=True)
class _Story:
    """How a test was flown: whose, what B does to power [1], how often, and what went wrong."""

    name: str
    sheet: str
    question: Question
    packs: tuple[str, ...]
    pairs: int
    began: datetime
    power: float
    scatter: float
    seed: int
    flown: int
    keep: tuple[str, ...] = ()
    spoiled: bool = False
    looked: bool = True


def _asks(a: str, b: str, *, differs: str, matters: float) -> Question:
    return Question.model_validate(
        {"a": a, "b": b, "differs": differs, "measure": "charge_a_minute", "matters": matters}
    )


_STORIES = (
    _Story(
        "Two blades or three", "Swift on Satsuma, harbour wall",
        _asks("three blades", "two blades", differs="propellers", matters=0.06),
        ("Satsuma 1", "Satsuma 2"), 10, datetime(2026, 9, 12, 9, 30, tzinfo=UTC), 0.86, 0.03, 5, 20,
        ("the harbour lap, ten times", "the same camera and guards"),
    ),
    _Story(
        "The dearer plug", "Tern on Yuzu, Sunday aerobatics",
        _asks("plug as it came", "low-loss plug", differs="plug", matters=0.08),
        ("Yuzu 1", "Yuzu 2"), 12, datetime(2026, 10, 3, 10, 0, tzinfo=UTC), 1.0, 0.03, 8, 24,
        ("the Sunday round, flown by Marit",),
    ),
    _Story(
        "Warm pocket", "Wren on Kumquat, clubhouse",
        _asks("pack as it lay", "pack from the pocket", differs="other", matters=0.06),
        ("Kumquat 1",), 8, datetime(2026, 11, 7, 9, 0, tzinfo=UTC), 0.97, 0.03, 3, 12,
        spoiled=True, looked=False,
    ),
)  # fmt: skip


def load_trials(session: Session) -> int:
    """Put the club's tests into an empty list; how many."""
    if trials.all_trials(session):
        return 0
    by_name = {row.name: row for row in sheets.all_sheets(session)}
    stories = [story for story in _STORIES if story.sheet in by_name]
    for story in stories:
        row = by_name[story.sheet]
        sheet = sheets.as_sheet(row)
        craft = SimulatedCraft(sheet, seed=story.seed, hidden=Hidden(1.0, 0.97, 1.1), varies=story.scatter)
        trial = _flown(story, craft, timer_s=0.8 * forecast(sheet).flight.landing_s)
        trials.add(session, trial, craft_id=row.craft_id)
    return len(stories)


def _flown(story: _Story, craft: SimulatedCraft, *, timer_s: float) -> Trial:
    plan = TrialPlan(
        pairs=story.pairs, scatter=0.05, scatter_counts=14, packs=story.packs, coolest_c=8, warmest_c=24,
        keep=story.keep,
    )  # fmt: skip
    rng = np.random.default_rng(story.seed)
    runs = []
    day = 1.0
    for k, slot in enumerate(slots(story.packs, pairs=story.pairs)[: story.flown]):
        if k % 8 == 0:
            day = math.exp(_DAYS * rng.normal())
        # Spoiled: whoever flew it took B last thing each time, as the day warmed, and once another pack.
        side = ("A", "B")[k % 2] if story.spoiled else slot.side
        air_c = round(9.0 + 1.1 * k if story.spoiled else 15.0 + 0.5 * (k % 8))
        flown = craft.fly(timer_s, mood=day * (story.power if side == "B" else 1.0), air_c=float(air_c))
        put_back_ah = flown.used_ah * math.exp(0.01 * rng.normal())
        at = story.began + timedelta(days=7 * (k // 8), minutes=25 * (k % 8))
        odd = story.spoiled and k == 5
        runs.append(
            Run(
                slot=slot.number, side="A" if side == "A" else "B", at=at, air_c=float(air_c),
                value=put_back_ah / (round(flown.duration_s) / 60.0) * (1.5 if odd else 1.0),
                pack="Kumquat 3" if story.spoiled and k == 7 else slot.pack,
                note="landed in the nettles, flew on" if odd else "",
            )
        )  # fmt: skip
    if not story.spoiled:
        runs.append(runs[2].model_copy(update={"set_aside": SetAside(why="a gull came along")}))
        runs[2], runs[-1] = runs[-1], runs[2]
    return Trial(
        name=story.name, craft=craft.sheet.craft.name, question=story.question, plan=plan, runs=tuple(runs),
        looked=len(runs) if story.looked else 0,
    )  # fmt: skip
