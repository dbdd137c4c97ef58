"""What a phone takes along for a day without a network: for each craft and pack what the field page would say.

Nothing is worked out on the phone, so it is worked out here for every charge a pack may have: each step is the
advice that the field page gives for it (:func:`zesty_cell.services.advice.advise`).  That takes some seconds for a
hangar, so it is done behind the pages, kept until what it rests on changes, and taken along as it becomes ready.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Hashable, Iterable
from contextlib import AbstractContextManager
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Final

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from zesty_cell.core.callouts.rules import CalloutPlan
from zesty_cell.core.callouts.spoken import spoken_time
from zesty_cell.core.errors import OutOfRangeError, ZestyCellError
from zesty_cell.core.fact import Words
from zesty_cell.core.learn.timer import NextTimer
from zesty_cell.services.advice import Advice, AdviceByCharge
from zesty_cell.services.flight_log import Foretold
from zesty_cell.services.plans import plan_now
from zesty_cell.services.rests_on import fits_kept, versions_by_craft
from zesty_cell.services.sheet_answers import SheetAnswer, in_short
from zesty_cell.services.sheet_for import sheet_for
from zesty_cell.services.to_fly import ToFly
from zesty_cell.services.turns import TURNS
from zesty_cell.store.tables import CalibrationRow, CalloutsRow, FlightRow, LogRow, PackRow, SheetRow
from zesty_cell.words.calls import CallRow, call_rows

#: Charges that are told apart [1]; what is between two is flown by the lower one.
STEPS: Final = (0.95, 0.9, 0.8, 0.7, 0.6, 0.5, 0.4)
#: The phone speaks no more minutes than these.
_MOST_MINUTES: Final = 90
_MOST_KEPT: Final = 5000


@dataclass(frozen=True)
class Call:
    """Words the phone speaks, so long after taking off [s]."""

    at_s: float
    words: str


@dataclass(frozen=True)
class Step:
    """What to fly by with a charge.

    Attributes
    ----------
    charge : float or None
        In the pack at least [1]; None for one that is full.
    timer : NextTimer or None
        None where it is not to be flown, ``trouble`` says why.
    calls : tuple of CallRow
        What the transmitter says.
    spoken : tuple of Call
        What the phone says where nothing else does.
    """

    charge: float | None
    timer: NextTimer | None
    trouble: Words
    calls: tuple[CallRow, ...] = ()
    spoken: tuple[Call, ...] = ()


@dataclass(frozen=True)
class Pair:
    """A craft with a pack: what the field page would say.

    Attributes
    ----------
    pattern : str
        How it is flown.
    stale : bool
        The kept plan, or what is printed or loaded, is older than what the sheet says now.
    answer : SheetAnswer or None
        In short, for the small picture.
    foretold : Foretold or None
        What flights are doubted by that come back of it.
    """

    sheet_id: int
    pattern: str
    steps: tuple[Step, ...]
    stale: bool
    answer: SheetAnswer | None
    foretold: Foretold | None = None


@dataclass(frozen=True)
class Asked:
    """A craft and a pack that a phone may ask for, the sheet that tells of them, what that and its card rest on."""

    craft_id: int
    pack: PackRow
    sheet: SheetRow
    key: Hashable
    card_key: Hashable


def spoken_of(timer: NextTimer, plan: CalloutPlan, /) -> tuple[Call, ...]:
    """What the phone says: the minutes, the timer's own words at its end, and “land now” when it is to be down."""
    end = next((t.end for t in plan.timers if t.on), "time, land")
    now = next((rule.say for rule in plan.rules if rule.on and rule.role == "land_now" and rule.say), "land now")
    whole = [60.0 * k for k in range(1, _MOST_MINUTES + 1) if 60.0 * k < timer.timer_s - 5.0]
    minutes = [Call(at_s, spoken_time(at_s)) for at_s in whole]
    down = [Call(timer.down_s, now)] if timer.down_s > timer.timer_s else []
    return (*minutes, Call(timer.timer_s, end), *down)


def _step(session: Session, asked: Asked, advice: Advice, charge: float | None) -> tuple[Step, bool]:
    now = plan_now(session, asked.sheet, advice)
    plan = now.plan if charge is None else now.written
    series = asked.pack.series
    calls = tuple(row for row in call_rows(plan, series=series) if row.role != "timer")
    spoken = spoken_of(advice.timer, plan.flown_with(series=series))
    return Step(charge, advice.timer, "", calls, spoken), bool(now.stale)


#: Steps that were worked out for a pack that is alike, by :attr:`AdviceByCharge.alike`.
Alike = dict[Hashable, "Pair"]


def work_out(session: Session, asked: Asked, alike: Alike | None = None) -> Pair:
    """What the field page would say of a craft and a pack, for every charge.

    Parameters
    ----------
    alike : dict, optional
        What was worked out on the same look at the database: packs that fly alike are flown once.
    """
    alike = {} if alike is None else alike
    by_charge = AdviceByCharge(session, asked.sheet, pack=asked.pack)
    key = by_charge.alike
    if key not in alike:
        alike[key] = _flown(session, asked, by_charge)
    pair = alike[key]
    if not any(step.trouble for step in pair.steps):
        return pair
    # What is refused is refused in words of this very pack.
    return replace(pair, steps=tuple(_refused(step, by_charge) for step in pair.steps))


def _refused(step: Step, by_charge: AdviceByCharge) -> Step:
    if not step.trouble:
        return step
    try:
        by_charge.at(step.charge)
    except OutOfRangeError as error:
        return replace(step, trouble=error.why)
    return step


def _flown(session: Session, asked: Asked, by_charge: AdviceByCharge) -> Pair:
    steps: list[Step] = []
    stale, answer, foretold = False, None, None
    for charge in (None, *STEPS):
        TURNS.give_way()
        try:
            advice = by_charge.at(charge)
        except OutOfRangeError as error:
            steps.append(Step(charge, None, error.why))
            continue
        step, older = _step(session, asked, advice, charge)
        steps.append(step)
        if charge is None:
            stale, answer = older, in_short(advice)
            foretold = Foretold(advice.result.flight.end_s, advice.result.mean_a)
    name = str(asked.sheet.flying.get("name", ""))
    return Pair(asked.sheet.id, name, tuple(_no_longer(steps)), stale, answer, foretold)


def _no_longer(steps: list[Step]) -> Iterable[Step]:
    """Less charge never flies longer: where rounding or a sampled range has it so, the shorter timer stands."""
    yield steps[0]
    shortest = steps[0]
    for _, step in pairwise(steps):
        if step.timer is not None and shortest.timer is not None and step.timer.timer_s > shortest.timer.timer_s:
            step = Step(step.charge, shortest.timer, "", step.calls, shortest.spoken)
        if step.timer is not None:
            shortest = step
        yield step


def asked_for(session: Session, to_fly: ToFly | None = None) -> list[Asked]:
    """Every craft with every pack that a sheet tells of, with what each answer rests on."""
    to_fly = ToFly(session) if to_fly is None else to_fly
    keys = _Keys(session)
    found = []
    for craft in to_fly.crafts:
        for choice in to_fly.packs_told(craft):
            sheet = sheet_for(session, craft_id=craft.id, pack=choice.row, among=to_fly.sheets)
            if sheet is not None:
                key, card_key = keys.of(sheet, choice.row), keys.of(sheet, sheet.pack)
                found.append(Asked(craft.id, choice.row, sheet, key, card_key))
    return found


class _Keys:
    """What answers rest on: rows with their versions, in a handful of queries.

    An answer rests on its sheet, craft, pack and plan; on the craft's other sheets, flights, logs and calibrations,
    and on the packs those flights were flown with.
    """

    def __init__(self, session: Session) -> None:
        tables = (FlightRow, LogRow, CalibrationRow, SheetRow)
        self._of_craft = [versions_by_craft(session, table) for table in tables]
        flown = (
            select(FlightRow.craft_id, FlightRow.pack_id)
            .where(FlightRow.deleted_at.is_(None))
            .distinct()
            .subquery()
        )
        query = (
            select(flown.c.craft_id, func.count(), func.sum(PackRow.version), func.max(PackRow.updated_at))
            .join(PackRow, PackRow.id == flown.c.pack_id)
            .group_by(flown.c.craft_id)
        )
        self._packs = {craft_id: tuple(counts) for craft_id, *counts in session.execute(query)}
        self._fits = fits_kept(session)
        kept = CalloutsRow
        plans = select(kept.sheet_id, kept.craft_id, kept.version, kept.updated_at)
        rows = session.execute(plans.where(CalloutsRow.deleted_at.is_(None)))
        # A plan is kept for a sheet, or for a craft with all its sheets.
        self._plans = {(sheet_id, craft_id): (version, at) for sheet_id, craft_id, version, at in rows}

    def of(self, sheet: SheetRow, pack: PackRow) -> Hashable:
        craft = sheet.craft
        return (
            (sheet.id, sheet.version, sheet.updated_at),
            (craft.id, craft.version, craft.updated_at),
            (pack.id, pack.version, pack.updated_at),
            tuple(found.get(craft.id) for found in self._of_craft),
            self._packs.get(craft.id), self._fits,
            self._plans.get((sheet.id, None)), self._plans.get((None, craft.id)),
        )  # fmt: skip


class Pocket:
    """What one application has ready for its phones, and the thread that works it out."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._kept: dict[tuple[int, int], tuple[Hashable, Pair]] = {}
        self._wanted = False
        self._working = False
        self._ended = False

    def ready(
        self,
        asked: list[Asked],
        *,
        sessions: Callable[[], AbstractContextManager[Session]],
    ) -> tuple[dict[tuple[int, int], Pair], set[tuple[int, int]]]:
        """What is known, by craft and pack, and which of it is older than what it rests on; that is set about anew.

        Parameters
        ----------
        sessions : callable
            Opens a session of its own for the work behind.
        """
        with self._lock:
            found, older = {}, set()
            for a in asked:
                where = (a.craft_id, a.pack.id)
                if kept := self._kept.get(where):
                    found[where] = kept[1]
                    if kept[0] != a.key:
                        older.add(where)
            self._wanted = len(found) - len(older) < len(asked)
            start = self._wanted and not self._working and not self._ended
            self._working = self._working or start
        if start:
            threading.Thread(target=self._work, args=(sessions,), name="pocket", daemon=True).start()
        return found, older

    def _missing(self, asked: list[Asked]) -> list[Asked]:
        with self._lock:
            self._wanted = False
            if self._ended:
                return []
            kept = self._kept
            return [a for a in asked if (have := kept.get((a.craft_id, a.pack.id))) is None or have[0] != a.key]

    def _work(self, sessions: Callable[[], AbstractContextManager[Session]]) -> None:
        try:
            more = True
            while more:
                with sessions() as session:
                    alike: Alike = {}
                    for one in self._missing(asked_for(session)):
                        if self._ended:
                            return
                        try:
                            self._keep(one, work_out(session, one, alike))
                        except ZestyCellError:  # gone or unreadable meanwhile: the phone does without it
                            continue
                with self._lock:
                    more = self._wanted and not self._ended
        finally:
            with self._lock:
                self._working = False

    def _keep(self, one: Asked, pair: Pair) -> None:
        with self._lock:
            where = (one.craft_id, one.pack.id)
            self._kept.pop(where, None)
            self._kept[where] = (one.key, pair)
            while len(self._kept) > _MOST_KEPT:
                self._kept.pop(next(iter(self._kept)))

    def foretold(self) -> dict[tuple[int, int], Foretold]:
        """What is foretold by what is ready, by the numbers of sheet and pack."""
        with self._lock:
            kept = [(pack_id, pair) for (_, pack_id), (_, pair) in self._kept.items()]
        return {(p.sheet_id, pack_id): p.foretold for pack_id, p in kept if p.foretold is not None}

    def let_go(self) -> None:
        """Work out no more."""
        self._ended = True
