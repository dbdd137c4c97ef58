"""Ways of flying: activities and the patterns that repeat them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal, TypeVar

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, model_validator

from zesty_cell.core.entity import Entity, Name, refused
from zesty_cell.core.fact import fact
from zesty_cell.core.parts.craft import Craft, CraftKind
from zesty_cell.core.parts.estimates import Regime
from zesty_cell.core.remember import by_identity

Intensity = TypeVar("Intensity", float, NDArray[np.float64])

# Kinds of demand, as the kernel takes them.
POWER = 0  # value: propulsive power per cell [W]; avionics power comes on top
FULL_THROTTLE = 1  # value: share of full-throttle power [0 to 1]
CURRENT = 2  # value: current per cell [A]

#: Step of the kernel [s] (10 Hz).
STEP_S = 0.1


class Activity(Entity):
    """A stretch of one demand: a share of steady power, or of full-throttle power, for a time.

    A burst at full throttle is work: its seconds are those of the craft where its full throttle was measured, and a
    heavier craft or a softer pack takes longer for the same (PHYSICS 3).  ``height_m`` gives it as a climb instead;
    ``as_timed`` keeps it to its seconds, whatever it gains in them.  ``regime`` is what carries the craft
    meanwhile; None: forward flight on rotors, its own lift coefficient on wings.
    """

    name: Name
    of: Literal["steady", "full throttle"]
    share: Annotated[float, Field(ge=0, le=10)]
    duration_s: Annotated[float, Field(ge=0.1, le=3600)]
    height_m: Annotated[float, Field(ge=0.5, le=2000)] | None = None
    as_timed: bool = False
    regime: Regime | None = None

    @model_validator(mode="after")
    def _possible(self) -> Activity:
        if self.of == "full throttle" and self.share > 1.0:
            raise refused(fact("refused.flying.over_full"))
        if self.height_m is not None and (self.of != "full throttle" or self.as_timed):
            raise refused(fact("refused.flying.height"))
        if abs(self.duration_s / STEP_S - round(self.duration_s / STEP_S)) > 1e-6:
            raise refused(fact("refused.flying.tenths"))
        return self


class FlyingPattern(Entity):
    """A short sequence of activities, repeated until landing."""

    name: Name
    activities: Annotated[tuple[Activity, ...], Field(min_length=1, max_length=24)]

    @property
    def period_s(self) -> float:
        """Length of one round [s]."""
        return sum(a.duration_s for a in self.activities)

    def steady_activity(self) -> Activity:
        """The activity of steady power that takes most of the time; the first where two tie.

        It stands for "cruise" in the voltage picture and in thresholds.  A pattern without any
        steady activity is represented by level flight.
        """
        return _steady_activity(self)


@by_identity
def _steady_activity(pattern: FlyingPattern) -> Activity:
    steady = [a for a in pattern.activities if a.of == "steady" and a.share > 0]
    if not steady:
        return Activity(name="level flight", of="steady", share=1.0, duration_s=1.0)
    return max(steady, key=lambda a: a.duration_s)  # the first of those that tie


def lively_share(share: float, /, *, intensity: Intensity) -> Intensity | float:
    """A share of steady power as it is flown so lively [1]: what is above level flight grows, calm stays."""
    return 1.0 + (share - 1.0) * intensity if share > 1.0 else share


def _pattern(name: str, *activities: tuple[str, Literal["steady", "full throttle"], float, float]) -> FlyingPattern:
    return FlyingPattern(
        name=name,
        activities=tuple(
            Activity(name=n, of=of, share=share, duration_s=s, regime="hover" if n == "hover" else None)
            for n, of, share, s in activities
        ),
    )


#: The patterns we ship; shares are reasoned in docs/physics.md, "Flying patterns".
PATTERNS: dict[str, FlyingPattern] = {
    "gentle_hover": _pattern("Gentle hover", ("hover", "steady", 1.0, 50), ("turns", "steady", 1.2, 10)),
    "cruise": _pattern(
        "Shoreline cruise",
        ("cruise", "steady", 0.95, 40),
        ("turns", "steady", 1.25, 12),
        ("glide", "steady", 0.3, 6),
        ("climb", "full throttle", 1.0, 2),
    ),
    "long_range": _pattern(
        "Long range",
        ("cruise", "steady", 0.92, 100),
        ("turns", "steady", 1.15, 16),
        ("climb", "steady", 2.0, 4),
    ),
    "freestyle": _pattern(
        "Freestyle",
        ("fast cruise", "steady", 1.3, 11),
        ("hard turns", "steady", 2.4, 5),
        ("climb", "full throttle", 1.0, 1.5),
        ("glide", "steady", 0.25, 4.5),
        ("hover", "steady", 1.0, 6),
    ),
    "race": _pattern(
        "Race laps",
        ("fast cruise", "steady", 2.2, 12),
        ("full throttle", "full throttle", 1.0, 2.5),
        ("hard turns", "steady", 3.0, 6),
    ),
    "aerobatics": _pattern(
        "Aerobatics",
        ("cruise", "steady", 1.1, 14),
        ("hard turns", "steady", 1.8, 6),
        ("climb", "full throttle", 0.9, 4),
        ("glide", "steady", 0.15, 6),
    ),
    "jet": _pattern(
        "Jet circuits",
        ("cruise", "steady", 1.15, 25),
        ("full throttle", "full throttle", 1.0, 6),
        ("hard turns", "steady", 1.7, 10),
    ),
    "heli_sport": _pattern(
        "Helicopter sport",
        ("hover", "steady", 1.0, 15),
        ("cruise", "steady", 0.9, 20),
        ("hard turns", "steady", 1.7, 8),
        ("climb", "full throttle", 0.8, 2),
    ),
    "hard_3d": _pattern(
        "Hard 3D",
        ("hard turns", "steady", 2.4, 12),
        ("collective pumps", "full throttle", 1.0, 2),
        ("hover", "steady", 1.1, 6),
    ),
    "hover": _pattern("Pure hover", ("hover", "steady", 1.0, 60)),
    "indoor_laps": _pattern(
        "Indoor laps",
        ("laps", "steady", 1.1, 20),
        ("turns", "steady", 1.5, 8),
        ("climb", "full throttle", 1.0, 1),
    ),
    "camera_work": _pattern(
        "Camera work",
        ("hover", "steady", 1.0, 30),
        ("climb", "steady", 1.6, 8),
        ("turns", "steady", 1.35, 12),
    ),
    "bench_burst": _pattern(
        "Ten-second bench burst",
        ("full throttle", "full throttle", 1.0, 10),
        ("idle", "steady", 0.05, 20),
    ),
}


#: What a new sheet flies, by kind of craft.
FIRST_PATTERN: dict[CraftKind, str] = {
    "multirotor": "cruise",
    "wing": "long_range",
    "ducted fan": "jet",
    "helicopter": "heli_sport",
}


def regime_of(activity: Activity, /, *, craft: Craft) -> Regime:
    """What carries a craft in an activity: as it says, else what carries it while it flies about [1]."""
    return craft.moving_regime() if activity.regime is None else activity.regime


@dataclass(frozen=True)
class LoadProgram:
    """A pattern as the kernel takes it.

    Attributes
    ----------
    kind : int64 array, shape (m,)
        POWER or FULL_THROTTLE.
    value : float64 array, shape (k, m)
        Propulsive power per cell [W], or share of full throttle [1]; one row per flight.
    seconds : float64 array, shape (k, m)
        Length; of a burst of work, its nominal one [s].
    work_j : float64 array, shape (k, m)
        What a burst of work does per cell beyond flying [J]; 0 for everything else.
    """

    kind: NDArray[np.int64]
    value: NDArray[np.float64]
    seconds: NDArray[np.float64]
    work_j: NDArray[np.float64]


def load_program(
    *,
    pattern: FlyingPattern,
    steady_cell_w: NDArray[np.float64],
    work_cell_j: NDArray[np.float64],
    intensity: NDArray[np.float64],
) -> LoadProgram:
    """Turn a pattern into the kernel's load program, one row per flight.

    Parameters
    ----------
    steady_cell_w : float64 array, shape (k, m)
        Steady propulsive power per cell in each activity, at a share of one [W].
    work_cell_j : float64 array, shape (k, m)
        What its bursts do per cell beyond flying [J]; 0 for a burst of seconds.
    intensity : float64 array, shape (k,)
        How lively the pattern is flown, 1 as drawn: what is above steady power grows with it, and
        so do full-throttle bursts; calm activities stay.
    """
    acts = pattern.activities
    full = np.array([a.of == "full throttle" for a in acts])
    share = np.array([a.share for a in acts])
    duration_s = np.array([a.duration_s for a in acts])
    lively = intensity[:, None]
    shares = np.stack(
        [np.broadcast_to(lively_share(a.share, intensity=intensity), intensity.shape) for a in acts], 1
    )
    return LoadProgram(
        kind=np.where(full, FULL_THROTTLE, POWER).astype(np.int64),
        value=np.ascontiguousarray(np.where(full, share, shares * steady_cell_w)),
        seconds=np.ascontiguousarray(np.where(full, duration_s * lively, duration_s)),
        work_j=np.ascontiguousarray(work_cell_j * lively),
    )
