"""Differences of pairs as one number and what the order makes of it, after each pair anew."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Regressed:
    """Of many tests after each of their pairs; arrays of shape (tests, pairs) or (pairs,).

    Attributes
    ----------
    difference, error : array
        Best estimate and its standard error; NaN where there are too few pairs.
    freedom : array
        Degrees of freedom [1].
    known : array
        What the pairs tell of the difference, in pairs [1].
    """

    difference: Array
    error: Array
    freedom: Array
    known: Array

    @property
    def t(self) -> Array:
        """Student's t of no difference."""
        with np.errstate(divide="ignore", invalid="ignore"):
            return np.asarray(self.difference / self.error)


def regressed(differences: Array, a_first: NDArray[np.bool_], /) -> Regressed:
    """Least squares of d = difference + order·s with s = 1 where A came first, −1 where B did.

    What a pack, a battery of goggles or the wind does evenly along the day adds to one order what it takes from the
    other.  Where all pairs have one order that cannot be told apart: the difference then stands with all of it.

    Parameters
    ----------
    differences : array of shape (tests, pairs)
        B less A.
    a_first : array of bool, shape (pairs,)
    """
    n = np.arange(1.0, differences.shape[1] + 1.0)
    s = np.where(a_first, 1.0, -1.0)
    signs, squares = np.cumsum(s), np.cumsum(differences**2, axis=1)
    total, signed = np.cumsum(differences, axis=1), np.cumsum(s * differences, axis=1)
    known = n - signs**2 / n
    both = known > 1e-9
    safe = np.where(both, known, 1.0)
    with_order = np.where(both, (total - signs * signed / n) / safe, total / n)
    order = np.where(both, (signed - signs * total / n) / safe, 0.0)
    left = np.maximum(squares - with_order * total - order * signed, 0.0)
    freedom = np.where(both, n - 2.0, n - 1.0)
    known = np.where(both, known, n)
    with np.errstate(divide="ignore", invalid="ignore"):
        error = np.sqrt(left / freedom / known)
    error = np.where(freedom > 0.0, error, np.nan)
    return Regressed(with_order, error, np.broadcast_to(freedom, n.shape), known)
