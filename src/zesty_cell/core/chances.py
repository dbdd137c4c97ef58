"""Chances of a normal value and of Student's t, both ways.

Student's t is the regularised incomplete beta function, its continued fraction by Lentz's way (Abramowitz and
Stegun 26.5.8 and 26.7.1; Press et al., *Numerical Recipes*, 6.4).  Four functions need no library of 140 MB beside
us; the tests hold them against SciPy's to ten digits.
"""

from __future__ import annotations

import math
from functools import lru_cache
from statistics import NormalDist
from typing import Final

import numpy as np
from numpy.typing import NDArray

_NORMAL: Final = NormalDist()
_ERFC: Final = np.frompyfunc(math.erfc, 1, 1)
_TINY, _STILL = 1e-300, 1e-15
_MOST_TERMS, _MOST_ROUNDS = 400, 100


def normal_below(value: float, /) -> float:
    """Chance that a normal value is under another [1]."""
    return 0.5 * math.erfc(-value / math.sqrt(2.0))


def normals_below(values: NDArray[np.float64], /) -> NDArray[np.float64]:
    """The same of many: array of shape (n,) [1]."""
    return 0.5 * np.asarray(_ERFC(-values / math.sqrt(2.0)), dtype=np.float64)


def normal_at(chance: float, /) -> float:
    """What a normal value is under with a chance, of more than 0 and less than 1 [1].

    Raises
    ------
    statistics.StatisticsError
        For a chance of 0 or 1, or beyond.
    """
    return _NORMAL.inv_cdf(chance)


def _fraction(a: float, b: float, x: float) -> float:
    """The continued fraction of the incomplete beta function [1]."""
    c, d = 1.0, 1.0 - (a + b) * x / (a + 1.0)
    d = 1.0 / (d if abs(d) > _TINY else _TINY)
    found = d
    for m in range(1, _MOST_TERMS):
        for part in (
            m * (b - m) * x / ((a + 2 * m - 1.0) * (a + 2 * m)),
            -(a + m) * (a + b + m) * x / ((a + 2 * m) * (a + 2 * m + 1.0)),
        ):
            d = 1.0 + part * d
            d = 1.0 / (d if abs(d) > _TINY else _TINY)
            c = 1.0 + part / c
            c = c if abs(c) > _TINY else _TINY
            found *= c * d
        if abs(c * d - 1.0) < _STILL:
            break
    return found


def _beyond(freedom: float, t: float) -> float:
    """Chance that Student's t is over a positive value [1]."""
    a, b, square = 0.5 * freedom, 0.5, t * t
    if math.isinf(square):
        return 0.0
    x, rest = freedom / (freedom + square), square / (freedom + square)
    if rest <= 0.0:
        return 0.5
    scale = math.exp(math.lgamma(a + b) - math.lgamma(a) - math.lgamma(b) + a * math.log(x) + b * math.log(rest))
    if x < (a + 1.0) / (a + b + 2.0):
        return 0.5 * scale * _fraction(a, b, x) / a
    return 0.5 * (1.0 - scale * _fraction(b, a, rest) / b)


def t_below(freedom: float, value: float, /) -> float:
    """Chance that Student's t of so many degrees of freedom is under a value [1]."""
    return _beyond(freedom, -value) if value < 0.0 else 1.0 - _beyond(freedom, value)


@lru_cache(maxsize=4096)
def t_exceeded(freedom: float, chance: float, /) -> float:
    """What Student's t is over with a chance, of more than 0 and at most a half [1].

    Newton's steps on the logarithm of the chance, which bends little; halved where one would leave what holds it.
    """
    if chance >= 0.5:
        return 0.0
    low, high = 0.0, 1.0
    while _beyond(freedom, high) > chance:
        low, high = high, 2.0 * high
    t = high
    for _ in range(_MOST_ROUNDS):
        beyond = _beyond(freedom, t)
        low, high = (t, high) if beyond > chance else (low, t)
        log_density = (
            math.lgamma(0.5 * (freedom + 1.0)) - math.lgamma(0.5 * freedom) - 0.5 * math.log(freedom * math.pi)
            - 0.5 * (freedom + 1.0) * math.log1p(t * t / freedom)
        )  # fmt: skip
        following = t + math.log(beyond / chance) * beyond / math.exp(log_density)
        if not low < following < high:
            following = 0.5 * (low + high)
        if abs(following - t) <= 1e-14 * t:
            return following
        t = following
    return t


def t_at(freedom: float, chance: float, /) -> float:
    """What Student's t is under with a chance, of more than 0 and less than 1 [1]."""
    return -t_exceeded(freedom, chance) if chance < 0.5 else t_exceeded(freedom, 1.0 - chance)
