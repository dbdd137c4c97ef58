"""Calls as they are to be set, and how they do over the sampled flights."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from zesty_cell.core.answer.thresholds import (
    Threshold,
    Timers,
)

#: Share of flights in which a call may be false, or late, and still be recommended [1].
MOST_FALSE, MOST_LATE = 0.02, 0.05


Means = Literal["hold", "another voltage", "throttle", "charge too"]


Stands = Literal["calls", "guard", "off"]


Leads = Literal["voltage", "charge used", "timer"]


@dataclass(frozen=True)
class Trial:
    """How a setting did over the sampled flights.

    Attributes
    ----------
    false_flights, late_flights, flights : int
        That hear it falsely (or far too early), late (or never), and all.
    spoken_s : tuple of float
        5th, 50th and 95th percentile of the moment it truly spoke [s]; empty where it never did.
    """

    false_flights: int
    late_flights: int
    flights: int
    spoken_s: tuple[float, ...]

    @property
    def quiet(self) -> bool:
        """Whether hardly any flight hears it falsely."""
        return self.false_flights <= MOST_FALSE * self.flights

    @property
    def passes(self) -> bool:
        """Whether it may be recommended."""
        return self.quiet and self.late_flights <= MOST_LATE * self.flights


@dataclass(frozen=True)
class VoltageCall:
    """A voltage call as it is to be set, and how it does.

    Attributes
    ----------
    stands : "calls", "guard" or "off"
        Recommended as a call; as the last guard, which may come late but is quiet; not at all.
    threshold : Threshold
    hold_s : float
        [s], one of :data:`~zesty_cell.core.answer.thresholds.HOLDS_S`.
    throttle_under : float or None
        Counts only while the throttle is under this share [1].
    used_over_ah : float or None
        Counts only once the sensor shows this much used [Ah].
    means : Means
        What makes it pass.
    trial : Trial
        Of this very setting.
    plain : Trial
        Of the plain call at the voltage the moment asks for, with the hold that does best: why it needs help.
    """

    stands: Stands
    threshold: Threshold
    hold_s: float
    throttle_under: float | None
    used_over_ah: float | None
    means: Means
    trial: Trial
    plain: Trial


@dataclass(frozen=True)
class ChargeCall:
    """The charge-used call for the landing point, in what the sensor will show.

    Attributes
    ----------
    land_ah, home_ah : float
        To land, and to start home [Ah].
    true_ah : float
        What ``land_ah`` truly is by all that is known of the sensor [Ah].
    trial : Trial
    """

    land_ah: float
    home_ah: float
    true_ah: float
    trial: Trial


@dataclass(frozen=True)
class DerivedCallouts:
    """What to set: timer, charge, both voltages with what they need, and what leads.

    ``charge`` is None where the transmitter does not show it; one that does not pass its test is there to be
    told of, and not recommended.
    """

    timers: Timers
    pack_low: VoltageCall
    land_now: VoltageCall
    charge: ChargeCall | None
    leads: Leads

    @property
    def charge_counts(self) -> bool:
        """Whether the charge call is recommended."""
        return self.charge is not None and self.charge.trial.passes
