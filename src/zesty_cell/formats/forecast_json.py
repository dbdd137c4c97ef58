"""The forecast as open JSON, for the command line and the API."""

from __future__ import annotations

import math

from pydantic import BaseModel, ConfigDict

from zesty_cell.core.answer.calls import ChargeCall, VoltageCall
from zesty_cell.core.answer.forecast import Forecast
from zesty_cell.words.say import say

_TRACE_STEP_S = 1.0


class _Out(BaseModel):
    model_config = ConfigDict(frozen=True, ser_json_inf_nan="null")


class CalloutOut(_Out):
    """A voltage callout: what to type, per cell and as pack, its hold, what else must hold, and how it did.

    ``stands`` is “calls” where it is recommended, “guard” for a quiet last guard, “off” where it is not.
    """

    stands: str
    pack_v: float
    cell_v: float
    hold_s: float
    throttle_under: float | None
    used_over_ah: float | None
    false_call_flights: int
    late_call_flights: int
    spoken_s: tuple[float, ...]


class ChargeOut(_Out):
    """The charge callout in what the sensor will show [Ah]; ``stands`` as for a voltage."""

    stands: str
    land_ah: float
    home_ah: float
    late_call_flights: int
    false_call_flights: int


class CheckOut(_Out):
    """One check."""

    key: str
    status: str
    title: str
    value: float | None
    limit: float | None
    unit: str
    at_s: float | None
    mend: str


class TraceOut(_Out):
    """The expected flight, once a second, from take-off to the end of the charge."""

    time_s: list[float]
    loaded_v_per_cell: list[float]
    cruise_v_per_cell: list[float]
    rest_v_per_cell: list[float]
    current_a: list[float]
    used_ah: list[float]
    temperature_c: list[float]


class ForecastDocument(_Out):
    """What a sheet answers; SI units as the names say."""

    name: str
    flies: bool
    landing_s: float
    landing_reason: str
    range_low_s: float
    range_high_s: float
    timer_s: float
    start_home_s: float
    leads: str
    charge_used: ChargeOut | None
    pack_low: CalloutOut
    land_now: CalloutOut
    all_up_mass_kg: float
    used_ah: float
    used_wh: float
    reserve_ah: float
    mean_current_a: float
    cruise_current_a: float
    peak_current_a: float
    mah_per_minute: float
    mah_per_km: float | None
    worst_v_per_cell: float
    worst_s: float
    landing_temperature_c: float
    thrust_share_at_landing: float
    honest_current_a: float
    checks: list[CheckOut]
    trace: TraceOut


def _callout(callout: VoltageCall) -> CalloutOut:
    return CalloutOut(
        stands=callout.stands,
        pack_v=callout.threshold.pack_v,
        cell_v=round(callout.threshold.cell_v, 4),
        hold_s=callout.hold_s,
        throttle_under=callout.throttle_under,
        used_over_ah=callout.used_over_ah,
        false_call_flights=callout.trial.false_flights,
        late_call_flights=callout.trial.late_flights,
        spoken_s=tuple(round(s, 1) for s in callout.trial.spoken_s),
    )


def _charge(call: ChargeCall | None) -> ChargeOut | None:
    if call is None:
        return None
    return ChargeOut(
        stands="calls" if call.trial.passes else "off",
        land_ah=call.land_ah,
        home_ah=call.home_ah,
        late_call_flights=call.trial.late_flights,
        false_call_flights=call.trial.false_flights,
    )


def _finite(value: float | None) -> float | None:
    return value if value is not None and math.isfinite(value) else None


def forecast_document(forecast: Forecast) -> ForecastDocument:
    """The forecast as a document."""
    flight = forecast.flight
    every = slice(
        None,
        None,
        round(_TRACE_STEP_S / (flight.time_s[1] - flight.time_s[0])) if flight.time_s.size > 1 else 1,
    )
    return ForecastDocument(
        name=forecast.setup.sheet.name,
        flies=forecast.at_landing.flies,
        landing_s=round(flight.landing_s, 2),
        landing_reason=flight.landing_reason,
        range_low_s=round(forecast.range.low_s, 2),
        range_high_s=round(forecast.range.high_s, 2),
        timer_s=forecast.callouts.timers.timer_s,
        start_home_s=round(forecast.callouts.timers.start_home_s, 2),
        leads=forecast.callouts.leads,
        charge_used=_charge(forecast.callouts.charge),
        pack_low=_callout(forecast.callouts.pack_low),
        land_now=_callout(forecast.callouts.land_now),
        all_up_mass_kg=round(forecast.setup.all_up_mass_kg, 6),
        used_ah=round(forecast.at_landing.used_ah, 5),
        used_wh=round(forecast.used_wh, 4),
        reserve_ah=round(forecast.reserve_ah, 5),
        mean_current_a=round(forecast.mean_a, 4),
        cruise_current_a=round(forecast.cruise_a, 4),
        peak_current_a=round(forecast.at_landing.peak_a, 4),
        mah_per_minute=round(forecast.mah_per_minute, 3),
        mah_per_km=None if forecast.mah_per_km is None else round(forecast.mah_per_km, 3),
        worst_v_per_cell=round(forecast.at_landing.worst_v, 4),
        worst_s=round(forecast.worst_s, 1),
        landing_temperature_c=round(forecast.at_landing.landing_c, 2),
        thrust_share_at_landing=round(forecast.at_landing.thrust_share, 4),
        honest_current_a=round(forecast.honest.current_a, 3),
        checks=[
            CheckOut(
                key=c.key,
                status=c.status,
                title=say(c.title),
                value=_finite(c.value),
                limit=_finite(c.limit),
                unit=c.unit,
                at_s=_finite(c.at_s),
                mend="" if c.mend is None else say(c.mend),
            )
            for c in forecast.checks
        ],
        trace=TraceOut(
            time_s=flight.time_s[every].round(3).tolist(),
            loaded_v_per_cell=flight.loaded_v[every].round(4).tolist(),
            cruise_v_per_cell=flight.cruise_v[every].round(4).tolist(),
            rest_v_per_cell=flight.rest_v[every].round(4).tolist(),
            current_a=flight.current_a[every].round(3).tolist(),
            used_ah=flight.used_ah[every].round(5).tolist(),
            temperature_c=flight.temperature_c[every].round(2).tolist(),
        ),
    )
