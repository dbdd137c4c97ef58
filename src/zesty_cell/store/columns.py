"""What the columns of a row must be, beside its documents: looked at before each write, and when it is doubted."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Annotated, Any, Final

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter, ValidationError
from sqlalchemy.orm import Session, UOWTransaction

from zesty_cell.core.entity import Name
from zesty_cell.core.fact import fact
from zesty_cell.core.parts.ownership import Ownership
from zesty_cell.store.errors import UnstorableError
from zesty_cell.store.tables import CraftRow, KeptRow, PackRow, VoiceLineRow

#: A recording of one line is no larger [bytes].
MOST_SOUND_BYTES: Final = 9_000_000


@dataclass(frozen=True)
class Wrong:
    """What is wrong with a row.

    Attributes
    ----------
    column : str
        Where; "" for the row as a whole.
    place : tuple
        Where in the column's document; empty for the column itself.
    value : object
        What stands there.
    problem : mapping
        As pydantic says it: ``type``, ``msg``, ``ctx``.
    """

    column: str
    place: tuple[str | int, ...]
    value: object
    problem: Mapping[str, Any]

    def words(self) -> str:
        """In a line."""
        where = ".".join(str(part) for part in (self.column, *self.place) if part != "")
        return f"{where}: {self.problem['msg']}" if where else str(self.problem["msg"])


def problems(column: str, error: ValidationError) -> Iterator[Wrong]:
    """Of a document's validation."""
    for problem in error.errors(include_url=False):
        yield Wrong(column, tuple(problem["loc"]), problem.get("input"), problem)


_Spoken = Annotated[str, Field(min_length=1, max_length=120, pattern=r"^[^\x00-\x1f\x7f]*$")]


class _VoiceLine(BaseModel):
    """How a line is spoken."""

    model_config = ConfigDict(strict=True)
    words: _Spoken
    spoken_as: _Spoken | None
    own_wav: Annotated[bytes, Field(max_length=MOST_SOUND_BYTES)] | None


_NAME = TypeAdapter(Name)


def stands(row: CraftRow | PackRow) -> dict[str, Any]:
    """Whose a thing is, and where a pack stands, as its columns say it."""
    stood: dict[str, Any] = {"standing": row.standing, "lent_to": row.lent_to}
    if isinstance(row, PackRow):
        stood |= {"flights": row.flights, "rest_v_per_cell": row.rest_v_per_cell}
    # Of a row that is not written yet, what is not said is the default.
    return {name: value for name, value in stood.items() if value is not None}


def wrong_columns(row: Any) -> Iterator[Wrong]:
    """What is wrong with the columns of a row."""
    try:
        _NAME.validate_python(row.name, strict=True)
    except ValidationError as error:
        yield from problems("name", error)
    looked_at: tuple[type[BaseModel], dict[str, Any]] | None = None
    if isinstance(row, CraftRow | PackRow):
        looked_at = Ownership, stands(row)
    elif isinstance(row, VoiceLineRow):
        looked_at = _VoiceLine, {name: getattr(row, name) for name in _VoiceLine.model_fields}
    if looked_at is None:
        return
    try:
        looked_at[0].model_validate(looked_at[1])
    except ValidationError as error:
        for wrong in problems("", error):
            yield Wrong(str(wrong.place[0]) if wrong.place else "", (), wrong.value, wrong.problem)


def refuse_unreadable(session: Session, _context: UOWTransaction, _instances: Any) -> None:
    """Before each flush: no row is written that no page could read.

    Raises
    ------
    UnstorableError
    """
    for row in (*session.new, *session.dirty):
        if isinstance(row, KeptRow):
            wrong = next(wrong_columns(row), None)
            if wrong is not None:
                raise UnstorableError(fact("stored.unstorable", reason=wrong.words()))
