"""Runs brought to the same air, weight and charge: by what the model makes of each run's own."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.flight.one import Flight, fly
from zesty_cell.core.flight.setup import set_up
from zesty_cell.core.parts.pack_figures import pack_figures
from zesty_cell.core.trials.measures import MEASURES
from zesty_cell.core.trials.question import Question, Run

#: Air that differs by less is the same [K], and a craft that weighs so little more [kg]: sensors say no more.
_STEP_C, _STEP_KG = 0.5, 0.001


@dataclass(frozen=True)
class Like:
    """What runs are brought to: the air [°C], the all-up weight [kg], the charge at take-off [1]; None where it is
    not known of any run, or is what differs."""

    air_c: float | None
    all_up_kg: float | None
    start_charge: float | None


def common(runs: tuple[Run, ...], question: Question, /) -> Like:
    """The middle of all runs that count: what differs between the sides is left as it is."""

    def middle(name: str) -> float | None:
        known = [value for run in runs if run.set_aside is None and (value := getattr(run, name)) is not None]
        return float(np.median(known)) if known else None

    differs = question.differs
    return Like(
        None if differs == "temperature" else middle("air_c"),
        None if differs == "weight" else middle("all_up_kg"),
        None if differs == "charge voltage" else middle("start_charge"),
    )


def adjusted(value: float, run: Run, /, *, to: Like, question: Question, sheet: Sheet) -> float:
    """A run's value as it would have been in the common air, weight and charge; in its own unit.

    Only what the model knows to matter is moved: times, charges and energies of a flight; a temperature by the air.
    What cannot be flown as it is said is left as it is.
    """
    measure = MEASURES[question.measure]
    if question.measure == "temperature":
        return value if run.air_c is None or to.air_c is None else value + (to.air_c - run.air_c)
    if question.measure not in _FLOWN:
        return value
    here, there = _placed(sheet, run, to=None), _placed(sheet, run, to=to)
    if here == there:
        return value
    try:
        was, would_be = (_expected(s, question.measure, question.at) for s in (here, there))
    except OutOfRangeError:
        return value
    if not (was > 0.0 and would_be > 0.0):
        return value
    return value * would_be / was if measure.ratio else value + (would_be - was)


_FLOWN = frozenset({"charge_a_minute", "charge_a_km", "time_to_charge", "time_to_voltage", "energy"})


def _placed(sheet: Sheet, run: Run, *, to: Like | None) -> Sheet:
    """A sheet in a run's air, weight and charge, or in the common ones where both are known."""

    def of(name: str) -> float | None:
        own: float | None = getattr(run, name)
        other: float | None = None if to is None else getattr(to, name)
        return other if own is not None and other is not None else own

    air_c, all_up_kg, charge = of("air_c"), of("all_up_kg"), of("start_charge")
    conditions = {"start_charge": charge, "air_c": None if air_c is None else round(air_c / _STEP_C) * _STEP_C}
    known = {name: value for name, value in conditions.items() if value is not None}
    found = sheet.model_copy(update={"conditions": sheet.conditions.model_copy(update=known)})
    if all_up_kg is not None:
        dry_kg = round((all_up_kg - pack_figures(sheet.pack).mass_kg) / _STEP_KG) * _STEP_KG
        if dry_kg > 0.0:
            found = found.model_copy(update={"craft": sheet.craft.model_copy(update={"dry_mass_kg": dry_kg})})
    return found


@lru_cache(maxsize=512)
def _expected(sheet: Sheet, measure: str, at: float | None) -> float:
    """What the model expects to be measured, in the measure's unit."""
    flight = fly(set_up(sheet))
    landed = min(int(np.searchsorted(flight.time_s, flight.landing_s)), flight.time_s.size - 1)
    if measure == "time_to_charge":
        return _first_s(flight, flight.used_ah >= (at or 0.0))
    if measure == "time_to_voltage":
        return _first_s(flight, flight.cruise_v <= (at or 0.0))
    if measure == "energy":
        watts = flight.loaded_v[: landed + 1] * flight.series * flight.current_a[: landed + 1]
        return float(np.trapezoid(watts, flight.time_s[: landed + 1])) / 3600.0
    return float(flight.used_ah[landed]) / max(float(flight.time_s[landed]) / 60.0, 1e-9)


def _first_s(flight: Flight, reached: np.ndarray) -> float:
    return float(flight.time_s[int(np.argmax(reached))]) if reached.any() else float(flight.end_s)
