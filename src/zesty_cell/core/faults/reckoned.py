"""From signs and readings to causes: every cause alone, every two together, and none, each by the noisy-or.

Three faults at once are not reckoned with: they are rare, and the first that is mended leaves two.  With so few
hypotheses nothing has to be sampled or approximated.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cache
from itertools import combinations
from types import MappingProxyType
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.faults.table import ABSENT, PRESENT, all_chances, the_table

Likely = Literal["likely", "possible", "unlikely"]
#: From here a cause is likely, and possible [1].
LIKELY, POSSIBLE = 0.5, 0.12
#: Evidence that makes a cause so many times more or less probable against the others is worth a line [1].
SPEAKS = 1.5
#: So many closed cases weigh as much as the table [1].
_WORTH = 30.0


@cache
def _hypotheses() -> NDArray[np.bool_]:
    """Which causes each hypothesis has; shape (hypotheses, causes), the first has none."""
    count = len(the_table().causes)
    sets = [(), *((k,) for k in range(count)), *combinations(range(count), 2)]
    found = np.zeros((len(sets), count), dtype=bool)
    for row, causes in enumerate(sets):
        found[row, list(causes)] = True
    return found


@cache
def chances_of(key: str) -> NDArray[np.float64]:
    """Chance of each outcome of a sign or reading under each hypothesis [1]; shape (hypotheses, outcomes).

    That all is well takes every cause, and chance itself, to leave it so (noisy-or).  What is left is shared by
    how strongly each outcome is brought about.
    """
    known, has = all_chances()[key], _hypotheses()
    stays = np.log1p(-known.by_cause.sum(axis=1))
    well = (1.0 - known.by_itself.sum()) * np.exp(has @ stays)
    pull = known.by_itself + has @ known.by_cause
    others = (1.0 - well)[:, None] * pull / pull.sum(axis=1, keepdims=True)
    return np.column_stack((well, others))


@cache
def _ticked(key: str) -> NDArray[np.float64]:
    """Chance that a pilot ticks a sign, under each hypothesis [1]: that it is there, and noticed."""
    ticked: NDArray[np.float64] = the_table().signs[key].noticed * chances_of(key)[:, 1]
    return ticked


@dataclass(frozen=True)
class Seen:
    """What is known: signs that were ticked (the others were not noticed), and outcomes of readings by key."""

    signs: frozenset[str] = frozenset()
    readings: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class Speaks:
    """Evidence for or against a cause: how many times more probable with it than without [1]."""

    key: str
    outcome: str
    times: float


@dataclass(frozen=True)
class Ranked:
    """A cause and how it stands.

    Attributes
    ----------
    cause : str
    chance : float
        [1].
    words : "likely", "possible" or "unlikely"
    for_it, against_it : tuple of Speaks
        The strongest first.
    """

    cause: str
    chance: float
    words: Likely
    for_it: tuple[Speaks, ...]
    against_it: tuple[Speaks, ...]


@dataclass(frozen=True)
class Reckoned:
    """How causes stand.

    Attributes
    ----------
    ranked : tuple of Ranked
        The most probable first; all of them.
    nothing : float
        Chance that nothing is off [1].
    """

    ranked: tuple[Ranked, ...]
    nothing: float
    of_hypothesis: NDArray[np.float64]


def usual_chances(was: Mapping[str, int] = MappingProxyType({}), /) -> dict[str, float]:
    """How usual each cause is in a hangar [1], from how often it was each in what was closed there.

    Parameters
    ----------
    was : mapping of str to int
        Cases by what they turned out to be; those where nothing was off count among the others.
    """
    closed = sum(was.values())
    return {
        key: (_WORTH * cause.usual + was.get(key, 0)) / (_WORTH + closed)
        for key, cause in the_table().causes.items()
    }


def _start(usual: Mapping[str, float]) -> NDArray[np.float64]:
    """Logarithm of each hypothesis' chance before anything is seen."""
    p = np.array([usual[key] for key in the_table().causes])
    logs: NDArray[np.float64] = np.log1p(-p).sum() + _hypotheses() @ np.log(p / (1.0 - p))
    return logs


def _logs_of(seen: Seen) -> dict[str, NDArray[np.float64]]:
    """What each piece of evidence says of each hypothesis, as logarithms."""
    found = {}
    for key in the_table().signs:
        ticked = _ticked(key)
        found[key] = np.log(ticked if key in seen.signs else 1.0 - ticked)
    for key, outcome in seen.readings.items():
        known = all_chances()[key]
        found[key] = np.log(chances_of(key)[:, known.outcomes.index(outcome)])
    return found


def _normal(logs: NDArray[np.float64]) -> NDArray[np.float64]:
    chances = np.exp(logs - logs.max())
    normal: NDArray[np.float64] = chances / chances.sum()
    return normal


def reckon(seen: Seen, /, *, usual: Mapping[str, float] | None = None) -> Reckoned:
    """Causes by what is seen, the most probable first [1].

    Parameters
    ----------
    seen : Seen
    usual : mapping of str to float, optional
        How usual each cause is [1], see :func:`usual_chances`; the table's by default.
    """
    evidence = _logs_of(seen)
    weights = _normal(_start(usual or usual_chances()) + sum(evidence.values()))
    has, causes = _hypotheses(), list(the_table().causes)
    chances = has.T @ weights
    # What was ticked or read may speak either way; a sign that was not noticed speaks where it is missed.
    ranked = []
    for k in np.argsort(-chances, kind="stable"):
        speaks = _speaks(evidence, weights, has[:, k], seen)
        ranked.append(
            Ranked(
                causes[k],
                float(chances[k]),
                "likely" if chances[k] >= LIKELY else "possible" if chances[k] >= POSSIBLE else "unlikely",
                tuple(s for s in speaks if s.times >= SPEAKS),
                tuple(reversed([s for s in speaks if s.times <= 1.0 / SPEAKS])),
            )
        )
    return Reckoned(tuple(ranked), float(weights[0]), weights)


def _speaks(
    evidence: Mapping[str, NDArray[np.float64]], weights: NDArray[np.float64], has: NDArray[np.bool_], seen: Seen
) -> list[Speaks]:
    """What each piece of evidence does to a cause, the strongest for it first."""
    with_it, without = weights * has, weights * ~has
    found = []
    for key, logs in evidence.items():
        likely = np.exp(logs)
        ratio = (with_it @ likely / max(with_it.sum(), 1e-300)) / (without @ likely / max(without.sum(), 1e-300))
        outcome = seen.readings.get(key) or (PRESENT if key in seen.signs else ABSENT)
        found.append(Speaks(key, outcome, float(ratio)))
    return sorted(found, key=lambda s: -s.times)


def split(weights: NDArray[np.float64], /) -> NDArray[np.float64]:
    """Chances shared out [1], shape (1 + causes,): nothing first, then each cause; two together share theirs."""
    has = _hypotheses()
    shared = has / np.maximum(has.sum(axis=1, keepdims=True), 1)
    return np.concatenate(([weights[0]], shared.T @ weights))


def entropy(chances: NDArray[np.float64], /) -> float:
    """How much is not known, in bits [1], of chances of any shape (n,)."""
    some = chances[chances > 0.0]
    return float(-(some * np.log(some)).sum() / math.log(2.0))
