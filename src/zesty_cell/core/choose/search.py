"""The search: thousands of packs flown on one craft, the limits they meet, the best of them."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from concurrent.futures import Future
from dataclasses import dataclass
from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.choose.candidates import with_pack
from zesty_cell.core.entity import Entity
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import Fact, fact
from zesty_cell.core.flight.many import flight_pool
from zesty_cell.core.flight.setup import set_up
from zesty_cell.core.flight.summary import LandingSummaries, LandingSummary
from zesty_cell.core.parts.full_throttle import full_throttle_v, standing_current_a
from zesty_cell.core.parts.pack import Pack
from zesty_cell.core.parts.pack_figures import PackFigures

Metres = Annotated[float, Field(gt=0, le=3)]


class SearchLimits(Entity):
    """What a pack must meet; ``None`` does not matter.

    ``within_parts`` holds full throttle against the craft's motor and ESC limits and a full pack against
    its highest voltage; ``over_cutoff`` keeps every loaded voltage above the ESC's cutoff.
    """

    most_all_up_kg: Annotated[float, Field(gt=0, le=200)] | None = None
    most_pack_kg: Annotated[float, Field(gt=0, le=100)] | None = None
    most_length_m: Metres | None = None
    most_width_m: Metres | None = None
    most_height_m: Metres | None = None
    within_parts: bool = True
    over_cutoff: bool = True
    least_time_s: Annotated[float, Field(gt=0, le=10_800)] | None = None
    least_thrust_share: Annotated[float, Field(gt=0, le=1)] | None = None
    least_to_spare: Annotated[float, Field(gt=0, le=50)] | None = None
    most_c: Annotated[float, Field(ge=-20, le=120)] | None = 60.0


LimitKey = Literal[
    "all_up", "pack_mass", "length", "width", "height", "voltage", "motor", "motor_power", "esc",
    "cutoff",
    "time", "thrust", "to_spare", "heat", "holds",
]  # fmt: skip


@dataclass(frozen=True)
class Excluded:
    """What one limit leaves out.

    Attributes
    ----------
    key : LimitKey
    limit : float
        As given, in the unit of its field.
    count, alone : int
        Packs it excludes, and those that nothing else excludes [1].
    nearest, nearest_value : int, float
        The excluded pack that comes nearest to it, and its value.
    """

    key: LimitKey
    limit: float
    count: int
    alone: int
    nearest: int
    nearest_value: float

    def told(self, nearest: str) -> Fact:
        """Which limit leaves out how many, and what comes nearest: a pack of that name."""
        figures = {"count": self.count} | ({"alone": self.alone} if self.alone not in (0, self.count) else {})
        alone = ".alone" if "alone" in figures else ""
        if self.key == "holds":
            return fact(f"left_out.holds{alone}", **figures)
        bound, value = _bound(self.key, self.limit), _bound(self.key, self.nearest_value)
        return fact(
            f"left_out{alone}", limit=fact(f"limit.{self.key}"), bound=bound, pack=nearest, value=value, **figures
        )


def _bound(key: LimitKey, value: float) -> Fact:
    """A bound, or what a pack has of it, in the unit of its field [kg, m, V, A, W, s, 1, °C]."""
    if key in ("all_up", "pack_mass"):
        return fact("bound.mass", bound_kg=value)
    if key == "time":
        return fact("bound.time", bound_s=value)
    if key == "heat":
        return fact("bound.warmth", bound_c=value)
    kind = {
        "length": "size", "width": "size", "height": "size", "voltage": "volts", "cutoff": "cell_volts",
        "motor": "amps", "esc": "amps", "motor_power": "watts", "thrust": "share",
    }.get(key, "times")  # fmt: skip
    return fact(f"bound.{kind}", bound=value)


@dataclass(frozen=True, repr=False)
class Found:
    """The outcome of a search; arrays of shape (n,), one value a candidate, in the order given.

    Attributes
    ----------
    packs : tuple of Pack
    figures : tuple of PackFigures
    summaries : tuple of LandingSummary
    landing_s : float64 array
        [s].
    to_spare : float64 array
        Thrust over weight (a wing: power over level flight) at landing [1].
    mass_kg : float64 array
        Pack [kg].
    meets : bool array
        Meets every limit.
    front : bool array
        Of those: no other has both more time and more to spare (Pareto).
    order : int64 array, shape (number that meet,)
        Longest first.
    excluded : tuple of Excluded
        Limits that leave anything out, the strictest first.
    nearest : int or None
        Where nothing meets every limit: the pack that misses by least.
    complete : bool
        False when it was cancelled.
    """

    packs: tuple[Pack, ...]
    figures: tuple[PackFigures, ...]
    summaries: tuple[LandingSummary, ...]
    landing_s: NDArray[np.float64]
    to_spare: NDArray[np.float64]
    mass_kg: NDArray[np.float64]
    meets: NDArray[np.bool_]
    front: NDArray[np.bool_]
    order: NDArray[np.int64]
    excluded: tuple[Excluded, ...]
    nearest: int | None
    complete: bool

    def __repr__(self) -> str:
        return f"<Found: {len(self.packs)} packs flown, {self.order.size} meet every limit>"


Progress = Callable[[int, int], None]
_CHUNK = 200
#: Chunks prepared before the first is waited for; also how soon a cancelled search ends.
_CHUNKS_AHEAD = 4


def pareto_front(*, first: NDArray[np.float64], second: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Which points no other equals in both values and beats in one: of equal points, the first.

    Parameters
    ----------
    first, second : float64 array, shape (n,)
        Both the larger the better, each in its own unit.

    Returns
    -------
    bool array, shape (n,)
    """
    front = np.zeros(first.size, dtype=bool)
    best = -np.inf
    for k in np.lexsort((-second, -first)):
        if second[k] > best:
            front[k] = True
            best = float(second[k])
    return front


def _fly_all(
    sheet: Sheet, packs: Sequence[Pack], progress: Progress | None, cancelled: Callable[[], bool] | None
) -> tuple[list[tuple[Pack, PackFigures, LandingSummary]], bool]:
    """Fly each pack once; what cannot be set up (a rule that lands at once) is left out.

    The interpreter prepares one chunk while the compiled marches of those before run in two threads
    without it.  (Preparing in the threads themselves makes them wait for each other: four times slower.)
    """
    waiting: list[Future[NDArray[np.float64]]] = []
    batches: list[LandingSummaries] = []
    flown: list[tuple[Pack, PackFigures, LandingSummary]] = []
    done = 0

    def collect() -> None:
        batch = batches.pop(0)
        summaries = batch.summaries(waiting.pop(0).result())
        flown.extend((s.sheet.pack, s.figures, b) for s, b in zip(batch.setups, summaries, strict=True))

    for k in range(0, len(packs), _CHUNK):
        if cancelled is not None and cancelled():
            break
        setups = []
        for pack in packs[k : k + _CHUNK]:
            try:
                setups.append(set_up(with_pack(sheet, pack=pack)))
            except OutOfRangeError:
                continue
        if setups:
            batches.append(LandingSummaries(setups))
            waiting.append(flight_pool().submit(batches[-1].march))
        if len(waiting) > _CHUNKS_AHEAD:
            collect()
        done += len(packs[k : k + _CHUNK])
        if progress is not None:
            progress(done, len(packs))
    while waiting:
        collect()
    return flown, done == len(packs)


def _held_against(
    sheet: Sheet, limits: SearchLimits, flown: Sequence[tuple[Pack, PackFigures, LandingSummary]]
) -> list[tuple[LimitKey, float, bool, NDArray[np.float64]]]:
    """Each limit that is on: its key, its value, whether it is a ceiling, and what the packs have."""
    parts = sheet.craft.limits if limits.within_parts else None
    load = set_up(sheet).load

    def worst_a(_: Pack, figures: PackFigures, at_landing: LandingSummary) -> float:
        # Held on the ground parts are loaded most: as the sheet's checks judge them.
        return standing_current_a(load=load, flying_a=at_landing.full_fresh_a, pack_ohm=figures.resistance_ohm)

    def worst_w(pack: Pack, figures: PackFigures, at_landing: LandingSummary) -> float:
        amps = worst_a(pack, figures, at_landing)
        return amps * full_throttle_v(load=load, standing_a=amps)

    rows: list[tuple[LimitKey, float | None, bool, Callable[[Pack, PackFigures, LandingSummary], float]]] = [
        ("holds", 1.0, False, lambda p, f, b: float(b.holds)),
        ("all_up", limits.most_all_up_kg, True, lambda p, f, b: b.all_up_mass_kg),
        ("pack_mass", limits.most_pack_kg, True, lambda p, f, b: f.mass_kg),
        ("length", limits.most_length_m, True, lambda p, f, b: f.size.length_m),
        ("width", limits.most_width_m, True, lambda p, f, b: f.size.width_m),
        ("height", limits.most_height_m, True, lambda p, f, b: f.size.height_m),
        ("voltage", parts.maximum_v if parts else None, True, lambda p, f, b: f.full_v),
        ("motor", parts.all_motors_a() if parts else None, True, worst_a),
        ("motor_power", parts.all_motors_w() if parts else None, True, worst_w),
        ("esc", parts.all_escs_burst_a() if parts else None, True, worst_a),
        (
            "cutoff",
            sheet.craft.limits.esc_cutoff_v_per_cell if limits.over_cutoff else None,
            False,
            lambda p, f, b: b.worst_v,
        ),
        ("time", limits.least_time_s, False, lambda p, f, b: b.landing_s),
        ("thrust", limits.least_thrust_share, False, lambda p, f, b: b.thrust_share),
        ("to_spare", limits.least_to_spare, False, lambda p, f, b: b.to_spare),
        ("heat", limits.most_c, True, lambda p, f, b: b.hottest_c),
    ]
    return [
        (key, limit, ceiling, np.array([value(*one) for one in flown], dtype=np.float64))
        for key, limit, ceiling, value in rows
        if limit is not None
    ]


def _miss(key: LimitKey, limit: float, ceiling: bool, values: NDArray[np.float64]) -> NDArray[np.float64]:
    """By how much each value misses a limit, relative [1]; 0 or less meets it.  Kelvins count by 50."""
    scale = 50.0 if key == "heat" else abs(limit)
    over = (values - limit) if ceiling else (limit - values)
    return np.asarray(over / scale)


def _excluded(
    held: Sequence[tuple[LimitKey, float, bool, NDArray[np.float64]]],
    misses: NDArray[np.float64],
    broken: NDArray[np.bool_],
) -> tuple[Excluded, ...]:
    """What each limit leaves out, the strictest first."""
    excluded = []
    for row, (key, limit, _, values) in enumerate(held):
        out = np.flatnonzero(broken[row])
        if out.size == 0:
            continue
        nearest = int(out[np.argmin(misses[row, out])])
        alone = int(np.count_nonzero(broken[row] & (broken.sum(axis=0) == 1)))
        excluded.append(Excluded(key, limit, int(out.size), alone, nearest, float(values[nearest])))
    return tuple(sorted(excluded, key=lambda e: -e.count))


def search(
    sheet: Sheet,
    *,
    packs: Sequence[Pack],
    limits: SearchLimits,
    progress: Progress | None = None,
    cancelled: Callable[[], bool] | None = None,
) -> Found:
    """Fly every pack on the sheet's craft, in its pattern, air and landing rule, and hold it against the limits.

    Each flight is the one that the sheet with that pack shows: the same kernel, the same figures, to
    the last digit [s, A, V, °C].

    Parameters
    ----------
    packs : sequence of Pack
    limits : SearchLimits
    progress : callable, optional
        Given how many are done and how many there are [1].
    cancelled : callable, optional
        Asked between chunks; True ends the search with what was flown.
    """
    flown, complete = _fly_all(sheet, packs, progress, cancelled)
    held = _held_against(sheet, limits, flown)
    count = len(flown)
    misses = np.array([_miss(*row) for row in held]).reshape(len(held), count)
    broken = misses > 1e-9
    meets = np.asarray(~broken.any(axis=0))
    landing_s = np.array([b.landing_s for _, _, b in flown])
    to_spare = np.array([b.to_spare for _, _, b in flown])
    front = np.zeros(count, dtype=bool)
    good = np.flatnonzero(meets)
    front[good] = pareto_front(first=landing_s[good], second=to_spare[good])
    worst = misses.max(axis=0) if count else np.zeros(0)
    return Found(
        packs=tuple(p for p, _, _ in flown),
        figures=tuple(f for _, f, _ in flown),
        summaries=tuple(b for _, _, b in flown),
        landing_s=landing_s,
        to_spare=to_spare,
        mass_kg=np.array([f.mass_kg for _, f, _ in flown]),
        meets=meets,
        front=front,
        order=good[np.argsort(-landing_s[good], kind="stable")],
        excluded=_excluded(held, misses, broken),
        nearest=None if good.size or not count else int(np.argmin(worst)),
        complete=complete,
    )
