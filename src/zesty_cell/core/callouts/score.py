"""How a plan would do: over the sheet's sampled flights, and over the same flights on bad days."""

from __future__ import annotations

import math
from abc import ABC, abstractmethod
from collections import deque
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field, replace
from itertools import islice
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.answer.forecast import sampled_factors
from zesty_cell.core.answer.shown import shown_over_true, volts_shown
from zesty_cell.core.answer.thresholds import LATE_SHARE, in_earnest_s
from zesty_cell.core.asked.flying import STEP_S
from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.callouts.engine import Engine
from zesty_cell.core.callouts.rules import CalloutPlan, Rule
from zesty_cell.core.callouts.sensors import TELEMETERED
from zesty_cell.core.errors import StoppedError
from zesty_cell.core.fact import fact
from zesty_cell.core.flight.many import Knots, start_many
from zesty_cell.core.flight.one import fly, landing_times_s
from zesty_cell.core.flight.setup import Factors, Setup, set_up
from zesty_cell.core.flight.watch import charge_left_at, low_for_good, score_flights
from zesty_cell.core.quantiles import range_of

#: The air of warm and cold days [°C]; the pack waits in it before flight.
WARM_C, COLD_C = 22.0, 4.0
#: A tired pack: what it still holds, and how its resistance has grown [1]; physics.md, "Bad days".
TIRED_CAPACITY, TIRED_RESISTANCE = 0.88, 1.6
#: A calm and a lively pilot: how the bursts of the pattern are flown [1].
CALM, LIVELY = 0.85, 1.25
#: Rules whose words on kept flights are kept beside them.
_MOST_HEARD = 256
_MOST_EVENTS = 96


@dataclass(frozen=True)
class Day:
    """Circumstances a plan is scored in.

    Attributes
    ----------
    name : str
    air_c : float or None
        Air and pack [°C]; None: as on the sheet.
    tired : bool
    intensity : float
        How lively [1].
    """

    name: str
    air_c: float | None = None
    tired: bool = False
    intensity: float = 1.0


OWN_DAY = Day("As on the sheet")
BAD_DAYS: tuple[Day, ...] = tuple(
    Day(
        f"{'Tired' if tired else 'Fresh'} pack, {'cold' if air_c == COLD_C else 'warm'}, "
        f"{'lively' if intensity == LIVELY else 'calm'}",
        air_c,
        tired,
        intensity,
    )
    for tired in (False, True)
    for air_c in (WARM_C, COLD_C)
    for intensity in (CALM, LIVELY)
)


#: A tired pack in the cold, flown lively.
WORST_DAY = BAD_DAYS[-1]


@dataclass(frozen=True)
class DayScore:
    """How a plan does on one day.

    Attributes
    ----------
    day : Day
    flights : int
    first_word_s : float or None
        Median moment of the first callout [s]; None where most flights hear none.
    false_calls : float
        A flight [1].
    false_flights : int
        With at least one.
    missed : int or None
        Flights whose “land now” did not come by ``LATE_SHARE`` past the landing point; None without such a rule.
    warning_s : tuple of float
        5th, 50th and 95th percentile of the time from the first true warning to the landing point [s].
    left : tuple of float
        The same of the charge left when “land now” first speaks truly [1].
    landing_s : float
        Median landing time [s].
    """

    day: Day
    flights: int
    first_word_s: float | None
    false_calls: float
    false_flights: int
    missed: int | None
    warning_s: tuple[float, ...]
    left: tuple[float, ...]
    landing_s: float


Progress = Callable[[int, int], None]


def scored_rules(plan: CalloutPlan, /) -> tuple[Rule, ...]:
    """The rules whose calls are judged: those that watch telemetry in flight and no switch asks for."""
    return tuple(
        r
        for r in plan.rules
        if r.on
        and r.guards.switch is None
        and r.conditions
        and all(c.sensor in TELEMETERED - {"telemetry", "receiver_v"} for c in r.conditions)
    )


def day_setup(sheet: Sheet, *, day: Day) -> tuple[Setup, Factors]:
    """A sheet on another day: its setup, and the departures of its flights [1, °C]."""
    if day.air_c is not None:
        air = sheet.conditions.model_copy(update={"air_c": day.air_c, "pack_c": None})
        sheet = sheet.model_copy(update={"conditions": air})
    setup = set_up(sheet)
    factors = sampled_factors(setup)
    if day.tired:
        factors = replace(
            factors,
            capacity=factors.capacity * TIRED_CAPACITY,
            resistance=factors.resistance * TIRED_RESISTANCE,
        )
    return setup, replace(factors, intensity=factors.intensity * day.intensity)


class DayFlights(ABC):
    """The sampled flights of a sheet on one day, watched by a subclass while their knots exist."""

    def __init__(self, sheet: Sheet, *, day: Day) -> None:
        self.day = day
        self.setup, self.factors = day_setup(sheet, day=day)
        self._end_s = fly(self.setup).end_s

    def start(self) -> Callable[[], NDArray[np.float64]]:
        """Set the flights off; see :func:`~zesty_cell.core.flight.many.start_many`."""
        return start_many(
            self.setup,
            factors=self.factors,
            longest_s=3.0 * self._end_s + 60.0,
            beyond_landing=LATE_SHARE,
            visit=self.visit,
        )

    @abstractmethod
    def visit(self, rows: slice, knots: Knots) -> None:
        """See :data:`~zesty_cell.core.flight.many.Visitor`."""


Flights = TypeVar("Flights", bound=DayFlights)


def fly_days(
    days: Sequence[Flights], *, progress: Progress | None, cancelled: Callable[[], bool]
) -> Iterator[tuple[Flights, NDArray[np.float64]]]:
    """Fly days one after the other; each with its landing times, float64 array of shape (k,) [s].

    Raises
    ------
    StoppedError
        When it was cancelled, which is asked before each day.
    """
    started: deque[Callable[[], NDArray[np.float64]]] = deque()
    waiting = iter(days)
    for k, day in enumerate(days):
        if cancelled():
            raise StoppedError(fact("refused.score.stopped"))
        # The next day takes off before this one is waited for: no thread stands idle between two.
        started += [following.start() for following in islice(waiting, 2 - len(started))]
        yield day, landing_times_s(setup=day.setup, summary=started.popleft()())[0]
        if progress is not None:
            progress(k + 1, len(days))


class _Watch(DayFlights):
    """Runs the rules over the flights of one day."""

    def __init__(self, plan: CalloutPlan, sheet: Sheet, day: Day) -> None:
        super().__init__(sheet, day=day)
        self._prepare(plan)

    @classmethod
    def on_kept(cls, plan: CalloutPlan, kept: KeptFlights) -> _Watch:
        """A watch over flights that were flown before."""
        watch = cls.__new__(cls)
        watch.day, watch.setup, watch.factors = OWN_DAY, kept.setup, kept.factors
        watch._prepare(plan)
        return watch

    def _prepare(self, plan: CalloutPlan) -> None:
        self.plan, self.rules = plan, scored_rules(plan)
        self.made = Engine(plan.model_copy(update={"rules": self.rules, "timers": ()})).made
        series = self.setup.sheet.pack.series
        self.profile = next((k for k, p in enumerate(plan.profiles) if p.series == series), -1)
        r, k = len(self.rules), len(self.factors)
        self.events = np.full((r, k, _MOST_EVENTS), np.nan)
        self.counts = np.zeros((r, k), dtype=np.int64)
        self.earnest_s = np.full((r, k), np.inf)
        self.left = np.full(k, np.nan)
        self.land_s = np.full(k, np.inf)
        # Charge as the sensor shows it, over the truth.
        self.shown = shown_over_true(self.setup, k)

    def visit(self, rows: slice, knots: Knots) -> None:
        """A :data:`~zesty_cell.core.flight.many.Visitor`; events beyond ``_MOST_EVENTS`` are only counted."""
        pack, made = self.setup.sheet.pack, self.made
        score_flights(
            knots.at,
            knots.summary,
            STEP_S,
            float(pack.series),
            float(pack.parallel),
            self.setup.sheet.conditions.start_charge,
            self.setup.figures.capacity_ah * self.factors.capacity[rows] * self.shown[rows],
            volts_shown(len(self.factors))[rows],
            made.rules,
            made.first_condition,
            made.condition_kind,
            made.condition_sensor,
            made.condition_value,
            self.profile,
            self.events[:, rows],
            self.counts[:, rows],
        )
        low = np.empty(knots.summary.shape[0], dtype=np.int64)
        for j, rule in enumerate(self.rules):
            threshold = self.plan.calls_below_v(rule, series=pack.series)
            if threshold is None:
                self.earnest_s[j, rows] = 0.0  # charge used only grows: it cannot be false
            else:
                low_for_good(knots.at, knots.summary, STEP_S, threshold, low)
                self.earnest_s[j, rows] = in_earnest_s(low_from=low, step_s=STEP_S)
        self.land_now(rows, knots)

    def _true(self) -> NDArray[np.bool_]:
        """Which of the events kept are true calls, shape (rules, flights, events)."""
        return np.asarray(self.events >= self.earnest_s[:, :, None])

    def _first(self, times_s: NDArray[np.float64], *roles: str) -> NDArray[np.float64]:
        """The first moment of any rule of these roles, by flight [s]; infinity for none."""
        some = [j for j, rule in enumerate(self.rules) if not roles or rule.role in roles]
        if not some:
            return np.full(times_s.shape[1], np.inf)
        known = np.where(np.isfinite(times_s[some]), times_s[some], np.inf)
        return np.asarray(known.min(axis=(0, 2)))

    def land_now(self, rows: slice, knots: Knots) -> None:
        """When “land now” first speaks truly, and the charge left then."""
        events = self.events[:, rows]
        part = np.where(events >= self.earnest_s[:, rows, None], events, np.nan)
        self.land_s[rows] = self._first(part, "land_now")
        charge_left_at(knots.at, knots.summary, self.land_s[rows], self.left[rows])

    def score(self, landing_s: NDArray[np.float64]) -> DayScore:
        true = self._true()
        kept = np.arange(_MOST_EVENTS) < self.counts[:, :, None]
        false = np.count_nonzero(kept & ~true, axis=(0, 2))
        first = self._first(self.events)
        early = ("pack_low", "charge_used")
        warns = early if any(r.role in early for r in self.rules) else ("land_now",)
        warned = self._first(np.where(true, self.events, np.nan), *warns)
        warning = np.where(np.isfinite(warned), landing_s - warned, np.nan)
        middle = float(np.median(first))
        lands = any(r.role == "land_now" for r in self.rules)
        return DayScore(
            day=self.day,
            flights=len(self.factors),
            first_word_s=middle if math.isfinite(middle) else None,
            false_calls=float(false.mean()),
            false_flights=int(np.count_nonzero(false)),
            missed=int(np.count_nonzero(~np.isfinite(self.land_s))) if lands else None,
            warning_s=range_of(warning),
            left=range_of(self.left),
            landing_s=float(np.median(landing_s)),
        )


@dataclass(frozen=True)
class KeptFlights:
    """The sampled flights of a sheet as they are, to look at many plans by.

    Attributes
    ----------
    setup : Setup
    factors : Factors
    chunks : tuple of (rows, knots)
    landing_s : float64 array, shape (flights,)
        [s].
    heard : dict
        What rules said on them, as :func:`score_kept` found it; so many are kept, then it begins anew.
    """

    setup: Setup
    factors: Factors
    chunks: tuple[tuple[slice, Knots], ...]
    landing_s: NDArray[np.float64]
    heard: dict[Any, tuple[Any, ...]] = field(default_factory=dict, repr=False, compare=False)


class _Keep(DayFlights):
    """Keeps every flight as far as it was flown."""

    def __init__(self, sheet: Sheet) -> None:
        super().__init__(sheet, day=OWN_DAY)
        self.chunks: list[tuple[slice, Knots]] = []

    def visit(self, rows: slice, knots: Knots) -> None:
        """See :data:`~zesty_cell.core.flight.many.Visitor`."""
        self.chunks.append((rows, knots.kept()))


def keep_flights(sheet: Sheet, /) -> KeptFlights:
    """The sampled flights of a sheet, kept; some tens of megabytes for a long flight [s]."""
    day = _Keep(sheet)
    summary = day.start()()
    landing_s = landing_times_s(setup=day.setup, summary=summary)[0]
    return KeptFlights(day.setup, day.factors, tuple(day.chunks), landing_s)


def score_kept(plan: CalloutPlan, kept: KeptFlights, /) -> DayScore:
    """How a plan does on kept flights [s, 1].

    Each rule speaks by itself, so one that was followed on these flights before is not followed again: a plan that
    differs in one rule takes the time of one.
    """
    watch = _Watch.on_kept(plan, kept)
    heard, about = dict(kept.heard), (plan.series, plan.profiles)
    new = tuple(rule for rule in watch.rules if (rule, about) not in heard)
    if new:
        part = _Watch.on_kept(plan.model_copy(update={"rules": new}), kept)
        for rows, knots in kept.chunks:
            part.visit(rows, knots)
        found = {
            (rule, about): (part.events[j], part.counts[j], part.earnest_s[j]) for j, rule in enumerate(part.rules)
        }
        heard |= found
        if len(kept.heard) > _MOST_HEARD:
            kept.heard.clear()
        kept.heard.update(found)
    for j, rule in enumerate(watch.rules):
        watch.events[j], watch.counts[j], watch.earnest_s[j] = heard[rule, about]
    for rows, knots in kept.chunks:
        watch.land_now(rows, knots)
    return watch.score(kept.landing_s)


def score_plan(
    *,
    plan: CalloutPlan,
    sheet: Sheet,
    days: tuple[Day, ...] = (OWN_DAY, *BAD_DAYS),
    progress: Progress | None = None,
    cancelled: Callable[[], bool] = lambda: False,
) -> tuple[DayScore, ...]:
    """Fly a plan over the sampled flights of each day [s, V, 1].

    Parameters
    ----------
    plan : CalloutPlan
    sheet : Sheet
    days : tuple of Day
    progress : callable, optional
        Called with the days done and all days.
    cancelled : callable
        Asked before each day.

    Raises
    ------
    StoppedError
        When it was cancelled.
    OutOfRangeError
        As :func:`~zesty_cell.core.flight.setup.set_up`.
    """
    watches = [_Watch(plan, sheet, day) for day in days]
    flown = fly_days(watches, progress=progress, cancelled=cancelled)
    return tuple(watch.score(landing_s) for watch, landing_s in flown)
