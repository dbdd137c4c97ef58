"""What of a flight, or of a calibration, may be typed: judged by what craft, pack and sheet already imply.

The limits are rules of thumb of ours; see :mod:`zesty_cell.core.answer.plausibility` for how they are used.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from datetime import UTC, datetime

import numpy as np

from zesty_cell.core.answer.plausibility import OVER_FULL_V, Doubt, cell_volts_doubt, pack_volts_doubt
from zesty_cell.core.fact import fact
from zesty_cell.core.learn.calibration import (
    Calibration,
    CellCheck,
    CurrentCalibration,
    HoverDown,
    LineLossTest,
    VoltageCalibration,
)
from zesty_cell.core.learn.flights import MOST_OVER_CAPACITY, LoggedFlight
from zesty_cell.core.parts.chemistry import charge_left_at_rest, open_circuit_v
from zesty_cell.core.parts.pack import Pack, cells_of

#: A flight over the forecast, and the shortest that is taken without a word [1, s].
OVER_FORECAST, SHORT_S = 1.8, 25.0
#: A clock that was never set counts from 1970 or from the day its maker chose: no flight was logged before this.
CLOCK_SET_FROM = datetime(2012, 1, 1, tzinfo=UTC)
#: Mean current of a flight by its charge, of the pack's capacity [1/h]: past this a time or a charge is wrong.
MOST_MEAN_C = 60.0
#: A rest voltage that leaves less than this is asked back, and charge and voltage this far apart [1, 1].
ALMOST_EMPTY, APART = 0.03, 0.35
#: Currents of one way of flying this far apart are of another unit, or of one motor [1].
AMPS_APART = 3.0
#: Two points of one sensor that ask for scales this far apart contradict each other [1].
POINTS_APART = 0.06


def lamp_doubts(
    *,
    alarm_v: float,
    rest_v: float,
    wanted_rest_v: float,
    current_a: float | None,
    pack: Pack,
    cruise_a: float | None,
) -> tuple[Doubt, ...]:
    """What of the way to the lamp cannot be or hardly can: pack volts, but what is wanted a cell [V, A].

    That the pack rests above the lamp is asked by :func:`~zesty_cell.core.learn.line_loss.line_loss`.
    """
    chemistry = cells_of(pack)
    found = [
        pack_volts_doubt(alarm_v, pack=pack, field="alarm_v"),
        pack_volts_doubt(rest_v, pack=pack, field="rest_v"),
        cell_volts_doubt(wanted_rest_v, pack=pack, field="wanted_rest_v"),
    ]
    left = charge_left_at_rest(chemistry=chemistry, rest_v=rest_v / pack.series)
    if left < ALMOST_EMPTY:
        found.append(Doubt(
            "almost_empty", "rest_v", False,
            fact("doubt.almost_empty.lamp", volts=rest_v),
        ))  # fmt: skip
    if current_a is not None and cruise_a is not None and not 1 / AMPS_APART <= current_a / cruise_a <= AMPS_APART:
        found.append(Doubt(
            "cruise_amps", "current_a", False,
            fact("doubt.cruise_amps", amps=current_a, sheet_amps=cruise_a),
        ))  # fmt: skip
    return tuple(d for d in found if d is not None)


def measured_doubt(at: datetime, /) -> Doubt | None:
    """Why a pack cannot have been measured at that moment: the phone's clock was not set; None where it can."""
    if at >= CLOCK_SET_FROM:
        return None
    return Doubt("clock", "measured_at", True, fact("doubt.clock.measured", year=at.year))


def flight_doubts(
    flight: LoggedFlight,
    /,
    *,
    pack: Pack,
    forecast_s: float | None = None,
    forecast_a: float | None = None,
) -> tuple[Doubt, ...]:
    """What of a flight hardly can be [s, A, V], beside what :func:`~zesty_cell.core.learn.flights.doubts` refuses.

    Parameters
    ----------
    forecast_s : float, optional
        Longest time its sheet foretells, to the end of the charge [s].
    forecast_a : float, optional
        Mean current its sheet foretells [A].
    """
    found: list[Doubt] = []
    chemistry = cells_of(pack)
    seconds = flight.duration_s
    if flight.landed_at < CLOCK_SET_FROM:
        found.append(Doubt("clock", "landed_at", False, fact("doubt.clock", year=flight.landed_at.year)))
    if seconds < SHORT_S:
        found.append(Doubt("short", "duration_s", False, fact("doubt.short", seconds=seconds)))
    elif forecast_s is not None and seconds > OVER_FORECAST * forecast_s:
        longer = fact("doubt.long", minutes=seconds / 60.0, empty_minutes=forecast_s // 60.0)
        found.append(Doubt("long", "duration_s", False, longer))
    for field, charge_ah in (("put_back_ah", flight.put_back_ah), ("shown_ah", flight.shown_ah)):
        if charge_ah is None:
            continue
        mean_a = charge_ah * 3600.0 / seconds
        far = forecast_a is not None and not forecast_a / 3.0 <= mean_a <= 3.0 * forecast_a
        if mean_a > MOST_MEAN_C * pack.capacity_ah or far:
            figures = {"charge_ah": charge_ah, "took_s": float(int(seconds)), "mean_a": mean_a}
            found.append(Doubt(
                f"amps_{field}", field, False,
                (
                    fact("doubt.amps", **figures)
                    if forecast_a is None
                    else fact("doubt.amps.foretold", **figures, foretold_a=forecast_a)
                ),
            ))  # fmt: skip
    rest_v = flight.rest_v_per_cell
    if rest_v is not None and rest_v <= chemistry.full_v + OVER_FULL_V:
        left = charge_left_at_rest(chemistry=chemistry, rest_v=rest_v)
        if left < ALMOST_EMPTY:
            found.append(Doubt(
                "almost_empty", "rest_v_per_cell", False,
                fact("doubt.almost_empty", rest_v=rest_v),
            ))  # fmt: skip
        if flight.put_back_ah is not None and flight.began_full:
            used = flight.put_back_ah / pack.capacity_ah
            if abs((1.0 - used) - left) > APART:
                found.append(Doubt(
                    "apart", "put_back_ah", False,
                    fact("doubt.apart", left_share=left, by_charge_share=1.0 - used),
                ))  # fmt: skip
    return tuple(found)


def voltage_points_doubts(
    points: Sequence[tuple[float, float]], /, *, pack: Pack, takes_offset: bool
) -> tuple[Doubt, ...]:
    """What of a voltage sensor's readings beside a meter cannot be [V]: (shown, metered), numbered from one."""
    found: list[Doubt] = []
    chemistry = cells_of(pack)
    empty_v = float(open_circuit_v(chemistry=chemistry, charge_left=np.array([0.02]))[0])
    low_v, high_v = empty_v * pack.series, (chemistry.full_v + 0.05) * pack.series
    for k, (_, metered) in enumerate(points, start=1):
        if not low_v <= metered <= high_v:
            found.append(Doubt(
                "not_this_pack", f"meter_{k}", False,
                fact("doubt.not_this_pack.metered", volts=metered, pack=pack.name, series=pack.series),
            ))  # fmt: skip
    if len(points) > 1 and not takes_offset:
        factors = [metered / shown for shown, metered in points]
        if max(factors) / min(factors) - 1.0 > POINTS_APART:
            found.append(Doubt(
                "points_apart", "meter_2", True,
                fact("doubt.points_apart"),
            ))  # fmt: skip
    return tuple(found)


def scale_doubt(*, entered: float, advised: float, step: float) -> Doubt | None:
    """A scale that was entered and is not the one advised, in its own unit."""
    if abs(entered - advised) <= 1.01 * step or math.isclose(entered, advised, rel_tol=0.002):
        return None
    return Doubt(
        "not_the_advised", "entered", False,
        fact("doubt.not_the_advised", entered=entered, advised=advised),
    )  # fmt: skip


#: A cell this far over full is no cell of that chemistry [V].
_NO_SUCH_CELL_V = 0.15


def _cell_check_doubts(made: CellCheck, pack: Pack) -> list[Doubt]:
    full_v = cells_of(pack).full_v
    if len(made.cells_v) != pack.series:
        readings = fact("flight.other_count", readings=len(made.cells_v), pack=pack.name, series=pack.series)
        return [Doubt("other_count", "cells_v", True, readings)]
    if max(made.cells_v) > full_v + _NO_SUCH_CELL_V:
        over = fact("flight.over_full", cell_v=max(made.cells_v), full_v=full_v)
        return [Doubt("over_full", "cells_v", True, over)]
    return []


def _of_series(series: int, pack: Pack) -> list[Doubt]:
    if series == pack.series:
        return []
    return [Doubt("other_count", "series", True,
                  fact("flight.other_count", readings=series, pack=pack.name, series=pack.series))]  # fmt: skip


def _current_doubts(made: CurrentCalibration) -> list[Doubt]:
    most_ah = MOST_OVER_CAPACITY * made.capacity_ah
    return [
        Doubt("over_capacity", f"flights.{k}.1", True,
              fact("doubt.over_capacity", back_ah=back_ah, holds_ah=made.capacity_ah))
        for k, (_, back_ah) in enumerate(made.flights) if back_ah > most_ah
    ]  # fmt: skip


def calibration_doubts(made: Calibration, /, *, pack: Pack | None) -> tuple[Doubt, ...]:
    """What of a calibration's readings cannot be, or hardly can, by the fields of its document [V, A, Ah].

    Parameters
    ----------
    pack : Pack, optional
        That was measured with; without, its voltages are not judged.

    Raises
    ------
    OutOfRangeError
        When nothing follows from the readings.
    """
    found: list[Doubt | None] = []
    if isinstance(made, VoltageCalibration | CurrentCalibration):
        advised = made.scale().entered
        found.append(scale_doubt(entered=made.entered, advised=advised, step=made.step))
    if isinstance(made, CurrentCalibration):
        found += _current_doubts(made)
    if isinstance(made, LineLossTest):
        made.loss()
    if pack is None:
        return tuple(d for d in found if d is not None)
    if isinstance(made, VoltageCalibration):
        doubts = voltage_points_doubts(made.points, pack=pack, takes_offset=made.takes_offset)
        found += [replace(d, field=f"points.{int(d.field.removeprefix('meter_')) - 1}.1") for d in doubts]
    elif isinstance(made, LineLossTest):
        found += _of_series(made.series, pack)
        found += lamp_doubts(
            alarm_v=made.alarm_v, rest_v=made.rest_v, wanted_rest_v=made.wanted_rest_v, current_a=made.current_a,
            pack=pack, cruise_a=None,
        )  # fmt: skip
    elif isinstance(made, HoverDown):
        found += _of_series(made.series, pack)
        found += [cell_volts_doubt(v, pack=pack, field=f"points.{k}.1") for k, (_, v) in enumerate(made.points)]
    elif isinstance(made, CellCheck):
        found += _cell_check_doubts(made, pack)
    return tuple(d for d in found if d is not None)
