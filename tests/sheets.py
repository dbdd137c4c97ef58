"""Sheets that many tests start from; invented, like everything in the demo."""

from __future__ import annotations

from typing import Any

from zesty_cell.core.asked.flying import PATTERNS
from zesty_cell.core.asked.landing import LandingRule
from zesty_cell.core.asked.sheet import Conditions, CurrentSensor, Sheet, corrected
from zesty_cell.core.parts.craft import Craft, Limits, MeasuredFullThrottle, MeasuredPoint
from zesty_cell.core.parts.pack import Pack, Ratings


def heron(**changes: Any) -> Craft:
    """A long-range quad with measured points."""
    return Craft.model_validate(
        dict(
            name="Heron",
            kind="multirotor",
            dry_mass_kg=0.618,
            avionics_w=7.0,
            steady=MeasuredPoint(
                current_a=8.9, voltage_v=21.3, all_up_mass_kg=1.063, read_by="meter", air_c=12.0, altitude_m=0.0
            ).model_dump(),
            full_throttle=MeasuredFullThrottle(
                current_a=72.0, voltage_v=21.0, where="flight", read_by="meter"
            ).model_dump(),
            motor_resistance_ohm=0.02,
            cruise_speed_m_s=14.0,
            limits=Limits(motor_a=120.0, esc_a=160.0, esc_cutoff_v_per_cell=2.7).model_dump(),
        )
        | changes
    )


def pomelo(**changes: Any) -> Pack:
    """A 6S1P lithium-ion pack with measured resistance."""
    return Pack.model_validate(
        dict(
            name="Pomelo",
            chemistry="liion_power",
            series=6,
            capacity_ah=4.2,
            mass_kg=0.445,
            cell_resistance_ohm=0.0125,
            ratings=Ratings(continuous_a=35.0, one_minute_a=45.0, ten_second_a=60.0).model_dump(),
            lead_length_m=0.12,
        )
        | changes
    )


def satsuma(**changes: Any) -> Pack:
    """A 6S LiPo."""
    return Pack.model_validate(
        dict(
            name="Satsuma",
            chemistry="lipo",
            series=6,
            capacity_ah=1.3,
            label_c=120.0,
            mass_kg=0.214,
            cell_resistance_ohm=0.006,
        )
        | changes
    )


#: A current sensor that was checked against the charger.
CHECKED = CurrentSensor(out=0.0, error=0.03)


def checked(one: Sheet) -> Sheet:
    """The same sheet with its current sensor checked."""
    return corrected(one, None, sensor=CHECKED)


def sheet(
    *,
    craft: Craft | None = None,
    pack: Pack | None = None,
    pattern: str = "cruise",
    conditions: Conditions | None = None,
    landing: LandingRule | None = None,
    name: str = "Heron on Pomelo",
) -> Sheet:
    """A sheet, the lighthouse run unless told otherwise."""
    return Sheet(
        name=name,
        craft=craft or heron(),
        pack=pack or pomelo(),
        flying=PATTERNS[pattern],
        conditions=conditions or Conditions(air_c=12.0),
        landing=landing or LandingRule(home_s=90.0),
    )
