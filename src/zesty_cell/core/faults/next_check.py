"""Which check to make next: what it is expected to tell for each minute and each risk that it takes."""

from __future__ import annotations

from collections.abc import Set
from dataclasses import dataclass
from typing import Final

from zesty_cell.core.faults.reckoned import Reckoned, chances_of, entropy, split
from zesty_cell.core.faults.table import DANGERS, Risk, the_table

#: What it takes to begin anything at all [min], and what a minute costs by what it risks [1].
_BEGIN_MIN: Final = 5.0
_COSTS: Final[dict[Risk, float]] = {"look": 1.0, "landing": 1.2, "bench": 1.2, "fly": 3.0}
#: A cause this probable is acted on, and nothing being off believed [1].
SURE, SURE_OF_NOTHING = 0.75, 0.70
#: A check that would tell less than this is not worth its trouble [bit].
LEAST_BITS = 0.04


@dataclass(frozen=True)
class Proposed:
    """A check worth making.

    Attributes
    ----------
    reading : str
    bits : float
        What it is expected to tell [bit].
    minutes : float
        [min].
    risk : str
    page : str
        That helps with it; empty where hands and eyes are enough.
    """

    reading: str
    bits: float
    minutes: float
    risk: Risk
    page: str

    @property
    def worth(self) -> float:
        """What it tells for its trouble [bit/min]."""
        return self.bits / ((_BEGIN_MIN + self.minutes) * _COSTS[self.risk])


def is_sure(reckoned: Reckoned, /) -> bool:
    """Whether enough is known to act."""
    return reckoned.ranked[0].chance >= SURE or reckoned.nothing >= SURE_OF_NOTHING


def worth_making(reckoned: Reckoned, /, *, known: Set[str], signs: Set[str]) -> tuple[Proposed, ...]:
    """Checks that would tell something, the one that tells most for its trouble first [bit].

    While a sign says that the pack may burn, none flies or waits for a flight, nor is the pack taken in hand.

    Parameters
    ----------
    known : set of str
        Readings that are there, or cannot be had.
    signs : set of str
        That were ticked.
    """
    now = entropy(split(reckoned.of_hypothesis))
    found = []
    for key, check in the_table().checks.items():
        if key in known or (signs & DANGERS and check.risk != "look"):
            continue
        by_outcome = chances_of(key) * reckoned.of_hypothesis[:, None]
        chances = by_outcome.sum(axis=0)
        after = sum(
            chance * entropy(split(column / chance))
            for column, chance in zip(by_outcome.T, chances, strict=True)
            if chance > 0.0
        )
        if now - after >= LEAST_BITS:
            found.append(Proposed(key, now - after, check.minutes, check.risk, check.page))
    return tuple(sorted(found, key=lambda p: -p.worth))
