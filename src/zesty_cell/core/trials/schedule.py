"""In which order a test is flown: A B B A for each pack, packs in turn, so that nobody waits for one charger."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from zesty_cell.core.trials.question import Run, Side, Trial

#: A block of two pairs: what drifts along evenly takes as much from one side as from the other.
_BLOCK: tuple[Side, ...] = ("A", "B", "B", "A")


@dataclass(frozen=True)
class Slot:
    """A place in the order.

    Attributes
    ----------
    number : int
        From 0, in the order of flying.
    pair : int
        Which pair it belongs to, from 0.
    side, pack : str
    first : bool
        Whether it is the earlier one of its pair.
    """

    number: int
    pair: int
    side: Side
    pack: str
    first: bool


def slots(packs: Sequence[str], /, *, pairs: int) -> tuple[Slot, ...]:
    """The order of a test: as many blocks at a time as there are packs, each pack flown A B B A.

    Raises
    ------
    ValueError
        Without a pack, or for an odd number of pairs.
    """
    if not packs or pairs % 2:
        raise ValueError("A test needs a pack, and pairs two by two.")
    found: list[Slot] = []
    blocks = pairs // 2
    for first in range(0, blocks, len(packs)):
        together = range(first, min(first + len(packs), blocks))
        for turn, side in enumerate(_BLOCK):
            for block in together:
                pair = 2 * block + turn // 2
                found.append(Slot(len(found), pair, side, packs[block % len(packs)], turn % 2 == 0))
    return tuple(found)


def slots_of(trial: Trial, /) -> tuple[Slot, ...]:
    """Those of its plan, and so many more blocks as its runs go beyond it."""
    pairs = trial.plan.pairs
    most = max((run.slot for run in trial.runs), default=-1)
    found = slots(trial.plan.packs, pairs=pairs)
    while len(found) <= most:
        pairs += 2 * len(trial.plan.packs)
        found = slots(trial.plan.packs, pairs=pairs)
    return found


def next_slot(trial: Trial, /) -> Slot | None:
    """The first place without a run that counts; None once the plan is flown."""
    taken = {run.slot for run in trial.runs if run.set_aside is None}
    return next((slot for slot in slots_of(trial) if slot.number not in taken), None)


@dataclass(frozen=True)
class Pair:
    """Two runs that belong together, what was measured of each, and which of them came first."""

    number: int
    a: Run
    b: Run
    a_first: bool

    @property
    def values(self) -> tuple[float, float]:
        """Of A and of B."""
        assert self.a.value is not None  # noqa: S101 - runs without one make no pair
        assert self.b.value is not None  # noqa: S101
        return self.a.value, self.b.value


def pairs_of(trial: Trial, /) -> tuple[Pair, ...]:
    """Pairs of which both runs are there, measured, and count, in the order in which they were finished."""
    by_slot = {run.slot: run for run in trial.runs if run.set_aside is None and run.value is not None}
    places: dict[int, list[Slot]] = {}
    for slot in slots_of(trial):
        places.setdefault(slot.pair, []).append(slot)
    found = []
    for number, (one, two) in places.items():
        runs = {run.side: run for slot in (one, two) if (run := by_slot.get(slot.number)) is not None}
        if len(runs) == 2:
            found.append((two.number, Pair(number, runs["A"], runs["B"], runs["A"].at <= runs["B"].at)))
    return tuple(pair for _, pair in sorted(found, key=lambda one: one[0]))
