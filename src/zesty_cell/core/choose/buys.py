"""What buys minutes: every change a pilot may try, flown, ranked by the seconds it gains."""

from __future__ import annotations

from dataclasses import dataclass

from zesty_cell.core.asked.changes import CHANGES, changed
from zesty_cell.core.asked.sheet import ChangeKey, Sheet
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import Fact
from zesty_cell.core.flight.setup import Setup, set_up
from zesty_cell.core.flight.summary import LandingSummaries, LandingSummary

#: Less than this is said as "no difference" [s].
LEAST_GAIN_S = 0.5


@dataclass(frozen=True)
class Buy:
    """One change and what it does to this flight.

    Attributes
    ----------
    key : ChangeKey
    title, cost : Fact
        What to do, and what it asks for in money, comfort or care.
    gained_s : float
        Landing time gained [s]; negative for lost.
    heavier_kg : float
        All-up mass gained [kg].
    spare_change : float
        Change of thrust over weight (a wing: power over level flight) at landing [1].
    full_change_a : float
        Change of the fresh full-throttle current [A].
    """

    key: ChangeKey
    title: Fact
    cost: Fact
    gained_s: float
    heavier_kg: float
    spare_change: float
    full_change_a: float


def what_buys_minutes(sheet: Sheet, /) -> tuple[Buy, ...]:
    """Every change that applies to the sheet, each by a changed run, most seconds first [s].

    What is already being tried on the sheet is part of where the others start from, and is not listed.

    Raises
    ------
    OutOfRangeError
        As :func:`~zesty_cell.core.flight.setup.set_up`.
    """
    base = set_up(sheet)
    setups: list[Setup] = [base]
    kept = []
    for key, change in CHANGES.items():
        if key in sheet.trying:
            continue
        other = changed(base.sheet, key=key)
        if other is None:
            continue
        try:
            setup = set_up(other)
        except OutOfRangeError:  # another chemistry may land at once by this landing rule
            continue
        setups.append(setup)
        kept.append(change)
    # The gentler pattern has another program: batches share one.
    by_pattern: dict[int, list[int]] = {}
    for k, setup in enumerate(setups):
        by_pattern.setdefault(hash(setup.flying), []).append(k)
    summaries: dict[int, LandingSummary] = {}
    for rows in by_pattern.values():
        summaries.update(zip(rows, LandingSummaries([setups[k] for k in rows]).fly(), strict=True))
    was = summaries[0]
    found = [
        Buy(
            key=change.key,
            title=change.title(base.sheet),
            cost=change.cost,
            gained_s=summaries[k].landing_s - was.landing_s,
            heavier_kg=summaries[k].all_up_mass_kg - was.all_up_mass_kg,
            spare_change=summaries[k].to_spare - was.to_spare,
            full_change_a=summaries[k].full_fresh_a - was.full_fresh_a,
        )
        for k, change in enumerate(kept, start=1)
    ]
    return tuple(sorted(found, key=lambda b: -b.gained_s))
