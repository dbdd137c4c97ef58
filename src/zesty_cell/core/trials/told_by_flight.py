"""What a logged flight measures of a test's question."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

from zesty_cell.core.learn.calibration import Calibration
from zesty_cell.core.learn.flights import LoggedFlight, used_of
from zesty_cell.core.parts.pack import Pack
from zesty_cell.core.trials.question import Question

#: A time to a charge is read off a flight that used so much of it, or more of it, at most [1].
_NEAR: Final = (0.7, 1.4)


def value_of(
    flight: LoggedFlight, /, *, pack: Pack, question: Question, made: Sequence[Calibration] = ()
) -> float | None:
    """What a flight measured of a question [Ah, s, °C, m/s: as the measure has it]; None where it does not tell.

    Charge counts as the charger or the sensor said it, never as a rest voltage tells it: that is too coarse.

    Parameters
    ----------
    made : sequence of Calibration
        Of the craft.
    """
    if question.measure == "temperature":
        return flight.hottest_c
    if question.measure == "top_speed":
        return flight.top_speed_m_s
    used = used_of(flight, pack=pack, calibrations=made)
    if used is None or used.by == "rest voltage":
        return None
    used_ah = used.share * pack.capacity_ah
    if question.measure == "charge_a_minute":
        return used_ah / (flight.duration_s / 60.0)
    if question.measure == "charge_a_km":
        return flight.ah_per_km(used_ah)
    if question.measure == "time_to_charge" and question.at is not None:
        times = question.at / used_ah
        return flight.duration_s * times if _NEAR[0] <= times <= _NEAR[1] else None
    return None
