"""Tuning one voltage rule: every threshold and hold over the same flights, and the trade between them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.answer.calls import MOST_FALSE, MOST_LATE, Leads
from zesty_cell.core.answer.lead import TOO_EARLY_SHARE
from zesty_cell.core.answer.shown import volts_shown
from zesty_cell.core.answer.thresholds import EARLY_SHARE, HOLDS_S, hold_samples, on_step, voltage_step_v
from zesty_cell.core.asked.flying import STEP_S
from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.callouts.conditions import Condition
from zesty_cell.core.callouts.rules import CalloutPlan, Rule
from zesty_cell.core.callouts.score import BAD_DAYS, OWN_DAY, Day, DayFlights, DayScore, Progress, fly_days
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import fact
from zesty_cell.core.flight.many import Knots
from zesty_cell.core.flight.watch import try_settings
from zesty_cell.core.parts.pack import cells_of

#: How far up and down thresholds are tried [V a cell], and how many at most.
SPAN_V = 0.30
MOST_THRESHOLDS = 15
#: What a late call weighs against an early one.
LATE_COUNTS = 2.0
#: "Pack low" with less than this share of its lead left is late [1].
LEAST_OF_LEAD = 0.5


@dataclass(frozen=True)
class Tuned:
    """What every threshold and hold would do.

    Attributes
    ----------
    thresholds_v : float64 array, shape (m,)
        Whole pack [V], rising.
    holds_s : tuple of float, h of them
        [s].
    false, late : float64 arrays, shape (m, h)
        Share of flights with a false call, and of flights in which it came too late or not at all [1].
    early : float64 array, shape (m, h)
        Share of flights with a false call, or whose true one came long before its time: a high threshold is
        never wrong about the voltage, and lands with half the charge [1].
    now : tuple of int
        Where the rule stands.
    best : tuple of int
        Where it should: inside both limits where any is, and there the fewest of both; a late call, which
        leaves nothing to land with, counts as two early ones.
    within : bool
        Whether the best keeps both limits.
    front : tuple of tuple of int
        Settings that no other beats in both, the fewest early calls first.
    flights : int
    """

    thresholds_v: NDArray[np.float64]
    holds_s: tuple[float, ...]
    false: NDArray[np.float64]
    late: NDArray[np.float64]
    early: NDArray[np.float64]
    now: tuple[int, int]
    best: tuple[int, int]
    within: bool
    front: tuple[tuple[int, int], ...]
    flights: int

    def setting(self, place: tuple[int, int], /) -> tuple[float, float]:
        """Threshold of the whole pack [V] and hold [s] at a place."""
        return float(self.thresholds_v[place[0]]), self.holds_s[place[1]]


class _Watch(DayFlights):
    """Watches every threshold and hold over the flights of one day; the rule's share of throttle stays as it is."""

    def __init__(
        self, sheet: Sheet, day: Day, thresholds_v: NDArray[np.float64], throttle_under: float | None
    ) -> None:
        super().__init__(sheet, day=day)
        self._cell_v = thresholds_v / self.setup.sheet.pack.series
        self._under = np.full(thresholds_v.size, 2.0 if throttle_under is None else throttle_under)
        shape = (thresholds_v.size, len(self.factors), len(HOLDS_S))
        self._first = np.full(shape, np.inf)
        self.first_s = np.full(shape, np.inf)
        self._hold_samples = hold_samples()

    @property
    def false(self) -> NDArray[np.bool_]:
        """Flights with a false call, shape (m, k, h)."""
        return np.asarray(self._first < self.first_s)

    def visit(self, rows: slice, knots: Knots) -> None:
        """See :data:`~zesty_cell.core.flight.many.Visitor`."""
        first, true = np.empty_like(self._first[:, rows]), np.empty_like(self._first[:, rows])
        try_settings(
            knots.at,
            knots.summary,
            STEP_S,
            self._cell_v,
            self._under,
            np.zeros((self._cell_v.size, knots.summary.shape[0])),
            volts_shown(len(self.factors))[rows],
            EARLY_SHARE,
            self.setup.sheet.conditions.start_charge,
            self._hold_samples,
            first,
            true,
        )
        self._first[:, rows], self.first_s[:, rows] = first, true

    def late(self, landing_s: NDArray[np.float64], role: str) -> NDArray[np.bool_]:
        """Flights in which the call came too late, shape (m, k, h)."""
        if role == "land_now":
            return np.asarray(~np.isfinite(self.first_s))
        return np.asarray(landing_s[:, None] - self.first_s < LEAST_OF_LEAD * self.setup.lead_s)

    def early(self, landing_s: NDArray[np.float64], role: str) -> NDArray[np.bool_]:
        """Flights with a false call, or a true one long before its time, shape (m, k, h)."""
        before_s = TOO_EARLY_SHARE * landing_s + (0.0 if role == "land_now" else self.setup.lead_s)
        return np.asarray(self.false | (self.first_s < (landing_s - before_s)[:, None]))


def tunable(plan: CalloutPlan, key: str, /, *, series: int) -> Condition | None:
    """The condition of a rule that tuning moves: the only one that counts for a pack of ``series`` cells [1].

    It is on the live pack voltage, below a value; None where there is no such.
    """
    rule = plan.rule(key)
    if rule is None or rule.role not in ("pack_low", "land_now", "guard"):
        return None
    counting = [c for c in rule.conditions if plan.concerns(rule, c, series=series)]
    if len(counting) != 1:
        return None
    [condition] = counting
    return condition if condition.sensor == "pack_v" and condition.comparison == "below" else None


def _to_tune(plan: CalloutPlan, key: str, series: int) -> tuple[Rule, Condition]:
    rule, condition = plan.rule(key), tunable(plan, key, series=series)
    if rule is None or condition is None:
        raise OutOfRangeError(
            fact("refused.tune.other_rule"),
            field="rule",
            value=0.0,
            limit=1.0,
        )
    return rule, condition


def tune(
    *,
    plan: CalloutPlan,
    key: str,
    sheet: Sheet,
    most_false: float = MOST_FALSE,
    most_late: float = MOST_LATE,
    days: tuple[Day, ...] = (OWN_DAY, *BAD_DAYS),
    progress: Progress | None = None,
    cancelled: Callable[[], bool] = lambda: False,
) -> Tuned:
    """Try thresholds and holds of one rule over the sampled flights of several days [V, s].

    Parameters
    ----------
    plan : CalloutPlan
    key : str
        Of the rule.
    sheet : Sheet
    most_false, most_late : float
        The pilot's limits: share of flights with a false or far too early call, and with a late one [1].
    progress, cancelled : callable, optional
        Called with the days done and all days; asked before each day.

    Raises
    ------
    OutOfRangeError
        When there is no such rule, or it does not watch the pack's voltage alone.
    StoppedError
    """
    rule, condition = _to_tune(plan, key, sheet.pack.series)
    series = sheet.pack.series
    step_v = voltage_step_v(series=series)
    own_v = on_step(value=condition.cell_value_v(series=plan.series_of(rule, condition)) * series, step=step_v)
    floor_v = on_step(value=cells_of(sheet.pack).loaded_floor_v * series, step=step_v, up=True)
    thresholds_v = _thresholds(own_v, floor_v, series=series, step_v=step_v)
    false = np.zeros((thresholds_v.size, len(HOLDS_S)))
    late, early = np.zeros_like(false), np.zeros_like(false)
    watches = [_Watch(sheet, day, thresholds_v, rule.guards.throttle_under) for day in days]
    for watch, landing_s in fly_days(watches, progress=progress, cancelled=cancelled):
        false += np.count_nonzero(watch.false, axis=1)
        late += np.count_nonzero(watch.late(landing_s, rule.role), axis=1)
        early += np.count_nonzero(watch.early(landing_s, rule.role), axis=1)
    flights = sum(len(watch.factors) for watch in watches)
    false, late, early = (counts / flights for counts in (false, late, early))
    hold = min(range(len(HOLDS_S)), key=lambda j: abs(HOLDS_S[j] - rule.hold_s))
    best, within = _best(early, late, most_false=most_false, most_late=most_late)
    return Tuned(
        thresholds_v=thresholds_v,
        holds_s=HOLDS_S,
        false=false,
        late=late,
        early=early,
        now=(int(np.argmin(np.abs(thresholds_v - own_v))), hold),
        best=best,
        within=within,
        front=_front(early, late),
        flights=flights,
    )


def _thresholds(own_v: float, floor_v: float, *, series: int, step_v: float) -> NDArray[np.float64]:
    """Thresholds on the transmitter's step around the present one, none under the floor, the present one in."""
    count = int(SPAN_V * series / step_v + 1e-9)
    every = max(1, -(-2 * count // (MOST_THRESHOLDS - 1)))
    offsets = np.arange(-(count // every) * every, count + 1, every)
    values = np.round(own_v + offsets * step_v, 2)
    kept = values[(values >= floor_v - 1e-9) | (offsets == 0)]
    return np.asarray(kept, dtype=np.float64)


def _best(
    early: NDArray[np.float64], late: NDArray[np.float64], *, most_false: float, most_late: float
) -> tuple[tuple[int, int], bool]:
    inside = (early <= most_false) & (late <= most_late)
    # A shorter hold speaks sooner: it decides where flights do not.
    tie = 1e-6 * np.arange(early.shape[1])[None, :]
    cost = early + LATE_COUNTS * late + tie
    if inside.any():
        cost = np.where(inside, cost, np.inf)
    row, column = np.unravel_index(int(np.argmin(cost)), cost.shape)
    return (int(row), int(column)), bool(inside.any())


def _front(early: NDArray[np.float64], late: NDArray[np.float64]) -> tuple[tuple[int, int], ...]:
    """Settings with fewer early calls than any with as few late ones; the shortest hold where several tie."""
    places = [(i, j) for i in range(early.shape[0]) for j in range(early.shape[1])]
    places.sort(key=lambda p: (early[p], late[p], p[1]))
    front: list[tuple[int, int]] = []
    least = np.inf
    for place in places:
        if late[place] < least - 1e-12:
            front.append(place)
            least = float(late[place])
    return tuple(front)


def badness(score: DayScore, /, *, leads: Leads) -> float:
    """How wrong a plan is [1 a flight]: a late call, which leaves nothing to land with, is two false ones.

    A plan without any “land now” misses all of them, where something better than the timer could call.
    """
    missed = score.missed if score.missed is not None else (0 if leads == "timer" else score.flights)
    return (LATE_COUNTS * missed + score.false_flights) / score.flights
