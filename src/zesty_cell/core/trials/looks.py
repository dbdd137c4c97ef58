"""When a test may be called: bounds that hold their error however often one looks.

Up to the planned number of pairs the error is spent by look (Lan and DeMets 1983), little at first, in the manner
of O'Brien and Fleming: by the share f of what will be known, 4·(1 − Φ(z(α/4)/√f)).  The bounds follow from the
joint distribution of the looks, integrated from one to the next (Armitage, McPherson and Rowe 1969).  A look has
few pairs and knows their scatter only from them: Student's t becomes the normal value of the same chance (Jennison
and Turnbull, *Group Sequential Methods*, 2000, §3.8).  Looks by t are a little less alike than looks that know the
scatter: they were found to spend up to 1.22 times what is meant (tests/core/test_trials.py), so less is meant.

Who goes on beyond the plan gets a likelihood ratio that may be looked at for ever (a normal mixture over effects,
with scatter and order taken out by invariance: Lindon, Ham, Tingley and Bojinov 2022); it has a share of the error
of its own.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import lru_cache
from typing import Final

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.chances import normal_at, normal_below, normals_below, t_exceeded

#: Chance that a test without a difference is called, whatever one does [1]; what of it is kept for after the plan.
ERROR: Final = 0.05
LATER_ERROR: Final = 0.004
_MEANT: Final = (ERROR - LATER_ERROR) / 1.22
#: No plan is longer [pairs].
MOST_PAIRS: Final = 60
#: Looks begin with so many pairs: difference, order and scatter are three unknowns.
FIRST_LOOK: Final = 3
_GRID, _WIDE = 301, 8.0


def information(pairs: int, /) -> float:
    """What so many pairs tell of a difference, in pairs [1]: with an odd one the order costs a little."""
    return pairs - (pairs % 2) / pairs


def spent(share: float, /, *, error: float) -> float:
    """What of an error [1] may be spent once a share [1] of what will be known is there."""
    return 4.0 * normal_below(normal_at(error / 4.0) / math.sqrt(min(share, 1.0)))


@lru_cache(maxsize=128)
def bounds(planned: int, /, *, error: float = _MEANT) -> tuple[float, ...]:
    """Normal values that a look after 3, 4 … planned pairs has to reach, both ways [1].

    Raises
    ------
    ValueError
        For fewer pairs than a look needs, or more than any plan has.
    """
    if not FIRST_LOOK <= planned <= MOST_PAIRS:
        raise ValueError(f"a plan has {FIRST_LOOK} to {MOST_PAIRS} pairs, not {planned}")
    return bounds_for([information(n) for n in range(FIRST_LOOK, planned + 1)], error=error)


def bounds_for(told: Sequence[float], /, *, error: float) -> tuple[float, ...]:
    """The same for looks at which so much is known each, in any unit, growing; an error in all [1]."""
    found: list[float] = []
    density, at = np.empty(0), np.empty(0)  # of the sum of what was seen, where no look was called yet
    before, gone = 0.0, 0.0
    for known in told:
        sigma = math.sqrt(known)
        goal = spent(known / told[-1], error=error) - gone
        if not found:
            bound = -normal_at(max(goal, 1e-14) / 2.0)
        else:
            bound = _bound(density, at, step=known - before, sigma=sigma, goal=goal)
        here = np.linspace(-bound * sigma, bound * sigma, _GRID)
        if not found:
            density = np.exp(-0.5 * (here / sigma) ** 2) / (sigma * math.sqrt(2.0 * math.pi))
        else:
            density = _moved(density, at, here, known - before)
        at, before, gone = here, known, gone + goal
        found.append(min(bound, _WIDE))
    return tuple(found)


def _weights(at: NDArray[np.float64]) -> NDArray[np.float64]:
    """Simpson's, on equal steps."""
    weights = np.where(np.arange(at.size) % 2, 4.0, 2.0)
    weights[[0, -1]] = 1.0
    return np.asarray(weights * (at[1] - at[0]) / 3.0)


def _moved(
    density: NDArray[np.float64], at: NDArray[np.float64], here: NDArray[np.float64], step: float
) -> NDArray[np.float64]:
    apart = (here[:, None] - at[None, :]) / math.sqrt(step)
    kernel = np.exp(-0.5 * apart**2) / math.sqrt(2.0 * math.pi * step)
    return np.asarray(kernel @ (density * _weights(at)))


def _bound(
    density: NDArray[np.float64], at: NDArray[np.float64], *, step: float, sigma: float, goal: float
) -> float:
    """What a look has to reach so that just this much more of the error is spent, by halving."""
    mass = density * _weights(at)
    low, high = 0.0, _WIDE
    for _ in range(44):
        middle = 0.5 * (low + high)
        beyond = float((2.0 * normals_below((-middle * sigma - at) / math.sqrt(step)) * mass).sum())
        low, high = (middle, high) if beyond > goal else (low, middle)
    return 0.5 * (low + high)


def t_for(bound: float, /, *, freedom: float) -> float:
    """Student's t of the same chance as a normal value [1]."""
    return t_exceeded(freedom, normal_below(-bound))


def likelihood_ratio(t: float, /, *, freedom: float, known: float, effect: float) -> float:
    """How much more likely a difference makes what was seen than none does [1]; it may be looked at for ever.

    Parameters
    ----------
    t, freedom : float
        Student's t of the difference, and its degrees of freedom.
    known : float
        What the pairs tell, as :func:`information` has it.
    effect : float
        Differences that are thought of, one standard deviation, in scatters of a pair [1].
    """
    prior = 1.0 / effect**2
    share = prior / (prior + known)
    odds = t * t / freedom
    return math.exp(0.5 * math.log(share) + 0.5 * (freedom + 1.0) * (math.log1p(odds) - math.log1p(share * odds)))
