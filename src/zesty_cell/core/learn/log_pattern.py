"""A flying pattern out of a telemetry log: activities recognised by power, one round of them in true shares."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.asked.flying import Activity, FlyingPattern
from zesty_cell.core.callouts.telemetry import Telemetry, last_heard
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import fact
from zesty_cell.core.flight.setup import Setup
from zesty_cell.core.parts.craft_load import spare_burst_w

#: Names of what is flown by its power over steady power, up to each limit [1].
LEVELS: tuple[tuple[str, float], ...] = (
    ("glide", 0.6), ("cruise", 1.15), ("turns", 1.7), ("hard turns", 1e9),
)  # fmt: skip
FULL = "full throttle"
#: From this share of the highest current on it is full throttle where nothing else tells [1].
_NEAR_FULL = 0.82
_FULL_THROTTLE = 0.93
#: Less of the flight than this is no activity of its own [1].
_LEAST_SHARE = 0.02
#: A round lasts between [s].
_SHORTEST_S, _LONGEST_S = 20.0, 180.0
_GRID_S = 0.2
_SMOOTH_S = 1.0
_ABOVE_IDLE = 0.05


@dataclass(frozen=True)
class Recognised:
    """One activity of a log.

    Attributes
    ----------
    name : str
    of : "steady" or "full throttle"
    share : float
        Mean power over steady power, or over full throttle [1].
    of_flight : float
        Share of the flight's time [1].
    spell_s : float
        How long it usually lasts [s].
    """

    name: str
    of: Literal["steady", "full throttle"]
    share: float
    of_flight: float
    spell_s: float


@dataclass(frozen=True)
class LogPattern:
    """What a log was flown like.

    Attributes
    ----------
    activities : tuple of Recognised
    pattern : FlyingPattern
    time_s : float64 (n,)
        Of the flight alone [s].
    which : int64 (n,)
        Index of the activity at each moment.
    steady_w : float
        Steady propulsive power that shares are of [W].
    mean_w : float
        Mean propulsive power of the log [W].
    from_s, to_s : float
        Take-off and landing in the log's time [s].
    """

    activities: tuple[Recognised, ...]
    pattern: FlyingPattern
    time_s: NDArray[np.float64]
    which: NDArray[np.int64]
    steady_w: float
    mean_w: float
    from_s: float
    to_s: float


def _smooth(values: NDArray[np.float64], width: int) -> NDArray[np.float64]:
    kernel = np.ones(width) / width
    return np.convolve(np.pad(values, width // 2, mode="edge"), kernel, mode="valid")[: values.size]


def _spells(inside: NDArray[np.bool_]) -> NDArray[np.int64]:
    """Lengths of the stretches where something holds [samples]."""
    edges = np.diff(np.concatenate(([0], inside.astype(np.int8), [0])))
    return np.flatnonzero(edges == -1) - np.flatnonzero(edges == 1)


def pattern_from_log(log: Telemetry, /, *, name: str, series: int, setup: Setup) -> LogPattern:
    """The pattern a log was flown in.

    Parameters
    ----------
    log : Telemetry
        With current and pack (or cell) voltage [s, V, A]; throttle tells full throttle where it is there.
    name : str
        Of the pattern.
    series : int
    setup : Setup
        Of the craft with that pack, as its flights correct it: shares are of its steady power while it flies about
        [W], and a burst is what it does beyond flying level.

    Raises
    ------
    OutOfRangeError
        Without current or voltage, or with hardly any flight in it.
    """
    if log.current_a is None or (log.pack_v is None and log.cell_v is None):
        raise OutOfRangeError(
            fact("refused.pattern.no_power"),
            field="current_a", value=0, limit=1,
        )  # fmt: skip
    craft, load = setup.sheet.craft, setup.load
    steady_w, avionics_w = load.regime_w[craft.moving_regime()], load.avionics_w
    volts = log.pack_v if log.pack_v is not None else np.asarray(log.cell_v) * series
    time_s = log.time_s - log.time_s[0]
    grid = np.arange(0.0, float(time_s[-1]), _GRID_S)
    current = np.interp(grid, time_s, np.maximum(np.nan_to_num(last_heard(log.current_a)), 0.0))
    held = np.nan_to_num(last_heard(volts), nan=float(np.nanmedian(volts)))
    power = np.maximum(current * np.interp(grid, time_s, held) - avionics_w, 0.0)
    throttle = None
    if log.throttle is not None:
        throttle = np.interp(grid, time_s, np.nan_to_num(last_heard(log.throttle)))
    above = power > 0.1 * steady_w if throttle is None else throttle > _ABOVE_IDLE
    flying = np.flatnonzero(above)
    if flying.size * _GRID_S < 20.0:
        raise OutOfRangeError(
            fact("refused.pattern.no_flight"),
            field="time_s", value=float(flying.size * _GRID_S), limit=20.0,
        )  # fmt: skip
    first, last = int(flying[0]), int(flying[-1]) + 1
    grid, current, power = grid[first:last], current[first:last], power[first:last]
    full = (
        throttle[first:last] >= _FULL_THROTTLE
        if throttle is not None and bool((throttle >= _FULL_THROTTLE).any())
        else current >= _NEAR_FULL * float(np.quantile(current, 0.9995))
        if float(np.quantile(current, 0.9995)) > 2.5 * float(np.median(current))
        else np.zeros(grid.size, dtype=bool)
    )
    share = _smooth(power, max(round(_SMOOTH_S / _GRID_S), 1)) / steady_w
    limits = np.array([limit for _, limit in LEVELS])
    level = np.searchsorted(limits, share)
    level[full] = len(LEVELS)
    level = _merged(level, len(LEVELS) + 1)
    spare_w = spare_burst_w(craft=craft, mass_kg=setup.all_up_mass_kg)
    return _as_pattern(name, grid, power, level, steady_w, load.steady_w, spare_w)


def _merged(level: NDArray[np.int64], count: int) -> NDArray[np.int64]:
    """Levels with too little of the flight joined to their nearest neighbour that has enough."""
    level = level.copy()
    for k in range(count):
        mine = level == k
        if 0 < mine.sum() < _LEAST_SHARE * level.size:
            enough = [j for j in range(count) if j != k and (level == j).sum() >= _LEAST_SHARE * level.size]
            if enough and k != count - 1:  # full throttle is short and counts all the same
                level[mine] = enough[int(np.argmin([abs(j - k) for j in enough]))]
    return level


def _as_pattern(
    name: str,
    grid: NDArray[np.float64],
    power: NDArray[np.float64],
    level: NDArray[np.int64],
    steady_w: float,
    level_w: float,
    spare_w: float,
) -> LogPattern:
    names = [word for word, _ in LEVELS] + [FULL]
    found: list[Recognised] = []
    which = np.zeros(level.size, dtype=np.int64)
    nominal = 1.0
    for k, word in enumerate(names):
        mine = level == k
        if not mine.any():
            continue
        which[mine] = len(found)
        spell_s = float(np.median(_spells(mine))) * _GRID_S
        of_flight = float(mine.mean())
        if word == FULL:
            # A burst is work: its seconds become those that it takes where full throttle is known.
            if spare_w > 0.0:
                nominal = float(np.clip((float(power[mine].mean()) - level_w) / spare_w, 0.05, 5.0))
            found.append(Recognised(word, "full throttle", 1.0, of_flight, spell_s))
        else:
            # Energy counts: the mean of the power itself, not of its smoothed course.
            mean = float(power[mine].mean()) / steady_w
            found.append(Recognised(word, "steady", round(min(mean, 10.0), 2), of_flight, spell_s))
    # One round holds one usual burst; without bursts a minute.
    rarest = min(found, key=lambda a: a.of_flight)
    period = rarest.spell_s / rarest.of_flight if rarest.of_flight < 0.5 else 60.0
    period = float(np.clip(period, _SHORTEST_S, _LONGEST_S))
    order = sorted(found, key=lambda a: (a.of == "full throttle", -a.of_flight))
    activities = tuple(
        Activity(
            name=a.name,
            of=a.of,
            share=a.share,
            duration_s=max(round(a.of_flight * period * (nominal if a.of == "full throttle" else 1.0), 1), 0.1),
        )
        for a in order
    )
    return LogPattern(
        activities=tuple(found),
        pattern=FlyingPattern(name=name, activities=activities),
        time_s=grid,
        which=which,
        steady_w=steady_w,
        mean_w=float(power.mean()),
        from_s=float(grid[0]),
        to_s=float(grid[-1]),
    )
