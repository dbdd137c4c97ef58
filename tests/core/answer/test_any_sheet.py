"""Whatever a person can enter, the core answers with numbers or with a clear refusal."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from hypothesis import example, given, settings
from hypothesis import strategies as st

from tests.sheets import satsuma, sheet
from zesty_cell.core.answer.forecast import forecast
from zesty_cell.core.asked.changes import CHANGES
from zesty_cell.core.asked.flying import PATTERNS, Activity, FlyingPattern
from zesty_cell.core.asked.landing import LandingRule
from zesty_cell.core.asked.sheet import Conditions, Sheet
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.parts.chemistries import CHEMISTRIES
from zesty_cell.core.parts.connectors import CONNECTORS
from zesty_cell.core.parts.craft import (
    Craft,
    EstimatedFullThrottle,
    Limits,
    MeasuredCharge,
    MeasuredFullThrottle,
    MeasuredPoint,
    RotorGeometry,
    WingGeometry,
)
from zesty_cell.core.parts.pack import Pack

_mass = st.floats(0.003, 100.0)
_amps = st.floats(0.01, 2000.0)
_volts = st.floats(0.5, 120.0)
_steady = st.one_of(
    st.builds(MeasuredPoint, current_a=_amps, voltage_v=_volts, all_up_mass_kg=_mass),
    st.builds(
        MeasuredCharge,
        charge_ah=st.floats(0.001, 200.0),
        duration_s=st.floats(10.0, 36_000.0),
        voltage_v=_volts,
        all_up_mass_kg=_mass,
    ),
    st.builds(RotorGeometry, rotor_count=st.integers(1, 16), rotor_diameter_m=st.floats(0.02, 4.0)),
    st.builds(WingGeometry, wing_area_m2=st.floats(0.005, 10.0)),
)
_full = st.one_of(
    st.builds(MeasuredFullThrottle, current_a=_amps, voltage_v=_volts),
    st.builds(EstimatedFullThrottle, power_over_steady=st.floats(1.05, 40.0), voltage_v=_volts),
)
_crafts = st.builds(
    Craft,
    name=st.just("any"),
    kind=st.sampled_from(["multirotor", "wing", "ducted fan", "helicopter"]),
    dry_mass_kg=_mass,
    avionics_w=st.floats(0.0, 200.0),
    steady=_steady,
    full_throttle=_full,
    motor_resistance_ohm=st.floats(0.0, 2.0),
    cruise_speed_m_s=st.one_of(st.none(), st.floats(1.0, 120.0)),
    limits=st.builds(Limits, esc_cutoff_v_per_cell=st.one_of(st.none(), st.floats(0.5, 4.2))),
)


def _pack(*, wh_per_kg: float | None, **values: Any) -> Pack:
    """A pack of a given energy density, or of unknown weight."""
    light = Pack(**values)
    if wh_per_kg is None:
        return light
    watt_hours = light.capacity_ah * light.series * CHEMISTRIES[light.chemistry].nominal_v
    return Pack(**values, mass_kg=min(max(watt_hours / wh_per_kg, 0.0005), 50.0))


_packs = st.builds(
    _pack,
    name=st.just("any"),
    chemistry=st.sampled_from(sorted(CHEMISTRIES)),
    series=st.integers(1, 24),
    parallel=st.integers(1, 24),
    capacity_ah=st.floats(0.02, 200.0),
    label_c=st.one_of(st.none(), st.floats(0.1, 300.0)),
    wh_per_kg=st.one_of(st.none(), st.floats(5.0, 600.0)),
    cell_resistance_ohm=st.one_of(st.none(), st.floats(1e-6, 2.0)),
    connector=st.sampled_from(sorted(CONNECTORS)),
    cycles=st.integers(0, 3000),
)
_activity = st.builds(
    Activity,
    name=st.just("any"),
    of=st.just("steady"),
    share=st.floats(0.0, 10.0),
    duration_s=st.integers(1, 600).map(lambda n: n / 10),
)
_patterns = st.one_of(
    st.sampled_from(list(PATTERNS.values())),
    st.builds(
        FlyingPattern, name=st.just("any"), activities=st.lists(_activity, min_size=1, max_size=4).map(tuple)
    ),
)
_landings = st.builds(
    LandingRule,
    charge_kept=st.floats(0.0, 0.9),
    rest_v=st.one_of(st.none(), st.floats(0.8, 4.35)),
    loaded_v=st.one_of(st.none(), st.floats(0.8, 4.35)),
    timer_s=st.just(600.0),  # whatever else is on, so that the 200 flights of a glider stay short
    home_s=st.floats(0.0, 3600.0),
    headwind_m_s=st.one_of(st.just(0.0), st.floats(-60.0, 60.0)),
)
_conditions = st.builds(
    Conditions, air_c=st.floats(-30, 55), altitude_m=st.floats(-450, 6000), start_charge=st.floats(0.3, 1.0)
)
any_sheets = st.builds(
    Sheet,
    name=st.just("any"),
    craft=_crafts,
    pack=_packs,
    flying=_patterns,
    conditions=_conditions,
    landing=_landings,
    trying=st.lists(st.sampled_from(sorted(CHANGES)), max_size=4, unique=True).map(tuple),
)


@settings(max_examples=40)
@given(any_sheet=any_sheets)
@example(any_sheet=sheet(pack=satsuma(capacity_ah=0.02)))
@example(any_sheet=sheet(pack=satsuma(cell_resistance_ohm=2.0)))
@example(any_sheet=sheet(landing=LandingRule(charge_kept=0.9), conditions=Conditions(start_charge=0.3)))
def test_any_sheet_gets_numbers_or_a_clear_refusal(any_sheet):
    refused = None
    try:
        result = forecast(any_sheet)
    except OutOfRangeError as error:
        refused = error
    if refused is not None:
        assert refused.field.startswith("landing.")
        assert str(refused)
        return
    flight = result.flight
    for trace in (flight.loaded_v, flight.rest_v, flight.current_a, flight.used_ah, flight.temperature_c):
        assert np.all(np.isfinite(trace))
    assert 0.0 <= flight.landing_s <= flight.end_s
    assert 0.0 <= result.range.low_s <= result.range.high_s
    assert np.all(np.diff(flight.used_ah) >= 0.0)
    assert flight.loaded_v.min() >= -1e-6
    for number in (
        result.mean_a,
        result.mah_per_minute,
        result.at_landing.worst_v,
        result.at_landing.thrust_share,
        result.used_wh,
    ):
        assert math.isfinite(number)
    assert result.callouts.timers.timer_s > 0.0
    callouts = result.callouts
    low_first = callouts.pack_low.threshold.pack_v > callouts.land_now.threshold.pack_v
    assert callouts.pack_low.stands == "off" or low_first
    assert all(c.mend for c in result.checks if c.status != "ok")
