"""What all of the API shares: numbers of records, what is refused and where, tables as JSON or as CSV."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Annotated, Any, Literal

from fastapi import HTTPException, Path, Query, status
from fastapi.responses import Response
from pydantic import BaseModel, Field
from sqlalchemy.orm import Session

from zesty_cell.core.answer.plausibility import Doubt
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import Words, fact
from zesty_cell.formats.table_csv import write_table
from zesty_cell.store.hangar import Shelf
from zesty_cell.words.say import say

Responses = dict[int | str, dict[str, Any]]
UNREADABLE: Responses = {400: {"description": "The body is not readable text."}}
MISSING: Responses = {404: {"description": "There is no such record."}}
CONFLICT: Responses = {409: {"description": "It was saved by someone else since that version."}}
NEEDED: Responses = {409: {"description": "Something else needs it: its names are in the answer."}}
#: A table that is given as JSON, or as CSV where that is asked for.
TABLE: Responses = {200: {"content": {"text/csv": {"schema": {"type": "string"}}}}}

RecordId = Annotated[int, Path(ge=1, le=2**31, examples=[8])]
OfRecord = Annotated[int, Query(ge=0, le=2**31, description="0 for any.")]
GivenId = Annotated[int, Field(ge=1, le=2**31)]
Version = Annotated[int, Field(ge=1, le=2**31, description="At which it was read.")]
#: Kinds of unlikely figures that are meant, as the ``type`` of each refusal names them.
Sure = Annotated[str, Query(max_length=400, examples=["steady_power energy_density"])]
As = Annotated[Literal["json", "csv"], Query(description="How the table is given.")]


class Listed(BaseModel):
    """A record in a list."""

    id: int
    version: int
    name: str


def refuse(problems: Iterable[tuple[str, Words, str]], *, at: Sequence[str] = ("body",)) -> HTTPException:
    """A refusal said the way FastAPI says it of any value that is out of bounds.

    Parameters
    ----------
    problems : iterable of (str, Words, str)
        Dotted field, words, and kind of each.
    at : sequence of str
        Where in the request the fields begin.
    """
    detail = [
        {"loc": [*at, *(part for part in field.split(".") if part)], "msg": say(words), "type": kind}
        for field, words, kind in problems
    ]
    return HTTPException(status.HTTP_422_UNPROCESSABLE_CONTENT, detail)


def out_of_range(error: OutOfRangeError, *, at: Sequence[str] = ("body",)) -> HTTPException:
    """The refusal of figures that contradict each other."""
    return refuse([(error.field, error.why, "value_error")], at=at)


def check_doubts(doubts: Iterable[Doubt], *, sure: str | None, at: Sequence[str] = ("body",)) -> None:
    """Refuse what cannot be, and ask back what hardly can unless ``sure`` names it, or is None.

    Raises
    ------
    HTTPException
        422, with the key of each doubt as its ``type``.
    """
    meant = None if sure is None else sure.split()
    asked = [d for d in doubts if d.impossible or (meant is not None and d.key not in meant)]
    if asked:
        raise refuse([(d.field, d.why, "impossible" if d.impossible else d.key) for d in asked], at=at)


def csv_of(columns: Mapping[str, Sequence[Any]], *, name: str) -> Response:
    """A table as CSV, to be saved under a name."""
    headers = {"Content-Disposition": f'attachment; filename="{name}.csv"'}
    return Response(write_table(columns), media_type="text/csv; charset=utf-8", headers=headers)


def own_name(session: Session, shelf: Shelf[Any, Any], name: str, *, but: int | None = None) -> None:
    """Refuse a name that another thing of the shelf has: two of one name could not be told apart."""
    if shelf.taken(session, name, but=but):
        raise refuse([(f"{shelf.what}.name", fact("typed.name.taken_already"), "taken")])
