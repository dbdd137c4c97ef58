"""What leads: the one rule by which a voltage call is recommended, helped, or given up (PHYSICS 5).

A voltage call is recommended only when at most 2 % of the sampled flights hear it falsely or far too early, and
at most 5 % hear it late.  Where the plain call fails, what a transmitter can do about it is tried, simplest first:
another hold, another voltage, counting only while the throttle is under a share, volts and charge together; the
first that passes is taken.  Where none does, charge used leads if it passes the same test, else the timer, and the
voltage stays as the last guard, low enough to be quiet.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from threading import Lock
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.answer.calls import (
    MOST_FALSE,
    MOST_LATE,
    ChargeCall,
    DerivedCallouts,
    Leads,
    Means,
    Stands,
    Trial,
    VoltageCall,
)
from zesty_cell.core.answer.shown import shown_over_true, volts_shown
from zesty_cell.core.answer.thresholds import (
    EARLY_SHARE,
    HOLDS_S,
    LATE_SHARE,
    Threshold,
    Timers,
    charge_step_ah,
    hold_samples,
    lowest_call_v,
    on_step,
    thresholds,
    voltage_step_v,
)
from zesty_cell.core.asked.flying import STEP_S
from zesty_cell.core.flight import kernel
from zesty_cell.core.flight.many import Knots
from zesty_cell.core.flight.one import Flight, landing_times_s
from zesty_cell.core.flight.setup import Factors, Setup
from zesty_cell.core.flight.watch import count_calls, try_settings
from zesty_cell.core.quantiles import quantiles, range_of

#: A call this far before its moment is false whatever the voltage does afterwards [1 of the flight].
TOO_EARLY_SHARE = 0.20
#: Voltages tried beside the one the moment asks for [V a cell], nearest first; where the throttle counts too those
#: over it first, which a steady flight reaches sooner.
_OTHER_V, _WITH_THROTTLE_V = (0.02, -0.02, 0.05, -0.05, 0.09), (0.0, 0.03, 0.07, -0.01, -0.02)
#: With a charge condition beside it the voltage may be higher [V a cell]: the charge keeps it from being early.
_WITH_CHARGE_V = (0.0, 0.04, 0.10)
#: The charge from which volts and charge together count, of what is used at landing [1].
_CHARGE_TOO_SHARE = 0.88
#: Steady flight's throttle lies at least this far under the share that counts [1].
_THROTTLE_ROOM, _MOST_THROTTLE, _THROTTLE_STEP = 0.10, 0.90, 0.05

CalloutKey = Literal["pack_low", "land_now"]


@dataclass(frozen=True)
class _Setting:
    """A voltage [V, whole pack] with what else must hold; a last guard may come late."""

    pack_v: float
    means: Means
    throttle_under: float | None = None
    used_over_ah: float | None = None
    guard: bool = False


def counting_throttle(*, setup: Setup, flight: Flight) -> float | None:
    """The share of throttle under which steady flight counts and bursts do not [1]; None where there is none."""
    power_w = setup.cruise_w() + setup.load.avionics_w
    at = flight.index_at(flight.landing_s)
    steady_a = power_w / (float(flight.cruise_v[at]) * setup.sheet.pack.series)
    throttle = math.sqrt(min(steady_a / max(float(flight.full_throttle_a[at]), 1e-9), 1.0))
    share = math.ceil((throttle + _THROTTLE_ROOM) / _THROTTLE_STEP - 1e-9) * _THROTTLE_STEP
    return round(share, 2) if share <= _MOST_THROTTLE + 1e-9 else None


def _on_steps(setup: Setup, base_v: float, offsets_v: Sequence[float]) -> list[float]:
    """Pack voltages on the transmitter's step around one, none under the lowest that may call, each once [V]."""
    series = setup.sheet.pack.series
    step_v = voltage_step_v(series=series)
    floor_v = on_step(value=lowest_call_v(setup) * series, step=step_v, up=True)
    found = [on_step(value=base_v + o * series, step=step_v, up=o > 0.0) for o in offsets_v]
    return list(dict.fromkeys(v for v in found if v >= floor_v - 1e-9))


def _helped(setup: Setup, flight: Flight, threshold: Threshold) -> list[_Setting]:
    """What is tried where the plain call fails, simplest first."""
    craft = setup.sheet.craft
    others_v = [v for v in _on_steps(setup, threshold.pack_v, _OTHER_V) if v != threshold.pack_v]
    found = [_Setting(v, "another voltage") for v in others_v]
    under = counting_throttle(setup=setup, flight=flight)
    if under is not None:
        with_it_v = _on_steps(setup, threshold.pack_v, _WITH_THROTTLE_V)
        found += [_Setting(v, "throttle", throttle_under=under) for v in with_it_v]
    if craft.can_show("charge"):
        used_ah = flight.used_at(flight.landing_s)
        over_ah = _CHARGE_TOO_SHARE * used_ah * (1.0 + setup.sheet.sensor.out)
        over_ah = on_step(value=over_ah, step=charge_step_ah(over_ah), up=False)
        if over_ah > 0.0:
            higher_v = _on_steps(setup, threshold.pack_v, _WITH_CHARGE_V)
            found += [_Setting(v, "charge too", used_over_ah=over_ah) for v in higher_v]
    return found


def _guards(setup: Setup, flight: Flight, threshold: Threshold) -> list[_Setting]:
    """Ever lower voltages for the last guard, the highest first; not counting at full throttle where that helps."""
    span = threshold.cell_v - lowest_call_v(setup)
    lower_v = _on_steps(setup, threshold.pack_v, (-0.25 * span, -0.5 * span, -span))
    under = counting_throttle(setup=setup, flight=flight)
    return [_Setting(v, "hold" if under is None else "throttle", throttle_under=under, guard=True) for v in lower_v]


@dataclass(frozen=True)
class _Trials:
    """How often each setting was false and late with each hold, over so many flights."""

    false_flights: list[list[int]]
    late_flights: list[list[int]]
    flights: int

    def may(self, setting: int, *, guard: bool = False) -> bool:
        """Whether it passes with any hold, or is quiet enough for a last guard."""
        both = zip(self.false_flights[setting], self.late_flights[setting], strict=True)
        false_at_most = MOST_FALSE * self.flights
        late_at_most = self.flights if guard else MOST_LATE * self.flights
        return any(false <= false_at_most and late <= late_at_most for false, late in both)

    def of(self, setting: int) -> list[Trial]:
        """By hold; when they spoke is for :meth:`_Watch.spoken` to add."""
        both = zip(self.false_flights[setting], self.late_flights[setting], strict=True)
        return [Trial(false, late, self.flights, ()) for false, late in both]


class _Watch:
    """Tries settings while sampled flights pass by; hand :meth:`visit` to ``start_many``.

    Each flight is followed a little past its landing (``LATE_SHARE``): a call that has not come by
    then is late.  A setting that can pass no more, whatever the flights to come do, is not tried on them: flights
    are looked at in two threads, so which those are may differ, but not what is chosen.
    """

    def __init__(self, setup: Setup, factors: Factors, tried: Mapping[CalloutKey, list[_Setting]]):
        self._setup = setup
        self._flights = len(factors)
        self._hold_samples = hold_samples()
        self.tried = tried
        settings = [s for of_key in tried.values() for s in of_key]
        self._threshold_v = np.array([s.pack_v / setup.sheet.pack.series for s in settings])
        self._under = np.array([2.0 if s.throttle_under is None else s.throttle_under for s in settings])
        self._capacity_ah = setup.figures.capacity_ah * factors.capacity
        shown = shown_over_true(setup, self._flights)
        nothing = np.zeros(self._flights)
        self._over = np.array(
            [nothing if s.used_over_ah is None else s.used_over_ah / shown / self._capacity_ah for s in settings]
        )
        self._true = np.full((len(settings), self._flights, len(HOLDS_S)), np.inf)
        self.landing_s = np.full(self._flights, np.inf)
        #: Charge used at landing; charge runs nearly straight in time [Ah].
        self.used_ah = np.zeros(self._flights)
        self.used_end_ah = np.zeros(self._flights)
        #: By setting: when it is called for before the landing, and how late it may be [s, 1]; counts by hold too.
        self._lead_s = np.array([setup.lead_s if key == "pack_low" else 0.0 for key in tried for _ in tried[key]])
        late_share = {"pack_low": 0.0, "land_now": LATE_SHARE}
        self._due = np.array([1.0 + late_share[key] for key in tried for _ in tried[key]])
        self._false = np.zeros((len(settings), len(HOLDS_S)), dtype=np.int64)
        self._late = np.zeros_like(self._false)
        # Of a plain call it is told how it does, whether it passes or not.
        self._plain = np.array([place == 0 for key in tried for place in range(len(tried[key]))])
        self._guard = np.array([s.guard for s in settings])
        self._tries = np.ones(len(settings), dtype=np.bool_)
        self._counting = Lock()

    def visit(self, rows: slice, knots: Knots) -> None:
        """Watch the flights of one chunk; safe from two threads, each with its own rows."""
        summary = knots.summary
        start = self._setup.sheet.conditions.start_charge
        of = np.flatnonzero(self._tries)
        first = np.empty((of.size, rows.stop - rows.start, len(HOLDS_S)))
        true = np.empty_like(first)
        try_settings(
            knots.at,
            summary,
            STEP_S,
            self._threshold_v[of],
            self._under[of],
            np.ascontiguousarray(self._over[of, rows]),
            volts_shown(self._flights)[rows],
            EARLY_SHARE,
            start,
            self._hold_samples,
            first,
            true,
        )
        self._true[of, rows] = true
        landing_s, _ = landing_times_s(setup=self._setup, summary=summary)
        self.landing_s[rows] = landing_s
        used = start - summary[:, kernel.LANDING_CHARGE_LEFT]
        self.used_ah[rows] = used * self._capacity_ah[rows]
        end = start - summary[:, kernel.END_CHARGE_LEFT]
        self.used_end_ah[rows] = end * self._capacity_ah[rows]
        self._count(of, first, true, landing_s)

    def _count(
        self, of: NDArray[np.intp], first: NDArray[np.float64], true: NDArray[np.float64],
        landing_s: NDArray[np.float64],
    ) -> None:  # fmt: skip
        """Count false and late flights of some settings, and leave out what can pass no more."""
        # What is called before the voltage is low for good, or far before its moment, is false.
        not_before_s = landing_s * (1.0 - TOO_EARLY_SHARE) - self._lead_s[of, None]
        counts = np.empty((2, of.size, first.shape[2]), dtype=np.int64)
        count_calls(first, true, not_before_s, landing_s * self._due[of, None], counts)
        with self._counting:
            self._false[of] += counts[0]
            self._late[of] += counts[1]
            quiet = self._false <= MOST_FALSE * self._flights
            in_time = (self._late <= MOST_LATE * self._flights) | self._guard[:, None]
            self._tries = self._plain | (quiet & in_time).any(axis=1)

    def trials(self, key: CalloutKey) -> _Trials:
        """How each setting did with each hold; one that was left out as one that does not pass."""
        rows = self._rows(key)
        return _Trials(self._false[rows].tolist(), self._late[rows].tolist(), self._flights)

    def spoken(self, trial: Trial, key: CalloutKey, setting: int, hold: int) -> Trial:
        """A trial with the moments at which it truly spoke."""
        return replace(trial, spoken_s=range_of(self._true[self._rows(key)][setting, :, hold]))

    def _rows(self, key: CalloutKey) -> slice:
        keys = list(self.tried)
        offset = sum(len(self.tried[other]) for other in keys[: keys.index(key)])
        return slice(offset, offset + len(self.tried[key]))


class LeadChoice:
    """Chooses what leads over the sampled flights of a sheet; hand :meth:`visit` to the flights of its range.

    Those flights try the plain calls and all that a transmitter can do about them at once: flying them again for
    those that fail, as most do that climb, would take longer than the looking.
    """

    def __init__(self, *, setup: Setup, flight: Flight, factors: Factors) -> None:
        self._setup, self._flight, self._factors = setup, flight, factors
        self._asked = thresholds(setup=setup, flight=flight)
        tried: dict[CalloutKey, list[_Setting]] = {}
        for key, threshold in self._asked.items():
            tried[key] = [_Setting(threshold.pack_v, "hold"), *_helped(setup, flight, threshold)]
        #: How many of each are calls; what follows them are last guards.
        self._calls = {key: len(settings) for key, settings in tried.items()}
        tried["land_now"] += _guards(setup, flight, self._asked["land_now"])
        self._watch = _Watch(setup, factors, tried)
        self.visit = self._watch.visit

    def derived(self, timers: Timers) -> DerivedCallouts:
        """Everything to set, and what leads."""
        calls = {key: self._call(key, self._watch.trials(key)) for key in self._asked}
        pack_low, land_now, charge = calls["pack_low"], calls["land_now"], self._charge(timers)
        leads: Leads = "timer"
        if land_now.stands == "calls":
            leads = "voltage"
        elif charge is not None and charge.trial.passes:
            leads = "charge used"
        low_first = pack_low.threshold.pack_v > land_now.threshold.pack_v + 1e-9
        if land_now.stands != "calls" or pack_low.stands != "calls" or not low_first:
            # A first word without a last one, or after it, only confuses.
            pack_low = replace(pack_low, stands="off")
        return DerivedCallouts(timers=timers, pack_low=pack_low, land_now=land_now, charge=charge, leads=leads)

    def _call(self, key: CalloutKey, trials: _Trials) -> VoltageCall:
        """The first setting that passes; else the last guard, or none."""
        asked, settings, plain = self._asked[key], self._watch.tried[key], trials.of(0)
        worst = min(
            range(len(plain)), key=lambda h: (not plain[h].quiet, plain[h].false_flights + plain[h].late_flights)
        )
        craft = self._setup.sheet.craft
        shown = craft.can_show("volts") or craft.can_show("cells")

        def made(n: int, hold: int, stands: Stands) -> VoltageCall:
            setting = settings[n]
            cell_v = setting.pack_v / self._setup.sheet.pack.series
            same = setting.pack_v == asked.pack_v
            return VoltageCall(
                stands=stands if shown else "off",
                threshold=Threshold(setting.pack_v, cell_v, asked.wanted_s, asked.floored and same),
                hold_s=HOLDS_S[hold],
                throttle_under=setting.throttle_under,
                used_over_ah=setting.used_over_ah,
                means=setting.means,
                trial=self._watch.spoken(trials.of(n)[hold], key, n, hold),
                plain=self._watch.spoken(plain[worst], key, 0, worst),
            )

        calls = self._calls[key]
        for n in range(calls):
            hold = _best_hold(trials.of(n)) if trials.may(n) else None
            if hold is not None:
                return made(n, hold, "calls")
        for n in range(calls, len(settings)):
            if trials.may(n, guard=True):
                quiet = next(h for h, trial in enumerate(trials.of(n)) if trial.quiet)
                return made(n, quiet, "guard")
        return made(0, worst, "off")

    def _charge(self, timers: Timers) -> ChargeCall | None:
        """The charge call, as the sensor will show it; None where the transmitter does not, or the pack is tiny.

        Charge runs nearly straight in time, so a call at a share of what a flight uses to its landing comes at that
        share of its time.
        """
        if not self._setup.sheet.craft.can_show("charge"):
            return None
        flight, out = self._flight, self._setup.sheet.sensor.out
        expected_ah = flight.used_at(flight.landing_s)
        home_ah = flight.used_at(timers.start_home_s)
        shown = shown_over_true(self._setup, len(self._factors))
        shown_ah = shown * self._watch.used_ah
        # As late as nineteen of twenty still hear it in time, and not later than the flight expected asks for.
        # A flight is followed as far past its landing as a call may be late, or to its end before.
        by_then_ah = shown * self._watch.used_end_ah
        [latest_ah] = quantiles(by_then_ah, (MOST_LATE,))
        wanted_ah = min(expected_ah * (1.0 + out), latest_ah)
        land_ah = on_step(value=wanted_ah, step=charge_step_ah(wanted_ah), up=False)
        if land_ah <= 0.0 or expected_ah <= 0.0:
            return None
        share = land_ah / np.maximum(shown_ah, 1e-9)
        trial = Trial(
            false_flights=int(np.count_nonzero(share < 1.0 - TOO_EARLY_SHARE)),
            late_flights=int(np.count_nonzero(by_then_ah < land_ah)),
            flights=len(self._factors),
            spoken_s=range_of(share * self._watch.landing_s),
        )
        home = land_ah * home_ah / expected_ah
        home_ah = on_step(value=home, step=charge_step_ah(home), up=False)
        return ChargeCall(land_ah, home_ah, land_ah / (1.0 + out), trial)


def _best_hold(trials: Sequence[Trial]) -> int | None:
    """The hold that passes with the fewest false flights, and half a second more where that is as good.

    One that passes alone, where half a second less does not, has no room: real bursts outlast those of a pattern,
    and cells recover from them otherwise than ours.
    """
    passing = [h for h, trial in enumerate(trials) if trial.passes]
    roomy = [h for h in passing if h == 0 or h - 1 in passing]
    if not roomy:
        return None
    best = min(roomy, key=lambda h: (trials[h].false_flights, h))
    longer = best + 1
    as_good = longer in passing and trials[longer].false_flights <= trials[best].false_flights
    return longer if as_good else best
