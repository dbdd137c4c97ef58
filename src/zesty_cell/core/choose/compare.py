"""The comparison: a few packs on one craft, or one pack on a few crafts, side by side.

The sentences are made here, from the figures, so that the page, the command line and the JSON say
the same.  Masses in them are written by whoever asks, in the reader's units.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.answer.check import Check
from zesty_cell.core.answer.checks import check_flight
from zesty_cell.core.answer.forecast import cruise_current_a, mah_per_km, mean_current_a, sampled_factors, used_wh
from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.choose.candidates import LandingVolts, with_pack
from zesty_cell.core.choose.throttle import UsableThrottle, usable_throttle
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import Fact, Words, fact
from zesty_cell.core.flight.honest_current import HonestCurrent, honest_current
from zesty_cell.core.flight.many import start_many
from zesty_cell.core.flight.one import Flight, fly, landing_times_s
from zesty_cell.core.flight.setup import Setup, set_up
from zesty_cell.core.flight.summary import LandingSummary, fly_to_landing
from zesty_cell.core.parts.chemistry import ChemistryKey
from zesty_cell.core.parts.pack import Pack
from zesty_cell.core.quantiles import quantiles

#: More than this no page shows side by side.
MOST_COMPARED = 8

Purpose = Literal["longest", "strongest at the end", "lightest", "coolest", "within the weight class"]
PURPOSES: tuple[Purpose, ...] = (
    "longest",
    "strongest at the end",
    "lightest",
    "coolest",
    "within the weight class",
)


@dataclass(frozen=True)
class Compared:
    """One pack on one craft.

    Attributes
    ----------
    setup : Setup
    flight : Flight
    at_landing : LandingSummary
    low_s, high_s : float
        5th and 95th percentile of the landing time [s], from the sheet's own sampled flights.
    honest : HonestCurrent
    checks : tuple of Check
        As on the sheet, without that of the voltage callouts.
    used_wh : float
        [Wh].
    mean_a, cruise_a, honest_share : float
        Mean until landing and in steady flight [A]; steady flight as a share of the honest current [1].
    full_half_a : float
        What full throttle draws half way to landing [A].
    mah_per_minute, mah_per_km : float, float or None
        [mAh/min], [mAh/km].
    throttle : UsableThrottle
    """

    setup: Setup
    flight: Flight
    at_landing: LandingSummary
    low_s: float
    high_s: float
    honest: HonestCurrent
    checks: tuple[Check, ...]
    used_wh: float
    mean_a: float
    cruise_a: float
    honest_share: float
    full_half_a: float
    mah_per_minute: float
    mah_per_km: float | None
    throttle: UsableThrottle

    @property
    def steady_w(self) -> float:
        """Power of a hover or of level flight at this weight, with its electronics [W]."""
        return self.setup.load.steady_w + self.setup.load.avionics_w

    @property
    def grams_per_watt(self) -> float:
        """Weight held up, or flown level, by each watt [g/W]."""
        return 1000.0 * self.at_landing.all_up_mass_kg / self.steady_w

    @property
    def pack(self) -> Pack:
        """The pack compared."""
        return self.setup.sheet.pack

    def stops(self) -> tuple[Check, ...]:
        """Checks that say stop."""
        return tuple(c for c in self.checks if c.status == "stop")

    def usable(self) -> bool:
        """Whether it may be recommended at all."""
        return self.at_landing.flies and not self.stops()


def _start(sheet: Sheet) -> Callable[[], Compared]:
    """Set one sheet's flights off; the result waits for them."""
    setup = set_up(sheet)
    flight = fly(setup)
    # The very flights of the sheet, without their voltages.
    sampled = start_many(
        setup,
        factors=sampled_factors(setup),
        longest_s=3.0 * flight.end_s + 60.0,
        beyond_landing=0.0,
    )
    return lambda: _compared(setup, flight, sampled())


def _compared(setup: Setup, flight: Flight, sampled: NDArray[np.float64]) -> Compared:
    times_s: NDArray[np.float64] = landing_times_s(setup=setup, summary=sampled)[0]
    low_s, _, high_s = quantiles(times_s)
    at_landing = fly_to_landing(setup)
    honest = honest_current(setup.sheet.pack)
    cruise_a, mean_a = cruise_current_a(setup=setup, flight=flight), mean_current_a(at_landing)
    return Compared(
        setup=setup,
        flight=flight,
        at_landing=at_landing,
        low_s=low_s,
        high_s=high_s,
        honest=honest,
        checks=check_flight(setup=setup, flight=flight, at_landing=at_landing, callouts=None, honest=honest),
        used_wh=used_wh(flight),
        mean_a=mean_a,
        cruise_a=cruise_a,
        honest_share=cruise_a / honest.current_a,
        full_half_a=float(flight.full_throttle_a[flight.index_at(0.5 * flight.landing_s)]),
        mah_per_minute=mean_a * 1000.0 / 60.0,
        mah_per_km=mah_per_km(mean_a=mean_a, craft=setup.sheet.craft),
        throttle=usable_throttle(setup=setup, at_landing=at_landing, honest=honest),
    )


def compare_one(sheet: Sheet) -> Compared:
    """One sheet as a row of a comparison [s, A, V, Wh].

    Raises
    ------
    OutOfRangeError
        As :func:`~zesty_cell.core.flight.setup.set_up`.
    """
    return _start(sheet)()


@dataclass(frozen=True)
class Contender:
    """A pack to compare, at its own temperature at take-off [°C] or the sheet's."""

    pack: Pack
    pack_c: float | None = None


@dataclass(frozen=True)
class LeftOut:
    """A contender that cannot be flown at all, and why."""

    name: str
    reason: Words


def compare_packs(
    sheet: Sheet, *, contenders: Sequence[Contender], volts: Mapping[ChemistryKey, LandingVolts] | None = None
) -> tuple[tuple[Compared, ...], tuple[LeftOut, ...]]:
    """Several packs on the sheet's craft, pattern, air and landing rule, in the order given [s, A, V, Wh].

    ``volts`` are the landing voltages by chemistry, where others than
    :func:`~zesty_cell.core.choose.candidates.landing_on` takes by itself are wanted [V a cell].

    Raises
    ------
    OutOfRangeError
        When there are more than :data:`MOST_COMPARED`.
    """
    if len(contenders) > MOST_COMPARED:
        raise OutOfRangeError(
            fact("refused.compare.too_many", most=MOST_COMPARED, over=len(contenders) - MOST_COMPARED),
            field="packs",
            value=len(contenders),
            limit=MOST_COMPARED,
        )
    sheets = [with_pack(sheet, pack=c.pack, pack_c=c.pack_c, volts=volts) for c in contenders]
    return compare_sheets(sheets, names=[c.pack.name for c in contenders])


def compare_crafts(sheet: Sheet, *, sheets: Sequence[Sheet]) -> tuple[tuple[Compared, ...], tuple[LeftOut, ...]]:
    """The sheet's pack on several crafts, each flown as its own sheet says [s, A, V, Wh]."""
    return compare_sheets(
        [with_pack(other, pack=sheet.pack, pack_c=sheet.conditions.pack_c) for other in sheets],
        names=[other.craft.name for other in sheets],
    )


def compare_sheets(
    sheets: Sequence[Sheet], *, names: Sequence[str]
) -> tuple[tuple[Compared, ...], tuple[LeftOut, ...]]:
    """Several sheets as they are, each under a name, in the order given [s, A, V, Wh]."""
    started, left_out = [], []
    for one, name in zip(sheets, names, strict=True):
        try:
            started.append(_start(one))
        except OutOfRangeError as error:
            left_out.append(LeftOut(name=name, reason=error.why))
    # While the first rows are put together, the flights of the others are under way.
    return tuple(finish() for finish in started), tuple(left_out)


@dataclass(frozen=True)
class Verdict:
    """Which pack for a purpose, and why.

    Attributes
    ----------
    purpose : Purpose
    best : int or None
        Index among those compared; None where none is fit for it.
    sentence : Fact
    """

    purpose: Purpose
    best: int | None
    sentence: Fact


#: Landing temperatures nearer than this are the same to a hand [K].
NEAR_K = 2.0


def _against(row: Compared, other: Compared) -> Fact:
    """What a pack gives up, or gains, in weight and time against another."""
    gained_s = row.at_landing.landing_s - other.at_landing.landing_s
    heavier_kg = row.at_landing.all_up_mass_kg - other.at_landing.all_up_mass_kg
    share = gained_s / other.at_landing.landing_s
    time = (
        fact("against.as_long")
        if abs(share) < 0.01
        else fact("against.longer" if gained_s > 0 else "against.shorter", apart_share=abs(share))
    )
    if abs(heavier_kg) < 0.0005:
        return fact("against.same_weight", time=time, pack=other.pack.name)
    key = "against.heavier" if heavier_kg > 0 else "against.lighter"
    return fact(key, time=time, pack=other.pack.name, apart_kg=abs(heavier_kg))


def _longest(key: str, row: Compared, next_one: Compared | None) -> Fact:
    at_landing = row.at_landing
    figures = {"pack": row.pack.name, "landing_s": at_landing.landing_s, "all_up_kg": at_landing.all_up_mass_kg}
    if next_one is None:
        return fact(key, **figures)
    return fact(f"{key}.against", **figures, against=_against(row, next_one))


def _strongest(row: Compared, next_one: Compared | None) -> Fact:
    rotor = row.setup.sheet.craft.lifts_itself()
    figures = {
        "pack": row.pack.name,
        "to_spare": row.at_landing.to_spare,
        "times": fact("verdict.times_weight" if rotor else "verdict.times_level"),
        "kept_share": row.at_landing.thrust_share,
    }
    if next_one is None:
        return fact("verdict.strongest", **figures)
    return fact(
        "verdict.strongest.next",
        **figures,
        next_pack=next_one.pack.name,
        next_to_spare=next_one.at_landing.to_spare,
    )


def _sentence(purpose: Purpose, rows: Sequence[Compared], best: int, order: Sequence[int]) -> Fact:
    row = rows[best]
    name, at_landing = row.pack.name, row.at_landing
    next_one = rows[order[1]] if len(order) > 1 else None
    if purpose == "longest":
        return _longest("verdict.longest", row, next_one)
    if purpose == "strongest at the end":
        return _strongest(row, next_one)
    if purpose == "lightest":
        return _longest("verdict.lightest", row, next_one)
    if purpose == "coolest":
        if next_one and next_one.at_landing.landing_c - at_landing.landing_c < NEAR_K:
            return fact(
                "verdict.coolest.near",
                pack=name, honest_share=row.honest_share, next_pack=next_one.pack.name, within_k=NEAR_K,
            )  # fmt: skip
        return fact("verdict.coolest", pack=name, honest_share=row.honest_share)
    limits = row.setup.sheet.craft.limits
    return fact(
        "verdict.in_class",
        weight_class=limits.weight_class_name or fact("verdict.the_class"),
        pack=name,
        landing_s=at_landing.landing_s,
        room_kg=(limits.weight_class_kg or 0.0) - at_landing.all_up_mass_kg,
    )


def verdict(rows: Sequence[Compared], *, purpose: Purpose) -> Verdict:
    """Which of the packs for a purpose, and why, from the figures [s, kg, °C].

    Packs with a check that stops are passed over; so is what does not fly.
    """
    usable = [k for k, row in enumerate(rows) if row.usable()]
    if purpose == "within the weight class":
        limit_kg = rows[0].setup.sheet.craft.limits.weight_class_kg if rows else None
        if limit_kg is None:
            return Verdict(purpose, None, fact("verdict.no_class"))
        usable = [k for k in usable if rows[k].at_landing.all_up_mass_kg <= limit_kg]
        if not usable:
            lightest = min((r.at_landing.all_up_mass_kg for r in rows), default=0.0)
            return Verdict(purpose, None, fact("verdict.none_in_class", over_kg=lightest - limit_kg))
    if not usable:
        return Verdict(purpose, None, fact("verdict.all_stop"))
    value: dict[Purpose, Callable[[Compared], float]] = {
        "longest": lambda r: -r.at_landing.landing_s,
        "strongest at the end": lambda r: -r.at_landing.to_spare,
        "lightest": lambda r: r.at_landing.all_up_mass_kg,
        "coolest": lambda r: r.at_landing.landing_c,
        "within the weight class": lambda r: -r.at_landing.landing_s,
    }
    order = sorted(usable, key=lambda k: value[purpose](rows[k]))
    passed = len(rows) - len(usable)
    sentence = _sentence(purpose, rows, order[0], order)
    if passed and purpose != "within the weight class":
        over = fact("verdict.passed_over.one") if passed == 1 else fact("verdict.passed_over", passed=passed)
        sentence = fact("verdict.with_passed", verdict=sentence, passed_over=over)
    return Verdict(purpose, order[0], sentence)
