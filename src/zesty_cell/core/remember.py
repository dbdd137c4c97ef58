"""What follows from frozen entities alone, worked out once while the very same ones are asked about.

A search sets thousands of packs up on one craft and one pattern.  Hashing those would take longer than the work
that it saves; asking whether they are the same objects takes nothing, and frozen entities never change.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from typing import TypeVar, TypeVarTuple

_Things = TypeVarTuple("_Things")
_T = TypeVar("_T")
#: So many answers are kept of a function; then it begins anew.
_MOST = 16


def by_identity(function: Callable[[*_Things], _T], /) -> Callable[[*_Things], _T]:
    """Remember the last answers of a function of frozen entities, given by place: for these very ones."""
    kept: dict[tuple[int, ...], tuple[tuple[object, ...], _T]] = {}

    @wraps(function)
    def remembered(*args: *_Things) -> _T:
        key = tuple(map(id, args))
        found = kept.get(key)  # what is kept lives, so its place in memory is nobody else's
        if found is not None:
            return found[1]
        value = function(*args)
        if len(kept) >= _MOST:
            kept.clear()
        kept[key] = (args, value)
        return value

    return remembered
