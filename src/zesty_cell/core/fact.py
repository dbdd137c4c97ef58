"""What the core has to say: a key, and the figures that belong to it.  ``words`` makes sentences of it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from types import MappingProxyType


@dataclass(frozen=True, repr=False)
class Fact:
    """Something found.

    Attributes
    ----------
    key : str
        Stable: the part of the core that says it, a point, and what it says.
    figures : mapping of str to object
        Numbers in SI, each named with its unit (``air_c``, ``mass_kg``, ``landing_s``); names of things; further
        facts that are part of the sentence.
    """

    key: str
    figures: Mapping[str, object]

    def __repr__(self) -> str:
        return f"<Fact {self.key}{''.join(f' {name}={value!r}' for name, value in self.figures.items())}>"

    def __hash__(self) -> int:
        return hash((self.key, tuple(self.figures.items())))

    def __reduce__(self) -> tuple[object, ...]:
        """To another process: the view of its figures that cannot be changed cannot be sent."""
        return _made, (self.key, dict(self.figures))


def _made(key: str, figures: dict[str, object], /) -> Fact:
    return Fact(key, MappingProxyType(figures))


def fact(key: str, /, **figures: object) -> Fact:
    """A fact with its figures, each in the unit of its name."""
    return _made(key, figures)


#: What stands beside a field: a text in words already, or a fact to be said to its reader.
Words = str | Fact
