"""What one flight, or one log, says: as learning takes it."""

from __future__ import annotations

import math
from dataclasses import dataclass

from zesty_cell.core.asked.flying import FlyingPattern
from zesty_cell.core.learn.flights import How, LoggedFlight, Used, left_by_rest
from zesty_cell.core.learn.log_told import LogTold, Slow
from zesty_cell.core.parts.pack import Pack
from zesty_cell.core.parts.pack_figures import pack_figures

#: A sensor shows every flight with one error, and each a little differently: one sigma of the latter [1].
SENSOR_OWN = 0.02
#: A rest voltage is read to so much [V]; and is out by so much, with its curve by so much of the charge, alike in
#: every flight, so that no number of them helps [V, 1].  One standard deviation each.
REST_READ_V, REST_OUT_V, REST_CURVE = 0.010, 0.006, 0.015


@dataclass(frozen=True)
class Observation:
    """A flight that taught something.

    Attributes
    ----------
    pack : str
        Which individual flew.
    duration_s : float
        [s].
    used_ah : float or None
        Charge put back, or as shown [Ah].
    used_sigma : float
        How far that may be out, of itself [1].
    left : float or None
        Charge left by the rest voltage [1].
    left_sigma : float
        [1].
    recovered : float
        Of it, what the voltage was still to rise by, with the resistance of the sheet's pack [1].
    air_c : float or None
        [°C]; None: as on the sheet.
    effort : int
        As the pilot says it was flown: −1 gentle, 0 as planned, 1 hard.
    pattern : FlyingPattern or None
        That it was flown on; None: the sheet's.
    sensor : str or None
        Which sensor in which period showed the charge; None where the charger told it.
    sensor_sigma : float
        How far all that it showed may be out together, one sigma [1].
    """

    pack: str
    duration_s: float
    used_ah: float | None
    used_sigma: float = 0.02
    left: float | None = None
    left_sigma: float = 0.06
    recovered: float = 0.0
    air_c: float | None = None
    effort: int = 0
    pattern: FlyingPattern | None = None
    sensor: str | None = None
    sensor_sigma: float = 0.0


@dataclass(frozen=True)
class PackTold:
    """What a log's fit or a test told of one individual.

    Attributes
    ----------
    pack : str
        Which one.
    resistance, capacity : float or None
        Over what its sheet says, as logarithms [1].
    resistance_sigma, capacity_sigma : float
        One standard deviation [1].
    slow : Slow or None
        Slow polarisation, as the end of the log shows it.
    at_c : float
        Temperature at which the resistance was seen [°C].
    """

    pack: str
    resistance: float | None = None
    resistance_sigma: float = 1.0
    capacity: float | None = None
    capacity_sigma: float = 1.0
    slow: Slow | None = None
    at_c: float = 25.0


def pack_told(told: LogTold, /, *, pack: str, of: Pack) -> PackTold:
    """What a log told of an individual, over what a sheet's pack says of its type [1]."""
    figures = pack_figures(of)
    return PackTold(
        pack=pack,
        resistance=told.resistance_ohm and math.log(told.resistance_ohm / figures.cell_resistance_ohm),
        resistance_sigma=told.resistance_sigma,
        capacity=told.capacity_ah and math.log(told.capacity_ah / figures.capacity_ah),
        capacity_sigma=told.capacity_sigma,
        slow=told.slow,
        at_c=told.at_c,
    )


_EFFORT: dict[How, int] = {"gentle": -1, "as planned": 0, "hard": 1}


def observation(
    flight: LoggedFlight,
    used: Used,
    /,
    *,
    key: str,
    pack: Pack,
    flights: int,
    pattern: FlyingPattern | None = None,
) -> Observation:
    """A logged flight as it is learned from [s, Ah, 1].

    Parameters
    ----------
    key : str
        Which individual flew.
    pack : Pack
        Of the sheet that is learned on.
    flights : int
        Learned from together.
    pattern : FlyingPattern, optional
        That it was flown on, where that is not the sheet's.
    """
    left, left_sigma, recovered = None, REST_CURVE, 0.0
    used_ah = used.share * pack.capacity_ah if used.by != "rest voltage" else None
    if flight.rest_v_per_cell is not None and flight.began_full:
        rest = left_by_rest(flight, pack=pack, used_ah=used_ah)
        left, per_volt, recovered = rest.left, rest.per_volt, rest.rises_v * rest.per_volt
        # The curve, the checker's zero and what is not known of the recovery are alike in every flight.
        alike = math.hypot(REST_OUT_V * per_volt, rest.doubt_v * per_volt, REST_CURVE)
        left_sigma = math.hypot(REST_READ_V * per_volt, alike * math.sqrt(flights))
    shown = used.by == "shown"
    return Observation(
        pack=key,
        duration_s=flight.duration_s,
        used_ah=used_ah,
        used_sigma=SENSOR_OWN if shown else used.error,
        sensor=f"period {used.period}" if shown else None,
        sensor_sigma=used.error if shown else 0.0,
        pattern=pattern,
        left=left,
        left_sigma=left_sigma,
        recovered=recovered,
        air_c=flight.air_c,
        effort=_EFFORT[flight.how],
    )
