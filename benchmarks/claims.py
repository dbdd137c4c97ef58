"""Voltage calls as the sheet claims them, and as they are found in a world that is not the core's model."""

from __future__ import annotations

import multiprocessing
import os
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass

import numpy as np

from benchmarks.timing import Row
from benchmarks.world import fitted, telemetry
from zesty_cell.core.answer.calls import VoltageCall
from zesty_cell.core.answer.forecast import forecast
from zesty_cell.core.answer.lead import TOO_EARLY_SHARE
from zesty_cell.core.answer.thresholds import EARLY_SHARE, LATE_SHARE
from zesty_cell.core.asked.flying import PATTERNS
from zesty_cell.core.asked.landing import LandingRule
from zesty_cell.core.asked.sheet import Conditions, Sheet, corrected
from zesty_cell.core.learn.flights import LoggedFlight
from zesty_cell.core.learn.log_told import told_by_log
from zesty_cell.core.learn.observation import PackTold, pack_told
from zesty_cell.demo.crafts import CRAFT_LIST
from zesty_cell.demo.packs import PACK_LIST
from zesty_cell.services.log_fits import LOGS_LEARNED_FROM
from zesty_cell.standins.otherworld import OtherWorld, TrueFlight, drawn_truth
from zesty_cell.standins.pilots import learn_and_advise

#: Crafts with a measured point, packs they fly, patterns.
_CRAFTS = (
    ("Heron", ("Pomelo 1", "Satsuma 1"), ("cruise", "long_range", "freestyle")),
    ("Swift", ("Satsuma 1",), ("freestyle", "cruise")),
    ("Plover", ("Bergamot",), ("long_range", "cruise")),
)
_SHEETS, _LOGGED, _FLOWN = 120, 6, 40


@dataclass(frozen=True)
class Claim:
    """One sheet: the shares of flights that are false and late, claimed and found, and when it spoke [1].

    ``leads``: whether its voltage leads; ``stands``: as a call, or as the last guard.
    """

    leads: bool
    stands: str
    false: tuple[float, float]
    late: tuple[float, float]
    spoken: tuple[float, ...]


def _random_sheet(rng: np.random.Generator) -> Sheet:
    craft, packs, patterns = _CRAFTS[int(rng.integers(len(_CRAFTS)))]
    pack, pattern = packs[int(rng.integers(len(packs)))], patterns[int(rng.integers(len(patterns)))]
    return Sheet(
        name="claims",
        craft=next(c for c in CRAFT_LIST if c.name == craft),
        pack=next(p for p in PACK_LIST if p.name == pack),
        flying=PATTERNS[pattern],
        conditions=Conditions(air_c=float(round(rng.uniform(5.0, 28.0)))),
        landing=LandingRule(charge_kept=float(rng.choice((0.2, 0.25, 0.3))), home_s=30.0),
    )


def _heard(call: VoltageCall, flight: TrueFlight, *, kept: float) -> tuple[bool, bool, float]:
    """Whether “land now” is false and late on a flight, by the lead's own words, and when it spoke [1]."""
    landing_s = flight.reaches_s(kept)
    time_s = np.array(flight.time_s)
    until = int(np.searchsorted(time_s, landing_s * (1.0 + LATE_SHARE)))
    met = np.array(flight.loaded_v[:until]) < call.threshold.pack_v
    if call.throttle_under is not None:
        met &= np.array(flight.current_a[:until]) < call.throttle_under**2 * np.array(flight.full_a[:until])
    if call.used_over_ah is not None:
        met &= np.array(flight.used_ah[:until]) > call.used_over_ah
    step_s = flight.time_s[1]
    needs = round(call.hold_s / step_s) + 1
    run, calls = 0, []
    for n, one in enumerate(met.tolist()):
        run = run + 1 if one else 0
        if run == needs:
            calls.append(n)
    above = np.flatnonzero(np.array(flight.steady_v[:until]) >= call.threshold.pack_v)
    begins = int((int(above[-1]) + 1 if above.size else 0) * (1.0 - EARLY_SHARE))
    true = next((n for n in calls if n >= begins), None)
    false = bool(calls) and (calls[0] != true or time_s[calls[0]] < landing_s * (1.0 - TOO_EARLY_SHARE))
    first = float(time_s[calls[0]] / landing_s) if calls else float("inf")
    return false, true is None, first


def _claimed(seed: int) -> Claim | None:
    """A sheet corrected by some logged flights with telemetry, and forty more of its flights."""
    rng = np.random.default_rng(77_000 + seed)
    one = _random_sheet(rng)
    world = OtherWorld(one, truth=drawn_truth(rng), seed=seed)
    air_c, kept = one.conditions.air_c, one.landing.charge_kept or 0.2
    logged: list[LoggedFlight] = []
    told: list[PackTold] = []
    for k in range(_LOGGED):
        _, advised = learn_and_advise(one, logged, told=told[-LOGS_LEARNED_FROM:])
        true = world.fly(air_c=air_c)
        landed_s = min(advised.down_s, true.time_s[-1])
        logged.append(world.logged(true, number=k, duration_s=landed_s, timer_s=advised.timer_s))
        log = telemetry(true, until_s=landed_s, sensor=world.truth.sensor, scale=1.0, rng=rng)
        fit = fitted(one, log, air_c=air_c, put_back_ah=logged[-1].put_back_ah)
        found = None if fit is None else told_by_log(fit, at_c=air_c)
        told += [] if found is None else [pack_told(found, pack="own", of=one.pack)]
    learned, _ = learn_and_advise(one, logged, told=told[-LOGS_LEARNED_FROM:])
    callouts = forecast(corrected(one, learned.learned_factors("own"))).callouts
    call = callouts.land_now
    if call.stands == "off":
        return None
    heard = [_heard(call, world.fly(air_c=air_c), kept=kept) for _ in range(_FLOWN)]
    flights = call.trial.flights
    return Claim(
        callouts.leads == "voltage",
        call.stands,
        (call.trial.false_flights / flights, float(np.mean([h[0] for h in heard]))),
        (call.trial.late_flights / flights, float(np.mean([h[1] for h in heard]))),
        tuple(h[2] for h in heard),
    )


def claims() -> list[Row]:
    """The rows of the report."""
    pool = ProcessPoolExecutor(os.cpu_count(), mp_context=multiprocessing.get_context("spawn"))
    with pool as workers:
        found = [c for c in workers.map(_claimed, range(_SHEETS)) if c is not None]
    inside = (
        f"{len(found)} of {_SHEETS} random sheets, corrected by {_LOGGED} flights with telemetry, "
        f"then {_FLOWN} flights each; ± one standard error over the sheets"
    )
    rows = []
    guards = [c for c in found if c.stands == "guard"]
    for what, of, name in (
        ("“Land now” by volts", found, "false"),
        ("“Land now” by volts", found, "late"),
        ("Of these recommended as calls", [c for c in found if c.stands == "calls"], "late"),
        ("Of these the last guards", guards, "late"),
    ):
        claimed, truly = (100.0 * float(np.mean([getattr(c, name)[k] for c in of])) for k in (0, 1))
        apart = [100.0 * (getattr(c, name)[0] - getattr(c, name)[1]) for c in of]
        known_to = float(np.std(apart, ddof=1)) / len(apart) ** 0.5
        rows.append(
            Row(
                f"{what}, {name}",
                f"{claimed:.1f} % claimed, {truly:.1f} % found, apart by {claimed - truly:+.1f} ± {known_to:.1f}",
                "within 3 points" if of is not guards else "–",
                abs(claimed - truly) <= 3.0 or of is guards,
                inside if of is found else f"{len(of)} of those sheets",
            )
        )
    leading = [c for c in found if c.leads]
    false, late = (100.0 * float(np.mean([getattr(c, n)[1] for c in leading])) for n in ("false", "late"))
    spoken = float(np.median([s for c in leading for s in c.spoken]))
    rows.append(
        Row(
            "Where a voltage leads",
            f"{false:.1f} % false, {late:.1f} % late, first call at {spoken:.2f} of the landing time",
            "2 %, 5 %, 0.95 to 1.00",
            false <= 2.0 and late <= 5.0 and 0.95 <= spoken <= 1.0,
            f"{len(leading)} of those sheets",
        )
    )
    return rows
