"""A fair test as it stands: its flights as the log has them, brought to one air, weighed, and what comes next."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy.orm import Session

from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.errors import UnknownNameError
from zesty_cell.core.fact import Fact, fact
from zesty_cell.core.trials.adjust import adjusted, common
from zesty_cell.core.trials.effort import CHARGE_S, RUN_S, change_over_s
from zesty_cell.core.trials.measures import MEASURES
from zesty_cell.core.trials.question import Differs, Question, Run, Trial
from zesty_cell.core.trials.scatter import Scatter, scatter_of
from zesty_cell.core.trials.schedule import Pair, Slot, next_slot, pairs_of, slots_of
from zesty_cell.core.trials.spoiled import spoiled_by
from zesty_cell.core.trials.told import told
from zesty_cell.core.trials.told_by_flight import value_of
from zesty_cell.core.trials.told_by_thrust import THRUST_MEASURES
from zesty_cell.core.trials.verdict import Verdict, difference_of, weigh
from zesty_cell.services.learning import with_its_pack
from zesty_cell.services.sheet_for import sheet_for
from zesty_cell.services.trial_recordings import told_by_its_log
from zesty_cell.store import calibrations, flights, trials
from zesty_cell.store.hangar import CRAFTS, PACKS
from zesty_cell.store.tables import FlightRow, PackRow, TrialRow

#: Scatter is told by so many flights at most, the newest ones.
_FLIGHTS = 60


def _flight_rows(session: Session, craft_id: int, *, most: int) -> list[FlightRow]:
    return [row for row in flights.newest_of_craft(session, craft_id, most) if not row.set_aside]


def scatter_for(session: Session, craft_id: int, question: Question, /) -> Scatter:
    """How much one run of a craft differs from its like, as its log shows: flights of one day, pack and pattern."""
    measure, made = MEASURES[question.measure], calibrations.of_craft(session, craft_id)
    seen = []
    for row in _flight_rows(session, craft_id, most=_FLIGHTS):
        value = value_of(flights.flight_of(row), pack=flights.pack_of(row), question=question, made=made)
        if value is not None and (value > 0.0 or not measure.ratio):
            group = (row.landed_at.date(), row.pack.type_name, row.pattern, row.propellers)
            seen.append((group, math.log(value) if measure.ratio else value))
    return scatter_of(seen, measure=measure)


def times_of(session: Session, craft_id: int, /, *, differs: Differs) -> tuple[float, float, float]:
    """How long a run is, charging after it, and changing over from one side to the other [s].

    A run is as long as the craft's flights are.
    """
    rows = _flight_rows(session, craft_id, most=20)
    flight_s = sorted(row.duration_s for row in rows)[len(rows) // 2] if rows else RUN_S
    return flight_s, CHARGE_S, change_over_s(differs)


@dataclass(frozen=True)
class RunNow:
    """A place of the plan with its run, where there is one.

    Attributes
    ----------
    slot : Slot
    run : Run or None
        The one that counts, else the newest that was set aside.
    value : float or None
        As it was measured, in SI.
    adjusted : float or None
        As it would have been in the common air, weight and charge.
    """

    slot: Slot
    run: Run | None = None
    value: float | None = None
    adjusted: float | None = None

    @property
    def counts(self) -> bool:
        """Whether there is a run here that counts."""
        return self.run is not None and self.run.set_aside is None

    @property
    def moved(self) -> float | None:
        """What the model moved it by, as a share [1]."""
        return None if self.value is None or self.adjusted is None else self.adjusted / self.value - 1.0


@dataclass(frozen=True)
class TrialNow:
    """A test as it stands.

    Attributes
    ----------
    trial : Trial
        With what its flights measured, by now.
    runs : tuple of RunNow
        Each place of the plan.
    aside : tuple of Run
        Those that do not count.
    next : Slot or None
        What comes next; None once the plan is flown.
    pairs : tuple of Pair
        Brought to the common air.
    verdict : Verdict
    told, spoiled : tuple of Fact
    looked : bool
        Whether the verdict was seen with all runs there are.
    """

    row: TrialRow
    trial: Trial
    runs: tuple[RunNow, ...]
    aside: tuple[Run, ...]
    next: Slot | None
    pairs: tuple[Pair, ...]
    verdict: Verdict
    told: tuple[Fact, ...]
    spoiled: tuple[Fact, ...]
    looked: bool

    @property
    def count(self) -> int:
        """Runs that count."""
        return sum(run.counts for run in self.runs)


def trial_now(session: Session, row: TrialRow, /) -> TrialNow:
    """A test with its flights as the log has them now, and its verdict."""
    trial = _filled(session, row)
    sheet_by_pack: dict[str, Sheet | None] = {}
    like = common(trial.runs, trial.question)

    def brought(run: Run) -> float | None:
        if run.value is None:
            return None
        if run.pack not in sheet_by_pack:
            sheet_by_pack[run.pack] = sheet_of_runs(session, row.craft_id, run.pack)
        sheet = sheet_by_pack[run.pack]
        return (
            run.value if sheet is None else adjusted(run.value, run, to=like, question=trial.question, sheet=sheet)
        )

    there = {run.slot: (run, brought(run)) for run in trial.runs if run.set_aside is None}
    moved = tuple(run.model_copy(update={"value": value}) for run, value in there.values())
    level = trial.model_copy(update={"runs": (*moved, *(r for r in trial.runs if r.set_aside is not None))})
    pairs = pairs_of(level)
    verdict = verdict_on(trial, pairs)
    runs = tuple(
        RunNow(slot) if found is None else RunNow(slot, found[0], found[0].value, found[1])
        for slot in slots_of(trial)
        for found in (there.get(slot.number),)
    )
    return TrialNow(
        row, trial, runs, tuple(r for r in trial.runs if r.set_aside is not None), next_slot(trial), pairs, verdict,
        told(verdict, question=trial.question, plan=trial.plan), spoiled_by(level), trial.looked >= len(trial.runs),
    )  # fmt: skip


def verdict_on(trial: Trial, pairs: Sequence[Pair], /) -> Verdict:
    """What pairs show of a test's question."""
    measure = MEASURES[trial.question.measure]
    return weigh(
        [difference_of(*pair.values, measure=measure) for pair in pairs],
        [pair.a_first for pair in pairs],
        measure=measure,
        matters=trial.question.matters,
        planned=trial.plan.pairs,
        scatter=trial.plan.scatter,
    )


def _filled(session: Session, row: TrialRow) -> Trial:
    """A test with what its flights measured, as the log has them now; flights that are gone measure nothing."""
    trial = trials.trial_of(row)
    made = calibrations.of_craft(session, row.craft_id)
    runs = []
    for run in trial.runs:
        if run.flight is not None:
            flown = session.get(FlightRow, run.flight)
            value = None
            if flown is not None and flown.deleted_at is None and flown.craft_id == row.craft_id:
                flight = flights.flight_of(flown)
                value = value_of(flight, pack=flights.pack_of(flown), question=trial.question, made=made)
                if value is None:
                    value = told_by_its_log(session, flown, question=trial.question)
                run = run.model_copy(update={"at": flight.landed_at, "air_c": flight.air_c})
            run = run.model_copy(update={"value": value})
        runs.append(run)
    return trial.model_copy(update={"runs": tuple(runs)})


def for_a_file(now: TrialNow, /) -> Trial:
    """A test as it is told to somebody else: with what its flights measured, without their numbers here."""
    runs = tuple(run.model_copy(update={"flight": None}) for run in now.trial.runs)
    return now.trial.model_copy(update={"runs": runs})


def bring_in(session: Session, trial: Trial, /) -> TrialRow:
    """A test from somewhere else, for the craft of that name.

    Raises
    ------
    UnknownNameError
        Where the hangar has no such craft.
    """
    craft = next((row for row in CRAFTS.all(session) if row.name.casefold() == trial.craft.casefold()), None)
    if craft is None:
        raise UnknownNameError(fact("trial.no_such_craft", name=trial.craft), name=trial.craft)
    runs = tuple(run.model_copy(update={"flight": None}) for run in trial.runs)
    return trials.add(session, trial.model_copy(update={"runs": runs, "craft": craft.name}), craft_id=craft.id)


def sheet_of_runs(session: Session, craft_id: int, pack_name: str) -> Sheet | None:
    """The sheet that runs with a pack are reckoned by: by itself, since a test's own flights are in its log too."""
    pack = next((p for p in PACKS.all(session) if p.name == pack_name), None)
    found = sheet_for(session, craft_id=craft_id, pack=pack)
    return None if found is None else with_its_pack(found, pack=pack)


def look(session: Session, row: TrialRow, version: int, /) -> None:
    """Note that the verdict is seen with the runs there are."""
    trial = trials.trial_of(row)
    trials.change(session, row.id, version, trial.model_copy(update={"looked": len(trial.runs)}))


@dataclass(frozen=True)
class NextRun:
    """What is to be flown next of an open test."""

    row: TrialRow
    trial: Trial
    slot: Slot

    @property
    def name(self) -> str:
        """What the side is."""
        question = self.trial.question
        return question.a if self.slot.side == "A" else question.b

    @property
    def sent(self) -> str:
        """How a landing names it."""
        return f"{self.row.id}:{self.slot.number}"


def next_run(session: Session, craft_id: int, /, *, pack: PackRow | None = None) -> NextRun | None:
    """The next run of the test of a craft that was changed last: with a pack in hand, the next one with that pack.

    Another pack than the plan's is none of its runs.
    """
    return next(iter(runs_ahead(session, craft_id, pack=pack, most=1)), None)


def runs_ahead(session: Session, craft_id: int, /, *, pack: PackRow | None = None, most: int) -> list[NextRun]:
    """The next runs of the test of a craft that was changed last, in their order: with a pack, those with it."""
    for row in trials.open_of_craft(session, craft_id):
        trial = trials.trial_of(row)
        if trial.question.measure in THRUST_MEASURES:  # no flight tells these
            continue
        taken = {run.slot for run in trial.runs if run.set_aside is None}
        ahead = [s for s in slots_of(trial) if s.number not in taken]
        fits = [s for s in ahead if pack is None or s.pack == pack.name]
        if fits:
            return [NextRun(row, trial, slot) for slot in fits[:most]]
    return []
