"""Where a drill's craft goes and what that asks of its pack: out, about, and home, as its pilot decides."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Annotated, Final, Literal, get_args

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from zesty_cell.core.asked.flying import FULL_THROTTLE, POWER, STEP_S, LoadProgram
from zesty_cell.core.entity import Entity
from zesty_cell.core.flight.setup import Setup

Action = Literal["go on", "gentler", "home", "land"]
Leg = Literal["climb", "cruise", "turns", "glide", "hover", "on the way home", "landing"]
LEGS: Final[tuple[Leg, ...]] = get_args(Leg)

#: Coming down takes so long over the field, and where it is [s], at this share of steady power [1].
LANDS_S, LANDS_HERE_S, LANDS_AT = 12.0, 18.0, 0.6
#: Flown gently: of the power and of the speed of a pattern [1].
GENTLE_POWER, GENTLE_SPEED = 0.88, 0.90
#: A climb gains so much, and flying on loses so much of it [m/s].
_CLIMBS_M_S, _SINKS_M_S = 6.0, 1.2
#: Height that a craft cruises at, and comes from when it lands [m].
_BASE_M: Final = 40.0
#: No drill is longer [s].
MOST_S: Final = 5400.0


class Decision(Entity):
    """What a pilot decides, and when [s]."""

    at_s: Annotated[float, Field(ge=0, le=MOST_S)]
    action: Action


@dataclass(frozen=True)
class Mission:
    """Where it flies: how fast through the air, how far out, and the wind.

    Attributes
    ----------
    air_m_s : float
        Speed through the air [m/s].
    out_m : float
        It flies about at this distance [m].
    wind_m_s : float
        Blowing outwards [m/s]: a headwind on the way home.
    """

    air_m_s: float
    out_m: float
    wind_m_s: float = 0.0

    def home_s(self, away_m: float, /, *, gentle: bool = False) -> float:
        """The way home from so far away [m, s]."""
        speed = self.air_m_s * (GENTLE_SPEED if gentle else 1.0)
        return away_m / max(speed - self.wind_m_s, 0.15 * speed)


@dataclass(frozen=True)
class _Stretch:
    """A demand for a time: as the kernel takes it, and what the craft does meanwhile."""

    kind: int
    value: float
    seconds: float
    leg: Leg
    gentle: bool


@dataclass(frozen=True)
class Track:
    """Where the craft is, each step of :data:`~zesty_cell.core.asked.flying.STEP_S`.

    Attributes
    ----------
    away_m, height_m : array, shape (n,)
        From home and over the field [m].
    leg : array of int, shape (n,)
        What it does, as an index of :data:`LEGS` [1].
    """

    away_m: NDArray[np.float64]
    height_m: NDArray[np.float64]
    leg: NDArray[np.int64]


@dataclass(frozen=True)
class Course:
    """What is flown, stretch by stretch.

    Attributes
    ----------
    program : LoadProgram
        One flight, for the kernel.
    lands_s : float
        When it touches down [s]; :data:`MOST_S` where nobody decides that.
    away_m : float
        From home when it ends [m].
    """

    program: LoadProgram
    lands_s: float
    away_m: float
    stretches: tuple[_Stretch, ...]
    mission: Mission

    def track(self) -> Track:
        """Where the craft is at each step."""
        ends, away_m, height_m = [0], [0.0], [2.0]
        for stretch in self.stretches:
            ends.append(ends[-1] + round(stretch.seconds / STEP_S))
            away_m.append(_away_after(self.mission, stretch, away_m[-1]))
            height_m.append(_height_after(stretch, height_m[-1]))
        steps = np.arange(1, ends[-1] + 1)
        legs = np.array([LEGS.index(stretch.leg) for stretch in self.stretches], dtype=np.int64)
        return Track(
            np.interp(steps, ends, away_m), np.interp(steps, ends, height_m), np.repeat(legs, np.diff(ends))
        )


def _away_after(mission: Mission, stretch: _Stretch, away_m: float) -> float:
    """How far away a stretch ends [m]."""
    if stretch.leg == "on the way home":
        return 0.0
    if stretch.leg in ("landing", "hover") or away_m >= mission.out_m:
        return away_m
    speed = mission.air_m_s * (GENTLE_SPEED if stretch.gentle else 1.0) + mission.wind_m_s
    return min(away_m + speed * stretch.seconds, mission.out_m)


def _height_after(stretch: _Stretch, height_m: float) -> float:
    """How high a stretch ends [m]."""
    if stretch.leg == "landing":
        return 0.0
    if stretch.leg == "climb":
        return height_m + _CLIMBS_M_S * stretch.seconds
    if height_m < _BASE_M:
        return min(height_m + _CLIMBS_M_S * stretch.seconds, _BASE_M)
    return max(height_m - _SINKS_M_S * stretch.seconds, _BASE_M)


_LEGS: Final[dict[str, Leg]] = {
    "glide": "glide", "hover": "hover", "turns": "turns", "hard turns": "turns", "climb": "climb",
    "full throttle": "climb", "collective pumps": "climb",
}  # fmt: skip


def _rounds(setup: Setup, *, gentle: bool, power: float) -> Iterator[_Stretch]:
    """The pattern, round after round; gently flown without its bursts."""
    cells = setup.sheet.pack.cell_count
    cruise_w = setup.cruise_w() / cells
    while True:
        for activity, steady_w in zip(setup.flying.activities, setup.steady_w, strict=True):
            leg = _LEGS.get(activity.name, "cruise")
            if activity.of == "full throttle":
                if gentle:
                    yield _Stretch(POWER, power * cruise_w * GENTLE_POWER, activity.duration_s, "cruise", gentle)
                else:
                    yield _Stretch(FULL_THROTTLE, activity.share, activity.duration_s, leg, gentle)
                continue
            watts = power * activity.share * steady_w / cells
            yield _Stretch(
                POWER, min(watts, power * cruise_w) * GENTLE_POWER if gentle else watts, activity.duration_s,
                "cruise" if gentle and leg == "climb" else leg, gentle,
            )  # fmt: skip


def course(setup: Setup, mission: Mission, decisions: Sequence[Decision], /, *, power: float = 1.0) -> Course:
    """The way flown with some decisions, in the order of their moments.

    After "home" or "land" nothing more is decided; "go on" changes nothing.

    Parameters
    ----------
    power : float
        Power over what the sheet expects [1].
    """
    flown: list[_Stretch] = []
    waiting = [d for d in sorted(decisions, key=lambda d: d.at_s) if d.action != "go on"]
    gentle, now_s, away_m = False, 0.0, 0.0
    rounds = _rounds(setup, gentle=False, power=power)
    last: Decision | None = None
    while now_s < MOST_S - STEP_S / 2.0 and last is None:
        stretch = next(rounds)
        ends_s = min(now_s + _on_steps(stretch.seconds), MOST_S)
        decided = waiting.pop(0) if waiting and waiting[0].at_s < ends_s else None
        if decided is not None:
            # A step later: what is heard at a moment was heard before anything is decided about it.
            ends_s = max(_on_steps(decided.at_s) + STEP_S, now_s)
            gentle = gentle or decided.action == "gentler"
            rounds = _rounds(setup, gentle=gentle, power=power)
            last = decided if decided.action in ("home", "land") else None
        if ends_s > now_s + STEP_S / 2.0:
            flown.append(replace(stretch, seconds=ends_s - now_s))
            away_m = _away_after(mission, flown[-1], away_m)
        now_s = ends_s
    if last is not None:
        cruise_w = power * setup.cruise_w() / setup.sheet.pack.cell_count
        home = last.action == "home"
        home_s = max(_on_steps(mission.home_s(away_m, gentle=gentle)), STEP_S)
        if home:
            home_w = cruise_w * (GENTLE_POWER if gentle else 1.0)
            flown.append(_Stretch(POWER, home_w, home_s, "on the way home", gentle))
            away_m = 0.0
        flown.append(_Stretch(POWER, cruise_w * LANDS_AT, LANDS_S if home else LANDS_HERE_S, "landing", gentle))
    return Course(
        program=LoadProgram(
            kind=np.array([f.kind for f in flown], dtype=np.int64),
            value=np.array([[f.value for f in flown]]),
            seconds=np.array([[f.seconds for f in flown]]),
            work_j=np.zeros((1, len(flown))),
        ),
        lands_s=sum(f.seconds for f in flown) if last is not None else MOST_S,
        away_m=away_m,
        stretches=tuple(flown),
        mission=mission,
    )


def _on_steps(seconds: float) -> float:
    """A length on the kernel's steps [s]."""
    return round(seconds / STEP_S) * STEP_S
