"""Quantiles of sampled flights: the one way in which a range is read from them."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

#: The 90 % range, and its middle [1].
RANGE_SHARES = (0.05, 0.5, 0.95)


def quantiles(values: NDArray[np.float64], /, shares: Sequence[float] = RANGE_SHARES) -> tuple[float, ...]:
    """Quantiles at some shares [1], straight between the ordered values (Hyndman and Fan 1996, type 7).

    Parameters
    ----------
    values : float64 array, shape (k,)
        At least one, none of them NaN.
    """
    ordered = np.sort(values)
    found = []
    for share in shares:
        place = share * (ordered.size - 1)
        low = int(place)
        high = min(low + 1, ordered.size - 1)
        # Written so that an infinite value is not multiplied by nothing.
        part = place - low
        found.append(
            float(ordered[low]) if part == 0.0 else float((1.0 - part) * ordered[low] + part * ordered[high])
        )
    return tuple(found)


def range_of(values: NDArray[np.float64], /) -> tuple[float, ...]:
    """5th, 50th and 95th percentile of the finite of (n,) values, in their own unit; empty where there is none."""
    known = values[np.isfinite(values)]
    return quantiles(known) if known.size else ()
