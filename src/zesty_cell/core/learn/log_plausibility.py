"""What a telemetry log's columns may be: judged by what they do, not by their names alone."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.answer.plausibility import Doubt
from zesty_cell.core.callouts.telemetry import Telemetry, doubted_voltage
from zesty_cell.core.fact import fact
from zesty_cell.core.learn.plausibility import MOST_MEAN_C
from zesty_cell.core.parts.pack import Pack, cells_of

FloatArray = NDArray[np.float64]

#: A throttle may read this much outside its ends, and this much is idle [1].
THROTTLE_OVER, IDLE_THROTTLE = 0.08, 0.05
#: A voltage that moves by less over so long is not a flown pack's [1, s].
STEADY_SHARE, STEADY_AFTER_S = 0.01, 60.0
#: Charge used over the label beyond which it is asked back [1].
MOST_USED = 1.25


def log_doubts(log: Telemetry, /, *, pack: Pack) -> tuple[Doubt, ...]:
    """What of a telemetry log's columns cannot be, or hardly can, by what they do [s, V, A, Ah, 1].

    ``field`` is the column's name in :class:`~zesty_cell.core.callouts.telemetry.Telemetry`.
    """
    found = [
        _throttle_doubt(log.throttle),
        _pack_volts_doubt(log, pack),
        _cell_doubt(log.cell_v, pack),
        _charge_doubt(log.used_ah, pack),
        _current_doubt(log, pack),
    ]
    return tuple(doubt for doubt in found if doubt is not None)


def _known(values: FloatArray | None) -> FloatArray:
    return np.zeros(0) if values is None else values[~np.isnan(values)]


def _throttle_doubt(throttle: FloatArray | None) -> Doubt | None:
    known = _known(throttle)
    if not known.size:
        return None
    low, high = (float(q) for q in np.quantile(known, (0.01, 0.99)))
    if low < -THROTTLE_OVER or high > 1.0 + THROTTLE_OVER:
        return Doubt(
            "throttle_range", "throttle", True,
            fact("doubt.throttle_range", low=low, high=high),
        )  # fmt: skip
    if float(known.max()) <= IDLE_THROTTLE:
        return Doubt(
            "throttle_idle", "throttle", True,
            fact("doubt.throttle_idle"),
        )  # fmt: skip
    return None


def _pack_volts_doubt(log: Telemetry, pack: Pack) -> Doubt | None:
    known = _known(log.pack_v)
    if log.pack_v is None:
        return None
    why = doubted_voltage(log.pack_v, pack=pack)
    if why is not None:
        return Doubt("not_this_pack", "pack_v", False, why)
    low, high = (float(q) for q in np.quantile(known, (0.02, 0.98)))
    if log.time_s[-1] - log.time_s[0] >= STEADY_AFTER_S and high - low < STEADY_SHARE * high:
        return Doubt(
            "steady", "pack_v", False,
            fact("doubt.steady", volts=high),
        )  # fmt: skip
    return None


def _cell_doubt(cell_v: FloatArray | None, pack: Pack) -> Doubt | None:
    known = _known(cell_v)
    if not known.size:
        return None
    volts, chemistry = float(np.median(known)), cells_of(pack)
    if 0.8 * chemistry.hard_floor_v <= volts <= chemistry.full_v + 0.05:
        return None
    return Doubt("not_a_cell", "cell_v", True, fact("doubt.not_a_cell", volts_v=volts))


def _charge_doubt(used_ah: FloatArray | None, pack: Pack) -> Doubt | None:
    known = _known(used_ah)
    if known.size < 2:
        return None
    if float(known[-1]) < float(known.max()) * 0.95:
        return Doubt("charge_falls", "used_ah", False, fact("doubt.charge_falls"))
    if float(known.max()) > MOST_USED * pack.capacity_ah:
        return Doubt(
            "charge_over_pack", "used_ah", False,
            fact("doubt.charge_over_pack", used_ah=float(known.max()), pack=pack.name),
        )  # fmt: skip
    return None


def _current_doubt(log: Telemetry, pack: Pack) -> Doubt | None:
    known = _known(log.current_a)
    if not known.size:
        return None
    mean_a = float(known.mean())
    if mean_a < 0.0:
        return Doubt("current_negative", "current_a", True, fact("doubt.current_negative"))
    if mean_a > MOST_MEAN_C * pack.capacity_ah:
        return Doubt(
            "current_over_pack", "current_a", True,
            fact("doubt.current_over_pack", mean_a=mean_a, pack=pack.name),
        )  # fmt: skip
    return None
