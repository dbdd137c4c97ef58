"""Which packs belong together."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

#: Packs this much apart in capacity and in resistance make no pair [1].
PAIR_CAPACITY, PAIR_RESISTANCE = 0.05, 0.20


@dataclass(frozen=True)
class PackFit:
    """A pack that may become one of a pair: its name, kind, capacity [Ah] and resistance [Ω], as they are now."""

    name: str
    kind: tuple[str, int, int]
    capacity_ah: float
    resistance_ohm: float


@dataclass(frozen=True)
class Pair:
    """Two packs that go together: how far apart in capacity and in resistance [1]."""

    first: str
    second: str
    capacity_apart: float
    resistance_apart: float


def _apart(a: float, b: float) -> float:
    return abs(a - b) / (0.5 * (a + b))


def matched_pairs(packs: Sequence[PackFit], /) -> tuple[Pair, ...]:
    """Pairs for parallel use, the nearest alike first; each pack in one pair at most [Ah, Ω].

    Unlike packs share the current by resistance and the charge by capacity: both have to be alike.
    """
    found: list[Pair] = []
    for k, a in enumerate(packs):
        for b in packs[k + 1 :]:
            if a.kind != b.kind:
                continue
            pair = Pair(
                a.name, b.name, _apart(a.capacity_ah, b.capacity_ah), _apart(a.resistance_ohm, b.resistance_ohm)
            )
            if pair.capacity_apart <= PAIR_CAPACITY and pair.resistance_apart <= PAIR_RESISTANCE:
                found.append(pair)
    found.sort(key=lambda p: p.capacity_apart / PAIR_CAPACITY + p.resistance_apart / PAIR_RESISTANCE)
    taken: set[str] = set()
    chosen = []
    for pair in found:
        if not {pair.first, pair.second} & taken:
            taken |= {pair.first, pair.second}
            chosen.append(pair)
    return tuple(chosen)
