"""A drill flown with some decisions: what was true, what reached the pilot, how it ended."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np

from zesty_cell.core.callouts.dry_run import Shown, flight_frames
from zesty_cell.core.callouts.engine import Engine, Event, Frames
from zesty_cell.core.callouts.sensors import RECEIVED
from zesty_cell.core.flight.one import Flight, fly
from zesty_cell.core.flight.setup import Setup, set_up
from zesty_cell.core.practice.course import Course, Decision, course
from zesty_cell.core.practice.scenario import KEPT_WITHIN, Scenario


@dataclass(frozen=True)
class Ending:
    """How a drill ended.

    Attributes
    ----------
    at_s : float
        [s].
    fell : bool
        The pack gave no more before the craft was down.
    left : float
        Charge left [1].
    away_m : float
        From home [m].
    kept : bool
        Landed with the reserve.
    """

    at_s: float
    fell: bool
    left: float
    away_m: float
    kept: bool

    @property
    def over_field(self) -> bool:
        """Whether it came down at home."""
        return not self.fell and self.away_m <= OVER_FIELD_M


#: Landed so near is landed over the field [m].
OVER_FIELD_M = 50.0


@lru_cache(maxsize=64)
def _true_setup(scenario: Scenario) -> Setup:
    return set_up(scenario.truth.sheet)


def true_flight(scenario: Scenario, decisions: Sequence[Decision], /) -> tuple[Course, Flight, Ending]:
    """What is flown, what it does to the pack, and how it ends."""
    setup, truth = _true_setup(scenario), scenario.truth
    of = course(setup, scenario.mission, decisions, power=truth.power)
    flight = fly(setup, factors=truth.factors(), program=of.program)
    gives_s = min(flight.end_s, flight.cutoff_s)
    fell = gives_s < of.lands_s
    at_s = min(gives_s, of.lands_s)
    left = max(flight.left_at(at_s), 0.0)
    away_m = of.away_m
    if fell:
        track = of.track()
        away_m = float(track.away_m[min(int(at_s * 10), track.away_m.size - 1)])
    kept = not fell and left >= scenario.reserve - KEPT_WITHIN
    return of, flight, Ending(at_s, fell, left, away_m, kept)


@dataclass(frozen=True)
class Played:
    """A drill as its pilot met it.

    Attributes
    ----------
    frames : Frames
        What the transmitter received; NaN where nothing came.
    events : tuple of Event
        What it said.
    """

    scenario: Scenario
    decisions: tuple[Decision, ...]
    course: Course
    flight: Flight
    frames: Frames
    events: tuple[Event, ...]
    ending: Ending


def _received(scenario: Scenario, flight: Flight, until_s: float) -> Frames:
    """What reaches the transmitter: sensors that err, at the link's rate, until it is lost."""
    truth = scenario.truth
    frames = flight_frames(
        setup=_true_setup(scenario), flight=flight, plan=scenario.plan, until_s=until_s,
        shown=Shown(truth.volts_shown, truth.charge_shown),
    )  # fmt: skip
    # A value stands until the next one comes.
    hold = max(round(scenario.every_s * 10), 1)
    kept = (np.arange(len(frames)) // hold) * hold
    gone = frames.time_s >= scenario.lost_s
    volts, charge = "volts" in scenario.shows, "charge" in scenario.shows
    shown = {"pack_v": volts, "cell_v": volts, "receiver_v": False, "used_ah": charge, "current_a": charge}
    return replace(
        frames,
        **{name: np.where(gone | (not shown[name]), np.nan, getattr(frames, name)[kept]) for name in RECEIVED},
    )


def play(scenario: Scenario, decisions: Sequence[Decision], /) -> Played:
    """A drill with some decisions, from take-off to its end."""
    of, flight, ending = true_flight(scenario, decisions)
    frames = _received(scenario, flight, ending.at_s)
    ran = Engine(scenario.plan).feed(frames)
    return Played(scenario, tuple(decisions), of, flight, frames, ran.events, ending)
