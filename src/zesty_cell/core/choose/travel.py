"""Going out and coming back: where to turn with the reserve untouched."""

from __future__ import annotations

from dataclasses import dataclass

from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import fact
from zesty_cell.core.flight.one import Flight
from zesty_cell.core.flight.setup import Setup


@dataclass(frozen=True)
class Trip:
    """An out-and-back flight that lands by the sheet's rule.

    Attributes
    ----------
    airspeed_m_s, out_m_s, back_m_s : float
        Through the air, and over the ground each way [m/s].
    distance_m : float
        From home to the turn [m].
    turn_s, landing_s : float
        Moments of the turn and of the landing [s].
    turn_used_ah, landing_used_ah : float
        Charge used by then [Ah].
    turn_loaded_v, turn_rest_v : float
        Voltage per cell in steady flight and at rest at the turn [V].
    reserve_ah : float
        Charge left at landing [Ah].
    out_mah_km, back_mah_km : float
        Charge a kilometre over the ground [mAh/km].
    """

    airspeed_m_s: float
    out_m_s: float
    back_m_s: float
    distance_m: float
    turn_s: float
    landing_s: float
    turn_used_ah: float
    landing_used_ah: float
    turn_loaded_v: float
    turn_rest_v: float
    reserve_ah: float
    out_mah_km: float
    back_mah_km: float


def turn_back_s(*, landing_s: float, airspeed_m_s: float, headwind_home_m_s: float) -> float:
    """When to turn so that out and back end at the landing [s]: t = T·(v − w)/(2v).

    Out over the ground at v + w, back at v − w, the same distance: (v + w)·t = (v − w)·(T − t).

    Raises
    ------
    OutOfRangeError
        When the wind is as fast as the craft.
    """
    v, w = airspeed_m_s, headwind_home_m_s
    if abs(w) >= v:
        way = "refused.travel.not_home" if w > 0 else "refused.travel.not_out"
        raise OutOfRangeError(
            fact(way, cruise_m_s=v, wind_m_s=abs(w)),
            field="landing.headwind_m_s",
            value=w,
            limit=v,
        )
    return landing_s * (v - w) / (2.0 * v)


def out_and_back(*, setup: Setup, flight: Flight) -> Trip:
    """The farthest turn of a flight along a line, in the sheet's pattern throughout [m, s, V, mAh/km].

    Raises
    ------
    OutOfRangeError
        When the craft's cruise speed is not known, or the wind is as fast as the craft.
    """
    craft, rule = setup.sheet.craft, setup.sheet.landing
    if craft.cruise_speed_m_s is None:
        raise OutOfRangeError(
            fact("refused.travel.no_speed", craft=craft.name),
            field="craft.cruise_speed_m_s",
            value=0.0,
            limit=1.0,
        )
    v, w = craft.cruise_speed_m_s, rule.headwind_m_s
    turn_s = turn_back_s(landing_s=flight.landing_s, airspeed_m_s=v, headwind_home_m_s=w)
    distance_m = (v + w) * turn_s
    at_turn, at_landing = flight.index_at(turn_s), flight.index_at(flight.landing_s)
    turn_ah, landing_ah = float(flight.used_ah[at_turn]), float(flight.used_ah[at_landing])
    kilometres = max(distance_m, 1e-6) / 1000.0
    return Trip(
        airspeed_m_s=v,
        out_m_s=v + w,
        back_m_s=v - w,
        distance_m=distance_m,
        turn_s=turn_s,
        landing_s=flight.landing_s,
        turn_used_ah=turn_ah,
        landing_used_ah=landing_ah,
        turn_loaded_v=float(flight.cruise_v[at_turn]),
        turn_rest_v=float(flight.rest_v[at_turn]),
        reserve_ah=float(flight.charge_left[at_landing]) * setup.figures.capacity_ah,
        out_mah_km=turn_ah * 1000.0 / kilometres,
        back_mah_km=(landing_ah - turn_ah) * 1000.0 / kilometres,
    )
