"""Dry runs: a plan on the forecast, on oddities that do happen, on any frames."""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.answer.forecast import Forecast, sampled_factors
from zesty_cell.core.answer.shown import shown_over_true, volts_shown
from zesty_cell.core.answer.thresholds import LATE_SHARE, in_earnest_s
from zesty_cell.core.asked.flying import STEP_S
from zesty_cell.core.callouts.conditions import POSITIONS, SWITCHES, Position, Switch
from zesty_cell.core.callouts.engine import Engine, Frames, Ran, frames
from zesty_cell.core.callouts.rules import CalloutPlan, Rule
from zesty_cell.core.callouts.score import WORST_DAY, day_setup
from zesty_cell.core.callouts.sensors import RECEIVED
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import Fact, fact
from zesty_cell.core.flight import watch_kernel
from zesty_cell.core.flight.one import Flight, fly
from zesty_cell.core.flight.setup import Setup
from zesty_cell.core.parts.chemistry import open_circuit_v

#: Seconds on the bench before the bench oddity arms, and how long it lasts [s].
_BENCH_S = 60.0


@dataclass(frozen=True)
class DryRun:
    """A plan run over frames.

    Attributes
    ----------
    frames : Frames
    ran : Ran
    landing_s : float or None
        Where the flight should be over [s]; None on the bench.
    false_calls : int
        Calls below a voltage of the pack while the steady voltage was still above it for long.
    warning_s : float or None
        From the first true warning to the landing point [s].
    left_at_land_now : float or None
        Charge left when “land now” first speaks truly [1].
    """

    frames: Frames
    ran: Ran
    landing_s: float | None
    false_calls: int
    warning_s: float | None
    left_at_land_now: float | None


def resting_switches(plan: CalloutPlan, *, series: int) -> NDArray[np.int8]:
    """The switches as a pilot has them in flight, shape (8,) [−1 up, 0 middle, 1 down].

    The profile's switch stands for the pack of ``series`` cells; a switch that asks for something stands
    elsewhere than where it asks.
    """
    row = np.full(len(SWITCHES), POSITIONS["up"], dtype=np.int8)

    def stand(switch: Switch | None, *, there: bool, also: tuple[Position, ...] = ()) -> None:
        if switch is None:
            return
        place, asked = SWITCHES.index(switch.name), {POSITIONS[p] for p in (switch.position, *also)}
        if there:
            row[place] = POSITIONS[switch.position]
        elif row[place] in asked:
            row[place] = next(
                at for at in (POSITIONS["down"], POSITIONS["up"], POSITIONS["middle"]) if at not in asked
            )

    for rule in plan.rules:
        if rule.role == "ask":
            stand(rule.guards.switch, there=False, also=rule.guards.positions())
        elif rule.on:
            stand(rule.guards.switch, there=True)
    for timer in plan.timers:
        stand(timer.reset, there=False)
    flown = plan.profile_for(series=series)
    if plan.choose == "switch" and flown is not None:
        stand(flown.switch, there=True)
    return row


@dataclass(frozen=True)
class Shown:
    """What the sensors of a flight show over the truth [1]."""

    volts: float
    charge: float

    @classmethod
    def expected(cls, setup: Setup) -> Shown:
        """As far as it is known."""
        return cls(1.0, 1.0 + setup.sheet.sensor.out)


def flight_frames(
    *, setup: Setup, flight: Flight, plan: CalloutPlan, until_s: float, shown: Shown | None = None
) -> Frames:
    """What the transmitter would see of a flight, from arming at take-off [s, V, Ah, A]; as expected by default."""
    shown = Shown.expected(setup) if shown is None else shown
    n = min(flight.index_at(until_s) + 1, flight.time_s.size)
    series = setup.sheet.pack.series
    loaded = flight.loaded_v[:n]
    # Thrust goes nearly with current, and throttle is its root: enough to tell idle from flying.
    throttle = np.sqrt(np.clip(flight.current_a[:n] / np.maximum(flight.full_throttle_a[:n], 1e-6), 0.0, 1.0))
    return frames(
        time_s=flight.time_s[:n],
        throttle=throttle,
        switches=np.tile(resting_switches(plan, series=series), (n, 1)),
        pack_v=loaded * (series * shown.volts),
        cell_v=flight.weakest_v[:n] * shown.volts,
        used_ah=flight.used_ah[:n] * shown.charge,
        current_a=flight.current_a[:n],
    )


def judged(
    *,
    plan: CalloutPlan,
    frames: Frames,
    landing_s: float,
    is_false: Callable[[Rule, float], bool],
    left_at: Callable[[float], float | None],
) -> DryRun:
    """A plan run over the frames of a flight and judged by where it lands [s, V, Ah, A].

    Parameters
    ----------
    is_false : callable
        Whether a rule's call at a moment [s] is a false one.
    left_at : callable
        Charge left [1] at a moment [s]; None where nobody knows.
    """
    ran = Engine(plan).feed(frames, keep=True)
    false, warning, left = 0, None, None
    warns = {"pack_low", "charge_used"} if any(
        r.on and r.role in ("pack_low", "charge_used") for r in plan.rules
    ) else {"land_now"}  # fmt: skip
    for event in ran.events:
        rule = plan.rule(event.key) if event.kind == "rule" else None
        if rule is None:
            continue
        if is_false(rule, event.time_s):
            false += 1
            continue
        if rule.role in warns and warning is None:
            warning = landing_s - event.time_s
        if rule.role == "land_now" and left is None:
            left = left_at(event.time_s)
    return DryRun(frames, ran, landing_s, false, warning, left)


def _judged(plan: CalloutPlan, setup: Setup, flight: Flight, these: Frames) -> DryRun:
    earnest_s: dict[str, float] = {}

    def is_false(rule: Rule, time_s: float) -> bool:
        """Whether a call below a voltage came long before the steady voltage was under it for good."""
        if rule.key not in earnest_s:
            cell_v = plan.calls_below_v(rule, series=setup.sheet.pack.series)
            low_from = np.array([0 if cell_v is None else flight.low_from(cell_v)])
            earnest_s[rule.key] = float(in_earnest_s(low_from=low_from, step_s=STEP_S)[0])
        return time_s < earnest_s[rule.key]

    def left_at(time_s: float) -> float:
        return flight.left_at(min(time_s, flight.end_s))

    return judged(plan=plan, frames=these, landing_s=flight.landing_s, is_false=is_false, left_at=left_at)


def _frames_past_landing(plan: CalloutPlan, setup: Setup, flight: Flight, shown: Shown | None = None) -> Frames:
    until_s = min(flight.landing_s * (1.0 + LATE_SHARE) + 10.0, flight.end_s)
    return flight_frames(setup=setup, flight=flight, plan=plan, until_s=until_s, shown=shown)


def _on_flight(plan: CalloutPlan, setup: Setup, flight: Flight, shown: Shown | None = None) -> DryRun:
    return _judged(plan, setup, flight, _frames_past_landing(plan, setup, flight, shown))


def first_heard_s(*, plan: CalloutPlan, result: Forecast, keys: Collection[str]) -> dict[str, float]:
    """When some rules of a plan first speak on the flight expected [s]; not those that do not.

    As :func:`on_forecast` has it, much sooner: each rule speaks for itself, so the others and the timers are left
    out, and nothing is kept or judged.
    """
    rules = tuple(r for r in plan.rules if r.key in keys and r.on)
    only = plan.model_copy(update={"rules": rules, "timers": ()})
    rows = Engine(only).feed_rows(_frames_past_landing(plan, result.setup, result.flight))
    spoken = rows[rows[:, watch_kernel.EVENT_KIND] == watch_kernel.RULE]
    found: dict[str, float] = {}
    for row in spoken:
        found.setdefault(rules[int(row[watch_kernel.EVENT_INDEX])].key, float(row[watch_kernel.EVENT_S]))
    return found


def on_forecast(*, plan: CalloutPlan, result: Forecast) -> DryRun:
    """A plan on the flight expected, a little past its landing point [s, V, Ah, A]."""
    return _on_flight(plan, result.setup, result.flight)


def on_sampled_flight(*, plan: CalloutPlan, result: Forecast, place: int) -> DryRun:
    """A plan on one of the range's flights: ``place`` 0 lands first, and so on [s, V, Ah, A].

    Raises
    ------
    OutOfRangeError
        When there is no flight of that place.
    """
    flights = result.range.landing_s.size
    if not 0 <= place < flights:
        raise OutOfRangeError(
            fact("refused.dry_run.no_such_flight", flights=flights), field="flight", value=place + 1, limit=flights
        )
    k = int(np.argsort(result.range.landing_s, kind="stable")[place])
    flight = fly(result.setup, factors=sampled_factors(result.setup).part(slice(k, k + 1)))
    shown = Shown(float(volts_shown(flights)[k]), float(shown_over_true(result.setup, flights)[k]))
    return _on_flight(plan, result.setup, flight, shown)


def _dropout(plan: CalloutPlan, result: Forecast) -> DryRun:
    run = on_forecast(plan=plan, result=result)
    gone = run.frames.time_s >= 0.6 * result.flight.landing_s
    nothing = {name: np.where(gone, np.nan, getattr(run.frames, name)) for name in RECEIVED}
    return _judged(plan, result.setup, result.flight, replace(run.frames, **nothing))


def _wrong_pack(plan: CalloutPlan, result: Forecast) -> DryRun:
    run = on_forecast(plan=plan, result=result)
    series = result.setup.sheet.pack.series
    other = series - 2 if series > 3 else series + 1
    return _judged(plan, result.setup, result.flight, replace(run.frames, pack_v=run.frames.cell_v * other))


def _cold_pack(plan: CalloutPlan, result: Forecast) -> DryRun:
    setup, factors = day_setup(result.setup.sheet, day=WORST_DAY)
    middle = replace(factors.part(slice(0, 1)), gusts=None, **{
        name: np.array([float(np.median(getattr(factors, name)))])
        for name in ("power", "capacity", "resistance", "full_throttle", "intensity", "air_c")
    })  # fmt: skip
    return _on_flight(plan, setup, fly(setup, factors=middle))


def _sensor_high(plan: CalloutPlan, result: Forecast) -> DryRun:
    run = on_forecast(plan=plan, result=result)
    high = replace(run.frames, pack_v=run.frames.pack_v * 1.08, cell_v=run.frames.cell_v * 1.08)
    return _judged(plan, result.setup, result.flight, high)


def _on_the_bench(plan: CalloutPlan, result: Forecast) -> DryRun:
    """Throttle stuck half open on the bench, a part-used pack plugged in, never armed until the last third."""
    n = int(_BENCH_S * 10)
    time_s: NDArray[np.float64] = 0.1 * np.arange(n, dtype=np.float64)
    pack = result.setup.sheet.pack
    part_used = open_circuit_v(chemistry=result.setup.chemistry, charge_left=np.array(0.3))
    rest_v = float(part_used) * pack.series
    armed = (time_s >= _BENCH_S * 2 / 3).astype(np.int8)
    these = frames(
        time_s=time_s,
        throttle=np.full(n, 0.5),
        armed=armed,
        switches=np.tile(resting_switches(plan, series=pack.series), (n, 1)),
        pack_v=np.full(n, rest_v),
        cell_v=np.full(n, rest_v / pack.series),
        used_ah=np.zeros(n),
        current_a=np.full(n, 0.3),
    )
    ran = Engine(plan).feed(these, keep=True)
    before = sum(1 for e in ran.events if e.kind == "rule" and e.time_s < _BENCH_S * 2 / 3)
    return DryRun(these, ran, None, before, None, None)


@dataclass(frozen=True)
class Oddity:
    """Something that goes wrong, to run a plan on."""

    key: str
    title: Fact
    hope: Fact
    run: Callable[[CalloutPlan, Forecast], DryRun]


ODDITIES: tuple[Oddity, ...] = (
    Oddity("dropout", fact("oddity.dropout"), fact("oddity.dropout.hope"), _dropout),
    Oddity("wrong_pack", fact("oddity.wrong_pack"), fact("oddity.wrong_pack.hope"), _wrong_pack),
    Oddity("cold_pack", fact("oddity.cold_pack"), fact("oddity.cold_pack.hope"), _cold_pack),
    Oddity("sensor_high", fact("oddity.sensor_high"), fact("oddity.sensor_high.hope"), _sensor_high),
    Oddity(
        "bench", fact("oddity.bench"), fact("oddity.bench.hope"),
        _on_the_bench,
    ),
)  # fmt: skip


def run_oddity(key: str, /, *, plan: CalloutPlan, result: Forecast) -> DryRun | None:
    """A plan on an oddity by its key; None for an unknown one."""
    oddity = next((o for o in ODDITIES if o.key == key), None)
    return None if oddity is None else oddity.run(plan, result)
