"""How many pairs a question needs, and what a given number of them can see: by flying many such tests."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from typing import Final

import numpy as np

from zesty_cell.core.trials.looks import FIRST_LOOK, MOST_PAIRS, bounds, t_for
from zesty_cell.core.trials.measures import MEASURES
from zesty_cell.core.trials.question import Question
from zesty_cell.core.trials.regression import regressed
from zesty_cell.core.trials.scatter import Scatter

#: A difference that matters is to be seen with this chance [1].
POWER: Final = 0.9
_TESTS, _SEED = 4000, 20_260


@dataclass(frozen=True)
class Needed:
    """What a question needs.

    Attributes
    ----------
    pairs : int
        Even; the most there are, where no number is enough.
    power : float
        Chance that so many see a difference which just matters [1].
    sees : float
        The difference that so many see nine times in ten, in units of ``matters``' own.
    of_pair : float
        Scatter of a pair's difference, in the same.
    effect : float
        The difference that matters, over that [1].
    """

    pairs: int
    power: float
    sees: float
    of_pair: float
    effect: float

    @property
    def enough(self) -> bool:
        """Whether there is a number that is enough."""
        return self.power >= POWER - 1e-9


@lru_cache(maxsize=4)
def _flown(counts: float) -> tuple[np.ndarray, np.ndarray]:
    """Scatter of each of many tests over what is thought, and what each of its pairs has beside it."""
    rng = np.random.default_rng(_SEED)
    scatter = np.sqrt(counts / rng.chisquare(counts, size=(_TESTS, 1)))
    return scatter, rng.normal(size=(_TESTS, MOST_PAIRS))


def power(effect: float, /, *, pairs: int, counts: float) -> float:
    """Chance that a test of so many pairs calls a difference [1].

    Parameters
    ----------
    effect : float
        The difference over the scatter of one pair's difference, as that is thought to be [1].
    pairs : int
        An even number.
    counts : float
        As of how many runs the scatter is known: it may be another one.
    """
    scatter, noise = _flown(counts)
    found = regressed(effect + scatter * noise[:, :pairs], np.arange(pairs) % 2 == 0)
    asked = [
        t_for(bound, freedom=f) for bound, f in zip(bounds(pairs), found.freedom[FIRST_LOOK - 1 :], strict=True)
    ]
    return float((found.t[:, FIRST_LOOK - 1 :] >= np.array(asked)).any(axis=1).mean())


def sees(*, pairs: int, counts: float) -> float:
    """The effect that so many pairs see nine times in ten, over the scatter of a pair's difference [1]."""
    low, high = 0.05, 40.0
    while high / low > 1.01:
        middle = math.sqrt(low * high)
        low, high = (low, middle) if power(middle, pairs=pairs, counts=counts) >= POWER else (middle, high)
    return high


@lru_cache(maxsize=64)
def pairs_needed(matters: float, /, *, scatter: float, counts: float) -> Needed:
    """The fewest pairs that see a difference which just matters nine times in ten.

    Parameters
    ----------
    matters, scatter : float
        The difference, and one run about its like, one standard deviation: shares [1], volts [V] or kelvins [K].
    counts : float
        As of how many runs the scatter is known [1].
    """
    of_pair = math.sqrt(2.0) * scatter
    effect = matters / of_pair
    low, high = 2, MOST_PAIRS // 2  # blocks of two pairs
    if power(effect, pairs=2 * high, counts=counts) < POWER:
        low = high
    while low < high:
        middle = (low + high) // 2
        enough = power(effect, pairs=2 * middle, counts=counts) >= POWER
        low, high = (low, middle) if enough else (middle + 1, high)
    pairs = 2 * low
    found = power(effect, pairs=pairs, counts=counts)
    return Needed(pairs, found, of_pair * sees(pairs=pairs, counts=counts), of_pair, effect)


def needed_for(scatter: Scatter, question: Question, /) -> Needed:
    """How many pairs a question needs, with the scatter of its runs [1, V, K]."""
    measure = MEASURES[question.measure]
    matters = math.log1p(question.matters) if measure.ratio else question.matters
    return pairs_needed(matters, scatter=scatter.sigma, counts=scatter.counts)
