"""A craft with one thing wrong in it, flown second by second: the world of pilots who ask what is off.

A world that is not the table of causes: no chance of the table is used, and no figure of the core's circuit.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Final

import numpy as np

#: Rest voltage of a polymer cell in tenths of its charge, empty first [V].
_REST_V: Final = (3.30, 3.62, 3.70, 3.745, 3.775, 3.805, 3.85, 3.92, 4.00, 4.09, 4.19)


@dataclass(frozen=True)
class Rig:
    """A craft, its pack, the day and what the transmitter is told: as it truly is.

    Attributes
    ----------
    series : int
    holds_ah, label_ah : float
        [Ah].
    cell_ohm, should_ohm, line_ohm : float
        Of a cell, as its label lets one expect, of plug and leads [Ω].
    cruise_a, climb_a : float
        At the voltage of half a charge [A].
    full_v : float
        Of a cell at take-off [V].
    weak : float
        Capacity of the weakest cell over the others' [1].
    air_c, wind_m_s : float
        [°C, m/s].
    power, motor_heat : float
        Over usual [1].
    one_motor : float
        Heat of the worst motor over the others' [1].
    shakes : float
        Vibration over usual [1].
    weighs : float
        Over the sheet [1].
    alarm_v, hold_s, cutoff_v : float
        Of a cell [V], [s], [V].
    volts_scale, amps_scale, charger_scale : float
        Shown over true [1].
    other_sensor, gaps, timer_on, receiver_low, supply_dips : bool
    rated_a : float
        What the pack gives by its own rating [A].
    motor_a : float
        What all motors take [A].
    """

    series: int = 4
    holds_ah: float = 1.5
    label_ah: float = 1.5
    cell_ohm: float = 0.005
    should_ohm: float = 0.005
    line_ohm: float = 0.004
    cruise_a: float = 13.0
    climb_a: float = 60.0
    full_v: float = 4.2
    weak: float = 1.0
    air_c: float = 20.0
    wind_m_s: float = 2.0
    power: float = 1.0
    motor_heat: float = 1.0
    one_motor: float = 1.0
    shakes: float = 1.0
    weighs: float = 1.0
    alarm_v: float = 3.5
    hold_s: float = 2.5
    cutoff_v: float = 2.9
    volts_scale: float = 1.0
    amps_scale: float = 1.0
    charger_scale: float = 1.0
    other_sensor: bool = False
    gaps: bool = False
    timer_on: bool = False
    receiver_low: bool = False
    supply_dips: bool = False
    rated_a: float = 75.0
    motor_a: float = 90.0


def usual_rig(rng: np.random.Generator) -> Rig:
    """A craft as they come, with nothing wrong."""
    ah = float(rng.uniform(0.9, 2.4))
    cruise_a = ah * float(rng.uniform(7.0, 11.0))
    climb_a = cruise_a * float(rng.uniform(3.5, 4.8))
    ohm = 0.0070 / ah * float(np.exp(0.1 * rng.normal()))
    sag_v = cruise_a * (ohm + 0.004 / 4.0)
    return Rig(
        series=int(rng.choice((3, 4, 6))), holds_ah=ah * float(rng.uniform(0.95, 1.02)), label_ah=ah,
        cell_ohm=ohm, should_ohm=0.0070 / ah,
        line_ohm=0.0035 * float(np.exp(0.15 * rng.normal())), cruise_a=cruise_a, climb_a=climb_a,
        full_v=4.2 - float(rng.uniform(0.0, 0.012)), weak=1.0 - float(rng.uniform(0.0, 0.02)),
        air_c=float(rng.uniform(13.0, 27.0)), wind_m_s=float(rng.uniform(0.5, 4.0)),
        # Set by one who knows that a pack sags: what a fifth of the charge reads in cruise.
        alarm_v=3.70 - sag_v - 0.02, hold_s=float(rng.uniform(2.0, 4.0)),
        volts_scale=1.0 + 0.003 * float(rng.normal()), amps_scale=1.0 + 0.02 * float(rng.normal()),
        rated_a=climb_a * float(rng.uniform(1.15, 1.9)), motor_a=climb_a * float(rng.uniform(1.1, 1.8)),
        weighs=1.0 + 0.006 * float(rng.normal()),
    )  # fmt: skip


def _power(rig: Rig, times: float) -> Rig:
    """The same craft taking so many times the power."""
    return replace(rig, power=rig.power * times)


#: What each fault does to a craft; drawn as strong as pilots meet it.
FAULTS: Final[Mapping[str, Callable[[Rig, np.random.Generator], Rig]]] = {
    "tired_pack": lambda r, rng: replace(
        r, cell_ohm=r.cell_ohm * rng.uniform(1.7, 2.6), holds_ah=r.holds_ah * rng.uniform(0.68, 0.85)
    ),
    "weak_cell": lambda r, rng: replace(r, weak=rng.uniform(0.62, 0.85)),
    "undercharged": lambda r, rng: replace(r, full_v=rng.uniform(3.95, 4.11)),
    "label": lambda r, rng: replace(r, holds_ah=r.label_ah * rng.uniform(0.68, 0.84)),
    "pack_too_small": lambda r, rng: replace(
        _of_a_lesser_class(r, rng.uniform(1.5, 2.0)), rated_a=r.climb_a * rng.uniform(0.45, 0.8)
    ),
    "cold": lambda r, rng: replace(r, air_c=rng.uniform(-8.0, 6.0)),
    "plug_or_lead": lambda r, rng: replace(r, line_ohm=r.line_ohm * rng.uniform(3.5, 8.0)),
    "propeller_too_much": lambda r, rng: replace(
        _power(r, rng.uniform(1.12, 1.35)), climb_a=r.climb_a * rng.uniform(1.2, 1.5),
        motor_heat=rng.uniform(1.7, 2.5),
    ),
    "bent_or_dry": lambda r, rng: replace(
        _power(r, rng.uniform(1.02, 1.15)), shakes=rng.uniform(1.6, 4.0), one_motor=rng.uniform(1.3, 2.6)
    ),
    "tune": lambda r, rng: replace(
        _power(r, rng.uniform(1.02, 1.12)), shakes=rng.uniform(1.4, 3.5), motor_heat=rng.uniform(1.6, 2.6)
    ),
    "weight_grown": lambda r, rng: _heavier(r, rng.uniform(1.10, 1.30)),
    "wind": lambda r, rng: replace(_power(r, rng.uniform(1.12, 1.40)), wind_m_s=rng.uniform(7.5, 12.0)),
    "alarm_for_rest": lambda r, rng: replace(r, alarm_v=rng.uniform(3.66, 3.75)),
    "hold_short": lambda r, rng: replace(r, hold_s=rng.uniform(0.0, 0.5)),
    "cutoff_high": lambda r, rng: replace(r, cutoff_v=rng.uniform(3.35, 3.55)),
    "cell_count": lambda r, rng: replace(r, alarm_v=r.alarm_v * (r.series + rng.choice((-1, 1))) / r.series),
    "wrong_sensor": lambda r, rng: replace(r, other_sensor=True),
    "voltage_scale": lambda r, rng: replace(r, volts_scale=1.0 + rng.choice((-1, 1)) * rng.uniform(0.02, 0.05)),
    "current_scale": lambda r, rng: replace(r, amps_scale=1.0 + rng.choice((-1, 1)) * rng.uniform(0.12, 0.30)),
    "supply": lambda r, rng: replace(r, supply_dips=True),
}  # fmt: skip


def _of_a_lesser_class(rig: Rig, times: float) -> Rig:
    """The same craft on a pack that was made for less: it resists more, as its label says."""
    return replace(rig, cell_ohm=rig.cell_ohm * times, should_ohm=rig.should_ohm * times)


def _heavier(rig: Rig, times: float) -> Rig:
    """A rotorcraft so many times as heavy: its hover takes the weight to one and a half."""
    return replace(_power(rig, times**1.4), weighs=times)


@dataclass(frozen=True)
class Flown:
    """A flight by what the pilot knows: how long, how strong, how warm, and what was heard.

    ``cell_spread_v`` is of the resting pack afterwards; ``early_left`` the charge left at the first word, ``words``
    how often the alarm began to speak; ``lowest_v`` of a cell in a climb.
    """

    lasts_s: float
    climb_w: float
    pack_c: float
    motor_c: float
    line_w: float
    cell_spread_v: float
    early_left: float | None
    words: int
    lowest_v: float
    used_ah: float


def _rest_v(z: float) -> float:
    at = min(max(z, 0.0), 1.0) * 10.0
    k = min(int(at), 9)
    return _REST_V[k] + (at - k) * (_REST_V[k + 1] - _REST_V[k])


def _charge_at(rest_v: float) -> float:
    return float(np.interp(rest_v, _REST_V, np.linspace(0.0, 1.0, 11)))


def fly(rig: Rig, *, rng: np.random.Generator) -> Flown:
    """One flight, landed when the weakest cell is at a fifth: cruise, and every twelve seconds a climb of two."""
    z = _charge_at(rig.full_v)
    celsius, polarised_v, t, under_s, words = rig.air_c, 0.0, 0.0, 0.0, 0
    first_left: float | None = None
    climbs, lowest_v, line_j, spoke = [], 5.0, 0.0, False
    heat_j_k = 46.0 * rig.label_ah * rig.series
    while z * 1.0 > 1.0 - rig.weak + 0.2 * rig.weak and t < 3600.0:
        z_weak = 1.0 - (1.0 - z) / rig.weak
        climbing = t % 12.0 >= 10.0
        nominal_v = 3.78
        ohm = (
            rig.cell_ohm * math.exp(3000.0 * (1.0 / (celsius + 273.0) - 1.0 / 298.0)) * (0.8 if celsius > 40 else 1)
        )
        ohm_all = ohm + rig.line_ohm / rig.series
        sources_v = (_rest_v(z) * (rig.series - 1) + _rest_v(z_weak)) / rig.series - polarised_v
        if climbing:
            # A propeller takes what the voltage gives it, to about the square.
            amps = rig.climb_a * (sources_v / nominal_v) ** 2 / (1.0 + 2.0 * rig.climb_a * ohm_all / nominal_v)
        else:
            gusts = 1.0 + 0.05 * rng.normal()
            amps = rig.cruise_a * rig.power * gusts * nominal_v / max(sources_v - rig.cruise_a * ohm_all, 2.0)
        cell_v = sources_v - amps * ohm_all
        lowest_v = min(lowest_v, cell_v)
        if climbing and abs(z - 0.6) < 0.12:
            climbs.append(amps * cell_v * rig.series)
        shown_v = cell_v * rig.volts_scale
        under_s = under_s + 1.0 if shown_v < rig.alarm_v and not rig.other_sensor else 0.0
        if under_s > rig.hold_s and not spoke:
            words, spoke = words + 1, True
            first_left = z if first_left is None else first_left
        elif under_s == 0.0:
            spoke = False
        polarised_v += (amps * ohm * 0.5 - polarised_v) / 40.0
        line_j += amps * amps * rig.line_ohm
        heat_w = amps * amps * ohm * 1.35 * rig.series - 0.16 * rig.series**0.5 * (celsius - rig.air_c)
        celsius += heat_w / heat_j_k
        z -= amps / 3600.0 / rig.holds_ah
        t += 1.0
    spread_v = _rest_v(z) - _rest_v(1.0 - (1.0 - z) / rig.weak)
    return Flown(
        lasts_s=t, climb_w=float(np.mean(climbs)) if climbs else 0.0, pack_c=celsius,
        motor_c=rig.air_c + 28.0 * rig.motor_heat * rig.power**1.5, line_w=line_j / max(t, 1.0),
        cell_spread_v=spread_v, early_left=first_left, words=words, lowest_v=lowest_v,
        used_ah=(_charge_at(rig.full_v) - z) * rig.holds_ah,
    )  # fmt: skip
