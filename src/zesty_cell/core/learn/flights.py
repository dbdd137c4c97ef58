"""A flight as a pilot logs it, and what it tells about the charge used."""

from __future__ import annotations

import bisect
import statistics
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Annotated, Literal, NamedTuple

from pydantic import Field, StringConstraints

from zesty_cell.core.entity import Entity, Name
from zesty_cell.core.fact import Fact, fact
from zesty_cell.core.learn.calibration import Calibration, CurrentCalibration, charge_factor, current_now
from zesty_cell.core.learn.moment import Moment
from zesty_cell.core.learn.rest import rested_v
from zesty_cell.core.parts.chemistry import charge_left_at_rest
from zesty_cell.core.parts.craft import PropellerSetName
from zesty_cell.core.parts.measured import CellVolts
from zesty_cell.core.parts.pack import Pack, cells_of

How = Literal["gentle", "as planned", "hard"]
#: Why a pilot landed.
LandedBy = Literal["the call", "the timer", "charge used", "enough", "trouble"]
#: A charger may put back this share more than the pack holds before the figure is doubted [1].
MOST_OVER_CAPACITY = 1.08
#: No flight is faster over its whole length [m/s].
_MOST_MEAN_M_S = 90.0
#: A cell at rest may read this much over full [V].
_OVER_FULL_V = 0.03
#: What each way of knowing the used charge may be out by, of the capacity, one standard deviation [1].
ERROR_PUT_BACK, ERROR_SHOWN, ERROR_REST = 0.02, 0.10, 0.06


Charge = Annotated[float, Field(ge=0.001, le=400)]


class LoggedFlight(Entity):
    """What a pilot keeps of a flight; all but the moment, the length and the pattern may be missing.

    Parameters
    ----------
    landed_at : datetime
        With its time zone; kept in UTC.
    duration_s : float
        [s].
    pattern : str
        Name of the flying pattern.
    timer_s : float, optional
        That was set [s].
    rest_v_per_cell : float, optional
        Some time after landing [V].
    rest_after_s : float, optional
        How long after landing it was read [s]; about two minutes where that was not said.
    shown_ah : float, optional
        Charge used as the transmitter or goggles showed it [Ah].
    put_back_ah : float, optional
        By the charger [Ah].
    charged_v_per_cell : float, optional
        To which it charged [V].
    cells_v : tuple of float
        Readings of each cell at rest [V].
    air_c : float, optional
        [°C].
    hottest_c : float, optional
        Of the pack when it landed [°C].
    charged_at : datetime, optional
        When it was charged again.
    resistance_ohm : float, optional
        Of a cell, as the charger read it then [Ω].
    charger_c : float, optional
        Of the pack when the charger read it [°C]; without, about 25.
    began_full : bool
        Whether the pack was charged before: else its rest voltage tells of more than this flight.  It follows from
        the flight before it, and is kept as it is told only where a file said that it was not.
    said_part : bool
        A file said that it began with a part.
    charged_with_next : bool
        What was put back is its share of a charge for this flight and the next one.
    landed_by : str, optional
        Why it was landed; None where the pilot did not say.
    distance_m : float, optional
        Flown, as telemetry or goggles showed it [m].
    top_speed_m_s : float, optional
        [m/s].
    propellers : str
        Name of the propeller set that was on; empty for a craft of one set.
    set_aside : str, optional
        Why this flight is not to be learned from.
    """

    landed_at: Moment
    duration_s: Annotated[float, Field(ge=5, le=14_400)]
    pattern: Name
    timer_s: Annotated[float, Field(ge=5, le=14_400)] | None = None
    rest_v_per_cell: CellVolts | None = None
    rest_after_s: Annotated[float, Field(ge=0, le=604_800)] | None = None
    shown_ah: Charge | None = None
    put_back_ah: Charge | None = None
    charged_v_per_cell: CellVolts | None = None
    cells_v: Annotated[tuple[CellVolts, ...], Field(max_length=24)] = ()
    air_c: Annotated[float, Field(ge=-30, le=55)] | None = None
    hottest_c: Annotated[float, Field(ge=-30, le=150)] | None = None
    charged_at: Moment | None = None
    resistance_ohm: Annotated[float, Field(gt=0, le=2)] | None = None
    charger_c: Annotated[float, Field(ge=-30, le=80)] | None = None
    began_full: bool = True
    said_part: bool = False
    charged_with_next: bool = False
    how: How = "as planned"
    landed_by: LandedBy | None = None
    distance_m: Annotated[float, Field(ge=10, le=300_000)] | None = None
    top_speed_m_s: Annotated[float, Field(ge=0.5, le=200)] | None = None
    propellers: PropellerSetName = ""
    note: Annotated[str, StringConstraints(strip_whitespace=True, max_length=300)] = ""
    set_aside: Name | None = None

    @property
    def speed_m_s(self) -> float | None:
        """Mean speed by the distance flown [m/s]; None where that was not kept."""
        return None if self.distance_m is None else self.distance_m / self.duration_s

    def ah_per_km(self, used_ah: float, /) -> float | None:
        """Charge for each kilometre [Ah/km] of a charge used [Ah]; None without a distance."""
        return None if self.distance_m is None else 1000.0 * used_ah / self.distance_m

    @property
    def took_off_at(self) -> datetime:
        """When it began."""
        return self.landed_at - timedelta(seconds=self.duration_s)


UsedBy = Literal["put back", "shown", "rest voltage"]


@dataclass(frozen=True)
class Used:
    """Charge used by a flight.

    Attributes
    ----------
    share : float
        Of the pack's capacity [1].
    by : "put back", "shown" or "rest voltage"
        The best that is known.
    error : float
        One standard deviation, of the capacity [1].
    period : int
        Of the sensor that showed it: how often it had been calibrated before [1].
    """

    share: float
    by: UsedBy
    error: float
    period: int = 0


def used_of(flight: LoggedFlight, /, *, pack: Pack, calibrations: Sequence[Calibration] = ()) -> Used | None:
    """Charge a flight used [1]: by what was put back, else as shown, else by the rest voltage; None by none.

    Charge put back is the truth: lithium gives back what it took to better than a hundredth (PHYSICS 6).

    Parameters
    ----------
    calibrations : sequence of Calibration
        Of the craft: what its sensor showed before one is corrected by it.
    """
    if flight.put_back_ah is not None:
        return Used(flight.put_back_ah / pack.capacity_ah, "put back", ERROR_PUT_BACK)
    if flight.shown_ah is not None:
        true_ah = flight.shown_ah * charge_factor(calibrations, at=flight.landed_at)
        error = min(current_now(calibrations=calibrations, flights=()).error, ERROR_SHOWN)
        period = sum(isinstance(c, CurrentCalibration) and c.made_at <= flight.landed_at for c in calibrations)
        return Used(true_ah / pack.capacity_ah, "shown", max(error, ERROR_PUT_BACK), period)
    if flight.rest_v_per_cell is None or not flight.began_full:
        return None
    left = left_by_rest(flight, pack=pack).left
    return Used(1.0 - left, "rest voltage", ERROR_REST)


class LeftByRest(NamedTuple):
    """What a rest voltage says.

    Attributes
    ----------
    left : float
        Charge left [1].
    per_volt : float
        What a volt makes there [1/V].
    doubt_v : float
        One standard deviation of the recovery [V].
    rises_v : float
        The recovery: by so much the voltage was still to rise, with the resistance that the sheet's pack has [V].
    """

    left: float
    per_volt: float
    doubt_v: float
    rises_v: float


def left_by_rest(flight: LoggedFlight, /, *, pack: Pack, used_ah: float | None = None) -> LeftByRest:
    """Charge left by a flight's rest voltage [1].

    The voltage is brought to where it comes to rest, from how long after landing it was read.

    Parameters
    ----------
    used_ah : float, optional
        Charge of the flight where something else tells it [Ah]; else the rest voltage itself tells it.

    Raises
    ------
    ValueError
        Without a rest voltage.
    """
    if flight.rest_v_per_cell is None:
        raise ValueError("Without a rest voltage nothing is told by it.")
    chemistry, rest_v, doubt_v = cells_of(pack), flight.rest_v_per_cell, 0.0
    for _ in range(1 if used_ah is not None else 3):
        left = charge_left_at_rest(chemistry=chemistry, rest_v=rest_v)
        rest_v, doubt_v = rested_v(
            pack=pack,
            rest_v=flight.rest_v_per_cell,
            used_ah=(1.0 - left) * pack.capacity_ah if used_ah is None else used_ah,
            flown_s=flight.duration_s,
            after_s=flight.rest_after_s,
            air_c=flight.air_c,
            landed_c=flight.hottest_c,
        )
    low, middle, high = (charge_left_at_rest(chemistry=chemistry, rest_v=rest_v + d) for d in (-0.02, 0.0, 0.02))
    return LeftByRest(middle, (high - low) / 0.04, doubt_v, rest_v - flight.rest_v_per_cell)


class Airborne:
    """When a pack was in the air: tells whether another flight of it overlaps, however many there are."""

    def __init__(self, flown: Iterable[tuple[datetime, float]] = ()) -> None:
        """From when it landed and how long it had flown [s], in any order."""
        self._spans = sorted((landed_at - timedelta(seconds=length), landed_at) for landed_at, length in flown)

    def overlaps(self, flight: LoggedFlight, /) -> bool:
        """Whether the pack was in the air already at some moment of a flight."""
        k = bisect.bisect_left(self._spans, (flight.took_off_at, flight.took_off_at))
        near = self._spans[max(k - 1, 0) : k + 1]
        return any(start < flight.landed_at and flight.took_off_at < end for start, end in near)

    def add(self, flight: LoggedFlight, /) -> None:
        """One more flight; it must not overlap."""
        bisect.insort(self._spans, (flight.took_off_at, flight.landed_at))


#: A flight this many standard deviations from the others like it, and at least so far, is odd [1, 1].
_ODD, _LEAST_ODD, _LEAST_ALIKE = 3.0, 0.12, 4


def begins_full(*, said_part: bool, first: bool, charged_since: bool) -> bool:
    """Whether a flight began with a full pack: as the one before it left that, unless the pilot says otherwise."""
    return not said_part and (first or charged_since)


def odd_ones(rates: Sequence[float], /) -> list[bool]:
    """Which flights used a charge a second [1/s] far from the others like them: by median and median deviation.

    A look at the list as it stands, whatever the air, the pack and the wind were; which flights hardly count for
    the timer is told by what the model expects of each.  Nobody is odd among fewer than four.
    """
    if len(rates) < _LEAST_ALIKE:
        return [False] * len(rates)
    middle = statistics.median(rates)
    away = [rate / middle - 1.0 for rate in rates]
    # 1.4826 times the median absolute deviation is the standard deviation of a normal spread.
    limit = max(_ODD * 1.4826 * statistics.median(abs(a) for a in away), _LEAST_ODD)
    return [abs(a) > limit for a in away]


def shared_out(put_back_ah: float, /, *, durations_s: Sequence[float]) -> tuple[float, ...]:
    """What each of several flights took [Ah] of a charge put back for all of them: by how long they were [s]."""
    whole_s = sum(durations_s)
    return tuple(put_back_ah * duration_s / whole_s for duration_s in durations_s)


def over_capacity(charge_ah: float, /, *, pack: Pack) -> Fact | None:
    """Why a charge [Ah] cannot be of one flight of a pack; None where it can."""
    if charge_ah <= MOST_OVER_CAPACITY * pack.capacity_ah:
        return None
    return fact("flight.over_capacity", used_ah=charge_ah, pack=pack.name, holds_ah=pack.capacity_ah)


def doubts(flight: LoggedFlight, /, *, pack: Pack, others: Sequence[LoggedFlight] = ()) -> dict[str, Fact]:
    """What of a flight cannot be right [V, Ah], by field; empty where nothing is.

    Parameters
    ----------
    others : sequence of LoggedFlight
        Flights of the same pack, which cannot be in the air twice.
    """
    chemistry = cells_of(pack)
    found: dict[str, Fact] = {}
    for field in ("put_back_ah", "shown_ah"):
        charge = getattr(flight, field)
        over = None if charge is None else over_capacity(charge, pack=pack)
        if over is not None:
            found[field] = over
    for field in ("rest_v_per_cell", "charged_v_per_cell"):
        volts = getattr(flight, field)
        if volts is not None and volts > chemistry.full_v + _OVER_FULL_V:
            found[field] = fact("flight.over_full", cell_v=volts, full_v=chemistry.full_v)
    if flight.cells_v and len(flight.cells_v) != pack.series:
        found["cells_v"] = fact(
            "flight.other_count", readings=len(flight.cells_v), pack=pack.name, series=pack.series
        )
    mean = flight.speed_m_s
    if mean is not None and mean > _MOST_MEAN_M_S:
        found["distance_m"] = fact("flight.too_far", mean_m_s=mean)
    elif mean is not None and flight.top_speed_m_s is not None and flight.top_speed_m_s < mean:
        found["top_speed_m_s"] = fact("flight.slower_than_mean", top_m_s=flight.top_speed_m_s, mean_m_s=mean)
    if flight.charged_at is not None and flight.charged_at < flight.landed_at:
        found["charged_at"] = fact("flight.charged_before")
    for other in others:
        if other.took_off_at < flight.landed_at and flight.took_off_at < other.landed_at:
            found["landed_at"] = fact("flight.overlaps", pack=pack.name)
            break
    return found
