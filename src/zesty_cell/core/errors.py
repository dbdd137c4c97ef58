"""Errors of the core, named for the situation, each carrying the value and the limit."""

from __future__ import annotations

from collections.abc import Callable

from zesty_cell.core.fact import Words

_say: Callable[[Words], str] = repr


def say_with(sayer: Callable[[Words], str], /) -> None:
    """Who makes sentences of facts: the core has none, and ``words`` comes in by this door."""
    global _say
    _say = sayer


def plainly(words: Words, /) -> str:
    """Words as a text, in no units of anybody's choice; a fact as it is where nobody makes sentences of it."""
    return words if isinstance(words, str) else _say(words)


class ZestyCellError(Exception):
    """Base of all errors raised on purpose: by the core, by files, by the store.

    Attributes
    ----------
    why : str or Fact
        What was wanted and found, to be said in the units of who reads it; ``str`` says it plainly.
    """

    def __init__(self, why: Words) -> None:
        super().__init__(why)
        self.why = why

    def __str__(self) -> str:
        return plainly(self.why)


class OutOfRangeError(ZestyCellError, ValueError):
    """A value lies outside what the model can answer.

    Attributes
    ----------
    field : str
        Dotted name of the input concerned, for showing the message beside it.
    value, limit : float
        The value given and the limit it broke, in the unit of the field's name.
    """

    def __init__(self, why: Words, *, field: str, value: float, limit: float) -> None:
        super().__init__(why)
        self.field = field
        self.value = value
        self.limit = limit


class NotReadError(ZestyCellError, ValueError):
    """What was typed is no value of its kind: no number, no time, nothing where something is needed."""


class UnequalPacksError(ZestyCellError, ValueError):
    """Two packs that must not be connected in parallel."""

    def __init__(self, why: Words, *, difference: float, limit: float) -> None:
        super().__init__(why)
        self.difference = difference
        self.limit = limit


class UnknownNameError(ZestyCellError, LookupError):
    """A key such as a chemistry or a pattern is not one we ship."""

    def __init__(self, why: Words, *, name: str) -> None:
        super().__init__(why)
        self.name = name


class LayoutError(ZestyCellError, ValueError):
    """Cells that cannot be arranged as asked."""

    def __init__(self, why: Words, *, value: float, limit: float) -> None:
        super().__init__(why)
        self.value = value
        self.limit = limit


class TooManyCandidatesError(ZestyCellError, ValueError):
    """A search of more packs than are flown at a time."""

    def __init__(self, why: Words, *, count: int, limit: int) -> None:
        super().__init__(why)
        self.count = count
        self.limit = limit


class StoppedError(ZestyCellError, RuntimeError):
    """Work that was cancelled before it was done."""
