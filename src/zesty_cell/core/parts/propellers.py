"""Propeller sets of one craft: which is on, what putting another on changes, and what it leaves as it is."""

from __future__ import annotations

import math

from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import fact
from zesty_cell.core.parts.craft import Craft, PropellerSet, SteadyPower

#: However light its propellers, a craft keeps this share of its weight [1].
_LEAST_LEFT = 0.2


def set_on(craft: Craft, /) -> PropellerSet:
    """The set that is on, with what was measured with it; under the craft's own name for it, or “As it is”."""
    return PropellerSet(
        name=craft.propellers or "As it is",
        mass_kg=craft.propellers_kg,
        propulsion=craft.propulsion,
        steady=craft.steady,
        full_throttle=craft.full_throttle,
        source=craft.propellers_source,
    )


def sets_of(craft: Craft, /) -> tuple[PropellerSet, ...]:
    """Every set of a craft, the one that is on first."""
    return (set_on(craft), *craft.other_sets)


def with_set_on(craft: Craft, /, *, name: str) -> Craft:
    """A craft with another of its sets on; the same craft where that is on already.

    Its steady power, its full throttle and its weight are those of that set; the set that was on is kept.

    Raises
    ------
    OutOfRangeError
        When it has no set of that name.
    """
    if name.casefold() == craft.propellers.casefold():
        return craft
    other = next((s for s in craft.other_sets if s.name.casefold() == name.casefold()), None)
    if other is None:
        raise OutOfRangeError(
            fact("refused.craft.no_such_set", craft=craft.name, name=name),
            field="propellers", value=0.0, limit=0.0,
        )  # fmt: skip
    was = set_on(craft)
    heavier_kg = 0.0 if other.mass_kg is None or was.mass_kg is None else other.mass_kg - was.mass_kg
    return Craft.model_validate(
        craft.model_dump()
        | {
            "dry_mass_kg": max(craft.dry_mass_kg + heavier_kg, _LEAST_LEFT * craft.dry_mass_kg),
            "propellers": other.name,
            "propellers_kg": other.mass_kg,
            "propulsion": other.propulsion,
            "steady": other.steady,
            "full_throttle": other.full_throttle,
            "propellers_source": other.source,
            "other_sets": (was, *(s for s in craft.other_sets if s is not other)),
        }
    )


#: A figure that differs by less was not typed anew, but shown with fewer digits [1].
_AS_SHOWN = 2e-3


def source_still(steady: SteadyPower, /, *, before: PropellerSet) -> str:
    """Where a set’s power comes from: a test, as before, while its figures are the same; none once typed anew."""
    now, was = steady.model_dump(), before.steady.model_dump()
    if now.keys() != was.keys():
        return ""
    for name, value in now.items():
        figures = isinstance(value, float) and isinstance(was[name], float)
        if value != was[name] and not (figures and math.isclose(value, was[name], rel_tol=_AS_SHOWN)):
            return ""
    return before.source


def with_set(craft: Craft, added: PropellerSet, /, *, on: str, in_place_of: str = "") -> Craft:
    """A craft with one more set, or with one of those not on changed.

    Parameters
    ----------
    on : str
        What the set that is on is called, where it has no name yet.
    in_place_of : str
        Name of the set that this takes the place of.

    Raises
    ------
    ValidationError
        (Pydantic's) when two sets have one name, or there are too many.
    """
    kept = [added if s.name == in_place_of else s for s in craft.other_sets]
    if not in_place_of:
        kept.append(added)
    return Craft.model_validate(
        craft.model_dump() | {"propellers": craft.propellers or on, "other_sets": tuple(kept)}
    )


def without_set(craft: Craft, /, *, name: str) -> Craft:
    """A craft without one of the sets that are not on."""
    left = tuple(s for s in craft.other_sets if s.name != name)
    return craft.model_copy(update={"other_sets": left})
