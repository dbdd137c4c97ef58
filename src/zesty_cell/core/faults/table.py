"""The table of causes, signs, readings and checks: read once, from ``table.toml`` beside this file."""

from __future__ import annotations

import tomllib
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from types import MappingProxyType
from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, model_validator

from zesty_cell.core.entity import Entity

Chance = Annotated[float, Field(gt=0, lt=1)]
Group = Literal["flight", "transmitter", "heat", "charger", "danger", "since"]
Risk = Literal["look", "landing", "bench", "fly"]
Part = Literal["pack", "plug", "craft", "propeller", "motor", "transmitter", "charger", "air", "hand"]
_FILE = Path(__file__).with_name("table.toml")


class Sign(Entity):
    """What a pilot ticks.

    Attributes
    ----------
    group : str
        Under which heading.
    noticed : float
        Chance that a pilot who has it before him ticks it [1].
    by_itself : float
        Chance of it without any cause [1].
    """

    group: Group
    noticed: Chance
    by_itself: Chance


class Reading(Entity):
    """What a check or the log tells; the first of its outcomes is that all is well.

    Attributes
    ----------
    outcomes : tuple of str
    by_itself : dict of str to float
        Chance of each other outcome without any cause [1].
    """

    outcomes: Annotated[tuple[str, ...], Field(min_length=2, max_length=4)]
    by_itself: dict[str, Chance]


class Check(Entity):
    """How a reading is taken: how long it takes [min], what it risks, and the page that helps with it."""

    minutes: Annotated[float, Field(gt=0, le=120)]
    risk: Risk
    page: Annotated[str, Field(pattern="^(/[a-z/]+)?$", max_length=60)] = ""


class Cause(Entity):
    """What may be off.

    Attributes
    ----------
    part : str
        What would have to be changed.
    usual : float
        How often something that somebody asks about has it [1].
    signs : dict of str to float
        Chance that it brings a sign about [1].
    readings : dict of str to dict of str to float
        Chance of each outcome that is not the first one [1].
    """

    part: Part
    usual: Chance
    signs: dict[str, Chance]
    readings: dict[str, dict[str, Chance]]


class Table(Entity):
    """The whole table.

    Raises
    ------
    ValueError
        Where a cause names a sign, a reading or an outcome that there is not, or chances add to more than one.
    """

    signs: dict[str, Sign]
    readings: dict[str, Reading]
    checks: dict[str, Check]
    causes: dict[str, Cause]

    @model_validator(mode="after")
    def _names_hold(self) -> Table:
        if set(self.checks) != set(self.readings):
            raise ValueError("Every reading has its check.")
        for key, reading in self.readings.items():
            self._outcomes_hold(key, reading.by_itself, f"by itself, {key}")
            if set(reading.by_itself) != set(reading.outcomes[1:]):
                raise ValueError(f"{key}: every outcome but the first comes by itself now and then.")
        for key, cause in self.causes.items():
            strange = [*(set(cause.signs) - set(self.signs)), *(set(cause.readings) - set(self.readings))]
            if strange:
                raise ValueError(f"{key}: there is no {', '.join(sorted(strange))}.")
            for reading_key, chances in cause.readings.items():
                self._outcomes_hold(reading_key, chances, key)
        return self

    def _outcomes_hold(self, reading: str, chances: Mapping[str, float], where: str) -> None:
        strange = set(chances) - set(self.readings[reading].outcomes[1:])
        if strange or sum(chances.values()) >= 1.0:
            raise ValueError(f"{where}: {reading} has no such outcomes.")


@dataclass(frozen=True)
class Chances:
    """The chances of one sign or reading, as an array.

    Attributes
    ----------
    outcomes : tuple of str
        The first is that all is well.
    by_cause : array, shape (causes, outcomes - 1)
        [1].
    by_itself : array, shape (outcomes - 1,)
        [1].
    """

    outcomes: tuple[str, ...]
    by_cause: NDArray[np.float64]
    by_itself: NDArray[np.float64]


#: The two outcomes of a sign.
ABSENT, PRESENT = "absent", "present"


@cache
def the_table() -> Table:
    """The table as it stands beside the code."""
    return Table.model_validate(tomllib.loads(_FILE.read_text(encoding="utf-8")))


@cache
def all_chances() -> Mapping[str, Chances]:
    """Signs and readings with their chances, by key: rows in the order of the causes."""
    table = the_table()
    found = {}
    for key, sign in table.signs.items():
        column = [[cause.signs.get(key, 0.0)] for cause in table.causes.values()]
        found[key] = Chances((ABSENT, PRESENT), np.array(column), np.array([sign.by_itself]))
    for key, reading in table.readings.items():
        others = reading.outcomes[1:]
        rows = [[c.readings.get(key, {}).get(o, 0.0) for o in others] for c in table.causes.values()]
        found[key] = Chances(reading.outcomes, np.array(rows), np.array([reading.by_itself[o] for o in others]))
    return MappingProxyType(found)


#: Signs of a pack that may burn.
DANGERS = frozenset(key for key, sign in the_table().signs.items() if sign.group == "danger")
