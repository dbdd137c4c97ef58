"""Landing rules: when a flight is over, and how long it takes to get home."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from zesty_cell.core.entity import Entity, refused
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import fact

#: What ended a flight; "longest" is where the forecast looks no further.
LandingReason = Literal[
    "charge used", "rest voltage", "loaded voltage", "timer", "ESC cutoff", "floor", "empty", "longest"
]


class LandingRule(Entity):
    """The schools of when to land; each may be off (``None``), the earliest one that is on lands.

    ``charge_kept`` is a share of the charge expected in a full pack; voltages are per cell.
    """

    charge_kept: Annotated[float, Field(ge=0, le=0.9)] | None = 0.20
    rest_v: Annotated[float, Field(ge=0.8, le=4.35)] | None = None
    loaded_v: Annotated[float, Field(ge=0.8, le=4.35)] | None = None
    loaded_hold_s: Annotated[float, Field(ge=0, le=10)] = 3.0
    timer_s: Annotated[float, Field(ge=10, le=10_800)] | None = None
    home_s: Annotated[float, Field(ge=0, le=3600)] = 30.0
    headwind_m_s: Annotated[float, Field(ge=-60, le=60)] = 0.0
    pack_low_lead_s: Annotated[float, Field(ge=5, le=3600)] | None = None

    @model_validator(mode="after")
    def _one_at_least(self) -> LandingRule:
        if self.charge_kept is None and self.rest_v is None and self.loaded_v is None and self.timer_s is None:
            raise refused(fact("refused.landing.no_rule"))
        return self


def time_home_s(*, rule: LandingRule, cruise_speed_m_s: float | None) -> float:
    """Time to get home against the wind [s]: t·v/(v − w); a tailwind on the way home is a negative w.

    Raises
    ------
    OutOfRangeError
        When a headwind is given and the craft's cruise speed is unknown or not above it.
    """
    if rule.headwind_m_s == 0.0:
        return rule.home_s
    if cruise_speed_m_s is None:
        raise OutOfRangeError(
            fact("refused.landing.no_speed"),
            field="landing.headwind_m_s",
            value=rule.headwind_m_s,
            limit=0.0,
        )
    if rule.headwind_m_s >= cruise_speed_m_s:
        raise OutOfRangeError(
            fact("refused.landing.wind_too_strong", cruise_m_s=cruise_speed_m_s, wind_m_s=rule.headwind_m_s),
            field="landing.headwind_m_s",
            value=rule.headwind_m_s,
            limit=cruise_speed_m_s,
        )
    return rule.home_s * cruise_speed_m_s / (cruise_speed_m_s - rule.headwind_m_s)


def pack_low_lead_s(*, rule: LandingRule, home_s: float) -> float:
    """How long before landing "pack low" should speak [s]: as set, or the way home, 20 s at least."""
    return rule.pack_low_lead_s if rule.pack_low_lead_s is not None else max(home_s, 20.0)
