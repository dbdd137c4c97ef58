"""The few answers asked for last: what several pages ask of one thing is worked out once while it is looked at."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from dataclasses import dataclass, field
from typing import Generic, TypeVar

_K = TypeVar("_K", bound=Hashable)
_V = TypeVar("_V")


@dataclass
class Few(Generic[_K, _V]):
    """The few answers asked for last, for any thread."""

    most: int
    _kept: OrderedDict[_K, _V] = field(default_factory=OrderedDict)
    _lock: threading.Lock = field(default_factory=threading.Lock)

    def put(self, key: _K, value: _V) -> _V:
        """Remember an answer, and forget the oldest that are too many."""
        with self._lock:
            self._kept[key] = value
            self._kept.move_to_end(key)
            while len(self._kept) > self.most:
                self._kept.popitem(last=False)
        return value

    def get(self, key: _K, make: Callable[[], _V]) -> _V:
        """The answer that is remembered, else a new one."""
        with self._lock:
            known = self._kept.get(key)
        return known if known is not None else self.put(key, make())

    def clear(self) -> None:
        """Nothing is remembered any more."""
        with self._lock:
            self._kept.clear()
