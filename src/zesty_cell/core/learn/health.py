"""Health of a pack: what its own flights say of capacity, resistance and cells against how it began (PHYSICS 6)."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import NamedTuple

import numpy as np

from zesty_cell.core.fact import Fact, fact
from zesty_cell.core.learn.calibration import Calibration, CellCheck
from zesty_cell.core.learn.cell_spread import CellSpread, cell_spread
from zesty_cell.core.learn.flights import LoggedFlight, Used, left_by_rest, used_of
from zesty_cell.core.learn.verdict import Verdict, judge
from zesty_cell.core.parts.chemistry import charge_left_at_rest, resistance_at_25
from zesty_cell.core.parts.measured import LEAST_SHARE_FOR_CAPACITY
from zesty_cell.core.parts.pack import Pack, cells_of

#: Share of its first capacity and multiple of its first resistance from which a pack is watched, and retired [1];
#: reasons in docs/physics.md, "Pack health".
CAPACITY_WATCH, CAPACITY_RETIRE = 0.85, 0.70
RESISTANCE_WATCH, RESISTANCE_RETIRE = 1.4, 2.0
#: Hotter than this in the air, or left with less, and the pack is watched [°C, 1].
HOT_C, DEEP_LEFT = 60.0, 0.03
#: Readings that make a beginning, and a present [readings].
BASELINE, RECENT = 3, 3
#: Readings from which a trend is looked for, and how many standard errors make one [readings, 1].
TREND_FROM, TREND_SURE = 6, 2.0
#: A checker's error and what rest of polarisation an hour leaves [V].
_REST_SIGMA_V = 0.010
_PUT_BACK_SIGMA, _RESISTANCE_SIGMA = 0.015, 0.08
#: Longer full or empty than this is a matter for storage [days]; full and empty by the charge left [1].
STORAGE_DAYS, FULL, EMPTY = 3.0, 0.85, 0.25


@dataclass(frozen=True)
class Reading:
    """A figure of a pack at a point of its life.

    Attributes
    ----------
    at : datetime
    cycles : float
        Equivalent full cycles until then [1].
    value : float
        Capacity [Ah] or resistance of a cell at 25 °C [Ω].
    sigma : float
        One standard deviation, relative [1].
    """

    at: datetime
    cycles: float
    value: float
    sigma: float


@dataclass(frozen=True)
class Reason:
    """Why a verdict is what it is."""

    verdict: Verdict
    why: Fact


@dataclass(frozen=True)
class Trend:
    """Where a figure goes: ``flights_left`` until the pack is to be retired, the middle and 5 to 95 % [flights]."""

    flights_left: int
    earliest: int
    latest: int | None


@dataclass(frozen=True)
class Health:
    """What the log says of a pack.

    Attributes
    ----------
    verdict : Verdict
    reasons : tuple of Reason
        The worst first; at least one.
    capacity, resistance : tuple of Reading
        Over its life, the oldest first.
    capacity_share, resistance_ratio : float or None
        Now against its own beginning [1]; None before there are enough readings.
    spread_v : float or None
        Of its cells by the last reading [V].
    weakest : int or None
        The cell that reads lowest, from 0, where the spread is worth a word.
    flights : int
    full_cycles : float
        Charge used over its capacity [1].
    deepest_left : float or None
        The least that was left in it [1].
    hottest_c : float or None
    days_full : float
        Waiting charged, over its life [days], as far as charges have their time.
    trend : Trend or None
    """

    verdict: Verdict
    reasons: tuple[Reason, ...]
    capacity: tuple[Reading, ...]
    resistance: tuple[Reading, ...]
    capacity_share: float | None
    resistance_ratio: float | None
    spread_v: float | None
    weakest: int | None
    flights: int
    full_cycles: float
    deepest_left: float | None
    hottest_c: float | None
    days_full: float
    trend: Trend | None


def _capacity_reading(flight: LoggedFlight, *, pack: Pack, cycles: float) -> Reading | None:
    """Capacity by charge put back over the share that the rest voltage says was used."""
    if flight.put_back_ah is None or flight.rest_v_per_cell is None or not flight.began_full:
        return None
    rest = left_by_rest(flight, pack=pack, used_ah=flight.put_back_ah)
    used = 1.0 - rest.left
    if used < LEAST_SHARE_FOR_CAPACITY:
        return None
    sigma = math.hypot(_PUT_BACK_SIGMA, math.hypot(_REST_SIGMA_V, rest.doubt_v) * rest.per_volt / used)
    return Reading(flight.landed_at, cycles, flight.put_back_ah / used, sigma)


def _mean(readings: Sequence[Reading]) -> tuple[float, float]:
    """Mean weighted by how surely each is known, and its relative standard error."""
    weights = [r.sigma**-2 for r in readings]
    value = sum(w * r.value for w, r in zip(weights, readings, strict=True)) / sum(weights)
    return value, 1.0 / math.sqrt(sum(weights))


def _against_beginning(readings: Sequence[Reading]) -> tuple[float, float] | None:
    """The last readings over the first, and the relative standard error; None while they are the same ones."""
    if len(readings) < BASELINE + RECENT:
        return None
    first, first_se = _mean(readings[:BASELINE])
    last, last_se = _mean(readings[-RECENT:])
    return last / first, math.hypot(first_se, last_se)


def capacity_trend(readings: Sequence[Reading], /, *, flights: int) -> Trend | None:
    """Flights until the capacity is where a pack is retired, where it falls for certain [Ah, 1].

    A straight line over equivalent full cycles, weighted; forecast only where its slope is two standard errors from
    none, since a line through noise would retire a good pack.

    Parameters
    ----------
    readings : sequence of Reading
        The oldest first.
    flights : int
        That made these cycles [flights].
    """
    if len(readings) < TREND_FROM:
        return None
    x = np.array([r.cycles for r in readings])
    y = np.array([r.value for r in readings]) / _mean(readings[:BASELINE])[0]
    w = np.array([1.0 / r.sigma for r in readings])
    if float(np.ptp(x)) < 1.0:
        return None
    design = np.column_stack((np.ones_like(x), x)) * w[:, None]
    covariance = np.linalg.inv(design.T @ design)
    level, slope = covariance @ (design.T @ (w * y))
    misses = w * y - design @ np.array([level, slope])
    scatter = max(float(misses @ misses) / (len(readings) - 2), 1.0)
    se = math.sqrt(float(covariance[1, 1]) * scatter)
    if slope > -TREND_SURE * se:
        return None
    per_flight = float(x[-1]) / flights
    here = level + slope * float(x[-1])

    def left(fall: float) -> int:
        return max(int((here - CAPACITY_RETIRE) / (-fall * per_flight)), 0)

    gentle = slope + 1.645 * se
    return Trend(left(slope), left(slope - 1.645 * se), left(gentle) if gentle < 0.0 else None)


def _reasons(
    *, capacity: tuple[float, float] | None, resistance: tuple[float, float] | None, cells: CellSpread | None,
    deepest: float | None, hottest_c: float | None, flights: int,
) -> list[Reason]:  # fmt: skip
    found: list[Reason] = []
    if capacity is not None:
        share, se = capacity
        verdict = judge(share + se, watch=CAPACITY_WATCH, retire=CAPACITY_RETIRE, higher_is_worse=False)
        found.append(Reason(verdict, fact("health.capacity", kept_share=share)))
    if resistance is not None:
        ratio, se = resistance
        verdict = judge(ratio * (1.0 - se), watch=RESISTANCE_WATCH, retire=RESISTANCE_RETIRE)
        found.append(Reason(verdict, fact("health.resistance", times=ratio)))
    if cells is not None:
        apart = (
            fact("health.cells", spread_v=cells.spread_v)
            if cells.verdict == "fit"
            else fact("health.cells.lowest", spread_v=cells.spread_v, cell=cells.weakest + 1)
        )
        found.append(Reason(cells.verdict, apart))
    if deepest is not None and deepest <= DEEP_LEFT:
        found.append(Reason("watch", fact("health.deep", left_share=max(deepest, 0.0))))
    if hottest_c is not None and hottest_c > HOT_C:
        found.append(Reason("watch", fact("health.hot", hottest_c=hottest_c, limit_c=HOT_C)))
    if not found:
        nothing = fact("health.too_few", flights=flights) if flights else fact("health.no_flight")
        found.append(Reason("fit", nothing))
    order = {"retire": 0, "watch": 1, "fit": 2}
    return sorted(found, key=lambda r: order[r.verdict])


def _days_full(flights: Sequence[LoggedFlight], now: datetime) -> float:
    days = 0.0
    for k, flight in enumerate(flights):
        if flight.charged_at is None:
            continue
        until = flights[k + 1].took_off_at if k + 1 < len(flights) else now
        days += max((until - flight.charged_at).total_seconds(), 0.0) / 86_400.0
    return days


class _Seen(NamedTuple):
    """What flights and checks of a pack read: capacities, resistances by date, charges left, cells, full cycles."""

    capacity: list[Reading]
    ohms: list[Reading]
    lefts: list[float]
    cells: list[tuple[datetime, tuple[float, ...]]]
    cycles: float


def _seen(
    pack: Pack, flights: Sequence[LoggedFlight], checks: Sequence[Calibration], used: Sequence[Used | None]
) -> _Seen:
    chemistry = cells_of(pack)
    capacity: list[Reading] = []
    ohms: list[Reading] = []
    lefts: list[float] = []
    cells: list[tuple[datetime, tuple[float, ...]]] = []
    cycles = 0.0
    charges = used or [used_of(flight, pack=pack) for flight in flights]
    for flight, charge in zip(flights, charges, strict=True):
        cycles += charge.share if charge is not None else 0.0
        if flight.rest_v_per_cell is not None:
            lefts.append(charge_left_at_rest(chemistry=chemistry, rest_v=flight.rest_v_per_cell))
        elif charge is not None:
            lefts.append(1.0 - charge.share)
        reading = _capacity_reading(flight, pack=pack, cycles=cycles)
        if reading is not None and flight.set_aside is None:
            capacity.append(reading)
        if flight.resistance_ohm is not None:
            at_25 = resistance_at_25(flight.resistance_ohm, chemistry=chemistry, temperature_c=flight.charger_c)
            ohms.append(Reading(flight.charged_at or flight.landed_at, cycles, at_25, _RESISTANCE_SIGMA))
        if len(flight.cells_v) > 1:
            cells.append((flight.charged_at or flight.landed_at, flight.cells_v))
    for check in checks:
        if isinstance(check, CellCheck):
            if len(check.cells_v) > 1:
                cells.append((check.made_at, check.cells_v))
            if check.resistance_ohm is not None:
                ohms.append(Reading(check.made_at, cycles, check.resistance_ohm, _RESISTANCE_SIGMA))
    ohms.sort(key=lambda r: r.at)
    return _Seen(capacity, ohms, lefts, cells, cycles)


def health(
    pack: Pack, flights: Sequence[LoggedFlight], /, *, now: datetime, checks: Sequence[Calibration] = (),
    used: Sequence[Used | None] = (),
) -> Health:  # fmt: skip
    """What the log says of a pack [Ah, Ω, V, °C, days].

    Parameters
    ----------
    pack : Pack
    flights : sequence of LoggedFlight
        Of this individual, the oldest first; those set aside are left out of the figures of capacity.
    now : datetime
        With its time zone.
    checks : sequence of Calibration
        Its cell checks.
    used : sequence of Used or None
        Charge of each flight, corrected by the calibrations of its craft; plain by default.
    """
    capacity, ohms, lefts, cells, cycles = _seen(pack, flights, checks, used)
    chemistry = cells_of(pack)
    last = cell_spread(max(cells)[1], chemistry=chemistry) if cells else None
    hottest = [f.hottest_c for f in flights if f.hottest_c is not None]
    share, ratio = _against_beginning(capacity), _against_beginning(ohms)
    reasons = _reasons(
        capacity=share,
        resistance=ratio,
        cells=last,
        deepest=min(lefts, default=None),
        hottest_c=max(hottest, default=None),
        flights=len(flights),
    )
    return Health(
        verdict=reasons[0].verdict,
        reasons=tuple(reasons),
        capacity=tuple(capacity),
        resistance=tuple(ohms),
        capacity_share=None if share is None else share[0],
        resistance_ratio=None if ratio is None else ratio[0],
        spread_v=None if last is None else last.spread_v,
        weakest=None if last is None or last.verdict == "fit" else last.weakest,
        flights=len(flights),
        full_cycles=cycles,
        deepest_left=min(lefts, default=None),
        hottest_c=max(hottest, default=None),
        days_full=_days_full(flights, now),
        trend=capacity_trend(capacity, flights=max(len(flights), 1)),
    )


def storage_fact(*, charge: float | None, days: float, storage_v: float) -> Fact | None:
    """What to do with a pack that has stood for some days with a charge [1, days, V a cell]; None for nothing."""
    if charge is None or days < STORAGE_DAYS or EMPTY < charge < FULL:
        return None
    key = "storage.full" if charge >= FULL else "storage.almost_empty" if charge > 0.05 else "storage.empty"
    return fact(key, days=days, storage_v=storage_v)
