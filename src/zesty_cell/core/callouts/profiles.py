"""Packs of one plan told apart: by their voltage when full, by a switch, or not at all."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

from zesty_cell.core.callouts.conditions import free_positions
from zesty_cell.core.callouts.rules import (
    FULL_TOLERANCE_V,
    CalloutPlan,
    Profile,
    switches_asking,
)
from zesty_cell.core.callouts.writer import profile_of
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import Fact, fact
from zesty_cell.core.parts.pack import Pack

#: Profiles are of one chemistry where their bounds are this near [V a cell].
_SAME_BOUNDS_V = 0.12


def _apart_v(profile: Profile, other: Profile) -> float:
    """How far the bounds of two profiles lie apart [V a cell]."""
    return max(abs(profile.floor_v - other.floor_v), abs(profile.full_v - other.full_v))


def alike_cells(profile: Profile, /, *, other: Profile) -> bool:
    """Whether two profiles are of one chemistry, so that a voltage [V a cell] means the same with both."""
    return _apart_v(profile, other) <= _SAME_BOUNDS_V + 1e-9


def same_profile(profile: Profile, /, *, other: Profile) -> bool:
    """Whether two packs share a profile: as many cells of one chemistry."""
    return profile.series == other.series and alike_cells(profile, other=other)


def facing(plan: CalloutPlan, pack: Pack, /) -> CalloutPlan:
    """The plan with the profile of a pack first: of several with as many cells [1] the first is the one flown."""
    mine = [p for p in plan.profiles if p.series == pack.series]
    if len(mine) < 2:
        return plan
    own = profile_of(pack)
    first = min(mine, key=lambda p: _apart_v(p, own))
    return plan.model_copy(update={"profiles": (first, *(p for p in plan.profiles if p.key != first.key))})


def not_told_apart(plan: CalloutPlan, /) -> tuple[str, Fact] | None:
    """Where two packs of a plan cannot be told apart, and why; None where all can."""
    seen: dict[tuple[str, str], str] = {}
    for k, profile in enumerate(plan.profiles):
        if plan.choose == "switch" and profile.switch is not None:
            at = (profile.switch.name, profile.switch.position)
            if at in seen:
                return f"profiles.{k}.switch", fact("plan.same_position", pack=seen[at])
            seen[at] = profile.name
    counts = [p.series for p in plan.profiles]
    twice = next((n for n in counts if counts.count(n) > 1), None)
    if plan.choose == "automatic" and twice is not None:
        return "choose", fact("plan.same_count", series=twice)
    return None


def by_switch(plan: CalloutPlan, /) -> CalloutPlan:
    """The plan with a switch position for each pack.

    Raises
    ------
    OutOfRangeError
        When no switch is free.
    """
    taken = {(p.switch.name, p.switch.position) for p in plan.profiles if p.switch}
    free = free_positions(taken=taken, asking=switches_asking(plan))
    profiles: list[Profile] = []
    for profile in plan.profiles:
        switch = profile.switch or next(free, None)
        if switch is None:
            raise OutOfRangeError(
                fact("refused.plan.no_free_switch"),
                field="profiles", value=len(plan.profiles), limit=len(profiles),
            )  # fmt: skip
        profiles.append(profile.model_copy(update={"switch": switch}))
    return plan.model_copy(update={"profiles": tuple(profiles), "choose": "switch"})


def told_by_voltage(profiles: Sequence[Profile], /) -> bool:
    """Whether the voltage at arming tells the packs apart, full or part-used."""
    spans = sorted((p.floor_v * p.series, (p.full_v + FULL_TOLERANCE_V) * p.series) for p in profiles)
    return all(high < low for (_, high), (low, _) in pairwise(spans))
