"""A case: what was off with a craft or a pack, how it was looked for, and what it was."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Annotated, Literal

from pydantic import Field, StringConstraints, model_validator

from zesty_cell.core.entity import Entity, Name, refused
from zesty_cell.core.fact import fact
from zesty_cell.core.faults.next_check import Proposed, is_sure, worth_making
from zesty_cell.core.faults.reckoned import Reckoned, Seen, reckon, usual_chances
from zesty_cell.core.faults.table import DANGERS, the_table
from zesty_cell.core.learn.moment import Moment

#: What a case may turn out to be besides the causes of the table.
NOTHING, SOMETHING_ELSE = "nothing", "something else"
#: An answer of a check that could not be made, or said neither.
NOT_TOLD = "not told"
Key = Annotated[str, StringConstraints(pattern="^[a-z_]+$", min_length=1, max_length=40)]
CaseNote = Annotated[str, StringConstraints(strip_whitespace=True, max_length=400)]


class Answer(Entity):
    """What a check found, or that it could not be made."""

    reading: Key
    outcome: Annotated[str, StringConstraints(min_length=1, max_length=40)]
    at: Moment


class Closed(Entity):
    """What it was: a cause of the table, nothing, or something else; with the pilot's words."""

    was: Annotated[str, StringConstraints(min_length=1, max_length=40)]
    at: Moment
    note: CaseNote = ""


class Case(Entity):
    """Something that is off.

    Attributes
    ----------
    craft, pack : str, optional
        Names; one of them at least.
    signs : tuple of str
        Keys of the table, as ticked.
    answers : tuple of Answer
        Of checks, in the order in which they were made; one a reading.
    known : dict of str to str
        What the log told of readings when the case was closed; while it is open it is looked up each time.
    closed : Closed or None
    """

    craft: Name | None = None
    pack: Name | None = None
    began_at: Moment
    signs: Annotated[tuple[Key, ...], Field(min_length=1, max_length=60)]
    note: CaseNote = ""
    answers: Annotated[tuple[Answer, ...], Field(max_length=60)] = ()
    known: Annotated[dict[Key, Annotated[str, Field(max_length=40)]], Field(max_length=60)] = Field(
        default_factory=dict
    )
    closed: Closed | None = None

    @model_validator(mode="after")
    def _of_the_table(self) -> Case:
        table = the_table()
        if self.craft is None and self.pack is None:
            raise refused(fact("refused.case.of_nothing"), field="craft")
        strange = [key for key in self.signs if key not in table.signs]
        if strange or len(set(self.signs)) != len(self.signs):
            raise refused(fact("refused.case.no_such_sign", key=", ".join(strange) or self.signs[0]), field="signs")
        told = [(a.reading, a.outcome) for a in self.answers if a.outcome != NOT_TOLD]
        told += self.known.items()
        for reading, outcome in told:
            if reading not in table.readings or outcome not in table.readings[reading].outcomes:
                raise refused(fact("refused.case.no_such_outcome", key=reading, outcome=outcome), field="answers")
        readings = [a.reading for a in self.answers]
        if len(set(readings)) != len(readings) or not set(readings) <= set(table.readings):
            raise refused(fact("refused.case.answered_twice"), field="answers")
        if self.closed is not None and self.closed.was not in {*table.causes, NOTHING, SOMETHING_ELSE}:
            raise refused(fact("refused.case.no_such_cause", key=self.closed.was), field="closed")
        return self

    @property
    def dangerous(self) -> bool:
        """Whether a sign says that the pack may burn."""
        return bool(DANGERS & set(self.signs))


#: How a case stands: looking, known what it is, or nothing more to be found out by checks.
Stands = Literal["looking", "sure", "nothing is off", "no check helps"]


@dataclass(frozen=True)
class Look:
    """A case as it stands.

    Attributes
    ----------
    now, before : Reckoned
        With everything, and without the answer that came last.
    readings : mapping of str to str
        All that is known, by answers and by the log; what was answered goes before.
    next : tuple of Proposed
        Checks worth making, the best first; none once it is sure.
    stands : str
    """

    now: Reckoned
    before: Reckoned
    readings: Mapping[str, str]
    next: tuple[Proposed, ...]
    stands: Stands


def look_at(case: Case, /, *, known: Mapping[str, str], was: Mapping[str, int]) -> Look:
    """How a case stands.

    Parameters
    ----------
    case : Case
    known : mapping of str to str
        What sheet, plan and log tell of readings.
    was : mapping of str to int
        Closed cases of this hangar by what they were, see :func:`usual_chances`.
    """
    usual = usual_chances(was)
    signs = frozenset(case.signs)
    told = [(a.reading, a.outcome) for a in case.answers]
    readings = {**known, **{key: outcome for key, outcome in told if outcome != NOT_TOLD}}
    now = reckon(Seen(signs, readings), usual=usual)
    last = dict(known) | {key: outcome for key, outcome in told[:-1] if outcome != NOT_TOLD}
    before = reckon(Seen(signs, last), usual=usual) if told else now
    sure = is_sure(now)
    ahead = () if sure else worth_making(now, known={*readings, *(key for key, _ in told)}, signs=signs)
    stands: Stands
    if sure:
        stands = "nothing is off" if now.nothing >= now.ranked[0].chance else "sure"
    else:
        stands = "looking" if ahead else "no check helps"
    return Look(now, before, readings, ahead, stands)
