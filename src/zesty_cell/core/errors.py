"""Errors of the core, named for the situation, each carrying the value and the limit."""

from __future__ import annotations


class ZestyCellError(Exception):
    """Base of all errors raised on purpose: by the core, by files, by the store."""


class OutOfRangeError(ZestyCellError, ValueError):
    """A value lies outside what the model can answer.

    Attributes
    ----------
    field : str
        Dotted name of the input concerned, for showing the message beside it.
    value, limit : float
        The value given and the limit it broke, in the unit of the field's name.
    """

    def __init__(self, message: str, *, field: str, value: float, limit: float) -> None:
        super().__init__(message)
        self.field = field
        self.value = value
        self.limit = limit


class UnequalPacksError(ZestyCellError, ValueError):
    """Two packs that must not be connected in parallel."""

    def __init__(self, message: str, *, difference: float, limit: float) -> None:
        super().__init__(message)
        self.difference = difference
        self.limit = limit


class UnknownNameError(ZestyCellError, LookupError):
    """A key such as a chemistry or a pattern is not one we ship."""

    def __init__(self, message: str, *, name: str) -> None:
        super().__init__(message)
        self.name = name


class LayoutError(ZestyCellError, ValueError):
    """Cells that cannot be arranged as asked."""

    def __init__(self, message: str, *, value: float, limit: float) -> None:
        super().__init__(message)
        self.value = value
        self.limit = limit


class TooManyCandidatesError(ZestyCellError, ValueError):
    """A search of more packs than are flown at a time."""

    def __init__(self, message: str, *, count: int, limit: int) -> None:
        super().__init__(message)
        self.count = count
        self.limit = limit


class StoppedError(ZestyCellError, RuntimeError):
    """Work that was cancelled before it was done."""
