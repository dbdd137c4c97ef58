"""Scales of a controller's sensors: from a meter, and from the charge put back (PHYSICS 6)."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from zesty_cell.core.answer.thresholds import on_step
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import Fact, fact

#: How one flight's reading differs from the next, before several tell [1].
ONE_FLIGHT = 0.03
#: A scale that changes by more than this factor needs a second look [1].
MOST_FACTOR = 20.0
#: A voltage that is out by more is another cell count or another unit, not a scale [1].
MOST_VOLTAGE_FACTOR = 2.0
#: Charge put back that says enough about a scale: share of the capacity [1], and in any case [Ah].
LEAST_SHARE, LEAST_AH = 0.2, 0.05
#: Mean amps further than this from the forecast's are not believed without a word [1].
PLAUSIBLE_FACTOR = 2.0


@dataclass(frozen=True)
class VoltageScale:
    """What to enter for a voltage sensor.

    Attributes
    ----------
    exact : float
        The scale as computed, in the controller's unit.
    entered : float
        On the controller's step.
    offset_v : float
        To add to what it shows then [V]; 0 where one point was taken or the controller takes none.
    errors_v : tuple of float
        Shown with the new scale less metered, at each point [V].
    was : float
        Share by which it was out [1]: shown over metered, less one.
    """

    exact: float
    entered: float
    offset_v: float
    errors_v: tuple[float, ...]
    was: float


def voltage_scale(
    *, old: float, points: Sequence[tuple[float, float]], step: float, takes_offset: bool = False
) -> VoltageScale:
    """A voltage sensor's new scale: old·meter/shown at one point; least squares where there are more.

    Parameters
    ----------
    old : float
        The scale it has now, as the controller shows it.
    points : sequence of (shown, metered)
        At rest, propellers off [V].
    step : float
        In which the scale can be entered.
    takes_offset : bool
        With two points or more: the controller also takes an offset.

    Raises
    ------
    OutOfRangeError
        When there is no point, or the meter and the sensor are more than a factor of 2 apart.
    """
    if not points:
        raise OutOfRangeError(fact("refused.voltage.no_point"), field="points", value=0, limit=1)
    for shown_v, meter_v in points:
        if not 1.0 / MOST_VOLTAGE_FACTOR < meter_v / shown_v < MOST_VOLTAGE_FACTOR:
            raise OutOfRangeError(
                fact("refused.voltage.no_scale", meter_v=meter_v, shown_v=shown_v),
                field="points", value=meter_v / shown_v, limit=MOST_VOLTAGE_FACTOR,
            )  # fmt: skip
    n = len(points)
    mean_s, mean_m = sum(s for s, _ in points) / n, sum(m for _, m in points) / n
    spread = sum((s - mean_s) ** 2 for s, _ in points)
    offset_v = 0.0
    if takes_offset and spread > 1e-9:
        factor = sum((s - mean_s) * (m - mean_m) for s, m in points) / spread
        offset_v = mean_m - factor * mean_s
    else:
        factor = sum(s * m for s, m in points) / sum(s * s for s, _ in points)
    exact = old * factor
    entered = max(on_step(value=exact, step=step), step)
    if takes_offset and spread > 1e-9:  # the offset makes good what the rounding of the scale takes
        offset_v = mean_m - entered / old * mean_s
    errors = tuple(s * entered / old + offset_v - m for s, m in points)
    return VoltageScale(exact, entered, offset_v, errors, mean_s / mean_m - 1.0)


@dataclass(frozen=True)
class CurrentScale:
    """What to enter for a current sensor.

    Attributes
    ----------
    exact, entered : float
        As computed, and on the controller's step.
    was : float
        Share by which the charge shown was out [1].
    error : float
        Share that it may still be out [1]: one standard error of the flights' mean, with the rounding.
    flights : int
    """

    exact: float
    entered: float
    was: float
    error: float
    flights: int


def _check_charges(flights: Sequence[tuple[float, float]], *, least: float) -> None:
    """Refuse flights that say too little."""
    if not flights:
        raise OutOfRangeError(fact("refused.current.no_flight"), field="flights", value=0, limit=1)
    for shown, back in flights:
        if back < least:
            raise OutOfRangeError(
                fact("refused.current.too_little", back_ah=back, least_ah=least),
                field="put_back_ah", value=back, limit=least,
            )  # fmt: skip
        if shown <= 0.0:
            raise OutOfRangeError(
                fact("refused.current.shows_nothing"),
                field="shown_ah", value=shown, limit=0.0,
            )  # fmt: skip


def current_scale(
    *,
    old: float,
    flights: Sequence[tuple[float, float]],
    reading_rises: bool,
    step: float,
    capacity_ah: float,
    second_look: bool = False,
) -> CurrentScale:
    """A current sensor's new scale, from the charge put back over several flights.

    Flights count by their charge, so that short ones with their coarse readings weigh less.

    Parameters
    ----------
    old : float
        The scale it has now, in the controller's unit.
    flights : sequence of (shown, put back)
        [Ah, Ah].
    reading_rises : bool
        A larger scale shows more (else it shows less).
    step : float
        In which the scale can be entered.
    capacity_ah : float
        Of the pack [Ah]: less than a fifth of it put back says too little.
    second_look : bool
        The pilot has looked again and means it.

    Raises
    ------
    OutOfRangeError
        When too little was put back, or the scale would change more than twentyfold without a second look.
    """
    _check_charges(flights, least=max(LEAST_SHARE * capacity_ah, LEAST_AH))
    total_shown, total_back = sum(s for s, _ in flights), sum(b for _, b in flights)
    ratio = total_back / total_shown
    factor = ratio if reading_rises else 1.0 / ratio
    if not 1.0 / MOST_FACTOR <= factor <= MOST_FACTOR and not second_look:
        raise OutOfRangeError(
            fact("refused.current.too_far", factor=factor),
            field="old", value=factor, limit=MOST_FACTOR,
        )  # fmt: skip
    exact = old * factor
    entered = max(on_step(value=exact, step=step), step)
    residuals = [back / (ratio * shown) - 1.0 for shown, back in flights]
    # What one flight differs from the next is expected before several tell, as of one flight: so two that agree are
    # never less certain than one.
    n = len(flights)
    scatter = math.sqrt((ONE_FLIGHT**2 + sum(r * r for r in residuals)) / n / n)
    rounding = abs(entered / exact - 1.0)
    return CurrentScale(exact, entered, total_shown / total_back - 1.0, math.hypot(scatter, rounding), len(flights))


def reading_rises(*, scale_before: float, amps_before: float, scale_after: float, amps_after: float) -> bool | None:
    """Which kind of scale it is, by a test step at the same throttle [A].

    None where the reading did not change enough to tell: by a third of what the step asks.
    """
    asked = abs(math.log(scale_after / scale_before))
    seen = math.log(amps_after / amps_before)
    if asked < 0.05 or abs(seen) < asked / 3.0:
        return None
    return (seen > 0.0) == (scale_after > scale_before)


def implausible_amps(*, put_back_ah: float, duration_s: float, expected_a: float) -> Fact | None:
    """That the mean current of a flight [A] is far from the forecast's; None where it is not."""
    mean_a = put_back_ah * 3600.0 / duration_s
    if expected_a / PLAUSIBLE_FACTOR <= mean_a <= expected_a * PLAUSIBLE_FACTOR:
        return None
    return fact(
        "doubt.mean_current", put_back_ah=put_back_ah, duration_s=duration_s, mean_a=mean_a, expected_a=expected_a
    )
